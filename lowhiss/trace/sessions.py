"""Where in days of driving somebody tested: strokes down to the knobs, or a rest after a fall, while it stood."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lowhiss.trace.recording import Recording, Series

_BEFORE_S, _AFTER_S, _APART_S = 600.0, 900.0, 720.0
_SPENT_PSI, _FULL_PSI = 50.0, 90.0
_THINNED_S = 1.0


@dataclass(frozen=True, slots=True)
class Session:
    """A stretch that holds a test."""

    from_s: float
    to_s: float


def find_sessions(recording: Recording) -> list[Session]:
    """Each stretch in which air was spent from full to nearly nothing, with what stands around it; by time.

    A log that holds nothing of the kind, or is shorter than a test takes, is one session. Driving never spends a
    vehicle's air: its warning would sound.
    """
    t_s = recording.t_s
    whole = [Session(float(t_s[0]), float(t_s[-1]))]
    if t_s[-1] - t_s[0] <= _BEFORE_S + _AFTER_S:
        return whole
    lower = np.minimum.reduce(list(recording.needles.values()))
    t_s, lower = _thinned(t_s, lower)
    spent = np.flatnonzero(np.diff((lower < _SPENT_PSI).astype(np.int8)) > 0)
    sessions: list[Session] = []
    for place in spent:
        at_s = float(t_s[place])
        before = (t_s >= at_s - _BEFORE_S) & (t_s <= at_s)
        if not before.any() or lower[before].max() < _FULL_PSI:
            continue
        one = Session(max(float(t_s[0]), at_s - _BEFORE_S), min(float(t_s[-1]), at_s + _AFTER_S))
        if sessions and one.from_s - sessions[-1].to_s < 0 and at_s - (sessions[-1].from_s + _BEFORE_S) < _APART_S:
            sessions[-1] = Session(sessions[-1].from_s, one.to_s)
        else:
            sessions.append(one)
    return sessions or whole


def _thinned(t_s: Series, psi: Series) -> tuple[Series, Series]:
    every = max(1, round(_THINNED_S / float(np.median(np.diff(t_s)))))
    return t_s[::every], psi[::every]

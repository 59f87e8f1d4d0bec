"""A real test beside its own recording: what each mark's number was on the feed, and how late it was marked."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Any

from lowhiss import rulebook
from lowhiss.core.airsystem import WorldEvent
from lowhiss.core.feed import FeedWatch, Frame, read_frame
from lowhiss.core.practice import TrueMark, true_marks
from lowhiss.core.record import read_run
from lowhiss.core.run import standing_events
from lowhiss.engine.practice import set_at

_SHOWN_BY_A_FEED: Mapping[str, tuple[str, dict[str, str]]] = {
    "cut_out": ("unloaded", {}),
    "cut_in": ("loading", {}),
    "settled": ("needles_still", {}),
    "warning": ("lamp_on", {}),
    "tractor_out": ("knob_out", {"knob": "tractor", "cause": "low_air"}),
    "trailer_out": ("knob_out", {"knob": "trailer", "cause": "low_air"}),
}
"""What a feed's proposals are called among true moments."""


def compare_marks(record: Mapping[str, Any], frames: Iterable[Mapping[str, Any]]) -> list[TrueMark]:
    """Each mark of a run with what its feed showed then, in order; empty where the feed saw nothing of it.

    record : an open run record.  frames : as ``GET /api/runs/{id}/trace`` gives them, with the run's time ``at_s``.
    A feed is the nearest thing to the truth on a real vehicle: ``true_psi`` is what it showed. A mark of which it can
    know no moment, such as a buzzer's, is held to its number alone. Raises CoreError for a frame that is none.
    """
    run = read_run(record)
    seen: list[Frame] = []
    moments: list[WorldEvent] = []
    watch = FeedWatch()
    for table in frames:
        told = {key: value for key, value in table.items() if key != "at_s"}
        frame = replace(read_frame(told, run.unit), t_s=float(table["at_s"]))
        trouble, proposals = watch.take(frame)
        if trouble not in ("duplicate", "backwards"):
            seen.append(frame)
        for one in proposals:
            name, detail = _SHOWN_BY_A_FEED[one.moment]
            moments.append(WorldEvent(one.frame.t_s, name, detail, one.frame.psi, one.frame.psi))
    if not seen:
        return []
    times = [frame.t_s for frame in seen]

    def at(t_s: float) -> tuple[tuple[float, ...], tuple[float, ...]]:
        place = min(max(bisect_left(times, t_s), 1), len(seen) - 1) if len(seen) > 1 else 0
        psi = _between(seen[max(0, place - 1)], seen[place], t_s)
        return psi, psi

    standing = [event for event in standing_events(run.events)[0] if times[0] <= event.at_s <= times[-1]]
    known = {(one.name, one.detail.get("knob")) for one in moments}
    found = true_marks(rulebook.practice(), standing, moments, at, set_at(run.events))
    return [one if _may_be_known(one, known) else _by_its_number(one) for one in found]


def _between(before: Frame, after: Frame, t_s: float) -> tuple[float, ...]:
    span = after.t_s - before.t_s
    share = min(max((t_s - before.t_s) / span, 0.0), 1.0) if span > 0 else 1.0
    return tuple(round(a + (b - a) * share, 2) for a, b in zip(before.psi, after.psi, strict=True))


def _may_be_known(mark: TrueMark, known: set[tuple[str, str | None]]) -> bool:
    """Whether the feed showed moments of this mark's kind at all."""
    if mark.kind == "warning":
        return mark.which == "lamp" and ("lamp_on", None) in known
    if mark.kind == "popped":
        return ("knob_out", mark.which) in known
    return True


def _by_its_number(mark: TrueMark) -> TrueMark:
    """A mark of which no moment can be known: only what was read stands beside it."""
    off = mark.quality == "read_off" or (mark.eye_psi or 0.0) > rulebook.practice().marks["off_psi"]
    return replace(mark, true_at_s=None, late_s=None, late_psi=None, quality="read_off" if off else "good")


def as_tables(marks: Sequence[TrueMark]) -> list[dict[str, Any]]:
    """Marks as plain values, lists where the core has tuples."""
    return [
        {
            "at_s": one.at_s,
            "kind": one.kind,
            "which": one.which,
            "stage": one.stage,
            "late_s": one.late_s,
            "typed_psi": None if one.typed_psi is None else list(one.typed_psi),
            "shown_psi": list(one.shown_psi),
            "quality": one.quality,
        }
        for one in marks
    ]

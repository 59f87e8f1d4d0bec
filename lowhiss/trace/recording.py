"""A recorded pressure log as arrays: what a file gave, put on one even grid, with its resolution and its noise."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from lowhiss.core.errors import CoreError
from lowhiss.core.record import HIGHEST_PSI

Series = NDArray[np.float64]
GRID_HZ = 10.0
"""A finer recording is averaged to this: no moment of a test is told apart by less than a tenth of a second."""
_GAP_S = 5.0
"""Samples further apart have nothing known between them."""
COARSE_PSI = 0.3
"""Steps from here on are steps of the sender's, not a needle's."""
_DISTINCT = 400
_MOST_SAMPLES = 5_000_000
"""Six weeks of one a second: a jump of years is a clock that was set, not a recording."""


class TraceError(CoreError):
    """A recording cannot be understood; ``field`` names the column."""


@dataclass(frozen=True, slots=True)
class Recording:
    """A log on its own times.

    t_s : seconds, rising.  needles : psi gauge by name, ``primary`` first.  flags : 0 or 1, by name: ``tractor_in``,
    ``trailer_in`` (knobs pushed in), ``lamp``.  others : what else was recorded, by name with its unit.
    began_at : the moment of second 0, where its times say so.
    """

    t_s: Series
    needles: Mapping[str, Series]
    flags: Mapping[str, Series] = field(default_factory=dict)
    others: Mapping[str, Series] = field(default_factory=dict)
    began_at: dt.datetime | None = None

    def __post_init__(self) -> None:
        """Raises TraceError for what no vehicle of this trade can have recorded."""
        if self.t_s.size < 3:
            raise TraceError("t_s", f"has {self.t_s.size} samples: this isn't a recording")
        if not self.needles:
            raise TraceError("primary_psi", "is missing: no column has pressures")
        if np.any(np.diff(self.t_s) <= 0):
            raise TraceError("t_s", "isn't in ascending order: sort it, or choose another time column")
        for name, psi in self.needles.items():
            known = psi[np.isfinite(psi)]
            if known.size == 0:
                raise TraceError(name, "has no numbers")
            if known.max() > HIGHEST_PSI * 1.25:
                unit = "kPa" if known.max() < 1400 else "another unit"
                raise TraceError(
                    name, f"reaches {known.max():.0f} psi: too high for a truck; the values are probably in {unit}"
                )

    def between(self, from_s: float, to_s: float) -> Recording:
        """The part of it between two times. Raises TraceError where there is too little."""
        keep = (self.t_s >= from_s) & (self.t_s <= to_s)
        cut = {name: values[keep] for name, values in self.needles.items()}
        flags = {name: values[keep] for name, values in self.flags.items()}
        others = {name: values[keep] for name, values in self.others.items()}
        return Recording(self.t_s[keep], cut, flags, others, self.began_at)


@dataclass(frozen=True, slots=True)
class Grid:
    """A recording on an even grid. step_psi : of the sender's steps, 0 where there are none to be seen.

    noise_psi : one standard deviation of a sample.  known : False where nothing was recorded for long.
    """

    t_s: Series
    step_s: float
    needles: Mapping[str, Series]
    flags: Mapping[str, Series]
    known: NDArray[np.bool_]
    step_psi: float
    noise_psi: float

    @property
    def lower(self) -> Series:
        return np.asarray(np.minimum.reduce(list(self.needles.values())), dtype=np.float64)

    @property
    def coarse(self) -> bool:
        """Whether the sender's steps are what limits a reading."""
        return self.step_psi >= COARSE_PSI

    def span(self, seconds: float) -> int:
        """So many samples are in this time, one at least."""
        return max(1, round(seconds / self.step_s))


def grid_of(recording: Recording) -> Grid:
    """The recording on an even grid, holes bridged in a straight line and marked. Raises TraceError."""
    t_s = recording.t_s
    usual = float(np.median(np.diff(t_s)))
    step_s = max(usual, 1.0 / GRID_HZ)
    if (t_s[-1] - t_s[0]) / step_s > _MOST_SAMPLES:
        days = (t_s[-1] - t_s[0]) / 86_400
        raise TraceError(
            "t_s", f"spans {days:.0f} days: the clock was probably reset; cut the file to the days that matter"
        )
    even = np.arange(t_s[0], t_s[-1] + step_s / 2, step_s)
    thick = max(1, round(step_s / usual))
    needles = {name: _on(even, t_s, values, thick) for name, values in recording.needles.items()}
    flags = {name: np.round(_on(even, t_s, values, 1)) for name, values in recording.flags.items()}
    after = np.searchsorted(t_s, even, side="left").clip(1, t_s.size - 1)
    known = (t_s[after] - t_s[after - 1]) <= max(_GAP_S, 3 * usual)
    finest = next(iter(recording.needles.values()))
    step_psi = steps_of(finest)
    return Grid(even, step_s, needles, flags, known, step_psi, _noise(finest, step_psi) / float(np.sqrt(thick)))


def _on(even: Series, t_s: Series, values: Series, thick: int) -> Series:
    fine = np.isfinite(values)
    if not fine.all():
        t_s, values = t_s[fine], values[fine]
    if thick > 1 and values.size > thick:
        kernel = np.ones(thick) / thick
        values = np.convolve(np.pad(values, (thick // 2, thick - 1 - thick // 2), mode="edge"), kernel, mode="valid")
    return np.interp(even, t_s, values)


def steps_of(values: Series) -> float:
    """The steps in which a sender tells a pressure [psi]; 0 where it has none that matter."""
    levels = np.unique(np.round(values[np.isfinite(values)], 4))
    if not 2 <= levels.size <= _DISTINCT:
        return 0.0
    step = float(np.diff(levels).min())
    return step if step >= 0.02 else 0.0


def _noise(values: Series, step_psi: float) -> float:
    """Of a sample: the middle of how far it lies from the line through its neighbours, and a step's own share."""
    bend = np.diff(values[np.isfinite(values)], 2)
    if bend.size == 0:
        return 0.0
    seen = 1.4826 * float(np.median(np.abs(bend - np.median(bend)))) / np.sqrt(6)
    return float(max(seen, step_psi / np.sqrt(12)))

"""A live pressure feed: frames checked one by one, what is wrong with their order, and moments worth proposing.

Pure: a frame is what a sender said, times are the sender's own, and nothing is ever judged here.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Literal

from lowhiss.core.errors import CoreError
from lowhiss.core.fields import Fields
from lowhiss.core.units import PRESSURE_UNITS, to_psi
from lowhiss.core.vehicle import Knob, Unit

LOWEST_PSI, HIGHEST_PSI = -2.0, 250.0
"""No gauge on an air brake system shows less or more."""
Moment = Literal["settled", "cut_out", "cut_in", "warning", "tractor_out", "trailer_out"]
Trouble = Literal["gap", "duplicate", "backwards", "jump"]

JUMP_PSI_PER_S = 60.0
"""Faster than any stroke or burst hose moves a tank: the feed, not the vehicle."""
_WINDOW_S = 12.0
_SLOPE_OVER_S = 3.0
_STILL_PSI_PER_S = 0.08
_RISING_PSI_PER_S = 0.25
_TURN_S = 1.5


class FeedError(CoreError):
    """A frame cannot be understood; ``field`` names what is wrong in it."""


@dataclass(frozen=True, slots=True)
class Frame:
    """One frame: its number, the sender's time [s], the needles [psi gauge], and what else the sender knows."""

    seq: int
    t_s: float
    primary_psi: float
    secondary_psi: float | None
    lamp: bool | None = None
    tractor_in: bool | None = None
    trailer_in: bool | None = None

    @property
    def psi(self) -> tuple[float, ...]:
        """The needles that there are."""
        return (self.primary_psi,) if self.secondary_psi is None else (self.primary_psi, self.secondary_psi)

    @property
    def lowest_psi(self) -> float:
        """The lower needle."""
        return self.primary_psi if self.secondary_psi is None else min(self.primary_psi, self.secondary_psi)


def read_frame(table: object, unit: Unit) -> Frame:
    """A frame from plain values: ``{"seq": 7, "t_s": 1.4, "primary_psi": 103.2, "secondary_psi": 103.9}``.

    Pressures carry their unit in their names, ``_psi``, ``_kpa`` or ``_bar``. Raises FeedError naming the field.
    """
    fields = Fields(table, "", FeedError)
    seq = fields.number("seq", low=0, high=2**53)
    frame = Frame(
        seq=int(seq),
        t_s=fields.number("t_s", low=0, high=1e9),
        primary_psi=_pressure(fields, "primary"),
        secondary_psi=_pressure(fields, "secondary") if "secondary" in unit.needles else None,
        lamp=fields.flag("lamp", False) if fields.has("lamp") else None,
        tractor_in=fields.flag("tractor_in", False) if fields.has("tractor_in") else None,
        trailer_in=fields.flag("trailer_in", False) if fields.has("trailer_in") else None,
    )
    if seq != frame.seq:
        raise fields.refuse("seq", "must be a whole number")
    fields.done()
    return frame


def _pressure(fields: Fields, needle: str) -> float:
    given = [unit for unit in PRESSURE_UNITS if fields.has(f"{needle}_{unit}")]
    if len(given) != 1:
        problem = "is given twice" if given else "is missing"
        raise fields.refuse(needle, f"{problem}: one of {needle}_psi, {needle}_kpa or {needle}_bar says it")
    psi = to_psi(fields.number(f"{needle}_{given[0]}", low=-1e6, high=1e6), given[0])
    if not LOWEST_PSI <= psi <= HIGHEST_PSI:
        raise fields.refuse(f"{needle}_{given[0]}", f"is {psi:.0f} psi, which no gauge of an air brake system shows")
    return psi


@dataclass(frozen=True, slots=True)
class Proposal:
    """A moment that the feed shows: what, when by the sender's time, and the frame of that time."""

    moment: Moment
    frame: Frame


@dataclass(slots=True)
class FeedWatch:
    """Frames of one sender in order, one by one; ``take`` says what is wrong with a frame and what it shows."""

    latest: Frame | None = None
    _recent: deque[Frame] = field(default_factory=deque)
    _rising: bool = False
    _moved: bool = False
    _fell: bool = False

    def take(self, frame: Frame) -> tuple[Trouble | None, list[Proposal]]:
        """The trouble with this frame, if any, and what is worth proposing. A duplicate or late frame is left out."""
        before = self.latest
        if before is not None:
            if frame.seq == before.seq:
                return "duplicate", []
            if frame.seq < before.seq or frame.t_s <= before.t_s:
                return "backwards", []
        trouble: Trouble | None = None
        if before is not None:
            if frame.seq > before.seq + 1:
                trouble = "gap"
            span = frame.t_s - before.t_s
            if abs(frame.lowest_psi - before.lowest_psi) > JUMP_PSI_PER_S * max(span, 0.05):
                trouble = "jump"
        proposals = [] if before is None else list(_flags(before, frame))
        self.latest = frame
        if trouble is not None:
            self._forget()
        self._recent.append(frame)
        while self._recent[0].t_s < frame.t_s - _WINDOW_S:
            self._recent.popleft()
        return trouble, [*proposals, *self._turns(frame)]

    def _forget(self) -> None:
        """After a gap or a jump nothing before it says where the needles are going."""
        self._recent.clear()
        self._rising = self._moved = self._fell = False

    def _slope(self, over_s: float) -> float | None:
        """How fast the lower needle has moved lately [psi/s]; None while too little is known."""
        last = self._recent[-1]
        earlier = [one for one in self._recent if last.t_s - one.t_s <= over_s]
        span = last.t_s - earlier[0].t_s
        return None if span < 0.8 * over_s else (last.lowest_psi - earlier[0].lowest_psi) / span

    def _turns(self, frame: Frame) -> Iterable[Proposal]:
        """Where the needles stop rising, begin to rise, or come to rest."""
        short, long = self._slope(_TURN_S), self._slope(_SLOPE_OVER_S)
        if short is None or long is None:
            return
        if self._rising and short < _STILL_PSI_PER_S:
            self._rising = False
            top = max(self._recent, key=lambda one: (one.lowest_psi, -one.t_s))
            yield Proposal("cut_out", top)
        elif not self._rising and short > _RISING_PSI_PER_S and long > _RISING_PSI_PER_S:
            self._rising = True
            if self._fell:
                yield Proposal("cut_in", min(self._recent, key=lambda one: (one.lowest_psi, one.t_s)))
            self._fell = False
        if long < -2 * _STILL_PSI_PER_S:
            self._moved = self._fell = True
        elif self._moved and self._still(frame):
            self._moved = False
            yield Proposal("settled", frame)

    def _still(self, frame: Frame) -> bool:
        """Whether the needles have hardly moved for as long as one looks to be sure; a turn is not stillness."""
        seen = [one.lowest_psi for one in self._recent if frame.t_s - one.t_s <= _SLOPE_OVER_S]
        return max(seen) - min(seen) < _STILL_PSI_PER_S * _SLOPE_OVER_S


def _flags(before: Frame, now: Frame) -> Iterable[Proposal]:
    """What came on or out between two frames."""
    if now.lamp and before.lamp is False:
        yield Proposal("warning", now)
    knobs: tuple[tuple[Knob, bool | None, bool | None], ...] = (
        ("tractor", before.tractor_in, now.tractor_in),
        ("trailer", before.trailer_in, now.trailer_in),
    )
    for knob, was, is_in in knobs:
        if was and is_in is False:
            yield Proposal("tractor_out" if knob == "tractor" else "trailer_out", now)

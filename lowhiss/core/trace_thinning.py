"""A kept trace as a chart can draw it: stretches without a gap, thinned so that no peak and no dip is lost."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Literal

GAP_S = 2.0
"""Frames further apart than this have nothing known between them."""
MAX_POINTS = 1200
"""About as many as a wide screen has columns of pixels: of each needle, over the whole trace."""

Needle = Literal["primary", "secondary"]
_NEEDLES: tuple[Needle, ...] = ("primary", "secondary")
_Point = tuple[float, float]


@dataclass(frozen=True, slots=True)
class Stretch:
    """One needle while its frames came without a gap: the run's times [s] and what it showed [psi gauge]."""

    needle: Needle
    at_s: tuple[float, ...]
    psi: tuple[float, ...]


def stretches(
    frames: Iterable[Mapping[str, float]], began_s: float, ended_s: float, most: int = MAX_POINTS
) -> list[Stretch]:
    """The stretches of a trace, in order of time, with about ``most`` points of each needle at most.

    ``frames`` carry ``at_s``, ``primary_psi`` and, where there is one, ``secondary_psi``, in order of time from
    ``began_s`` to about ``ended_s``; they are taken one by one and never held all at once. Of each short span of time
    the first, the lowest, the highest and the last reading stay.
    """
    lines = {needle: _Line(began_s, (ended_s - began_s) * 4 / most or 1.0, most) for needle in _NEEDLES}
    for frame in frames:
        for needle in _NEEDLES:
            psi = frame.get(f"{needle}_psi")
            if psi is not None:
                lines[needle].take((frame["at_s"], psi))
    found = [
        Stretch(needle, tuple(at for at, _ in kept), tuple(psi for _, psi in kept))
        for needle, line in lines.items()
        for kept in line.stretches()
    ]
    return sorted(found, key=lambda stretch: (stretch.at_s[0], stretch.needle))


@dataclass(slots=True)
class _Line:
    """One needle's points as they come: all of them while they are few, thinned from then on."""

    began_s: float
    span_s: float
    most: int
    done: list[list[_Point]] = field(default_factory=list)
    kept: list[_Point] = field(default_factory=list)
    held: list[_Point] = field(default_factory=list)
    few: list[list[_Point]] | None = field(default_factory=lambda: _none_yet())
    last_s: float | None = None
    count: int = 0

    def take(self, point: _Point) -> None:
        # a sender that came again was timed anew: a little back is not a gap
        gap = self.last_s is not None and abs(point[0] - self.last_s) > GAP_S
        self.last_s = point[0]
        self.count += 1
        if self.few is not None:
            if gap:
                self.few.append([])
            self.few[-1].append(point)
            if self.count > self.most:
                few, self.few = self.few, None
                for place, stretch in enumerate(few):
                    for one in stretch:
                        self.thin(one, gap=place > 0 and one is stretch[0])
            return
        self.thin(point, gap=gap)

    def thin(self, point: _Point, *, gap: bool) -> None:
        """Of each span of time the first, lowest, highest and last point stay, in order and each once."""
        place = int((point[0] - self.began_s) / self.span_s)
        if self.held and (gap or place != int((self.held[0][0] - self.began_s) / self.span_s)):
            self.kept += _telling(self.held)
            self.held = []
        if gap and self.kept:
            self.done.append(self.kept)
            self.kept = []
        self.held.append(point)

    def stretches(self) -> list[list[_Point]]:
        if self.few is not None:
            return [stretch for stretch in self.few if stretch]
        return [*self.done, [*self.kept, *_telling(self.held)]]


def _none_yet() -> list[list[_Point]]:
    return [[]]


def _telling(held: list[_Point]) -> list[_Point]:
    psi = [point[1] for point in held]
    return [held[n] for n in sorted({0, psi.index(min(psi)), psi.index(max(psi)), len(held) - 1})]

"""A kept trace as a chart can draw it: stretches without a gap, thinned so that no peak and no dip is lost."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

GAP_S = 2.0
"""Frames further apart than this have nothing known between them."""
MOST_POINTS = 1200
"""About as many as a wide screen has columns of pixels: of each needle, over the whole trace."""

Needle = Literal["primary", "secondary"]


@dataclass(frozen=True, slots=True)
class Stretch:
    """One needle while its frames came without a gap: the run's times [s] and what it showed [psi gauge]."""

    needle: Needle
    at_s: tuple[float, ...]
    psi: tuple[float, ...]


def stretches(frames: Sequence[Mapping[str, float]], most: int = MOST_POINTS) -> list[Stretch]:
    """The stretches of a trace, in order of time, with about ``most`` points of each needle at most.

    ``frames`` carry ``at_s``, ``primary_psi`` and, where there is one, ``secondary_psi``, in order of time. Of each
    short span of time the first, the lowest, the highest and the last reading stay.
    """
    if not frames:
        return []
    began_s = frames[0]["at_s"]
    span_s = (frames[-1]["at_s"] - began_s) * 4 / most or 1.0
    found = []
    needles: tuple[Needle, ...] = ("primary", "secondary")
    for needle in needles:
        shown = [(frame["at_s"], frame[f"{needle}_psi"]) for frame in frames if f"{needle}_psi" in frame]
        for stretch in _without_gap(shown):
            kept = stretch if len(shown) <= most else list(_thinned(stretch, began_s, span_s))
            found.append(Stretch(needle, tuple(at for at, _ in kept), tuple(psi for _, psi in kept)))
    return sorted(found, key=lambda stretch: (stretch.at_s[0], stretch.needle))


_Point = tuple[float, float]


def _without_gap(points: Sequence[_Point]) -> Iterator[list[_Point]]:
    if not points:
        return
    # a sender that came again was timed anew: a little back is not a gap
    starts = [0, *(n for n, (one, other) in enumerate(pairwise(points), 1) if abs(other[0] - one[0]) > GAP_S)]
    for start, end in pairwise([*starts, len(points)]):
        yield list(points[start:end])


def _thinned(points: Iterable[_Point], began_s: float, span_s: float) -> Iterator[_Point]:
    """Of each span of time the first, lowest, highest and last point, in order and each once."""
    held: list[_Point] = []
    for point in points:
        if held and int((point[0] - began_s) / span_s) != int((held[0][0] - began_s) / span_s):
            yield from _telling(held)
            held = []
        held.append(point)
    yield from _telling(held)


def _telling(held: list[_Point]) -> list[_Point]:
    psi = [point[1] for point in held]
    return [held[n] for n in sorted({0, psi.index(min(psi)), psi.index(max(psi)), len(held) - 1})]

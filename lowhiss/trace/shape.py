"""The shape of a pressure log: how fast it moves, where it rises, rests and is drawn down."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lowhiss.trace.recording import Grid, Series

LAG_S = 0.6
"""How far a needle lags behind its tank (common practice, no source)."""
_FINE_S, _COARSE_S = 3.0, 10.0
"""Over how long a slope is taken, where the sender is fine, and where it steps."""
_RISING_PSI_PER_S, _REST_DOWN_PSI_PER_S, _REST_UP_PSI_PER_S = 0.10, 0.60, 0.15
_LEAST_RISE_PSI, _LEAST_STROKE_PSI = 6.0, 0.6
_STROKE_PSI_PER_S = 0.8
_BRIDGE_S = 4.0
_SPENT_PSI_PER_S, _LEAST_SPENT_PSI, _PAUSE_S = 0.25, 30.0, 20.0
"""Fanning spends a psi a second and more; whoever fans may stop that long to read."""


@dataclass(frozen=True, slots=True)
class Span:
    """A stretch of the grid, its last sample left out."""

    start: int
    stop: int


def slope_of(grid: Grid, psi: Series) -> Series:
    """How fast it moves [psi/s], over a time that suits the sender."""
    half = grid.span((_COARSE_S if grid.coarse else _FINE_S) / 2)
    padded = np.pad(psi, half, mode="edge")
    return (padded[2 * half :] - padded[: -2 * half]) / (2 * half * grid.step_s)


def without_lag(grid: Grid, psi: Series) -> Series:
    """What the tank held, from a needle that lags: the needle and its slope, times the lag. As it is where it steps."""
    window = grid.span(0.7) | 1
    if grid.coarse or window < 5:
        return psi
    from scipy.signal import savgol_filter  # takes longer to load than the rest of the server

    smooth = savgol_filter(psi, window, 2)
    return np.asarray(smooth + LAG_S * savgol_filter(psi, window, 2, deriv=1, delta=grid.step_s), dtype=np.float64)


def runs_of(mask: NDArray[np.bool_]) -> Iterator[Span]:
    """Where a mask is true, stretch by stretch."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], mask.astype(np.int8), [0]])))
    for start, stop in zip(edges[::2], edges[1::2], strict=True):
        yield Span(int(start), int(stop))


def bridged(mask: NDArray[np.bool_], most: int) -> NDArray[np.bool_]:
    """A mask with its holes of at most so many samples filled."""
    filled = mask.copy()
    for hole in runs_of(~mask):
        if hole.start > 0 and hole.stop < mask.size and hole.stop - hole.start <= most:
            filled[hole.start : hole.stop] = True
    return filled


def rises_of(grid: Grid, psi: Series) -> list[Span]:
    """Where air is built: stretches that rise by more than a warmed tank does."""
    rising = bridged((slope_of(grid, psi) > _RISING_PSI_PER_S) & grid.known, grid.span(_BRIDGE_S))
    found = []
    for span in runs_of(rising):
        part = psi[span.start : span.stop]
        if part.max() - part[0] > _LEAST_RISE_PSI:
            # a coarse slope looks ahead: the top may come some seconds after it has flattened
            part = psi[span.start : span.stop + (grid.span(_COARSE_S) if grid.coarse else 0)]
            found.append(Span(span.start, span.start + int(part.argmax()) + 1))
    return found


def declines_of(grid: Grid, psi: Series) -> list[Span]:
    """Where air is spent stroke by stroke, for a sender too coarse to show the strokes."""
    falling = bridged((slope_of(grid, psi) < -_SPENT_PSI_PER_S) & grid.known, grid.span(_PAUSE_S))
    found = []
    for span in runs_of(falling):
        part = psi[span.start : span.stop]
        if part[0] - part.min() > _LEAST_SPENT_PSI:
            found.append(Span(span.start, span.start + int(part.argmin()) + 1))
    return found


def strokes_of(grid: Grid, psi: Series) -> list[Span]:
    """Each press of a pedal: a quick fall between two times at which it falls no further."""
    if grid.coarse or grid.step_s > 0.5:
        falling = np.diff(psi, append=psi[-1]) < -max(1.0, grid.step_psi * 1.5)
        return [Span(span.start, span.stop + 1) for span in runs_of(falling & grid.known)]
    half = grid.span(0.3)
    padded = np.pad(psi, half, mode="edge")
    quick = (padded[2 * half :] - padded[: -2 * half]) / (2 * half * grid.step_s)
    spans = []
    for span in runs_of((quick < -_STROKE_PSI_PER_S) & grid.known):
        start, stop = max(0, span.start - half), min(psi.size, span.stop + half)
        if psi[start:stop].max() - psi[start:stop].min() >= _LEAST_STROKE_PSI:
            spans.append(Span(start, stop))
    return spans


def rests_of(grid: Grid, psi: Series, strokes: list[Span], least_s: float) -> list[Span]:
    """Where nothing but a leak moves it, for at least so long."""
    slope = slope_of(grid, psi)
    still = (slope > -_REST_DOWN_PSI_PER_S) & (slope < _REST_UP_PSI_PER_S) & grid.known
    for stroke in strokes:
        still[stroke.start : stroke.stop] = False
    still = bridged(still, 1) if not grid.coarse else still
    return [span for span in runs_of(still) if (span.stop - span.start) * grid.step_s >= least_s]


def knee(grid: Grid, psi: Series, rise: Span) -> tuple[int, Span]:
    """Where a rise ends: the break of two straight lines, and the stretch of the line before it."""
    start = max(rise.start, rise.stop - grid.span(40.0 if grid.coarse else 20.0))
    if grid.coarse:
        return rise.stop - 1, Span(start, rise.stop)
    stop = min(psi.size, rise.stop + grid.span(6.0))
    t, y = grid.t_s[start:stop], psi[start:stop]
    least = max(3, grid.span(2.0))
    best, place = np.inf, rise.stop - start - 1
    for cut in range(least, max(least + 1, y.size - 2)):
        before, after = _misfit(t[:cut], y[:cut]), _misfit(t[cut:], y[cut:])
        if before + after < best:
            best, place = before + after, cut
    return start + place, Span(start, start + place)


def _misfit(t: Series, y: Series) -> float:
    if y.size < 3:
        return 0.0
    t = t - t.mean()
    slope = float(t @ (y - y.mean())) / float(t @ t)
    rest = y - y.mean() - slope * t
    return float(rest @ rest)

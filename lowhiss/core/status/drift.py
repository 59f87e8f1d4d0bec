"""Whether a measured quantity drifts, and when it would meet its limit: Theil-Sen slope, interval from Kendall's S.

Theil (1950) and Sen (1968), from memory. Whole-psi readings tie often, so the variance of S is corrected for ties.
"""

from __future__ import annotations

import itertools
import math
import statistics
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, NamedTuple

CONFIDENCE = 0.90
MIN_POINTS, MIN_DAYS = 6, 14.0
"""Fewer tests, or all within a fortnight, say nothing of a trend."""
DRIFTS_WITHIN_DAYS, FORECAST_WITHIN_DAYS = 90.0, 365.0
MAX_POINTS = 300
"""So many of the latest tests are looked at: pairs grow with the square."""
LATEST = 3
DAYS_A_MONTH = 365.25 / 12

State = Literal["drifts", "changed", "steady", "too_few"]
"""What wants to be looked at first stands first."""


class Point(NamedTuple):
    """One valid test: when [days], and what was measured."""

    day: float
    value: float


class Window(NamedTuple):
    """What a quantity must stay within, in its own unit; None for an open side."""

    low: float | None
    high: float | None


class Slope(NamedTuple):
    """Median slope a day, and its interval; None where the interval is open."""

    median: float
    low: float | None
    high: float | None


@dataclass(frozen=True, slots=True)
class Trend:
    """How a quantity stands.

    state : ``drifts`` where the interval excludes nought in the bad direction and the limit would be met within 90
        days; ``changed`` where the last three differ from all by more than twice the reading error.
    apart : by how much the median of the last three differs from that of all.
    slope : a day, None with too few tests.  level : the median line's value on the last test's day.
    meets_day : when the median line meets the limit; None where it does not within a year.
    meets_from, meets_until : the same by the steeper and the flatter end of the interval; ``meets_until`` is None where
        the flatter end does not meet it within a year.
    """

    state: State
    points: int
    apart: float = 0.0
    slope: Slope | None = None
    level: float | None = None
    meets_day: float | None = None
    meets_from: float | None = None
    meets_until: float | None = None


def trend_of(points: Sequence[Point], window: Window, error: float, confidence: float = CONFIDENCE) -> Trend:
    """How a quantity stands after ``points``, in order of time, within ``window``; ``error`` of one reading of it.

    Raises ValueError for points that are not in order.
    """
    points = points[-MAX_POINTS:]
    days = [point.day for point in points]
    if any(after < before for before, after in itertools.pairwise(days)):
        raise ValueError("points must be in order of time")
    if len(points) < MIN_POINTS or days[-1] - days[0] < MIN_DAYS:
        return Trend("too_few", len(points))
    slope = slope_of(points, confidence)
    values = [point.value for point in points]
    offset = statistics.median(value - slope.median * day for day, value in points)
    level = offset + slope.median * days[-1]
    meets, steep, flat = (_meets(level, a_day, window) for a_day in _by_badness(slope))
    sure = _excludes_nought(slope) and meets is not None
    apart = statistics.median(values[-LATEST:]) - statistics.median(values)
    changed = abs(apart) > 2 * error
    within = meets if sure and meets is not None else None
    state: State = (
        "drifts" if within is not None and within <= DRIFTS_WITHIN_DAYS else "changed" if changed else "steady"
    )

    def dated(in_days: float | None) -> float | None:
        return None if in_days is None or in_days > FORECAST_WITHIN_DAYS else days[-1] + in_days

    return Trend(
        state=state,
        points=len(points),
        apart=apart,
        slope=slope,
        level=level,
        meets_day=dated(within),
        meets_from=dated(steep) if sure else None,
        meets_until=dated(flat) if sure else None,
    )


def slope_of(points: Sequence[Point], confidence: float = CONFIDENCE) -> Slope:
    """The median of all pairwise slopes with the interval that Kendall's S gives it; pairs of one moment are left out.

    >>> slope_of([Point(0, 1), Point(1, 2), Point(2, 3), Point(3, 4), Point(4, 5)]).median
    1.0
    """
    slopes = sorted(
        (later.value - earlier.value) / (later.day - earlier.day)
        for place, earlier in enumerate(points)
        for later in points[place + 1 :]
        if later.day > earlier.day
    )
    pairs = len(slopes)
    sigma = math.sqrt(_variance_of_s([p.day for p in points], [p.value for p in points]))
    z = statistics.NormalDist().inv_cdf(0.5 + confidence / 2)
    low, high = round((pairs - z * sigma) / 2) - 1, round((pairs + z * sigma) / 2)
    median = statistics.median(slopes)
    return Slope(median, slopes[low] if low >= 0 else None, slopes[high] if high < pairs else None)


def _variance_of_s(days: Sequence[float], values: Sequence[float]) -> float:
    """The variance of Kendall's S, corrected for ties in days, in values and in both (Kendall 1970, from memory)."""
    n = len(days)
    ties = [[k for k in Counter(ranked).values() if k > 1] for ranked in (days, values)]
    alone = sum(k * (k - 1) * (2 * k + 5) for k in (*ties[0], *ties[1]))
    pairs = math.prod(sum(k * (k - 1) for k in tied) for tied in ties)
    triples = math.prod(sum(k * (k - 1) * (k - 2) for k in tied) for tied in ties)
    both = pairs / (2 * n * (n - 1)) + (triples / (9 * n * (n - 1) * (n - 2)) if n > 2 else 0.0)
    return max(0.0, (n * (n - 1) * (2 * n + 5) - alone) / 18 + both)


def _excludes_nought(slope: Slope) -> bool:
    return slope.low is not None and slope.high is not None and (slope.low > 0 or slope.high < 0)


def _by_badness(slope: Slope) -> tuple[float, float, float]:
    """The median slope, the end of the interval that is worse, and the one that is better."""
    low = slope.median if slope.low is None else slope.low
    high = slope.median if slope.high is None else slope.high
    return (slope.median, high, low) if slope.median >= 0 else (slope.median, low, high)


def _meets(level: float, a_day: float, window: Window) -> float | None:
    """In how many days a line meets the bound that it moves towards; None where it never does."""
    bound = window.high if a_day > 0 else window.low
    if bound is None or a_day == 0:
        return None
    return max(0.0, (bound - level) / a_day)

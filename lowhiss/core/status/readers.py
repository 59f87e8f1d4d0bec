"""Whether a person reads otherwise than the vehicles' own lines say: a fact of reading, never a score. Pure."""

from __future__ import annotations

import math
import statistics
from collections.abc import Sequence
from typing import NamedTuple

from lowhiss.core.status.drift import Point, Trend

MIN_TESTS = 20
"""Fewer tests say nothing of how somebody reads."""


class Bias(NamedTuple):
    """By how much more somebody reads of a loss than the lines of the vehicles say, on average; ``error`` at k = 2."""

    tests: int
    mean_psi: float
    error_psi: float

    @property
    def seen(self) -> bool:
        """Whether it is more than chance."""
        return abs(self.mean_psi) > self.error_psi


def residual_of(point: Point, last_day: float, trend: Trend) -> float | None:
    """By how much a point lies above its vehicle's line; None where there is no line yet."""
    if trend.slope is None or trend.level is None:
        return None
    return point.value - (trend.level + trend.slope.median * (point.day - last_day))


def bias_of(residuals: Sequence[float]) -> Bias | None:
    """The mean residual of a person's tests with its error; None with fewer than 20.

    >>> bias_of([1.0, 0.0] * 10).mean_psi
    0.5
    """
    tests = len(residuals)
    if tests < MIN_TESTS:
        return None
    return Bias(tests, statistics.fmean(residuals), 2 * statistics.stdev(residuals) / math.sqrt(tests))

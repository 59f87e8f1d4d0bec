"""What a unit's tests lead to: whether one of its measured quantities drifts towards a limit."""

from lowhiss.core.standing.drift import Point, Trend, Window, trend_of
from lowhiss.core.standing.quantities import (
    Quantity,
    Reading,
    TestedRun,
    comparable,
    error_of,
    quantities_of,
    readings_of,
    segment_of,
    unit_of_measure,
    window_of,
)

__all__ = [
    "Point",
    "Quantity",
    "Reading",
    "TestedRun",
    "Trend",
    "Window",
    "comparable",
    "error_of",
    "quantities_of",
    "readings_of",
    "segment_of",
    "trend_of",
    "unit_of_measure",
    "window_of",
]

"""What a unit's tests lead to: whether one of its measured quantities drifts towards a limit."""

from lowhiss.core.standing.drift import Point, Trend, Window, trend_of
from lowhiss.core.standing.quantities import (
    Quantity,
    Reading,
    error_of,
    quantities_of,
    readings_of,
    segment_of,
    window_of,
)

__all__ = [
    "Point",
    "Quantity",
    "Reading",
    "Trend",
    "Window",
    "error_of",
    "quantities_of",
    "readings_of",
    "segment_of",
    "trend_of",
    "window_of",
]

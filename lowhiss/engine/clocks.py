"""From a device's clocks to the run's time. Pure arithmetic; the rows are kept elsewhere."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

SAME_PAGE_ERROR_S = 1.0
"""A batch's way to the server is taken as at most this long; it shifts a whole epoch, never a hold within it."""
WALL_CLOCK_ERROR_S = 5.0
"""Where only the wall clock links an earlier page life to the batch that brings its events."""


@dataclass(frozen=True, slots=True)
class Instant:
    """One moment on one device: the epoch (page life), its monotonic clock [s] and the wall clock."""

    device: str
    epoch: str
    mono_s: float
    wall: dt.datetime


@dataclass(frozen=True, slots=True)
class Mapping:
    """``at_s = mono_s + offset_s`` for one epoch of one device, give or take ``error_s``."""

    offset_s: float
    error_s: float

    def at_s(self, mono_s: float) -> float:
        """The run's time of a moment of this epoch [s]; never before the run began."""
        return max(0.0, round(mono_s + self.offset_s, 6))


def map_begun(begun_mono_s: float) -> Mapping:
    """The epoch in which the run was begun: exact."""
    return Mapping(-begun_mono_s, 0.0)


def seconds_ago(event: Instant, sent: Instant) -> float:
    """How long before its batch was sent an event was marked [s]; never less than nothing.

    Within the sender's own page life its monotonic clock says so, whatever its wall clock shows. For an earlier page
    life only the difference of two readings of the same wall clock is left.
    """
    if _same_page(event, sent):
        return max(0.0, sent.mono_s - event.mono_s)
    return max(0.0, (sent.wall - event.wall).total_seconds())


def map_epoch(event: Instant, sent: Instant, received_at: dt.datetime, started_at: dt.datetime) -> Mapping:
    """The mapping of an epoch met for the first time, by the batch that brought ``event``."""
    at_s = (received_at - started_at).total_seconds() - seconds_ago(event, sent)
    return Mapping(at_s - event.mono_s, SAME_PAGE_ERROR_S if _same_page(event, sent) else WALL_CLOCK_ERROR_S)


def _same_page(event: Instant, sent: Instant) -> bool:
    return (event.device, event.epoch) == (sent.device, sent.epoch)

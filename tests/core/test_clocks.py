"""From a device's clocks to the run's time: durations never hang on a wall clock within one page life."""

from __future__ import annotations

import datetime as dt

from hypothesis import given
from hypothesis import strategies as st

from lowhiss.engine.clocks import SAME_PAGE_ERROR_S, WALL_CLOCK_ERROR_S, Instant, map_begun, map_epoch, seconds_ago

NOON = dt.datetime(2026, 11, 2, 12, tzinfo=dt.UTC)


def instant(epoch: str, mono_s: float, wall: dt.datetime = NOON) -> Instant:
    return Instant("d", epoch, mono_s, wall)


@given(mono=st.floats(0, 1e6), hold=st.floats(0, 600))
def test_the_epoch_that_began_the_run_is_exact(mono, hold):
    mapping = map_begun(mono)
    assert mapping.error_s == 0
    assert abs(mapping.at_s(mono + hold) - hold) < 1e-5


@given(off_s=st.integers(-(10**8), 10**8), waited=st.floats(0, 1e5))
def test_within_one_page_life_a_wrong_wall_clock_shifts_nothing(off_s, waited):
    wall = NOON + dt.timedelta(seconds=off_s)
    event, sent = instant("p", 100, wall), instant("p", 100 + waited, wall - dt.timedelta(days=1))
    mapping = map_epoch(event, sent, NOON, NOON - dt.timedelta(seconds=waited + 30))
    assert abs(mapping.at_s(100) - 30) < 1e-3
    assert mapping.error_s == SAME_PAGE_ERROR_S


def test_an_earlier_page_life_is_placed_by_the_same_wall_clock_whatever_it_shows():
    wrong = NOON + dt.timedelta(days=400)
    event, sent = instant("before", 7, wrong - dt.timedelta(seconds=90)), instant("now", 3, wrong)
    mapping = map_epoch(event, sent, NOON, NOON - dt.timedelta(seconds=200))
    assert abs(mapping.at_s(7) - 110) < 1e-6
    assert mapping.error_s == WALL_CLOCK_ERROR_S


def test_nothing_lies_in_the_future_or_before_the_run():
    assert seconds_ago(instant("p", 50), instant("p", 40)) == 0
    late = instant("before", 1, NOON + dt.timedelta(hours=1))
    assert seconds_ago(late, instant("now", 1)) == 0
    assert map_begun(100).at_s(10) == 0

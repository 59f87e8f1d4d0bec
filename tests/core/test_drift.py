"""Drift: the slope and its interval as scipy has them, what is called drifting, and how seldom it is wrong."""

from __future__ import annotations

import math
import random
import statistics

import pytest
import scipy.stats
from hypothesis import assume, given
from hypothesis import strategies as st

from benchmarks.drift import ERROR, LEAK, WEEK, false_alarms, found_in_time
from lowhiss.core.status import Point, Quantity, Reading, Window, segment_of, trend_of
from lowhiss.core.status.drift import _variance_of_s, slope_of


def weekly(values, start=0.0):
    return [Point(start + WEEK * n, float(value)) for n, value in enumerate(values)]


# scipy.stats.theilslopes: a general-purpose reference for Sen (1968); its interval leaves nothing open, ours does


@given(
    days=st.lists(st.integers(0, 400), min_size=4, max_size=25, unique=True),
    values=st.lists(st.integers(0, 12), min_size=25, max_size=25),
)
def test_slope_and_interval_are_those_of_scipy_ties_and_all(days, values):
    points = [Point(float(day), float(value)) for day, value in zip(sorted(days), values, strict=False)]
    expected = scipy.stats.theilslopes([p.value for p in points], [p.day for p in points], alpha=0.9)
    slope = slope_of(points)
    assert slope.median == pytest.approx(expected.slope)
    if slope.low is not None:
        assert slope.low == pytest.approx(expected.low_slope)
    if slope.high is not None:
        assert slope.high == pytest.approx(expected.high_slope)


@given(
    days=st.lists(st.integers(0, 6), min_size=4, max_size=25),
    values=st.lists(st.integers(0, 3), min_size=25, max_size=25),
)
def test_the_variance_is_that_of_kendalls_tau_where_days_tie_too(days, values):
    """scipy.stats.kendalltau tells its p-value by the same variance: p = 2 * (1 - Phi(|S| / sigma))."""
    given = values[: len(days)]
    assume(len(set(days)) > 1 and len(set(given)) > 1)
    s = sum(
        ((days[j] > days[i]) - (days[j] < days[i])) * ((given[j] > given[i]) - (given[j] < given[i]))
        for i in range(len(days))
        for j in range(i + 1, len(days))
    )
    p_value = scipy.stats.kendalltau(days, given, method="asymptotic").pvalue
    ours = 2 * statistics.NormalDist().cdf(-abs(s) / math.sqrt(_variance_of_s(days, given)))
    assert ours == pytest.approx(p_value)


def test_few_points_leave_the_interval_open():
    slope = slope_of(weekly([1, 2, 1]))
    assert (slope.low, slope.high) == (None, None)


# worked by hand: losses of a weekly test under the limit of 4 psi (49 CFR 393 and the licence manuals, from memory)


@pytest.mark.parametrize(
    ("values", "state"),
    [
        ([1, 1, 1, 1, 1], "too_few"),
        ([1, 1, 2, 1, 1, 2, 1, 1], "steady"),
        ([3, 3, 2, 2, 2, 1, 1, 1], "steady"),  # it moves the good way
        ([1, 1, 1, 2, 2, 2, 3, 3], "drifts"),  # it lost 1, then 2, then 3
        ([1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 3, 3, 3], "changed"),  # a step is no slope
    ],
)
def test_what_it_lost_before_says_how_it_goes_on(values, state):
    assert trend_of(weekly(values), LEAK, ERROR).state == state


def test_tests_of_one_fortnight_say_nothing():
    points = [Point(float(day), float(day)) for day in range(13)]
    assert trend_of(points, LEAK, ERROR).state == "too_few"


def test_a_straight_line_meets_its_limit_where_it_must():
    points = [Point(WEEK * n, 1.0 + 0.25 * n) for n in range(9)]  # a quarter of a psi a week: 1 to 3 psi in eight
    trend = trend_of(points, LEAK, ERROR)
    assert (trend.state, trend.level) == ("drifts", pytest.approx(3.0))
    assert trend.meets_day == pytest.approx(8 * WEEK + 4 * WEEK)
    assert trend.meets_from == trend.meets_until == trend.meets_day


def test_a_floor_is_met_from_above_and_an_open_side_never():
    falling = [Point(WEEK * n, 70.0 - 1.0 * n) for n in range(9)]
    assert trend_of(falling, Window(55.0, None), 0.6).meets_day == pytest.approx(8 * WEEK + 7 * WEEK)
    assert trend_of(falling, Window(None, 75.0), 0.6).meets_day is None


@given(values=st.lists(st.integers(0, 6), min_size=6, max_size=40), shift=st.integers(0, 10_000))
def test_neither_the_calendar_nor_a_mirror_changes_what_is_said(values, shift):
    here = trend_of(weekly(values), LEAK, ERROR)
    later = trend_of(weekly(values, start=float(shift)), LEAK, ERROR)
    mirrored = trend_of(weekly([-value for value in values]), Window(-4.0, None), ERROR)
    assert here.state == later.state == mirrored.state


def test_points_out_of_order_are_refused():
    with pytest.raises(ValueError, match="in order"):
        trend_of([Point(2, 1), Point(1, 1)], LEAK, ERROR)


# a year of many units, read to the whole psi: the aims are ours, no source; a thousand of each by `./bench drift`


def test_steady_units_seldom_raise_an_alarm_and_drifting_ones_nearly_always_do_in_time():
    rng = random.Random(1968)
    assert false_alarms(rng, 150) <= 7  # fewer than 5 %
    assert found_in_time(rng, 60) >= 55  # more than 90 %


def test_a_repair_begins_a_new_segment_and_a_change_of_trailers_too():
    def reading(day, *trailers):
        return Reading("run", day, 1.0, "pass", trailers, (None, 60.0))

    readings = [reading(0, "A"), reading(10, "A"), reading(20, "B"), reading(30, "B"), reading(40, "B")]
    leak, cut_out = Quantity("leak_applied"), Quantity("cut_out")

    def days(quantity, repaired_day=None):
        return [point.day for point in segment_of(quantity, readings, repaired_day)]

    assert days(leak) == [20, 30, 40]
    assert days(cut_out) == [0, 10, 20, 30, 40]
    assert days(leak, 25) == days(cut_out, 25) == [30, 40]
    assert days(leak, 15) == [20, 30, 40]
    assert days(cut_out, 41) == []

"""How somebody reads: seen where it is there, not where it is chance, and never of a vehicle without a line."""

from __future__ import annotations

import random
import statistics

import pytest
import scipy.stats

from lowhiss.core.status import Point, Window, bias_of, residual_of, trend_of
from lowhiss.core.words import Words


def residuals(bias_psi, tests, seed=1, reading_error_psi=0.4):
    """Of whole-psi readings at both ends of a hold by somebody who reads the end so much low."""
    rng = random.Random(seed)
    found = []
    for _ in range(tests):
        true = 2 + rng.random()
        start, end = 100 + rng.gauss(0, reading_error_psi), 100 - true - bias_psi + rng.gauss(0, reading_error_psi)
        found.append(round(start) - round(end) - true)
    return found


def test_the_error_is_that_of_a_mean():
    found = residuals(0.0, 50)
    bias = bias_of(found)
    # scipy.stats.sem: the standard error of the mean
    assert bias.error_psi == pytest.approx(2 * scipy.stats.sem(found))
    assert bias.mean_psi == pytest.approx(statistics.fmean(found))


def test_too_few_tests_say_nothing():
    assert bias_of(residuals(1.0, 19)) is None
    assert bias_of(residuals(1.0, 20)).tests == 20


def test_one_who_reads_a_psi_low_is_seen_and_one_who_reads_right_seldom_is():
    low = [bias_of(residuals(1.0, 40, seed)) for seed in range(100)]
    right = [bias_of(residuals(0.0, 40, seed)) for seed in range(100)]
    assert sum(bias.seen for bias in low) >= 99
    assert sum(bias.seen for bias in right) <= 12  # k = 2: about one in twenty by chance


def test_a_residual_is_what_lies_above_the_line_of_the_vehicle():
    points = [Point(7.0 * week, 1 + 0.1 * week) for week in range(10)]
    trend = trend_of(points, Window(None, 4.0), 0.8)
    assert residual_of(Point(21.0, 2.3), points[-1].day, trend) == pytest.approx(1.0)
    none = trend_of(points[:3], Window(None, 4.0), 0.8)
    assert residual_of(points[0], points[2].day, none) is None


@pytest.mark.parametrize(
    ("bias_psi", "says"),
    [(1.0, "end readings are too low"), (-1.0, "end readings are too high"), (0.0, "agree with the vehicles")],
)
def test_it_is_worded_as_a_fact(bias_psi, says):
    said = Words().reading(bias_of(residuals(bias_psi, 60, seed=3)))
    assert says in said
    assert "60 tests" in said


def test_it_is_worded_in_the_readers_language_and_unit():
    said = Words("es", "kpa").reading(bias_of(residuals(1.0, 60)))
    assert "kPa" in said
    assert "lee bajo el final" in said
    assert "20" in Words("es").reading(None)

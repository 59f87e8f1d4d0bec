"""The error formulas against the `uncertainties` package; JCGM 100 (GUM), from memory."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st
from uncertainties import ufloat

from lowhiss.core.uncertainty import build_time_uncertainty_s, drop_uncertainty, reading_uncertainty
from tests.builders import climb, record, stage_of


@given(resolution=st.floats(0.01, 10))
def test_one_reading_and_a_difference_of_two(resolution):
    standard = resolution / math.sqrt(12)  # a rectangular distribution of half-width r/2
    first, second = ufloat(100, standard), ufloat(97, standard)
    assert reading_uncertainty(resolution) == pytest.approx(2 * first.std_dev)
    assert drop_uncertainty(resolution) == pytest.approx(2 * (first - second).std_dev)
    assert drop_uncertainty(resolution) == pytest.approx(0.8165 * resolution, rel=1e-4)


@given(resolution=st.floats(0.1, 5), duration_s=st.floats(5, 200), span_psi=st.floats(10, 30))
def test_a_build_up_time(resolution, duration_s, span_psi):
    standard = resolution / math.sqrt(12)
    read = ufloat(85 + span_psi, standard) - ufloat(85, standard)
    clock = ufloat(duration_s, 0.2) - ufloat(0, 0.2)  # 0.2 s of reaction, standard, at each end
    # what the span's own error is worth in time, at the rate seen, scaled to a window of 15 psi
    time = (clock + (read - span_psi) * (duration_s / span_psi)) * (15 / span_psi)
    assert build_time_uncertainty_s(resolution, span_psi, duration_s, 15, 0.2) == pytest.approx(2 * time.std_dev)


def test_a_close_build_up_is_called_so():
    assert not stage_of(record(climb((85, 100), 40)), "build_up").close_call
    assert stage_of(record(climb((85, 100), 44)), "build_up").close_call


def test_the_error_of_a_build_up_is_that_of_two_marks_and_two_readings():
    # 0.2 s of reaction at each end, needles read to 1 psi, 40 s over 15 psi: 2·√(2·0.2² + (1/√6 · 40/15)²)
    verdict = stage_of(record(climb((85, 100), 40)), "build_up")
    assert verdict.uncertainty == pytest.approx(2.249, abs=1e-3)

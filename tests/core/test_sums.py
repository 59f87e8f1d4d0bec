"""The sums of the trade against their published examples and general-purpose libraries."""

from __future__ import annotations

import math

import fluids
import pint
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import optimize, stats

from lowhiss import rulebook
from lowhiss.core.errors import CalculationError
from lowhiss.core.sums import SUMS, chance_over, work_out
from lowhiss.core.words import Words

UNITS = pint.UnitRegistry()
ROWS = rulebook.sums()
ATMOSPHERE_PSI = (1 * UNITS.atmosphere).to("psi").magnitude


def results(name, **given):
    row = ROWS[name]
    return work_out(row, {**{one.name: one.start for one in row.inputs}, **given}, rulebook.sum_tables())


@pytest.mark.parametrize("name", ROWS)
def test_each_sum_gives_its_worked_example_to_the_digits_that_are_written(name):
    row = ROWS[name]
    value = work_out(row, row.example_given, rulebook.sum_tables())[row.example_result]
    digits = len(str(row.example_value).partition(".")[2])
    assert round(value, digits) == row.example_value
    for language in ("en", "es"):
        assert set(work_out(row, row.example_given, rulebook.sum_tables())) <= set(Words(language).book.SUMS)
    for one in row.inputs:
        assert one.low <= one.start <= one.high


def test_every_function_has_its_row():
    assert set(SUMS) == set(ROWS)


@given(st.floats(60, 150), st.floats(5, 55), st.floats(4, 20))
def test_strokes_are_where_repeated_boyle_arrives(start, end, ratio):
    # a second method: press stroke by stroke in absolute pressure (scipy finds the real-valued count)
    def left(strokes):
        return (start + ATMOSPHERE_PSI) * (ratio / (ratio + 1)) ** strokes - ATMOSPHERE_PSI - end

    expected = optimize.brentq(left, 0, 400)
    assert results("strokes", start_psi=start, end_psi=end, ratio=ratio)["strokes"] == pytest.approx(expected)


@given(st.floats(30, 150), st.floats(4, 20))
def test_a_drop_keeps_the_air_that_there_was(start, ratio):
    found = results("drop", start_psi=start, ratio=ratio)
    before = (start + ATMOSPHERE_PSI) * ratio
    after = (found["left_psi"] + ATMOSPHERE_PSI) * (ratio + 1)
    assert after == pytest.approx(before)


@given(st.floats(0.1, 20), st.floats(0.5, 12))
def test_a_leak_is_the_same_flow_by_units_of_another_library(rate, volume):
    # ideal gas at constant temperature, with the units of pint and the atmosphere of fluids
    pressure = (rate * UNITS.psi / UNITS.minute).to("pascal/minute")
    flow = (volume * UNITS.foot**3 * pressure / (fluids.constants.atm * UNITS.pascal)).to("foot**3/minute").magnitude
    assert results("leak_flow", rate_psi_per_min=rate, volume_ft3=volume)["flow_ft3_per_min"] == pytest.approx(
        flow, rel=1e-6
    )


@given(st.floats(0, 12), st.floats(0.5, 12), st.floats(0.5, 5))
def test_the_chance_of_a_loss_over_the_limit_is_that_of_a_triangle(loss, most, resolution):
    # scipy's triangular distribution; JCGM 100 (GUM) 4.3.9, from memory
    triangle = stats.triang(0.5, loc=loss - resolution, scale=2 * resolution)
    assert chance_over(loss, most, resolution) == pytest.approx(triangle.sf(most), abs=1e-12)
    found = results("needle", loss_psi=loss, most_psi=most, resolution_psi=resolution)
    assert found["error_psi"] == pytest.approx(2 * triangle.std())
    assert found["one_reading_psi"] == pytest.approx(2 * stats.uniform(scale=resolution).std())


@given(st.floats(0, 200))
def test_units_are_those_of_pint(psi):
    found = results("convert", psi=psi)
    assert found["kpa"] == pytest.approx((psi * UNITS.psi).to("kPa").magnitude)
    assert found["bar"] == pytest.approx((psi * UNITS.psi).to("bar").magnitude)


def test_reservoirs_against_the_handbook_table():
    # FMVSS 121 table V, from memory: two type 20 (54 in³) and four type 30 (89 in³), twelve times
    found = results("reservoirs", front_type=20, front=2, rear_type=30, rear=4, actual_in3=6000)
    assert found["required_in3"] == 12 * (2 * 54 + 4 * 89)
    assert found["share_of_required"] == pytest.approx(6000 / 5568)
    assert results("reservoirs", trailer=1, front=0, rear=4, rear_type=30)["required_in3"] == 8 * 4 * 89
    assert found["ratio_there"] == pytest.approx(6000 / 464)


def test_odd_windows_and_holds_are_straight_lines():
    window = results("build_window", lower_psi=83, upper_psi=102, took_s=17, from_psi=85, to_psi=100)
    assert window["time_s"] == pytest.approx(15 / window["rate_psi_per_s"])
    assert results("odd_hold", loss_psi=6, held_s=90, rule_s=60) == {"loss_psi": 4.0, "rate_psi_per_min": 4.0}
    assert math.isclose(results("build_limit", limit_s=25, actual_in3=6000, required_in3=5000)["limit_s"], 30.0)


@pytest.mark.parametrize(
    ("name", "given", "words"),
    [
        ("drop", {"start_psi": 400}, "start_psi: must be from 30 to 150, not 400"),
        ("drop", {"wind": 3}, "wind: isn't an input of this calculator; choose one of ratio, start_psi"),
        ("strokes", {"start_psi": 60, "end_psi": 90}, "must not be above the start"),
        ("reservoirs", {"front": 0, "rear": 0}, "needs at least one brake chamber"),
        ("build_window", {"lower_psi": 100, "upper_psi": 90}, "upper_psi: must be above the lower mark"),
        ("drop", {"start_psi": float("nan")}, "start_psi: must be from 30 to 150"),
    ],
)
def test_numbers_without_an_answer_say_which(name, given, words):
    with pytest.raises(CalculationError) as caught:
        results(name, **given)
    assert words in str(caught.value)


def test_a_number_that_is_missing_is_named():
    with pytest.raises(CalculationError, match="ratio: is missing"):
        work_out(ROWS["drop"], {"start_psi": 100}, rulebook.sum_tables())

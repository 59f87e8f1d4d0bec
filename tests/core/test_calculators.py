"""The sums of the trade against worked examples, scipy, fluids and pint."""

from __future__ import annotations

import math

import pint
import pytest
from fluids.constants import R
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import brentq

from lowhiss import rulebook
from lowhiss.core import calculators as calc
from lowhiss.core.errors import CalculationError
from lowhiss.core.units import ATMOSPHERE_PSI

PRESSURES = st.floats(1, 150)
RATIOS = st.floats(2, 40)


def test_one_application_at_the_required_ratio():
    # 12:1 and 120 psi give 109.6, the trade's "108 → 100": FMVSS 121 S5.1.2.1 from memory, and common practice
    assert 120 - calc.application_drop_psi(120, 12) == pytest.approx(109.6, abs=0.05)
    assert 108 - calc.application_drop_psi(108, 12) == pytest.approx(98.6, abs=0.05)


@given(start=PRESSURES, ratio=RATIOS)
def test_an_application_keeps_the_amount_of_air(start, ratio):
    # ideal gas: the moles in the reservoir before are those in reservoir and chambers after
    volume_m3, temperature_k, pa_per_psi = 0.05, 293.0, 6894.757
    after = start - calc.application_drop_psi(start, ratio)

    def moles(gauge_psi, volume):
        return (gauge_psi + ATMOSPHERE_PSI) * pa_per_psi * volume / (R * temperature_k)

    assert moles(start, volume_m3) == pytest.approx(moles(after, volume_m3 * (1 + 1 / ratio)))


@given(start=PRESSURES, share=st.floats(0, 1), ratio=RATIOS)
def test_strokes_against_stroke_by_stroke_and_a_root_finder(start, share, ratio):
    end = start * share
    strokes = calc.strokes_between(start, end, ratio)
    left = start
    for _ in range(math.floor(strokes)):
        left -= calc.application_drop_psi(left, ratio)
    assert left >= end - 1e-6
    assert left - calc.application_drop_psi(left, ratio) <= end + 1e-6

    def above_end(n):
        return (start + ATMOSPHERE_PSI) * (ratio / (ratio + 1)) ** n - (end + ATMOSPHERE_PSI)

    assert strokes == pytest.approx(brentq(above_end, -1, 400), abs=1e-6)


def test_from_108_to_60_takes_about_six_strokes():
    # the trade says 6 to 12 for 100 → 60: common practice, no source
    assert calc.strokes_between(108, 60, 12) == pytest.approx(6.2, abs=0.05)


def test_the_required_reservoirs_from_table_v():
    # FMVSS 121 table V and S5.1.2.1, from memory: type 30 is 89 in³, type 20 is 54 in³; twelve times their sum
    table = rulebook.chambers()
    tractor = [30, 30, 30, 30, 20, 20]
    assert calc.required_reservoir_in3(tractor, table.volumes_in3, table.power_unit_ratio) == 12 * (4 * 89 + 2 * 54)
    assert calc.required_reservoir_in3([30] * 4, table.volumes_in3, table.trailer_ratio) == 8 * 4 * 89
    assert table.volumes_in3 == {9: 25, 12: 30, 14: 40, 16: 46, 18: 50, 20: 54, 24: 67, 30: 89, 36: 135}


@given(rate=st.floats(0, 20), volume=st.floats(0.1, 20))
def test_free_air_flow_against_pint(rate, volume):
    registry = pint.get_application_registry()
    leak = registry.Quantity(rate, "psi/min") * registry.Quantity(volume, "ft^3")
    expected = (leak / registry.Quantity(1, "atm")).to("ft^3/min").magnitude
    assert calc.free_air_flow(rate, volume) == pytest.approx(expected, rel=1e-6)
    assert calc.free_air_flow(4, 6) == pytest.approx(1.6, abs=0.05)


@given(tau_s=st.floats(20, 200), low=st.floats(60, 84))
def test_build_time_is_near_that_of_a_filling_tank(tau_s, low):
    # an exponential fill, read a little off the marks, against its closed form
    def reach(psi):
        return -tau_s * math.log(1 - psi / 400)

    exact = reach(100) - reach(85)
    read = calc.build_time_s(84, 101, reach(101) - reach(84), (85, 100))
    assert read == pytest.approx(exact, rel=2e-3)
    assert calc.build_time_s(low, 102, 17, (low, 102)) == pytest.approx(17)


def test_the_limit_for_larger_reservoirs():
    # 25 s × actual ÷ required: FMVSS 121 S5.1.1, from memory
    assert calc.build_time_limit_s(25, 6000, 4000) == 37.5


@pytest.mark.parametrize(
    ("call", "field"),
    [
        (lambda: calc.application_drop_psi(-1, 12), "start_psi"),
        (lambda: calc.application_drop_psi(100, 0), "volume_ratio"),
        (lambda: calc.application_drop_psi(math.nan, 12), "start_psi"),
        (lambda: calc.strokes_between(60, 100, 12), "end_psi"),
        (lambda: calc.strokes_between(100, -1, 12), "end_psi"),
        (lambda: calc.required_reservoir_in3([], {}, 12), "types"),
        (lambda: calc.required_reservoir_in3([31], {30: 89}, 12), "types"),
        (lambda: calc.build_time_limit_s(25, 0, 1), "actual_in3"),
        (lambda: calc.free_air_flow(math.inf, 1), "rate_psi_per_min"),
        (lambda: calc.build_time_s(100, 85, 10, (85, 100)), "upper_psi"),
        (lambda: calc.build_time_s(85, 100, 10, (100, 85)), "window_psi"),
    ],
)
def test_sums_without_an_answer_name_the_argument(call, field):
    with pytest.raises(CalculationError) as caught:
        call()
    assert caught.value.field == field

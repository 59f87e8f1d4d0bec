"""The published one-minute limits, and our arithmetic against general-purpose libraries.

Every published value here is written from memory; the source is named beside it.
"""

from __future__ import annotations

import numpy as np
import pint
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from lowhiss import rulebook
from lowhiss.core.units import PRESSURE_UNITS, from_psi, to_psi
from tests.builders import leak_record, stage_of

SINGLE, COMBINATION, MULTI = ("straight_truck", "bus", "tractor"), ("tractor_semitrailer",), ("multi_trailer",)
CDL = "US CDL manual, air brakes section, from memory"
PRACTICE = "common practice, no source"
# rule set, stage, kinds, bound, whether the bound itself passes, hold, source
LIMITS = [
    ("us-cdl", "leak_applied", SINGLE, 3, True, 60, CDL),
    ("us-cdl", "leak_applied", COMBINATION, 4, True, 60, CDL),
    ("us-cdl", "leak_applied", MULTI, 6, True, 60, PRACTICE),
    ("us-cdl", "leak_released", SINGLE, 2, False, 60, CDL),
    ("us-cdl", "leak_released", COMBINATION, 3, False, 60, CDL),
    ("us-cdl", "leak_released", MULTI, 5, True, 60, PRACTICE),
    ("us-older", "leak_applied", SINGLE, 3, True, 60, CDL),
    ("us-older", "leak_applied", COMBINATION, 4, True, 60, CDL),
    ("us-older", "leak_applied", MULTI, 6, True, 60, PRACTICE),
    ("us-older", "leak_released", SINGLE, 2, True, 60, PRACTICE),
    ("us-older", "leak_released", COMBINATION, 3, True, 60, PRACTICE),
    ("us-older", "leak_released", MULTI, 5, True, 60, PRACTICE),
    ("canada-west", "leak_applied", SINGLE + COMBINATION + MULTI, 4, True, 120, PRACTICE),
]
CASES = [(rules, stage, kind, *rest) for rules, stage, kinds, *rest in LIMITS for kind in kinds]


@pytest.mark.parametrize(("rules", "stage", "kind", "bound", "inclusive", "hold_s", "source"), CASES)
@pytest.mark.parametrize("unit", ["psi", "kpa"])
def test_a_leak_limit_at_just_inside_and_just_outside(rules, stage, kind, bound, inclusive, hold_s, source, unit):
    def outcome(drop_psi):
        ends = (100.0, 100.0 - drop_psi)
        start, end = (round(from_psi(psi, unit), 4) for psi in ends)
        table = leak_record(start, end, kind, stage=stage, duration_s=hold_s, rules=rules, unit_of_reading=unit)
        return stage_of(table, stage).outcome

    assert outcome(bound) == ("pass" if inclusive else "fail"), source
    assert outcome(bound - 0.1) == "pass"
    assert outcome(bound + 0.1) == "fail"


@pytest.mark.parametrize("stage", ["leak_released", "leak_applied"])
def test_the_federal_set_has_no_leak_limit_of_its_own(stage):
    verdict = stage_of(leak_record(100, 50, stage=stage, rules="us-federal"), stage)
    assert (verdict.outcome, verdict.measured["drop_psi"]) == ("no_rule", 50)


def test_every_leak_limit_of_the_book_is_in_the_table_above():
    listed = {(rules, stage, bound, hold_s) for rules, stage, _, bound, _, hold_s, _ in LIMITS}
    book = {
        (rules.id, limit.stage, limit.bounds[0].value, limit.hold_s)
        for rules in rulebook.rule_sets()
        for limit in rules.limits
        if limit.stage.startswith("leak_")
    }
    assert book == listed


@given(value=st.floats(0, 200), unit=st.sampled_from(PRESSURE_UNITS))
def test_units_against_pint(value, unit):
    registry = pint.get_application_registry()
    expected = registry.Quantity(value, "psi").to({"psi": "psi", "kpa": "kPa", "bar": "bar"}[unit]).magnitude
    assert from_psi(value, unit) == pytest.approx(expected, rel=1e-9)
    assert to_psi(from_psi(value, unit), unit) == pytest.approx(value, abs=1e-9)


@given(start=st.integers(95, 120), drop=st.integers(0, 20), duration_s=st.floats(20, 180))
def test_the_rate_against_a_line_through_two_points(start, drop, duration_s):
    measured = stage_of(leak_record(start, start - drop, duration_s=duration_s)).measured
    line = stats.linregress([0, measured["duration_s"] / 60], [start, start - drop])
    assert measured["rate_psi_per_min"] == pytest.approx(-line.slope, abs=0.006)


def test_the_stated_reading_error_against_a_simulated_needle():
    # k = 2 covers about 95 % of the differences of two readings rounded to 1 psi: JCGM 100 (GUM), from memory
    rng = np.random.default_rng(8420)
    true = rng.uniform(90, 110, (200_000, 2))
    error = (np.round(true) - true) @ [1, -1]
    assert 2 * error.std() == pytest.approx(stage_of(leak_record(100, 99)).uncertainty, rel=0.01)

"""Every cell of the built-in rule sets at its bound, just inside and just outside, in psi and in kPa.

Sources beside the rows. CDL: US CDL manual, air brakes section. CHECKLIST: US modernized CDL checklist. All published
values are from memory; the rest is common practice without a source.
"""

from __future__ import annotations

import re
from typing import Any, NamedTuple

import pytest

from lowhiss import rulebook
from lowhiss.core.stages import LIMITED_STAGES
from lowhiss.core.units import from_psi
from tests.builders import climb, governor, hold, popped, ready, record, stage_of, warned

CDL, OLDER_CDL, CHECKLIST = "CDL manual, from memory", "older CDL manual, from memory", "CDL checklist, from memory"
FMVSS, CFR = "FMVSS 121, from memory", "49 CFR 393.51, from memory"
HANDBOOK, PRACTICE = "provincial handbook, from memory", "common practice, no source"


class Cell(NamedTuple):
    """``inside`` pass and ``outside`` fail; the bound itself is the first of ``inside``."""

    rules: str
    stage: str
    unit: dict[str, Any]
    inside: tuple[float, ...]
    outside: tuple[float, ...]
    source: str
    window: tuple[float, float] = (85, 100)


SINGLE = {"kind": "straight_truck", "circuits": "single"}
TRUCK, BUS, SEMI = {"kind": "straight_truck"}, {"kind": "bus"}, {"kind": "tractor_semitrailer"}
BIG_TANKS = {"kind": "tractor", "reservoir_ratio": 1.6}
MAKER_130 = {"kind": "tractor", "governor": {"cut_out_psi": 130}}
OLD = {"kind": "straight_truck", "fmvss_121": False}
OLD_110 = {**OLD, "governor": {"cut_out_psi": 110}}
OLD_100 = {**OLD, "governor": {"cut_out_psi": 100}}

CELLS = [
    Cell("us-cdl", "build_up", TRUCK, (45, 44.9, 12), (45.1, 60), CDL),
    Cell("us-older", "build_up", SEMI, (45, 44.9), (45.1,), CDL),
    Cell("us-federal", "build_up", TRUCK, (25, 24.9), (25.1,), FMVSS),
    Cell("us-federal", "build_up", SINGLE, (25, 24.9), (25.1,), FMVSS),
    Cell("us-federal", "build_up", BIG_TANKS, (40, 39.9), (40.1,), FMVSS),
    Cell("us-cdl", "build_up", SINGLE, (180, 179.9), (180.1,), CDL, (50, 90)),
    Cell("us-older", "build_up", SINGLE, (180, 179.9), (180.1,), CDL, (50, 90)),
    Cell("canada-west", "build_up", TRUCK, (180, 179.9), (180.1,), HANDBOOK, (50, 90)),
    Cell("canada-west", "build_up", SINGLE, (180, 179.9), (180.1,), HANDBOOK, (50, 90)),
    Cell("us-cdl", "cut_out", TRUCK, (120, 120.1, 140, 139.9), (119.9, 140.1), CHECKLIST),
    Cell("us-older", "cut_out", TRUCK, (120, 120.1, 130, 129.9), (119.9, 130.1), PRACTICE),
    Cell("us-federal", "cut_out", MAKER_130, (125, 125.1, 135, 134.9), (124.9, 135.1), PRACTICE),
    Cell("canada-west", "cut_out", SEMI, (120, 120.1, 135, 134.9), (119.9, 135.1), PRACTICE),
    Cell("us-cdl", "cut_in", TRUCK, (100, 100.1), (99.9,), FMVSS),
    Cell("us-cdl", "cut_in", SEMI, (100, 100.1), (99.9,), FMVSS),
    Cell("us-cdl", "cut_in", BUS, (85, 85.1), (84.9,), FMVSS),
    Cell("us-federal", "cut_in", TRUCK, (100, 100.1), (99.9,), FMVSS),
    Cell("us-federal", "cut_in", BUS, (85, 85.1), (84.9,), FMVSS),
    Cell("canada-west", "cut_in", SEMI, (100, 100.1, 105, 104.9), (99.9, 105.1), PRACTICE),  # after 125
    Cell("us-cdl", "low_air_warning", SEMI, (55, 55.1, 75), (54.9, 48), CDL),
    Cell("us-older", "low_air_warning", SEMI, (60, 60.1), (59.9,), PRACTICE),
    Cell("us-federal", "low_air_warning", TRUCK, (60, 60.1), (59.9,), CFR),
    Cell("us-federal", "low_air_warning", OLD, (55, 55.1), (54.9,), CFR),  # 55 < ½ × 125
    Cell("us-federal", "low_air_warning", OLD_110, (55, 55.1), (54.9,), CFR),
    Cell("us-federal", "low_air_warning", OLD_100, (50, 50.1), (49.9,), CFR),
    Cell("canada-west", "low_air_warning", BUS, (60, 60.1), (59.9,), PRACTICE),
    Cell("us-cdl", "spring_brakes", SEMI, (20, 20.1, 45, 44.9), (19.9, 45.1, 60), CDL),
    Cell("us-older", "spring_brakes", BUS, (20, 20.1, 40, 39.9), (19.9, 40.1), OLDER_CDL),
    Cell("canada-west", "spring_brakes", SEMI, (20, 20.1, 45, 44.9), (19.9, 45.1), CDL),
]
NO_RULE = [
    ("us-older", "cut_in", TRUCK),
    ("us-federal", "cut_out", TRUCK),  # no maker's figure
    ("us-federal", "leak_released", SEMI),
    ("us-federal", "leak_applied", SEMI),
    ("us-federal", "spring_brakes", SEMI),
    ("canada-west", "leak_released", SEMI),
]


def outcome(cell: Cell, value: float, unit: str = "psi") -> str:
    """How a stage of this unit comes out when ``value`` (psi, or s for build-up) is what was measured."""
    knobs = ("tractor", "trailer") if cell.unit["kind"] == "tractor_semitrailer" else ("tractor",)
    # a cut-out that was read would replace the maker's figure
    maker = cell.unit.get("governor", {}).get("cut_out_psi", 125)

    def entered(psi: float) -> float:
        return round(from_psi(psi, unit), 4)

    events = ready(knobs=knobs, cut_out=maker if cell.stage != "cut_out" else value)
    single = cell.unit.get("circuits") == "single"
    if cell.stage == "build_up":
        events += climb((entered(cell.window[0]), entered(cell.window[1])), value, unit=unit)
    elif cell.stage == "cut_out":
        events = governor("cut_out", entered(value), unit=unit)
    elif cell.stage == "cut_in":
        events += governor("cut_in", entered(value), unit=unit)
    elif cell.stage == "low_air_warning":
        events += warned(entered(value), unit=unit)
    elif cell.stage == "spring_brakes":
        events += popped(entered(value), unit=unit, knobs=tuple(reversed(knobs)))
    else:
        events += hold(100, 100 - value, stage=cell.stage)
    if single:
        events = [{k: v for k, v in event.items() if not k.startswith("secondary")} for event in events]
    unit_facts = dict(cell.unit)
    table = record(events, unit_facts.pop("kind"), unit=unit_facts, rules=cell.rules)
    return stage_of(table, cell.stage).outcome


@pytest.mark.parametrize("unit", ["psi", "kpa", "bar"])
@pytest.mark.parametrize("cell", CELLS, ids=lambda c: f"{c.rules} {c.stage} {c.unit['kind']}")
def test_a_cell_at_its_bound_inside_and_outside(cell, unit):
    assert [outcome(cell, value, unit) for value in cell.inside] == ["pass"] * len(cell.inside), cell.source
    assert [outcome(cell, value, unit) for value in cell.outside] == ["fail"] * len(cell.outside), cell.source


@pytest.mark.parametrize(("rules", "stage", "unit"), NO_RULE)
def test_a_cell_without_a_limit_is_no_rule_done_or_not(rules, stage, unit):
    assert outcome(Cell(rules, stage, unit, (), (), PRACTICE), 1) == "no_rule"
    table = record([], unit["kind"], rules=rules, procedure="us-full")
    assert stage_of(table, stage).outcome == "no_rule"


def test_every_limit_of_the_book_has_its_cell():
    leaks = {"leak_released", "leak_applied"}  # theirs stand in test_leak_limits
    cells = {(cell.rules, cell.stage) for cell in CELLS}
    book = {(rules.id, limit.stage) for rules in rulebook.rule_sets() for limit in rules.limits}
    assert {pair for pair in book if pair[1] not in leaks} == cells
    every = {(rules, stage) for rules in rulebook.rule_set_ids() for stage in LIMITED_STAGES}
    assert every - book <= {(rules, stage) for rules, stage, _ in NO_RULE}


def test_379_kpa_meets_55_psi():
    # the published pair, 379 kPa / 55 psi: CDL manual, from memory
    table = record([*ready(), *warned(379, unit="kpa")])
    verdict = stage_of(table, "low_air_warning")
    assert (verdict.outcome, verdict.margin) == ("pass", 0.0)


def test_the_canadian_cut_in_is_never_under_80():
    # 20 to 25 below the cut-out just read is common practice; 80 is the provincial handbook's, from memory
    def cut_in(cut_out, value):
        return stage_of(record([*ready(cut_out=cut_out), *governor("cut_in", value)], rules="canada-west"), "cut_in")

    assert cut_in(104, 80).outcome == "pass"
    assert cut_in(104, 79.9).outcome == "fail"
    assert cut_in(100, 79).outcome == "fail"
    nothing_before = record([*governor("cut_in", 100)], rules="canada-west")
    assert stage_of(nothing_before, "cut_in").outcome == "not_done"


@pytest.mark.parametrize("rules", rulebook.rule_set_ids())
def test_the_figures_in_a_limits_sentence_are_those_that_it_judges_by(rules):
    for limit in rulebook.rule_set(rules).limits:
        figures = {abs(bound.value) for bound in limit.bounds} | set(limit.window_psi or ()) | {limit.hold_s}
        for sentence in limit.words.values():
            assert {float(told) for told in re.findall(r"\d+(?:\.\d+)?", sentence)} <= figures, sentence

"""Orders of work of a fleet's own: every way that schools differ by, what it costs, and what cannot be done."""

from __future__ import annotations

import dataclasses

import pytest

from lowhiss import rulebook
from lowhiss.core.errors import RuleError
from lowhiss.core.procedure import read_procedure
from lowhiss.core.procedure.guide import led_order
from lowhiss.core.procedure.planner import plan, standing_before
from lowhiss.core.record import read_run
from lowhiss.core.script import compile_script
from lowhiss.core.vehicle import UNIT_KINDS, Unit
from lowhiss.engine.editor.orders import Refusal, order
from lowhiss.engine.judge_record import judge_record
from lowhiss.engine.simulation import drive, spec_named
from lowhiss.exchange.rule_toml import check_rule_file, tables_of, toml_text
from tests.builders import judged, whole_test

CDL = rulebook.rule_set("us-cdl")
SEMI = Unit("tractor_semitrailer")


def procedure(*steps, **more):
    return read_procedure({"id": "own", "title": {"en": "Own", "es": "Propio"}, "steps": list(steps), **more})


def bent(name, change):
    return procedure(*change(list(rulebook.procedure(name).steps)))


def swapped(steps):
    first, second = steps.index("hold_trailer"), steps.index("hold_parking")
    steps[first], steps[second] = steps[second], steps[first]
    return steps


def on_the_refill(steps):
    steps.insert(steps.index("rebuild"), "build_up")
    return steps


def from_the_release(steps):
    return steps[steps.index("release") :]


# how schools differ: order of tugs, where the build-up is timed, other starts; common practice, no source
VARIANTS = {
    **{name: rulebook.procedure(name) for name in rulebook.procedure_ids()},
    "parking tug first": bent("us-three-part", swapped),
    "build-up on the refill": bent("us-three-part", on_the_refill),
    "both": bent("us-three-part", lambda steps: swapped(on_the_refill(steps))),
    "full tanks, the leak test at once": bent("us-three-part", from_the_release),
    "no minute with the pedal up": bent("us-full", lambda steps: [s for s in steps if s != "leak_released"]),
    "straight to the pedal": procedure("leak_applied", "low_air_warning", "spring_brakes"),
}


@pytest.mark.parametrize("name", VARIANTS)
def test_every_way_that_schools_differ_by_is_led_driven_judged_and_goes_through_a_file(name):
    chosen = VARIANTS[name]
    assert (
        read_procedure(check_rule_file(tables_of(toml_text(chosen.as_dict()).encode()))).content_hash
        == chosen.content_hash
    )
    rules = rulebook.rule_set("canada-west" if name == "canada-west" else "us-cdl")
    for kind in UNIT_KINDS:
        assert order(chosen, Unit(kind), rules).refusal is None
    spec = spec_named("tractor_semitrailer")
    driven = drive(spec, rules, chosen, (), "good", 3)
    verdict = judge_record(read_run(driven.record))
    assert verdict.overall == "pass", [(one.stage, one.outcome) for one in verdict.stages]
    done = [one.stage for one in verdict.stages if one.attempt]
    # a refill reads a cut-out whether the order asks for one or not
    assert done[: len(chosen.required(spec.unit))] == list(chosen.required(spec.unit))
    assert set(done) <= {*chosen.required(spec.unit), "cut_out"}
    script = compile_script(chosen, rules, spec.unit, rulebook.planning(spec.kind))
    assert [step["step"] for step in script["steps"]] == list(chosen.steps_on(spec.unit))


def test_a_build_up_on_the_refill_goes_straight_on_to_it():
    first, refill = (
        {step.step: step for step in led_order(VARIANTS[name], SEMI).steps}["build_up"]
        for name in ("us-full", "build-up on the refill")
    )
    assert (first.straight_on, refill.straight_on) == ("cut_out", "rebuild")


PACE = {
    "safe_start": 8.6,
    "release": 17.7,
    "settle": 14.0,
    "draw_down": 8.0,
    "park": 8.0,
    "chocks_in": 1.0,
    "chocks_out": 1.0,
    "stroke": 1.5,
    "mark": 3.0,
    "hold_test": 2.0,
    "rolling": 12.4,
}
"""How long the simulated driver takes for what hands do [s]; fitted once to these drives, the air is the plan's."""


DRIVEN = ("bus",)
"""Of these kinds in every run."""


@pytest.mark.parametrize(
    "kind", [pytest.param(kind, marks=() if kind in DRIVEN else pytest.mark.long) for kind in UNIT_KINDS]
)
def test_the_planners_minutes_are_those_of_a_simulated_drive(kind):
    spec, usual = spec_named(kind), rulebook.planning(kind)
    planning = dataclasses.replace(usual, times=dataclasses.replace(usual.times, **PACE))
    for name in rulebook.procedure_ids():
        chosen = rulebook.procedure(name)
        rules = rulebook.rule_set("canada-west" if name == "canada-west" else "us-cdl")
        took_s = drive(spec, rules, chosen, (), "good", 1, "dispatch").record["events"][-1]["at_s"]
        start = standing_before(chosen.steps_on(spec.unit), spec.unit, rules, planning)
        assert plan(chosen.steps, spec.unit, rules, planning, start).seconds == pytest.approx(took_s, rel=0.10)


def test_what_is_optional_is_led_but_not_required():
    chosen = procedure("safe_start", "cut_out", "release", "leak_released", "leak_applied", optional=["leak_released"])
    assert chosen.stages(SEMI) == ("cut_out", "leak_released", "leak_applied")
    assert chosen.required(SEMI) == ("cut_out", "leak_applied")
    table = {**whole_test(), "procedure": chosen.as_dict()}
    table["events"] = [event for event in table["events"] if event.get("stage") != "leak_released"]
    assert judged(table).overall == "pass"
    strict = procedure("safe_start", "cut_out", "release", "leak_released", "leak_applied")
    assert judged({**table, "procedure": strict.as_dict()}).overall == "incomplete"


def test_what_holds_the_vehicle_decides_what_the_guide_offers():
    def offers(holding, unit=SEMI):
        needs = led_order(procedure("release", "leak_applied", holding=holding), unit, holding).needs
        return needs["wheels_chocked"].instead, len(needs["wheels_chocked"].met)

    gear = ({"type": "confirmed", "item": "in_gear"},)
    assert offers("gear_too") == (gear, 2)
    assert offers("gear_noted") == (gear, 2)
    assert offers("chocks") == ((), 1)
    # an automatic has no low gear that holds
    assert offers("gear_too", Unit("bus", gearbox="automatic"))[0] == ()


def test_a_desk_says_what_an_order_leaves_out_and_what_it_puts_in():
    found = order(procedure("release", "leak_applied", "rebuild", "spring_brakes"), SEMI, CDL)
    assert found.refusal is not None
    assert found.refusal == Refusal(2, "rebuild", ("spring_brakes",), hangs=False)
    found = order(procedure("spring_brakes", "leak_applied"), SEMI, CDL)
    assert [step.step for step in found.steps if step.added] == ["release", "safe_start", "cut_out", "release"]
    assert [place for place in found.places if place is not None] == [0, 1]
    assert found.begins_full
    assert found.refills == 1
    assert found.unjudged == ("build_up", "cut_out", "cut_in", "leak_released", "low_air_warning")
    bare = order(procedure("safe_start", "cut_out"), Unit("bus"), rulebook.rule_set("us-federal"))
    assert bare.unlimited == ("cut_out",)
    hanging = order(procedure("safe_start", "cut_in", "cut_out"), SEMI, rulebook.rule_set("canada-west"))
    assert hanging.refusal == Refusal(1, "cut_in", ("cut_out",), hangs=True)


@pytest.mark.parametrize(
    ("table", "words"),
    [
        ({"steps": []}, "needs 1 to 60 steps"),
        ({"steps": ["cut_out"], "optional": ["cut_in"]}, "optional[0]: must be a stage of these steps"),
        ({"steps": ["cut_out"], "optional": ["cut_out"]}, "needs at least one stage that is required"),
        ({"steps": ["park"]}, "needs at least one stage that is required"),
        ({"steps": ["cut_out"], "holding": "hope"}, "holding: must be one of"),
        ({"steps": ["cut_out"], "id": "a b"}, "id: must be 1 to 60 letters"),
    ],
)
def test_what_is_no_order_is_refused(table, words):
    with pytest.raises(RuleError) as caught:
        read_procedure({"id": "own", "title": {"en": "Own", "es": "Propio"}, **table})
    assert words in str(caught.value)

"""The guide: it leads through every procedure, asks only what is not so, and knows its way after a detour."""

from __future__ import annotations

import random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lowhiss import rulebook
from lowhiss.core.procedure.fill_history import Fill, at_own_pace, fills_of
from lowhiss.core.procedure.guide import lead, led_order
from lowhiss.core.record import read_run
from lowhiss.core.run import fold
from lowhiss.core.script import compile_script
from lowhiss.core.stages import says_of
from lowhiss.core.vehicle import UNIT_KINDS, Unit
from tests.builders import at, climb, codes, governor, hold, judged, popped, ready, record, warned
from tests.walks import walk

CDL = rulebook.rule_set("us-cdl")
HEALTHY = {
    "build_up lower": 84,
    "build_up upper": 101,
    "cut_out cut_out": 125,
    "cut_in cut_in": 102,
    "leak_released start": 110,
    "leak_released end": 109,
    "leak_applied start": 100,
    "leak_applied end": 98,
    "warning": 66,
    "knob": 28,
}


def standing_in(events, procedure="static-only", kind="tractor_semitrailer"):
    return lead(led_order(rulebook.procedure(procedure), Unit(kind)), events)


def led_through(procedure, kind):
    """A run that does exactly what the guide asks, with a healthy vehicle's numbers."""
    unit = Unit(kind)
    events = walk(led_order(rulebook.procedure(procedure), unit), unit, random.Random(1), 0.0)
    at_s = 0.0
    for event in events:
        if event["type"] == "said":
            event["at_s"] = at_s
            continue
        at_s += 60 if event.get("point") == "end" else 25 if event.get("point") == "start" else 12
        if event.get("point") == "end" and procedure == "canada-west":
            at_s += 60
        event["at_s"] = at_s
        if (event["type"] == "knob" and event.get("cause") == "popped") or event["type"] in ("warning", "reading"):
            name = f"{event['stage']} {event['point']}" if event["type"] == "reading" else event["type"]
            psi = 52 if procedure == "canada-west" and event.get("point") == "lower" else HEALTHY[name]
            event["primary_psi"] = event["secondary_psi"] = psi
    return record(events, kind, procedure=procedure, purpose="dispatch")


@pytest.mark.parametrize("kind", UNIT_KINDS)
@pytest.mark.parametrize("procedure", rulebook.procedure_ids())
def test_who_does_what_it_asks_passes_with_nothing_to_find(procedure, kind):
    table = led_through(procedure, kind)
    rules = rulebook.rule_set("canada-west" if procedure == "canada-west" else "us-cdl")
    verdict = judged(table, rules)
    found = {code for stage in verdict.stages for code in codes(stage)} | set(verdict.critical)
    assert verdict.overall == "pass"
    # those two begin on air that was there before: nothing was read of how it came to be
    allowed = {"no_fresh_cut_out"} if procedure == "leak-check" else set()
    assert found - allowed == set()


def test_it_leads_in_the_order_of_the_procedure():
    events = led_through("us-full", "tractor_semitrailer")["events"]
    seen = [standing_in(events[:n], "us-full").step for n in range(len(events) + 1)]
    # what has nothing of its own to mark is never waited for
    order = [step for step in rulebook.procedure("us-full").steps if step != "draw_down"]
    assert [*dict.fromkeys(seen)] == [*dict.fromkeys(order), None]


def test_it_names_what_is_still_needed_marked_and_said():
    full = standing_in(ready()[:3])
    assert (full.step, full.unmet) == ("release", ("engine_off", "key_on", "area_clear", "knobs_in"))
    sure = [*ready()[:5], at(6, "confirmed", item="area_clear"), *ready()[5:]]
    released = standing_in(sure)
    assert (released.step, released.unmet, released.says) == ("leak_applied", (), says_of("leak_applied"))
    assert [prompt.name for prompt in released.prompts] == ["pedal_full", "settled", "start", "end"]
    in_hold = standing_in([*sure, *hold(100, 99)[:3], at(31, "said", what="limit:leak_applied")])
    assert [prompt.name for prompt in in_hold.prompts] == ["end"]
    assert in_hold.says == ("reading:leak_applied", "verdict:leak_applied")


def test_an_outright_no_is_taken_down_and_asked_no_more():
    events = [
        *ready()[:3],
        at(5, "engine", state="running"),
        at(6, "key", state="on"),
        at(7, "confirmed", item="area_clear"),
    ]
    assert standing_in(events).unmet == ("knobs_in",)


def test_unmarked_actions_and_skipped_stages_do_not_hold_it_up():
    climbing = [*climb((85, 100), 20, start_s=0), *governor("cut_out", 125, start_s=40)]
    assert standing_in(climbing, "us-full").step == "cut_in"
    skipped = standing_in([at(1, "skipped", stage="cut_out")])
    assert [entry.step.step for entry in skipped.skipped] == ["cut_out"]
    assert skipped.step == "safe_start"


def test_both_knobs_must_pop_and_lamp_and_buzzer_come_on_in_any_order():
    sure = [*ready()[:5], at(6, "confirmed", item="area_clear"), *ready()[5:], *hold(100, 99)]
    lamp = standing_in([*sure, at(140, "warning", lamp=True)])
    assert lamp.missing == ({"type": "warning", "buzzer": None},)
    one = standing_in([*sure, *warned(66), *popped(30, knobs=("tractor",))])
    assert [mark["knob"] for mark in one.missing] == ["trailer"]
    assert standing_in([*sure, *warned(66), *popped(30)]).step is None


@pytest.mark.parametrize("stage", ["leak_applied", "low_air_warning", "spring_brakes"])
def test_a_retest_goes_through_the_whole_refill(stage):
    events = led_through("us-three-part", "tractor_semitrailer")["events"]
    again = standing_in([*events, {"type": "attempt", "stage": stage}], "us-three-part")
    wanted = ["safe_start", "cut_out", "release", stage]
    if stage == "spring_brakes":  # a refill counts only after it
        wanted += ["safe_start", "rebuild"]
    assert [entry.step.step for entry in again.queue] == wanted


def test_another_stage_first_costs_a_refill_only_on_old_air():
    chosen = standing_in([{"type": "attempt", "stage": "low_air_warning"}])
    assert [entry.step.step for entry in chosen.queue][:2] == ["low_air_warning", "safe_start"]
    stale = standing_in([{"type": "attempt", "stage": "leak_applied"}])
    assert [entry.step.step for entry in stale.queue][:4] == ["safe_start", "cut_out", "release", "leak_applied"]


@given(
    seed=st.integers(0, 10**6), kind=st.sampled_from(UNIT_KINDS), procedure=st.sampled_from(rulebook.procedure_ids())
)
def test_wherever_a_run_wanders_every_stage_is_somewhere(seed, kind, procedure):
    unit, chosen = Unit(kind), rulebook.procedure(procedure)
    order = led_order(chosen, unit)
    events = walk(order, unit, random.Random(seed), 0.3)
    now = lead(order, events)
    places = sorted(e.index for e in (*now.queue, *now.done, *now.skipped) if e.index is not None)
    assert places == list(range(len(order.steps)))
    if not now.queue:
        assert now.prompts == now.unmet == ()


# the script


@pytest.mark.parametrize("kind", UNIT_KINDS)
@pytest.mark.parametrize("procedure", rulebook.procedure_ids())
def test_a_script_says_what_each_step_costs_in_both_languages(procedure, kind):
    script = compile_script(rulebook.procedure(procedure), CDL, Unit(kind), rulebook.planning(kind))
    assert all(step["seconds"] >= 0 and len(step["path_psi"]) == 2 for step in script["steps"])
    assert all(set(words) == {"en", "es"} for step in script["steps"] for words in step["calls"].values())
    seconds = script["fill"]["seconds"]
    assert seconds == sorted(seconds, reverse=True)
    assert seconds[-1] == 0  # at 150 psi nothing is left to fill


# the unit's own pace


def test_fills_are_timed_between_marks_and_from_an_engine_start_after_a_reading():
    state = fold(read_run(led_through("us-three-part", "bus")), "both", CDL.judging)
    assert [(fill.from_psi, fill.to_psi) for fill in fills_of(state)] == [(28.0, 125.0)]
    timed = climb((85, 100), 20, start_s=0)
    assert fills_of(fold(read_run(record(timed)), "both", CDL.judging)) == [Fill(85.0, 100.0, 20.0)]


def test_a_slow_compressor_doubles_the_prediction_and_nonsense_is_left_out():
    usual = rulebook.planning("tractor_semitrailer")
    twice = Fill(50, 120, 2 * usual.rates.build_s(50, 120))
    paused, short = Fill(50, 120, 9 * usual.rates.build_s(50, 120)), Fill(118, 120, 60)
    slow, rests_on = at_own_pace(usual, [paused, twice, short, twice])
    assert rests_on == 2
    assert slow.rates.build_s(30, 120) == pytest.approx(2 * usual.rates.build_s(30, 120))
    assert at_own_pace(usual, [paused, short]) == (usual, 0)

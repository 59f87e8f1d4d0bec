"""What holds for every run, however wild: random events in random order under every school."""

from __future__ import annotations

import dataclasses
import json
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from lowhiss import rulebook
from lowhiss.core.judge import judge_run
from lowhiss.core.record import read_run
from lowhiss.core.units import from_psi
from lowhiss.core.words import Words, verdict_record
from lowhiss.engine.judge_record import judge_record
from tests.builders import governor, hold, judged, leak_record, popped, ready, record, warned, whole_test

PRESSURES = st.one_of(st.none(), st.integers(0, 1500).map(lambda tenths: tenths / 10))
READINGS = st.fixed_dictionaries({"primary_psi": PRESSURES, "secondary_psi": PRESSURES}).map(
    lambda both: {key: value for key, value in both.items() if value is not None}
)


def event(kind: str, **fields: Any) -> st.SearchStrategy[dict[str, Any]]:
    return st.fixed_dictionaries({"type": st.just(kind), **fields})


def with_reading(strategy):
    return st.tuples(strategy, READINGS).map(lambda parts: {**parts[0], **parts[1]})


POINTS = [("build_up", "lower"), ("build_up", "upper"), ("cut_out", "cut_out"), ("cut_in", "cut_in")]
POINTS += [(stage, point) for stage in ("leak_released", "leak_applied") for point in ("start", "end")]
STAGES = st.sampled_from(["leak_applied", "leak_released", "low_air_warning", "spring_brakes", "cut_out"])
KNOB_MOVES = [("in", "hand"), ("out", "hand"), ("out", "popped")]
EVENTS = st.one_of(
    event("confirmed", item=st.sampled_from(["wheels_chocked", "chocks_removed", "area_clear"])),
    event("engine", state=st.sampled_from(["running", "off"])),
    event("key", state=st.sampled_from(["on", "off"])),
    event("pedal", state=st.sampled_from(["full", "released"])),
    with_reading(
        st.tuples(st.sampled_from(["tractor", "trailer"]), st.sampled_from(KNOB_MOVES)).map(
            lambda move: {"type": "knob", "knob": move[0], "state": move[1][0], "cause": move[1][1]}
        )
    ),
    with_reading(st.sampled_from(POINTS).map(lambda pair: {"type": "reading", "stage": pair[0], "point": pair[1]})),
    with_reading(event("warning", lamp=st.booleans(), buzzer=st.booleans())),
    event("settled", stage=STAGES),
    event("attempt", stage=STAGES),
    event("skipped", stage=STAGES),
    event("made_safe"),
    event("said", what=st.sampled_from(["cut_out", "limit:leak_applied", "reading:leak_applied", "verdict:cut_out"])),
    event("held", stage=st.sampled_from(["hold_trailer", "hold_parking"]), moved=st.booleans()),
    event("rolled", stopped=st.booleans(), pulled=st.booleans()),
)


@st.composite
def wild_runs(draw):
    """A run of up to 40 random events, each with an id and a sequence number."""
    events = draw(st.lists(EVENTS, max_size=40))
    gaps = draw(st.lists(st.sampled_from([0, 0.4, 3, 20, 59.6, 60, 63]), min_size=len(events), max_size=len(events)))
    at_s, numbered = 0.0, []
    for place, (item, gap) in enumerate(zip(events, gaps, strict=True)):
        at_s += gap
        numbered.append({**item, "at_s": round(at_s, 3), "id": f"e{place}", "seq": place})
    head = {
        "purpose": draw(st.sampled_from(["dispatch", "training"])),
        "rules": draw(st.sampled_from(rulebook.rule_set_ids())),
        "procedure": draw(st.sampled_from(rulebook.procedure_ids())),
        "gauges": {"policy": draw(st.sampled_from(["both", "primary"]))},
    }
    return record(numbered, draw(st.sampled_from(["tractor_semitrailer", "multi_trailer"])), **head)


def as_said(table) -> str:
    """The verdict, whole, as text."""
    return json.dumps(verdict_record(judged(table), Words()), sort_keys=True)


@given(table=wild_runs(), more=st.data())
@settings(max_examples=150)
def test_a_wild_run_is_judged_and_its_bookkeeping_is_invisible(table, more):
    verdict = as_said(table)
    events = table["events"]
    order = more.draw(st.permutations(events), label="arrival")
    assert as_said({**table, "events": order}) == verdict
    assert as_said({**table, "events": events + events[: more.draw(st.integers(0, len(events)))]}) == verdict
    in_kpa = [{_kpa_key(k): _kpa(k, v) for k, v in item.items()} for item in events]
    assert as_said({**table, "events": in_kpa}) == verdict
    if events:
        gone = more.draw(st.sampled_from(events), label="withdrawn")
        withdrawal = {"at_s": events[-1]["at_s"], "type": "withdrawn", "event": gone["id"], "id": "w", "seq": 999}
        without = [item for item in events if item is not gone]
        assert as_said({**table, "events": [*events, withdrawal]}) == as_said({**table, "events": without})


def _kpa_key(key: str) -> str:
    return key.replace("_psi", "_kpa")


def _kpa(key: str, value: Any) -> Any:
    return from_psi(value, "kpa") if key.endswith("_psi") else value


@given(table=wild_runs())
@settings(max_examples=150)
def test_a_fail_is_never_cleared_except_by_a_valid_pass_of_its_stage(table):
    verdict = judged(table)
    for stage, standing in verdict.standing().items():
        outcomes = [v.outcome for v in verdict.stages if v.stage == stage]
        valid = [outcome for outcome in outcomes if outcome in ("pass", "fail")]
        assert standing.outcome == (valid[-1] if valid else outcomes[-1])
    assert (verdict.overall == "fail") == ("fail" in {v.outcome for v in verdict.standing().values()})
    assert verdict.overall != "pass" or verdict.limited <= verdict.required


@given(table=wild_runs(), tighter=st.floats(0, 30))
@settings(max_examples=100)
def test_tightening_a_limit_never_turns_a_fail_into_a_pass(table, tighter):
    run = read_run(table)
    loose = rulebook.rule_set(table["rules"])
    limits = tuple(
        dataclasses.replace(
            limit,
            bounds=tuple(
                dataclasses.replace(b, value=b.value + (tighter if b.comparator in ("at_least", "above") else -tighter))
                for b in limit.bounds
            ),
        )
        for limit in loose.limits
    )
    tight = dataclasses.replace(loose, limits=limits)
    procedure = rulebook.procedure(table["procedure"])
    for before, after in zip(
        judge_run(run, loose, procedure).stages, judge_run(run, tight, procedure).stages, strict=True
    ):
        assert not (before.outcome == "fail" and after.outcome == "pass"), before.stage


@given(cut=st.integers(0, 30), kind=st.sampled_from(["bus", "tractor_semitrailer", "multi_trailer"]))
def test_a_run_cut_before_its_last_required_stage_never_passes(cut, kind):
    table = whole_test(kind)
    events = table["events"][:cut]
    verdict = judged({**table, "events": events})
    assert (verdict.overall == "pass") == (cut >= len(table["events"]))


@given(drop=st.integers(0, 100), psi=st.integers(200, 800), pop=st.integers(50, 600))
def test_guarded_acceptance_never_passes_what_simple_acceptance_fails(drop, psi, pop):
    events = [
        *ready(),
        *hold(100, 100 - drop / 10),
        *warned(psi / 10),
        *popped(pop / 10),
        *governor("cut_out", 125, start_s=300),
    ]
    run = read_run(record(events))
    simple = rulebook.rule_set("us-cdl")
    guarded = dataclasses.replace(simple, acceptance="guarded")
    for before, after in zip(judge_record(run, simple).stages, judge_record(run, guarded).stages, strict=True):
        assert (before.outcome, after.outcome) in {("pass", "pass"), ("pass", "fail"), ("fail", "fail")}
        assert after.outcome == "pass" or before.outcome == "fail" or before.margin < before.uncertainty


@given(resolution=st.sampled_from([0.1, 0.5, 1, 2, 5]), drop=st.integers(0, 80))
def test_a_close_call_is_exactly_a_margin_below_the_uncertainty(resolution, drop):
    (stage, *_) = judged(leak_record(110, 110 - drop / 10, gauges={"resolution_psi": resolution})).stages
    assert stage.close_call == (abs(stage.margin) < stage.uncertainty)

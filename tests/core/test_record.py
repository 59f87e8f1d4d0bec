"""What a run record refuses: one sentence that names the place."""

from __future__ import annotations

import pytest

from lowhiss.core.errors import RecordError
from lowhiss.core.record import read_run
from tests.builders import at, leak_record, reading, record


def refused(table) -> str:
    with pytest.raises(RecordError) as caught:
        read_run(table)
    assert "\n" not in str(caught.value)
    return str(caught.value)


@pytest.mark.parametrize(
    ("event", "words"),
    [
        ({"type": "engine", "state": "off"}, "events[0].at_s: is missing"),
        ({"at_s": 1}, "events[0].type: is missing"),
        (at(1, "hoot"), "events[0].type: must be one of confirmed, "),
        (at(1, ["engine"]), "events[0].type: must be one of"),
        (at(1, "engine"), "events[0].state: is missing; 'engine' needs it"),
        (at(1, "engine", state="idling"), "events[0].state: must be one of running, off, not 'idling'"),
        (at(-1, "engine", state="off"), "events[0].at_s: must be a number from 0"),
        (at(float("nan"), "engine", state="off"), "events[0].at_s: must be a number"),
        (at("1", "engine", state="off"), "events[0].at_s: must be a number, not '1'"),
        (at(True, "engine", state="off"), "events[0].at_s: must be a number, not true"),
        (at(1, "engine", state="off", colour="red"), "events[0].colour: isn't a field of 'engine'"),
        (reading(1, "leak_applied", "start", -0.1), "events[0].primary_psi: is -0.1, which no gauge shows"),
        (reading(1, "leak_applied", "start", 200.1), "events[0].primary_psi: is 200.1, which no gauge shows"),
        (reading(1, "leak_applied", "start", 1400, unit="kpa"), "events[0].primary_kpa: is 1400, which no gauge"),
        (reading(1, "leak_applied", "start", "100"), "events[0].primary_psi: must be a number, not '100'"),
        (reading(1, "leak_applied", "begin", 100), "events[0].point: must be one of start, end in leak_applied"),
        (reading(1, "rebuild", "start", 100), "events[0].stage: must be one of"),
        ({**reading(1, "cut_out", "cut_out", 120), "primary_kpa": 800}, "gives the primary needle twice"),
        (at(1, "knob", knob="tractor", state="out"), "events[0].cause: is missing"),
        (at(1, "knob", knob="tractor", state="in", cause="popped"), "events[0].cause: is 'popped'"),
        (at(1, "held", stage="rebuild", moved=False), "events[0].stage: must be hold_trailer or hold_parking"),
        (at(1, "note", text="x" * 2001), "events[0].text: is 2001 characters long"),
        ("engine off", "events[0]: must be a table of fields, not 'engine off'"),
    ],
)
def test_a_bad_event_is_named_by_index_and_field(event, words):
    assert words in refused(record([event]))


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"format": "low-hiss-run/2"}, "format: must be low-hiss-run/1, not 'low-hiss-run/2'"),
        ({"format": None}, "format: must be low-hiss-run/1, not null"),
        ({"unit": {}}, "unit.kind: is missing"),
        ({"unit": {"kind": "barge"}}, "unit.kind: must be one of straight_truck, bus"),
        ({"unit": {"kind": "bus", "wheels": 6}}, "unit.wheels: isn't a known field"),
        ({"events": None}, "events: is missing"),
        ({"events": {}}, "events: must be a list, not a table"),
        ({"gauges": {"resolution_psi": 0}}, "gauges.resolution_psi: must be a number from 0.01"),
        ({"purpose": "fun"}, "purpose: must be one of dispatch, training, rehearsal"),
        ({"rules": 7}, "rules: must be an id or a whole table, not 7"),
        ({"people": {"driver": 3}}, "people.driver: must be text, not 3"),
    ],
)
def test_a_bad_head_is_named_by_its_field(change, words):
    assert words in refused({**leak_record(100, 99), **change})


def test_a_second_needle_or_knob_that_the_unit_does_not_have_is_refused():
    single = record([reading(1, "cut_out", "cut_out", 120, 121)], "straight_truck", unit={"circuits": "single"})
    assert "events[0].secondary_psi: is given, but a single-circuit unit has one needle" in refused(single)
    bus = record([at(1, "knob", knob="trailer", state="in")], "bus")
    assert "events[0].knob: is 'trailer', but this unit (bus) has no trailer supply knob" in refused(bus)


def test_only_format_kind_and_events_are_required():
    run = read_run(
        {"format": "low-hiss-run/1", "unit": {"kind": "bus"}, "events": [at(0, "note", text="hand-written")]}
    )
    assert (run.unit.circuits, run.purpose, run.resolution_psi, run.rules) == ("dual", "dispatch", 1.0, None)


def test_the_unit_and_value_as_entered_are_kept():
    run = read_run(record([reading(1, "cut_out", "cut_out", 8.6, unit="bar")]))
    (event,) = run.events
    assert event.entered == (("primary_bar", 8.6), ("secondary_bar", 8.6))
    assert event.primary_psi == pytest.approx(8.6 / 0.06894757293168361)  # 1 psi in bar: NIST SP 811, from memory


def test_readings_at_the_ends_of_any_gauge_are_kept():
    run = read_run(record([reading(1, "cut_out", "cut_out", 0, 200)]))
    assert (run.events[0].primary_psi, run.events[0].secondary_psi) == (0, 200)


def test_too_many_events_are_refused():
    assert "at most 20000 can be judged" in refused(record([at(0, "note", text="")] * 20_001))

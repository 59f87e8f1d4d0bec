"""The table of steps, needs and effects: whole, worded in both languages, and nothing in it that no record can hold."""

from __future__ import annotations

import string

import pytest

from lowhiss.core.fields import LANGUAGES
from lowhiss.core.record import EVENT_KINDS, ITEMS, fields_of, read_event
from lowhiss.core.stages import (
    ACTIONS,
    EFFECTS,
    NEEDS,
    STAGES,
    STEP_TABLE,
    after,
    applies,
    needs_of,
    needs_table,
    prompts_of,
)
from lowhiss.core.vehicle import KIND_TABLE, UNIT_KINDS, Unit
from tests.walks import _made as made

UNITS = [Unit(kind, gearbox=gearbox) for kind in UNIT_KINDS for gearbox in ("manual", "automatic", None)]


def fields(sentence: str) -> set[str]:
    return {name for _, name, _, _ in string.Formatter().parse(sentence) if name}


def test_every_step_and_every_kind_of_unit_has_its_row():
    assert tuple(STEP_TABLE) == (*ACTIONS, *STAGES)
    assert tuple(KIND_TABLE) == UNIT_KINDS
    assert all(set(row.title) == set(LANGUAGES) for row in KIND_TABLE.values())


@pytest.mark.parametrize("step", STEP_TABLE)
def test_a_step_is_worded_in_both_languages_and_refers_only_to_what_there_is(step):
    row = STEP_TABLE[step]
    for text in (row.title, row.does, *(text for text in (row.short, row.does_automatic) if text)):
        assert set(text) == set(LANGUAGES)
        assert all(text.values())
    for part, call in row.calls.items():
        assert fields(call["en"]) == fields(call["es"]), part
    assert {row.straight_on, row.marked_as} <= {None, *STAGES}
    assert (row.kind == "action") == (step in ACTIONS) == (not row.prompts)


@pytest.mark.parametrize("unit", UNITS, ids=lambda unit: f"{unit.kind} {unit.gearbox}")
def test_whatever_can_be_marked_or_answered_is_an_event_that_a_record_takes(unit):
    table = needs_table(unit)
    assert tuple(table) == NEEDS
    bodies = [
        made(dict(mark))
        for step in STEP_TABLE
        for prompt in prompts_of(step, unit)
        for mark in prompt.marks
        if applies(step, unit)
    ]
    bodies += [dict(body) for row in table.values() for part in (row.yes, row.no, row.instead) for body in part]
    for body in bodies:
        if body.get("knob", "tractor") in unit.knobs:
            read_event({"at_s": 1, **body}, 0, unit)


@pytest.mark.parametrize("unit", UNITS, ids=lambda unit: f"{unit.kind} {unit.gearbox}")
def test_saying_yes_meets_a_need_and_saying_no_does_not(unit):
    for need, row in needs_table(unit).items():
        if need not in {need for step in STEP_TABLE if applies(step, unit) for need in needs_of(step, unit)}:
            continue
        for said, is_so in ((row.yes, True), (row.no, False)):
            vehicle = {"engine": "off"}
            for body in said:
                vehicle = after(vehicle, body)
            met = any(all(vehicle.get(name) == value for name, value in facts.items()) for facts in row.met)
            assert met is is_so or not said, need


def test_effects_and_event_types_are_those_of_the_record():
    for effect in EFFECTS:
        assert set(effect.event) <= fields_of(effect.event["type"])[0]
        assert effect.event.get("item", ITEMS[0]) in ITEMS
    for kind, row in EVENT_KINDS.items():
        known, needed = fields_of(kind)
        assert row.reads == ("primary_psi" in known and kind != "valued"), kind
        assert row.refers == ("event" in needed), kind

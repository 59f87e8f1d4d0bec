"""A run is its events: order, withdrawal, resending and numbers that come later."""

from __future__ import annotations

import random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lowhiss.core.errors import RecordError
from tests.builders import at, codes, hold, judged, leak_record, ready, record, stage_of


def with_ids(events):
    return [{**event, "id": f"e{n}"} for n, event in enumerate(events)]


@given(seed=st.integers(0, 2**32))
def test_the_order_of_the_file_does_not_matter_where_times_differ(seed):
    table = leak_record(100, 97)
    shuffled = random.Random(seed).sample(table["events"], len(table["events"]))
    assert stage_of({**table, "events": shuffled}).measured == stage_of(table).measured


def test_at_the_same_instant_the_sequence_decides_else_the_file():
    start, released = {"seq": 2}, {"seq": 1}
    base = ready() + hold(100, 99)
    pedal_first = [*base[:-2], {**at(60, "pedal", state="released"), **released}, {**base[-2], **start}, base[-1]]
    assert codes(stage_of(record(pedal_first))) >= {"pedal_not_full"}
    start_first = [*base[:-2], {**at(60, "pedal", state="full"), "seq": 1}, {**base[-2], "seq": 2}, base[-1]]
    assert stage_of(record(start_first)).outcome == "pass"


def test_a_resent_event_counts_once_and_another_content_is_a_conflict():
    events = with_ids(ready() + hold(100, 99))
    twice = judged(record([*events, *events]))
    assert twice.standing()["leak_applied"].outcome == "pass"
    assert [verdict.attempt for verdict in twice.stages if verdict.stage == "leak_applied"] == [1]
    with pytest.raises(RecordError, match=r"events\[\d+\]\.id: 'e0' was already used by an event with other content"):
        judged(record([*events, {**events[0], "item": "neutral"}]))


def test_a_withdrawn_mark_is_as_never_made_and_its_withdrawal_can_be_withdrawn():
    events = with_ids(ready() + hold(100, 92))
    better = {**events[-1], "id": "better", "primary_psi": 98, "secondary_psi": 98}
    withdrawal = at(130, "withdrawn", event=events[-1]["id"], id="w", why="read late")
    taken_back = record([*events[:-1], events[-1], withdrawal, better])
    assert stage_of(taken_back).outcome == "pass"
    regretted = [
        *taken_back["events"],
        at(131, "withdrawn", event="w", id="w2"),
        at(132, "withdrawn", event="better", id="w3"),
    ]
    assert stage_of(record(regretted)).outcome == "fail"


def test_what_was_taken_back_is_told_and_a_taking_back_never_is():
    events = [at(1, "note", text="a", id="a"), at(2, "note", text="b", id="b"), at(3, "note", text="c", id="c")]
    events += [
        at(4, "withdrawn", event="a", id="wa"),
        at(5, "withdrawn", event="b", id="wb"),
        at(6, "withdrawn", event="wb", id="wwb"),  # b stands again, and the taking back of it is no mark
    ]
    state = judged(record(events)).state
    assert [event.id for event in state.withdrawn] == ["a"]
    assert [event.id for event in state.events] == ["b", "c"]


def test_a_withdrawal_or_number_of_nothing_is_refused():
    events = with_ids(ready())
    with pytest.raises(RecordError, match=r"events\[\d+\]\.event: 'ghost' isn't an event of this test"):
        judged(record([*events, at(99, "withdrawn", event="ghost")]))
    with pytest.raises(RecordError, match=r"events\[\d+\]\.event: 'e0' isn't a reading of this test"):
        judged(record([*events, at(99, "valued", event="e0", primary_psi=100)]))


def test_a_number_may_come_later_than_its_mark_needle_by_needle():
    events = with_ids(ready() + hold(100, 99))
    end = events[-1]
    bare = {key: value for key, value in end.items() if not key.endswith("_psi")}
    marked = record([*events[:-1], bare])
    assert (stage_of(marked).outcome, codes(stage_of(marked))) == ("not_done", {"no_number"})
    valued = [
        at(125, "valued", event=end["id"], primary_psi=90, secondary_psi=99),
        at(126, "valued", event=end["id"], primary_psi=98),
    ]
    assert stage_of(record([*events[:-1], bare, *valued])).measured["drop_psi"] == 2.0


def test_after_the_end_only_numbers_withdrawals_and_notes_still_count():
    events = with_ids(ready() + hold(100, 99))
    closed = [*events, at(200, "finished", id="f")]
    later = hold(100, 80, start_s=300)
    assert stage_of(record(closed + later)).outcome == "pass"
    corrected = [*closed, at(400, "valued", event=events[-1]["id"], primary_psi=80)]
    assert stage_of(record(corrected)).outcome == "fail"
    reopened = [*closed, *later, at(500, "withdrawn", event="f")]
    assert len([v for v in judged(record(reopened)).stages if v.stage == "leak_applied"]) == 2

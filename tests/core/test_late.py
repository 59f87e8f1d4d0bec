"""What comes in after a run's end: kept and shown, and counted only as far as it may. Common practice, no source."""

from __future__ import annotations

from hypothesis import given, settings
from hypothesis import strategies as st

from tests.builders import at, hold, judged, leak_record, reading, ready, whole_test
from tests.core.test_properties import wild_runs


def numbered(table, *late, end_s=None):
    """The record with ids, an end, and what came after it."""
    events = [{**event, "id": f"e{n}", "seq": n} for n, event in enumerate(table["events"])]
    last = max(event["at_s"] for event in events)
    events.append(at(end_s or last + 5, "finished", id="end", seq=len(events)))
    for n, event in enumerate(late):
        events.append({"id": f"late{n}", **event, "seq": 1000 + n, "after_end": True})
    return {**table, "events": events}


def id_of(table, **fields):
    return next(
        f"e{n}"
        for n, event in enumerate(table["events"])
        if all(event.get(key) == value for key, value in fields.items())
    )


def outcome(table):
    verdict = judged(table)
    return verdict.overall, [(mark.event.id, mark.why) for mark in verdict.late]


FAILED = leak_record(100, 95)
PASSED = leak_record(100, 98)


def test_a_fail_is_not_turned_by_withdrawing_its_reading_and_adding_another():
    end = id_of(FAILED, point="end")
    better = [at(400, "withdrawn", event=end), reading(119, "leak_applied", "end", 99)]
    assert outcome(numbered(FAILED, *better)) == ("fail", [("late0", "waits"), ("late1", "waits")])
    retest = [at(130, "attempt", stage="leak_applied"), *leak_record(100, 99, start_s=300)["events"]]
    assert outcome(numbered(FAILED, *retest))[0] == "fail"


def test_what_worsens_the_result_counts_at_once_with_what_it_hangs_on():
    again = [*ready(200), at(225, "pedal", state="released"), *hold(100, 90, start_s=300)]
    overall, late = outcome(numbered(PASSED, *again, end_s=900))
    assert overall == "fail"
    assert late[-1] == (f"late{len(again) - 1}", "worse")
    engine_ran = [at(90, "engine", state="running")]
    assert outcome(numbered(PASSED, *engine_ran)) == ("incomplete", [("late0", "worse")])
    # an abandonment marked earlier takes nothing away
    assert outcome(numbered(FAILED, at(70, "abandoned"))) == ("fail", [("late0", "waits")])


def test_a_number_for_a_mark_that_had_none_counts_and_is_flagged():
    end = id_of(PASSED, point="end")
    bare = {**PASSED, "events": [dict(event) for event in PASSED["events"]]}
    del bare["events"][int(end[1:])]["primary_psi"], bare["events"][int(end[1:])]["secondary_psi"]
    assert outcome(numbered(bare))[0] == "incomplete"
    late = numbered(bare, at(300, "valued", event=end, primary_psi=98, secondary_psi=98))
    assert outcome(late) == ("pass", [("late0", "number")])
    assert "late_reading" in {finding.code for finding in judged(late).coach}
    assert [mark.counts for mark in judged(late).late] == [True]
    valued = {**bare, "events": [*bare["events"], at(150, "valued", event=end, primary_psi=95, secondary_psi=95)]}
    again = numbered(valued, at(300, "valued", event=end, primary_psi=98, secondary_psi=98))
    assert outcome(again) == ("fail", [("late0", "waits")])
    # a second number, or one for a mark that had its own, is another reading and improves nothing
    twice = at(310, "valued", event=id_of(FAILED, point="end"), primary_psi=99, secondary_psi=99)
    assert outcome(numbered(FAILED, twice)) == ("fail", [("late0", "waits")])
    assert [mark.counts for mark in judged(numbered(FAILED, twice)).late] == [False]


def test_a_confirmation_makes_it_count_and_can_be_taken_back():
    end = id_of(FAILED, point="end")
    withdrawn, better = at(400, "withdrawn", event=end), reading(120, "leak_applied", "end", 99)
    confirm = [at(500, "late_confirmed", event=name, why="read off the photograph") for name in ("late0", "late1")]
    assert outcome(numbered(FAILED, withdrawn, better, *confirm)) == (
        "pass",
        [("late0", "confirmed"), ("late1", "confirmed")],
    )
    back = [at(600, "withdrawn", event="late2"), at(600, "withdrawn", event="late3")]
    assert outcome(numbered(FAILED, withdrawn, better, *confirm, *back))[0] == "fail"


def test_the_candidates_result_is_not_improved_by_a_late_tick():
    table = whole_test("bus", purpose="training")
    silent = {**table, "events": [event for event in table["events"] if event["type"] != "said"]}
    assert judged(numbered(silent)).critical == ["cut_out_not_said"]
    late = numbered(silent, at(4, "said", what="cut_out", value=125))
    assert judged(late).critical == ["cut_out_not_said"]


@given(table=wild_runs(), more=st.data())
@settings(max_examples=60)
def test_no_late_mark_improves_a_run_unconfirmed(table, more):
    rank = {"fail": 0, "incomplete": 1, "pass": 2}
    cut = more.draw(st.integers(0, len(table["events"])), label="on time")
    on_time = {**table, "events": table["events"][:cut] or [at(0, "made_safe")]}
    late = [{key: value for key, value in event.items() if key not in ("id", "seq")} for event in table["events"][cut:]]
    before, after = judged(numbered(on_time)), judged(numbered(on_time, *late))
    assert rank[after.overall] <= rank[before.overall]
    stood = {stage: verdict.outcome for stage, verdict in before.standing().items()}
    for stage, verdict in after.standing().items():
        assert not (stood.get(stage) == "fail" and verdict.outcome != "fail")

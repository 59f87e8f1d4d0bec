"""A judged run along time. Times and pressures are the ones put in; nothing of it is a limit."""

from __future__ import annotations

import pytest

from lowhiss.core.judge import timeline
from tests.builders import at, governor, hold, judged, leak_record, popped, ready, record, whole_test


def spans_of(table) -> list[tuple[str, int, str]]:
    return [(span["stage"], span["attempt"], span["outcome"]) for span in timeline(judged(table))["spans"]]


def test_every_reading_is_a_point_with_the_needle_that_counts_and_the_other():
    points = timeline(judged(leak_record(100, 97)))["points"]
    ends = [point for point in points if point["event"].get("stage") == "leak_applied"]
    assert [(point["event"]["point"], point["psi"]) for point in ends] == [("start", 100), ("end", 97)]
    assert ends[1]["at_s"] - ends[0]["at_s"] == 60
    assert all(point["other_psi"] is None or point["other_psi"] >= point["psi"] for point in points)


def test_one_needle_alone_has_no_other():
    points = timeline(judged(leak_record((100, 101), (97, None))))["points"]
    assert [(point["psi"], point["other_psi"]) for point in points[-2:]] == [(100, 101), (97, None)]


def test_what_was_done_between_readings_is_told_by_its_own_fields():
    deeds = timeline(judged(leak_record(100, 97)))["deeds"]
    assert {"pedal", "knob", "engine"} <= {deed["event"]["type"] for deed in deeds}
    assert {"type": "pedal", "state": "full"} in [deed["event"] for deed in deeds]
    assert [deed["at_s"] for deed in deeds] == sorted(deed["at_s"] for deed in deeds)


def test_a_whole_test_is_one_span_a_stage_in_the_order_it_was_done():
    spans = timeline(judged(whole_test()))["spans"]
    assert [span["from_s"] for span in spans] == sorted(span["from_s"] for span in spans)
    assert all(span["from_s"] <= span["to_s"] and span["outcome"] == "pass" for span in spans)
    stages = [span["stage"] for span in spans]
    assert {"cut_out", "leak_applied", "low_air_warning", "spring_brakes"} <= set(stages)


def test_a_cut_out_after_the_knobs_popped_is_the_refill_and_not_another_try_at_the_first():
    events = [*ready(), *hold(100, 98), *popped(32), *governor("cut_out", 125, start_s=400)]
    stages = [stage for stage, _, _ in spans_of(record(events, procedure="us-three-part"))]
    assert stages.count("cut_out") == 1
    assert stages[-1] == "rebuild"


@pytest.mark.parametrize("extra", [[], [at(500, "note", text="rain")], [at(500, "finished")]])
def test_what_changes_nothing_is_neither_point_nor_deed(extra):
    table = leak_record(100, 97)
    more = {**table, "events": [*table["events"], *extra]}
    assert timeline(judged(more)) == timeline(judged(table))

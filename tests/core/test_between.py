"""Marks known only between two ends: what the judge leaves open, and records that say it wrongly."""

from __future__ import annotations

import copy

import pytest

from lowhiss.core.errors import CoreError
from lowhiss.core.record import read_run
from lowhiss.engine.judge_record import judge_record
from tests.builders import whole_test


def held(low: float, high: float):
    """The applied hold of a whole test, its last reading between two ends; and all of it from a recording."""
    record = copy.deepcopy(whole_test())
    record["recording"] = {"sha256": "0" * 64}
    for event in record["events"]:
        if event["type"] == "reading" and (event["stage"], event["point"]) == ("leak_applied", "end"):
            event["primary_psi"] = event["secondary_psi"] = (low + high) / 2
            event["between"] = {"primary_psi": [low, high], "secondary_psi": [low, high]}
    verdict = judge_record(read_run(record))
    return verdict, verdict.standing()["leak_applied"]


def first(of: str) -> float:
    (psi,) = (
        event["primary_psi"]
        for event in whole_test()["events"]
        if event["type"] == "reading" and (event["stage"], event["point"]) == ("leak_applied", of)
    )
    return psi


@pytest.mark.parametrize(
    ("lost", "outcome", "overall"),
    [((1, 3), "pass", "pass"), ((2, 9), "not_done", "incomplete"), ((8, 9), "fail", "fail")],
)
def test_both_ends_are_judged_and_what_they_do_not_agree_on_stays_open(lost, outcome, overall):
    """traces.md: inside the limit passes, outside fails, astride is *not done* with `astride_limit`."""
    start = first("start")
    verdict, stage = held(start - lost[1], start - lost[0])
    assert (stage.outcome, verdict.overall) == (outcome, overall)
    assert ("astride_limit" in [one.code for one in stage.findings]) == (outcome == "not_done")
    assert stage.between["drop_psi"] == pytest.approx(lost)
    assert (verdict.critical, verdict.minor) == ([], [])


@pytest.mark.parametrize(
    ("between", "says"),
    [
        ({"primary_psi": [9, 3]}, "the lower end comes first"),
        ({"primary_psi": 3}, r"as \[low, high\]"),
        ({"speed_mph": [1, 2]}, "must be a table of"),
        ({"primary_psi": [0, 900]}, "from 0 to 200"),
        ({"primary_psi": [1, 2]}, "is not between them"),
    ],
)
def test_ends_that_cannot_be_are_refused_by_their_field(between, says):
    record = copy.deepcopy(whole_test())
    place, event = next((n, one) for n, one in enumerate(record["events"]) if one["type"] == "reading")
    event["between"] = between
    with pytest.raises(CoreError, match=says) as refused:
        read_run(record)
    assert refused.value.field == f"events[{place}].between"

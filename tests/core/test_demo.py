"""The demo scenario: the same everywhere, and showing what it is meant to show."""

from __future__ import annotations

import datetime as dt
from collections import Counter

from lowhiss.demo.scenario import PEOPLE, TRAILERS, UNITS, demo_runs
from tests.builders import judged

LATEST = dt.datetime(2026, 11, 20, 5, 30, tzinfo=dt.UTC)


def test_the_same_seed_makes_the_same_runs():
    assert [record for _, record in demo_runs(LATEST)] == [record for _, record in demo_runs(LATEST)]
    ids = [record["id"] for _, record in demo_runs(LATEST)]
    assert len(set(ids)) == len(ids) > 40


def test_it_has_the_fleet_and_people_of_the_scenario():
    assert (len(UNITS), len(TRAILERS), len(PEOPLE)) == (14, 8, 20)
    assert Counter(PEOPLE.values()) == {"driver": 14, "manager": 2, "trainer": 2, "workshop": 2}
    assert {len(unit.trailers) for unit in UNITS} == {0, 1, 2}


def test_one_unit_fails_one_was_held_short_and_one_drifts_towards_its_limit():
    latest = {}
    for unit, record in demo_runs(LATEST):
        latest.setdefault(unit.name, judged(record))
    assert latest["MV-21"].overall == "fail"
    assert latest["MV-09"].headline == "void"
    assert latest["MV-16"].close_call
    others = {name: verdict.overall for name, verdict in latest.items() if name not in ("MV-21", "MV-09")}
    assert set(others.values()) == {"pass"}
    losses = [
        judged(record).standing()["leak_applied"].measured["drop_psi"]
        for unit, record in demo_runs(LATEST)
        if unit.name == "MV-16"
    ]
    assert losses == sorted(losses, reverse=True) == [4, 3, 2, 1, 1]

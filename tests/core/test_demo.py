"""The demo scenario: the same everywhere, and showing what it is meant to show."""

from __future__ import annotations

import datetime as dt
import gzip
import json
from collections import Counter
from itertools import islice

from lowhiss.demo.history import grow
from lowhiss.demo.scenario import PEOPLE, RUNS_FILE, TRAILERS, UNITS, demo_runs
from tests.builders import judged

LATEST = dt.datetime(2026, 11, 20, 5, 30, tzinfo=dt.UTC)


def test_the_same_seed_makes_the_same_runs():
    assert [record for _, record in demo_runs(LATEST)] == [record for _, record in demo_runs(LATEST)]
    ids = [record["id"] for _, record in demo_runs(LATEST)]
    assert len(set(ids)) == len(ids) > 150


def test_it_has_the_fleet_and_people_of_the_scenario():
    assert (len(UNITS), len(TRAILERS), len(PEOPLE)) == (14, 8, 20)
    assert Counter(PEOPLE.values()) == {"driver": 14, "manager": 2, "trainer": 2, "workshop": 2}
    assert {len(unit.trailers) for unit in UNITS} == {0, 1, 2}


def test_the_shipped_runs_are_what_the_story_drives():
    shipped = [json.loads(line) for line in gzip.decompress(RUNS_FILE.read_bytes()).decode().splitlines()]
    assert list(islice(grow(), 3)) == shipped[:3]


def test_the_fleet_has_its_stories():
    """One must not drive, one was held short, one drifts towards its limit, one was repaired, one needle sticks."""
    runs: dict[str, list] = {}
    for unit, record in demo_runs(LATEST):
        runs.setdefault(unit.name, []).append(judged(record))
    assert all(12 <= len(verdicts) <= (21 if name == "MV-16" else 17) for name, verdicts in runs.items())
    latest = {name: verdicts[-1] for name, verdicts in runs.items()}
    assert latest["MV-21"].overall == "fail"
    assert latest["MV-21"].standing()["spring_brakes"].outcome == "fail"
    assert latest["MV-09"].headline == "void"
    assert latest["MV-16"].close_call
    others = {name: verdict.overall for name, verdict in latest.items() if name not in ("MV-21", "MV-09")}
    assert set(others.values()) == {"pass"}

    def lost(name):
        return [verdict.standing()["leak_applied"].measured["drop_psi"] for verdict in runs[name]]

    assert max(lost("MV-16")[:5]) <= 1
    assert lost("MV-16")[-1] == max(lost("MV-16")) == 4
    assert [verdict.overall for verdict in runs["MV-07"]].count("fail") == 1
    codes = {one.code for verdict in runs["MV-22"] for one in verdict.coach}
    assert {"cut_out_not_said", "limit_not_said", "wrong_limit_said", "clock_before_settle"} <= codes


def test_it_spans_two_years_and_ends_lately():
    back = [LATEST - dt.datetime.fromisoformat(record["started_at"]) for _, record in demo_runs(LATEST)]
    assert dt.timedelta(days=690) < max(back) < dt.timedelta(days=760)
    assert dt.timedelta(0) < min(back) < dt.timedelta(days=10)

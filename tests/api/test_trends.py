"""What a unit's tests measured from one to the next, over HTTP."""

from __future__ import annotations

import datetime as dt
import uuid

import pytest

from lowhiss.demo.scenario import UNITS
from lowhiss.service.runs.imports import import_record
from tests.builders import leak_record

BEGUN = dt.datetime(2026, 3, 2, 5, 0, tzinfo=dt.UTC)


@pytest.fixture
def unit(client):
    """A truck alone: the pedal-held loss is limited to 3 psi (US licence manual, from memory)."""
    name = f"D-{uuid.uuid4().hex[:6]}"
    return client.post("/api/units", json={"name": name, "kind": "straight_truck"}).raise_for_status().json()


def measured_weekly(store, unit, losses, **head):
    """Weekly leak tests with these losses; returns their runs' ids."""
    ids = []
    with store.transaction() as session:
        for week, loss in enumerate(losses):
            record = leak_record(100, 100 - loss, kind="straight_truck", **head)
            ids.append(str(uuid.uuid4()))
            started = (BEGUN + dt.timedelta(weeks=week)).isoformat()
            import_record(session, {**record, "id": ids[-1], "started_at": started}, unit["id"])
    return ids


def trends(client, for_unit, **reader):
    answer = client.get(f"/api/units/{for_unit['id']}/trends", params=reader)
    return {one["stage"] if one["knob"] is None else one["knob"]: one for one in answer.raise_for_status().json()}


def test_it_lost_one_then_two_then_more_and_the_day_is_foretold(client, store, unit):
    ids = measured_weekly(store, unit, [0.5, 0.5, 1, 1, 1.5, 1.5, 2, 2, 2.5])
    trend = trends(client, unit)["leak_applied"]
    assert [one["run_id"] for one in trend["readings"]] == ids
    assert (trend["state"], trend["unit"], trend["high"], trend["segment"]) == ("drifts", "psi", 3, 9)
    assert trend["text"].startswith("Drifting by 1.1 psi a month")
    assert trend["limit"] == "no more than 3 psi in 60 s"
    last = BEGUN + dt.timedelta(weeks=8)
    assert last < dt.datetime.fromisoformat(trend["meets_from"]) <= dt.datetime.fromisoformat(trend["meets"])


def test_the_same_in_spanish_and_kilopascals(client, store, unit):
    measured_weekly(store, unit, [0.5, 0.5, 1, 1, 1.5, 1.5, 2, 2, 2.5])
    trend = trends(client, unit, lang="es", unit="kpa")["leak_applied"]
    assert trend["text"].startswith("Tendencia de 7.5 kPa al mes")
    assert trend["limit"] == "no más de 20.7 kPa en 60 s"


@pytest.mark.parametrize(
    "head",
    [
        pytest.param({"purpose": "rehearsal"}, id="rehearsals"),
        pytest.param({"duration_s": 30}, id="void"),
    ],
)
def test_what_does_not_count_for_the_vehicle_makes_no_trend(client, store, unit, head):
    measured_weekly(store, unit, [0.5, 1, 1.5, 2, 2.5, 2.5, 3], **head)
    assert "leak_applied" not in trends(client, unit)


def test_a_test_over_another_time_is_no_reading_of_the_same_quantity(client, store, unit):
    """Western Canada holds for two minutes, not for one (from memory): twice the loss, the same leak."""
    ids = measured_weekly(store, unit, [1, 1, 1])
    measured_weekly(store, unit, [2, 2, 2], rules="canada-west", duration_s=120)
    trend = trends(client, unit)["leak_applied"]
    assert [one["run_id"] for one in trend["readings"]] == ids


def test_a_unit_without_tests_and_one_that_there_is_not(client, unit):
    assert trends(client, unit) == {}
    assert client.get(f"/api/units/{uuid.uuid4()}/trends").status_code == 404


def test_every_unit_of_the_scenario_has_its_trends_the_drifting_first(client):
    order = ["drifts", "changed", "steady", "too_few"]
    for unit in UNITS:
        answer = client.get(f"/api/units/{unit.id}/trends").raise_for_status().json()
        states = [one["state"] for one in answer]
        assert states == sorted(states, key=order.index)
        assert all(one["readings"] for one in answer)

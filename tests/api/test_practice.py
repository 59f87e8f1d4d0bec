"""Practices over HTTP: kept apart from every unit, growing only, joined by a trainer; and live between two devices."""

from __future__ import annotations

import json
import uuid
from contextlib import ExitStack

import httpx
import pytest
from websockets.exceptions import ConnectionClosed
from websockets.sync.client import connect

from lowhiss.engine.practice import Drive
from tests.conftest import sign_in
from tests.devices import UNIT_ID
from tests.plugin import HANG_S

WHO = {"driver": "Tove Lind", "other": "Ines Aldous", "trainer": "Hanne Solberry", "manager": "Odile Ferrow"}


@pytest.fixture(scope="module")
def people(app_url):
    with ExitStack() as stack:
        yield {
            role: sign_in(stack.enter_context(httpx.Client(base_url=app_url, timeout=HANG_S)), name)
            for role, name in WHO.items()
        }


def driven(seconds: float = 5, faults=("primary_leak",)) -> Drive:
    drive = Drive({"kind": "straight_truck", "faults": list(faults), "seed": 4, "salt": "s"})
    drive.control("key", "on")
    drive.advance(round(seconds * 100))
    return drive


def body_of(drive: Drive, *, over: bool = False) -> dict:
    after = {"after": json.loads(json.dumps(drive.after([])))} if over else {}
    return {
        "title": "truck",
        "began_at": "2026-11-01T08:00:00Z",
        "record": json.loads(json.dumps(drive.saved_record([]))),
        **after,
    }


def keep(client: httpx.Client, practice_id: str, body: dict) -> httpx.Response:
    return client.put(f"/api/practices/{practice_id}", json=body)


@pytest.fixture
def kept(people):
    practice_id = str(uuid.uuid4())
    keep(people["driver"], practice_id, body_of(driven())).raise_for_status()
    return practice_id


def test_a_practice_is_kept_once_and_only_grows(people):
    driver, practice_id = people["driver"], str(uuid.uuid4())
    short, longer = body_of(driven(5)), body_of(driven(9))
    assert keep(driver, practice_id, short).status_code == 200
    assert keep(driver, practice_id, longer).json()["seconds"] == pytest.approx(9, abs=0.05)
    refused = keep(driver, practice_id, short)
    assert (refused.status_code, refused.json()["error"]["code"]) == (409, "practice_shorter")
    other = body_of(driven(9))
    other["record"]["controls"] = [[0, "key", "off"], *other["record"]["controls"]]
    assert keep(driver, practice_id, other).json()["error"]["code"] == "practice_rewritten"
    over = body_of(driven(9), over=True)
    assert keep(driver, practice_id, over).json()["faulty"] is True
    assert keep(driver, practice_id, over).status_code == 200  # sent again
    assert keep(driver, practice_id, body_of(driven(12))).json()["error"]["code"] == "practice_over"
    whole = {lang: driver.get(f"/api/practices/{practice_id}?lang={lang}").json()["after"] for lang in ("en", "es")}
    assert {lang: one["faults"][0]["title"] for lang, one in whole.items()} == {
        "en": "Leak in the primary circuit",
        "es": "Fuga en el circuito primario",
    }
    mine = [one for one in driver.get("/api/practices").json() if one["id"] == practice_id]
    assert [one["ended"] for one in mine] == [True]


def test_it_is_nobody_elses_but_a_managers_to_look_at(people, kept):
    assert keep(people["other"], kept, body_of(driven(20))).status_code == 403
    assert people["other"].get(f"/api/practices/{kept}").status_code == 403
    assert people["manager"].get(f"/api/practices/{kept}").json()["head"]["person"] == "Tove Lind"
    assert kept not in [one["id"] for one in people["other"].get("/api/practices").json()]
    assert kept not in [one["id"] for one in people["other"].get("/api/practices?everybody=true").json()]
    assert kept in [one["id"] for one in people["manager"].get("/api/practices?everybody=true").json()]
    assert people["driver"].get(f"/api/practices/{uuid.uuid4()}").status_code == 404


def test_nothing_of_it_is_in_any_units_history_or_log(people, kept):
    for path in ("/api/log", "/api/units", "/api/status", "/api/runs/open"):
        answer = people["manager"].get(path)
        assert kept not in answer.text, path


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"format": "low-hiss-run/1"}, "record.format"),
        ({"choice": 3}, "record.choice"),
        ({"ticks": -1}, "record.ticks"),
        ({"ticks": True}, "record.ticks"),
        ({"controls": {}}, "record.controls"),
        ({"choice": {"kind": "boat", "mode": "fast"}}, "mode"),
        ({"choice": {}}, "kind"),
    ],
)
def test_a_record_that_is_none_is_refused_by_its_field(people, change, field):
    body = body_of(driven())
    body["record"] |= change
    refused = keep(people["driver"], str(uuid.uuid4()), body)
    assert refused.status_code == 422
    assert refused.json()["error"]["field"] == field


@pytest.mark.parametrize("after", [{}, {"faults": [], "run": {}}, {"faults": ["no_such"], "run": 3}])
def test_what_cannot_be_told_after_it_is_not_kept(people, after):
    practice_id = str(uuid.uuid4())
    assert keep(people["driver"], practice_id, {**body_of(driven()), "after": after}).status_code == 422
    assert people["driver"].get(f"/api/practices/{practice_id}").status_code == 404


def test_a_code_lets_a_trainer_in_and_nobody_else(people, kept):
    driver = people["driver"]
    assert people["other"].post(f"/api/practices/{kept}/code").status_code == 403
    code = driver.post(f"/api/practices/{kept}/code").raise_for_status().json()["code"]
    assert people["other"].post("/api/join", json={"code": code}).json()["error"]["code"] == "trainers_only"
    assert people["trainer"].post("/api/join", json={"code": code}).json()["practice_id"] == kept


def line(client: httpx.Client, practice_id: str):
    address = str(client.base_url).replace("http", "ws", 1).rstrip("/") + f"/api/practices/{practice_id}/live"
    cookies = "; ".join(f"{name}={value}" for name, value in client.cookies.items())
    return connect(address, additional_headers={"Cookie": cookies}, open_timeout=HANG_S)


def heard(socket, name: str) -> dict:
    """The next message that has this."""
    for _ in range(20):
        message = json.loads(socket.recv(timeout=HANG_S))
        if name in message:
            return message
    raise AssertionError(f"{name} was never said")


def test_a_trainer_sees_the_truth_and_sets_the_vehicle(people, kept):
    code = people["driver"].post(f"/api/practices/{kept}/code").json()["code"]
    people["trainer"].post("/api/join", json={"code": code}).raise_for_status()
    with line(people["trainer"], kept) as trainer:
        assert heard(trainer, "gone")  # nobody drives yet
        trainer.send(json.dumps({"do": {"name": "faults", "value": []}}))
        assert heard(trainer, "done")["done"]["refused"] == "driver_gone"
        with line(people["driver"], kept) as driver:
            assert heard(driver, "trainers")["trainers"] == 1
            driver.send(json.dumps({"frame": {"t_s": 1}, "truth": {"psi": {"primary": 90}}, "secret": 1}))
            told = heard(trainer, "frame")
            assert told == {"frame": {"t_s": 1}, "truth": {"psi": {"primary": 90}}}
            trainer.send(json.dumps({"do": {"name": "faults", "value": ["water"]}}))
            assert heard(driver, "do") == {"do": {"name": "faults", "value": ["water"]}, "by": "Hanne Solberry"}
            trainer.send(json.dumps({"do": {"name": "pedal", "value": 1}}))
            assert heard(trainer, "done")["done"]["refused"] == "not_for_a_trainer"
        assert heard(trainer, "gone")


def test_the_line_is_closed_to_who_did_not_join_and_to_what_is_no_message(people, kept):
    with line(people["manager"], kept) as stranger, pytest.raises(ConnectionClosed):
        stranger.recv(timeout=HANG_S)
    with line(people["driver"], kept) as driver:
        heard(driver, "trainers")
        driver.send("[1, 2]")
        with pytest.raises(ConnectionClosed) as closed:
            driver.recv(timeout=HANG_S)
        assert closed.value.rcvd.code == 4400


def test_a_fleet_vehicle_is_practised_on_as_it_is_coupled_and_tested(people):
    vehicle = people["driver"].get(f"/api/units/{UNIT_ID['MV-12']}/vehicle").raise_for_status().json()
    drive = Drive({**vehicle, "seed": 1})
    assert drive.spec.unit.name == "MV-12"
    assert drive.spec.towed
    bare = people["manager"].post("/api/units", json={"name": f"P-{uuid.uuid4().hex[:6]}", "kind": "bus"}).json()
    refused = people["driver"].get(f"/api/units/{bare['id']}/vehicle")
    assert refused.status_code == 422
    assert "is missing: fill it in to simulate this vehicle" in refused.json()["error"]["message"]

"""The API over HTTP, on the real database: what a device may rely on."""

from __future__ import annotations

import json
import uuid
from concurrent.futures import ThreadPoolExecutor

import httpx
import pytest
from jsonschema import Draft202012Validator

from lowhiss.cli import main
from tests.conftest import ROOT, sign_in
from tests.devices import UNIT_ID, Device
from tests.plugin import HANG_S


@pytest.fixture
def device(client):
    return Device(client)


def error_of(response, status):
    assert response.status_code == status, response.text
    return response.json()["error"]


def test_a_whole_leak_test_is_judged_logged_and_exported(client, device, tmp_path, capsys):
    assert device.begin().status_code == 200
    received = device.send(*device.leak_test(100, 97)).raise_for_status().json()
    assert (received["last_seq"], received["set_aside"]) == (9, [])
    assert [accepted["seq"] for accepted in received["accepted"]] == list(range(1, 10))

    report = device.report()
    (stage,) = report["verdict"]["stages"]
    assert (report["outcome"], stage["outcome"], stage["measured"]["drop_psi"]) == ("pass", "pass", 3)
    assert stage["measured"]["duration_s"] == 60
    bay = {"stage": "leak_applied", "of": "end", "now": True, "low_psi": 96, "high_psi": 100}
    assert report["column"]["bays"] == [bay]

    log = client.get("/api/log", params={"search": "MV-12 Ines"}).json()
    line = next(line for line in log["runs"] if line["run"]["id"] == device.run_id)
    assert (line["outcome"], line["stages"]["leak_applied"]["drop_psi"]) == ("pass", 3)

    path = tmp_path / "run.json"
    path.write_bytes(client.get(f"/api/runs/{device.run_id}/record").content)
    assert main(["judge", str(path)]) == 0
    assert json.loads(capsys.readouterr().out) == drop_nulls(report["verdict"])


def drop_nulls(verdict):
    """The record leaves out sides that a limit does not have; over HTTP they are null."""
    for stage in verdict["stages"]:
        stage["limit"] = {key: value for key, value in stage["limit"].items() if value is not None}
    return verdict


def test_sentences_come_in_the_readers_language_and_unit(device):
    device.begin()
    device.send(*device.leak_test(100, 95))
    report = device.report(lang="es", unit="kpa")
    assert report["outcome"] == "fail"
    assert report["verdict"]["stages"][0]["arithmetic"].startswith("689 → 655 kPa en 60 s, 34.5 kPa/min")
    assert report["verdict"]["stages"][0]["measured"]["start_psi"] == 100


def test_a_resent_batch_is_accepted_once(client, device):
    device.begin()
    events = device.leak_test(100, 97)
    first = device.send(*events).json()
    assert device.send(*events).json() == first
    kept = client.get(f"/api/runs/{device.run_id}/events").json()
    assert [event["id"] for event in kept] == [event["id"] for event in events]
    assert client.get(f"/api/runs/{device.run_id}/events", params={"after": 7}).json() == kept[7:]


def test_the_same_batch_from_many_connections_at_once_is_kept_once(client, device):
    device.begin()
    events = device.leak_test(100, 97)
    with ThreadPoolExecutor(8) as pool:
        answers = [future.result().json() for future in [pool.submit(device.send, *events) for _ in range(8)]]
    assert all(answer == answers[0] for answer in answers)
    assert len(client.get(f"/api/runs/{device.run_id}/events").json()) == len(events)


def test_events_that_cannot_be_applied_are_set_aside_and_block_nothing(device):
    device.begin()
    good = device.marked("pedal", state="full")
    events = [
        device.marked("pedal", state="half"),
        device.marked("reading", stage="leak_applied", point="start", primary_psi=201),
        device.marked("withdrawn", event="ghost"),
        device.marked("valued", event=good["id"], primary_psi=100),
        device.marked("engine", state="off", at_s=3),
        good,
        {**good, "state": "released"},
    ]
    received = device.send(*events).raise_for_status().json()
    assert [accepted["id"] for accepted in received["accepted"]] == [good["id"]]
    assert [(aside["id"], aside["code"]) for aside in received["set_aside"]] == [
        (events[0]["id"], "mark_malformed"),
        (events[1]["id"], "mark_malformed"),
        (events[2]["id"], "target_unknown"),
        (events[3]["id"], "target_unknown"),
        (events[4]["id"], "mark_malformed"),
        (good["id"], "id_conflict"),
    ]
    assert received["set_aside"][0]["message"] == "state must be one of full, released, not 'half'."


def test_a_batch_out_of_order_or_in_pieces_is_judged_as_if_it_had_come_in_order(client, device):
    device.begin()
    events = device.leak_test(100, 97)
    for piece in (events[7:], events[3:7][::-1], events[:3], events):
        assert device.send(*piece).raise_for_status().json()["set_aside"] == []
    stage = device.report()["verdict"]["stages"][0]
    assert (stage["outcome"], stage["measured"]["drop_psi"], stage["measured"]["duration_s"]) == ("pass", 3, 60)
    assert len(client.get(f"/api/runs/{device.run_id}/events").json()) == len(events)


def test_a_batch_that_is_too_large_or_somebody_elses_is_refused_whole(client, device, app_url):
    device.begin()
    many = [device.marked("note", text=str(n)) for n in range(501)]
    assert device.send(*many).status_code == 422
    with httpx.Client(base_url=app_url, timeout=HANG_S) as http:
        other = Device(sign_in(http, "Noor Tavish"))
        other.run_id = device.run_id
        assert error_of(other.send(other.marked("note", text="x")), 403)["code"] == "not_your_run"
    assert client.get(f"/api/runs/{device.run_id}/events").json() == []


def test_a_number_may_come_later_and_be_corrected(device):
    device.begin()
    *events, end = device.leak_test(100, 97)
    bare = {key: value for key, value in end.items() if not key.endswith("_psi")}
    device.send(*events, bare)
    assert device.report()["verdict"]["stages"][0]["outcome"] == "not_done"
    device.send(device.marked("valued", event=end["id"], primary_psi=97, secondary_bar=6.7))
    stage = device.report()["verdict"]["stages"][0]
    assert (stage["outcome"], stage["measured"]["needles"]["secondary"]["end_psi"]) == ("pass", 97.2)


@pytest.mark.parametrize("wall_off_s", [0, -7200, 400 * 86400])
def test_a_wrong_wall_clock_changes_no_duration(client, wall_off_s):
    device = Device(client, wall_off_s=wall_off_s)
    device.begin()
    device.send(*device.leak_test(100, 97))
    measured = device.report()["verdict"]["stages"][0]["measured"]
    assert (measured["duration_s"], measured["wait_s"]) == (60, 23)


def test_a_reload_in_the_middle_goes_on_in_a_new_epoch(client, device):
    device.begin()
    *before, end = device.leak_test(100, 97)
    device.send(*before)
    reloaded = Device(client, device.device)
    reloaded.run_id, reloaded.wall, reloaded.seq = device.run_id, device.wall, device.seq
    late = reloaded.marked("reading", stage="leak_applied", point="end", primary_psi=97, secondary_psi=97)
    assert late["epoch"] != end["epoch"]
    assert reloaded.send(late).json()["set_aside"] == []
    # the server maps the new page life by when the batch came: the run itself took no real time here
    kept = client.get(f"/api/runs/{device.run_id}/events").json()
    assert kept[-1]["at_s"] < 60


def test_beginning_twice_is_one_run_and_another_runs_id_is_a_conflict(client, device):
    first = device.begin()
    body = json.loads(first.request.content)
    assert client.post("/api/runs", json=body).json() == first.json()
    assert error_of(client.post("/api/runs", json={**body, "unit_id": UNIT_ID["MV-21"]}), 409)["code"] == "run_id_used"


@pytest.mark.parametrize(
    ("change", "status", "field"),
    [
        ({"unit_id": str(uuid.uuid4())}, 404, "unit_id"),
        ({"unit_id": "MV-12"}, 422, "unit_id"),
        ({"procedure": "no-such"}, 422, "procedure"),
        ({"rules": "no-such"}, 422, "rules"),
        ({"purpose": "fun"}, 422, "purpose"),
        ({"driver": "x" * 81}, 422, "driver"),
        ({"colour": "red"}, 422, "colour"),
    ],
)
def test_a_run_that_cannot_be_begun_says_which_field(device, change, status, field):
    error = error_of(device.begin(**change), status)
    assert error["field"] == field
    assert error["message"].endswith(".")


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"mono_s": -1}, "mono_s"),
        ({"mono_s": None}, "mono_s"),
        ({"mono_s": 10**400}, "mono_s"),
        ({"wall": "yesterday"}, "wall"),
        ({"wall": "2026-11-02T04:41:00"}, "wall"),
        ({"seq": 2**31}, "seq"),
        ({"id": ""}, "id"),
        ({"id": "a b"}, "id"),
        ({"id": "a\ud800"}, "id"),
        ({"type": "note", "text": "\udc00"}, "The text contains a broken character"),
        ({"type": "note", "text": "x", "by": "\udc00"}, "by"),
        ({"type": "reading", "stage": "cut_out", "point": "cut_out", "primary_psi": 10**400}, "primary_psi"),
        ({"type": "said", "what": "cut_out", "value": 10**400}, "value"),
    ],
)
def test_an_event_that_is_none_is_set_aside_and_holds_up_no_other(client, device, change, field):
    device.begin()
    bad, good = {**device.marked("finished"), **change}, device.marked("note", text="good")
    content = json.dumps({"sent": device.moment(), "events": [bad, good]}).encode()
    answer = client.post(
        f"/api/runs/{device.run_id}/events", content=content, headers={"content-type": "application/json"}
    )
    received = answer.raise_for_status().json()
    assert [one["id"] for one in received["accepted"]] == [good["id"]]
    assert [one["code"] for one in received["set_aside"]] == ["mark_malformed"]
    assert received["set_aside"][0]["message"].startswith(field)
    assert [one["id"] for one in client.get(f"/api/runs/{device.run_id}/events").json()] == [good["id"]]


def test_unknown_runs_bad_addresses_and_bad_bodies(client, device):
    device.begin()
    ghost = str(uuid.uuid4())
    for path in (
        f"/api/runs/{ghost}",
        f"/api/runs/{ghost}/report",
        f"/api/runs/{ghost}/events",
        f"/api/runs/{ghost}/record",
    ):
        assert error_of(client.get(path), 404)["code"] == "run_unknown"
    assert error_of(client.get("/api/nothing"), 404)["code"] == "http_404"
    assert error_of(client.delete("/api/log"), 405)["code"] == "http_405"
    assert error_of(client.get("/api/log", params={"before": ghost}), 404)["code"] == "run_unknown"
    send = {"headers": {"content-type": "application/json"}}
    assert error_of(client.post("/api/runs", content=b"{", **send), 422)["code"] == "json_invalid"
    assert error_of(client.post("/api/runs", content=b" " * (2 * 1024**2 + 1), **send), 413)["code"] == "too_large"


def test_other_sites_may_not_write_and_other_names_are_not_answered(client, device):
    foreign = client.post("/api/runs", json={}, headers={"origin": "http://elsewhere.example"})
    assert error_of(foreign, 403)["code"] == "foreign_origin"
    assert client.get("/api/about", headers={"host": "elsewhere.example"}).status_code == 400
    assert "default-src 'self'" in client.get("/api/about").headers["content-security-policy"]


def test_the_log_pages_through_every_run_once_in_order(client, monkeypatch):
    monkeypatch.setattr("lowhiss.service.runs.log.LOG_PAGE", 7)
    seen, before = [], None
    for _ in range(40):
        page = client.get("/api/log", params={"search": "MV-1", **({"before": before} if before else {})}).json()
        seen += [(line["run"]["started_at"], line["run"]["id"]) for line in page["runs"]]
        before = page["next_before"]
        if before is None:
            break
    assert seen == sorted(set(seen), reverse=True)
    assert len(seen) > 14


@pytest.mark.parametrize("search", ["%", "_", "'; DROP TABLE run; --", "MV-12\\"])
def test_hostile_searches_find_nothing_and_harm_nothing(client, search):
    assert client.get("/api/log", params={"search": search}).json()["runs"] == []


def test_the_log_filters_by_outcome(client):
    for outcome in ("pass", "fail", "void"):
        runs = client.get("/api/log", params={"outcome": outcome}).json()["runs"]
        assert runs
        assert {line["outcome"] for line in runs} == {outcome}
    assert all(line["close_call"] for line in client.get("/api/log", params={"outcome": "close_call"}).json()["runs"])


def test_units_come_with_their_latest_run_and_their_script(client):
    units = {unit["name"]: unit for unit in client.get("/api/units").json()}
    assert units["MV-21"]["latest"]["outcome"] == "fail"
    script = client.get(f"/api/units/{UNIT_ID['MV-18']}/script", params={"procedure": "leak-check"}).json()
    step = next(step for step in script["steps"] if step["step"] == "leak_applied")
    assert (script["rules"]["id"], step["limit"]["hold_s"], script["knobs"]) == (
        "canada-west",
        120,
        ["tractor", "trailer"],
    )
    assert step["needs"][:3] == ["engine_off", "key_on", "wheels_chocked"]


def test_every_answer_keeps_to_the_described_schema(client, device):
    document = client.get("/api/openapi.json").json()
    assert document == json.loads((ROOT / "docs" / "openapi.json").read_text())
    device.begin()
    device.send(*device.leak_test(100, 97))
    paths = {
        "/api/units": "/api/units",
        "/api/log": "/api/log",
        "/api/about": "/api/about",
        "/api/runs/{run_id}/report": f"/api/runs/{device.run_id}/report",
        "/api/runs/{run_id}/events": f"/api/runs/{device.run_id}/events",
    }
    for described, path in paths.items():
        answer = document["paths"][described]["get"]["responses"]["200"]["content"]["application/json"]["schema"]
        schema = {**answer, "components": document["components"]}
        Draft202012Validator(schema).validate(client.get(path).json())


def test_a_run_left_open_is_offered_to_whoever_may_go_on_with_it_until_it_is_ended(client, device, app_url):
    def offered(http):
        return device.run_id in [run["id"] for run in http.get("/api/runs/open").raise_for_status().json()]

    device.begin().raise_for_status()
    device.send(device.marked("confirmed", item="wheels_chocked")).raise_for_status()
    assert offered(client)
    with httpx.Client(base_url=app_url) as stranger:
        assert not offered(sign_in(stranger, "Ines Aldous"))  # begun by somebody else, on another device
    device.send(device.marked("abandoned", why="the bay was needed")).raise_for_status()
    assert not offered(client)

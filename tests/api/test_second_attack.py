"""What a second attack got through, each named as its report names it, with what must come out."""

from __future__ import annotations

import concurrent.futures
import itertools
import json
import threading

import httpx
import pytest
from websockets.exceptions import ConnectionClosed
from websockets.sync.client import connect

from lowhiss.api import json_requests
from lowhiss.demo.scenario import demo_id
from lowhiss.service.runs import log
from tests.conftest import sign_in
from tests.devices import UNIT_ID, Device
from tests.plugin import HANG_S

DEEP = "[" * 900 + "]" * 900
FLOODS = {
    "empty lists": "[" + ",".join(["[]"] * 300_000) + "]",
    "unknown fields": "{" + ",".join(f'"f{n}":1' for n in range(100_000)) + "}",
    "deep lists": "[" + ",".join([DEEP] * 500) + "]",
    "numbers": "[" + ",".join(["1"] * 900_000) + "]",
}


@pytest.mark.parametrize("name", FLOODS)
def test_h3_a_strangers_flood_is_refused_before_it_is_read(app_url, name):
    """2 MB of JSON to the sign-in stopped everybody for 4 to 9 s a request."""
    with httpx.Client(base_url=app_url) as stranger:
        for path in ("/api/session/sign-in", "/api/session/switch", "/api/session/redeem"):
            answer = stranger.post(path, content=FLOODS[name], headers={"Content-Type": "application/json"})
            assert answer.status_code in (404, 405, 413), (path, answer.text[:200])
        # who may is asked first: of what is not for strangers nothing is read
        for path in ("/api/runs", "/api/units", "/api/acts", "/api/traces?name=a.csv"):
            answer = stranger.post(path, content=b"{ this is no JSON", headers={"Content-Type": "application/json"})
            assert answer.status_code == 401, path


def test_h3_a_body_without_a_length_is_bounded_as_it_comes(app_url):
    def pieces():
        for _ in range(40):
            yield b" " * 1024

    with httpx.Client(base_url=app_url) as stranger:
        answer = stranger.post("/api/session/sign-in", content=pieces(), headers={"Content-Type": "application/json"})
    assert (answer.status_code, answer.json()["error"]["message"]) == (413, "At most 8 kB are accepted here.")


@pytest.mark.parametrize("name", FLOODS)
def test_h3_the_flood_of_somebody_signed_in_is_refused_by_its_shape(client, name):
    answer = client.post("/api/acts", content=FLOODS[name], headers={"Content-Type": "application/json"})
    assert answer.status_code in (413, 422)
    assert answer.json()["error"]["code"] in ("too_large", "json_invalid", "input_invalid")


def test_h3_bounds_let_everything_through_that_is_used():
    batch = {"sent": {}, "events": [{"id": str(n), "readings": {"primary_psi": 1.5}} for n in range(500)]}
    assert json_requests.parsed_json(json.dumps(batch).encode()) == batch


ODD = (None, {}, [], [["a"]], {"a": {"b": []}}, 1, True, 10**400, "\ud800", "x" * 5000)


@pytest.mark.parametrize("field", ["type", "event", "target", "by", "stage", "readings", "why"])
def test_an_odd_value_in_any_field_of_a_mark_loses_none_of_the_others(client, field):
    """A withdrawal of an object or a list was a 500 and lost its batch."""
    device = Device(client)
    device.begin().raise_for_status()
    events = []
    for value in ODD:
        event = device.marked("withdrawn", event="nothing", why="a slip")
        event[field] = value
        events.append(event)
    good = device.marked("note", text="kept")
    body = json.dumps({"sent": device.moment(), "events": [*events, good]})
    answer = client.post(
        f"/api/runs/{device.run_id}/events", content=body, headers={"Content-Type": "application/json"}
    )
    assert answer.status_code == 200, answer.text
    assert good["id"] in {one["id"] for one in answer.json()["accepted"]}


@pytest.mark.parametrize("frame", [b"\x00\x01", '{"\\ud800": 1}', "[" * 5000, "null", '{"t_s": ' + "9" * 5000 + "}"])
def test_a_feed_of_nonsense_is_answered_or_closed_and_never_an_error(app_url, client, frame):
    token = client.post(f"/api/units/{UNIT_ID['MV-12']}/feed-token").json()["token"]
    url = app_url.replace("http", "ws") + "/api/feed"
    with connect(url, additional_headers={"Authorization": f"Bearer {token}"}, open_timeout=HANG_S) as sender:
        sender.send(frame)
        try:
            answer = json.loads(sender.recv(timeout=HANG_S))
        except ConnectionClosed as closed:
            answer = {"error": closed.rcvd.code} if closed.rcvd else {}
    assert answer.get("error") not in (None, 1011)
    assert client.get("/api/health").status_code == 200


def test_records_and_files_of_nonsense_are_refused_in_a_sentence(client):
    files = {
        "feed.jsonl": b'{"t_s": 0, "primary_psi": ' + b"[" * 3000 + b"]" * 3000 + b"}\n",
        "big.jsonl": b'{"t_s": 0, "primary_psi": ' + b"9" * 5000 + b"}\n" * 5,
        "years.csv": b"time,primary_psi\n0001-01-01T00:00:00+14:00,1\n9999-12-31T23:59:59-14:00,2\n2026-01-01,3\n4,4\n",
        "clock.csv": b"time,primary_psi\n" + b":".join([b"1"] * 400) + b",1\n" + b"1:2:3,4\n" * 4,
    }
    for name, data in files.items():
        answer = client.post(f"/api/traces?name={name}", content=data)
        assert answer.status_code == 422, (name, answer.text)
        assert answer.json()["error"]["message"].count("\n") == 0
    toml = {"text": "format = 1\nid = " + "9" * 5000}
    answer = client.put("/api/lessons/own", json=toml)
    assert answer.status_code in (404, 405, 422)


def batch(client):
    return client.post("/api/trace-batches", json={"kind": "tractor"})


def test_m5_one_person_fills_no_queue_and_stops_nobody_elses(app_url, client):
    with httpx.Client(base_url=app_url, timeout=HANG_S) as other:
        driver = sign_in(other, "Ines Aldous")
        mine = batch(client).raise_for_status().json()
        begun = [batch(driver) for _ in range(4)]
        assert [one.status_code for one in begun] == [201, 201, 422, 422]
        assert "You already have 2" in begun[-1].json()["error"]["message"]
        for path in ("start", "stop"):
            assert driver.post(f"/api/trace-batches/{mine['id']}/{path}").status_code == 403
        assert driver.put(f"/api/trace-batches/{mine['id']}/files?name=a.csv", content=b"x").status_code == 403
        # begun and stopped 55 times: what others have finished is still there
        assert client.post(f"/api/trace-batches/{mine['id']}/stop").raise_for_status().json()["state"] == "cancelled"
        for one in begun[:2]:
            driver.post(f"/api/trace-batches/{one.json()['id']}/stop").raise_for_status()
        for _ in range(25):
            again = batch(driver).raise_for_status().json()
            driver.post(f"/api/trace-batches/{again['id']}/stop").raise_for_status()
        assert mine["id"] in [one["id"] for one in client.get("/api/trace-batches").json()]


def long_run(client, marks=900):
    device = Device(client)
    device.begin(procedure="static-only").raise_for_status()
    for _ in range(0, marks, 450):
        device.send(*(device.wait(1).marked("note", text="x" * 50) for _ in range(450))).raise_for_status()
    return device


def test_h4_open_runs_are_judged_once_for_all_who_ask_meanwhile(store, client, monkeypatch):
    """A dozen requests for the log each judged every open run, and its marks waited for all of them."""
    device = Device(client)
    device.begin("MV-22").raise_for_status()
    device.send(device.marked("note", text="x")).raise_for_status()
    begun, go_on, judged = threading.Event(), threading.Event(), []
    clock, looked = itertools.count(1), []

    def slowly(_store, run_id):
        judged.append(run_id)
        begun.set()
        assert go_on.wait(HANG_S)

    def now():
        looked.append(next(clock))
        return looked[-1]

    monkeypatch.setattr(log, "judge_one", slowly)
    monkeypatch.setattr(log, "monotonic", now)
    log._JUDGED_FROM.pop(store, None)  # by the real clock
    with concurrent.futures.ThreadPoolExecutor(8) as pool:
        first = pool.submit(log.judge_open_runs, store)
        assert begun.wait(HANG_S)
        rest = [pool.submit(log.judge_open_runs, store) for _ in range(6)]
        while len(looked) < 2 + len(rest):  # the first has begun, and all the others have asked
            assert not first.done()
        go_on.set()
        for one in (first, *rest):
            one.result()
    # once for the first, and once for all that came while it was at it
    assert judged.count(device.run_id) == 2


def test_h4_a_long_run_is_judged_beside_the_process_of_the_marks(client):
    device = long_run(client)
    device.send(*device.leak_test(100, 90)).raise_for_status()
    report = client.get(f"/api/runs/{device.run_id}/report").raise_for_status().json()
    assert {one["stage"]: one["outcome"] for one in report["verdict"]["stages"]}["leak_applied"] == "fail"
    assert len(client.get(f"/api/runs/{device.run_id}/rule-sets").raise_for_status().json()) >= 4
    stands = {one["name"]: one["status"] for one in client.get("/api/status").json()}
    assert stands["MV-12"] == "on_hold"
    assert client.get("/api/runs/00000000-0000-4000-8000-000000000000/report").status_code == 404
    paper = client.get(f"/api/runs/{device.run_id}/report.pdf", timeout=60)
    assert (paper.status_code, paper.content[:4]) == (200, b"%PDF")


def test_m4_own_failures_stop_a_device_before_everybody_behind_the_same_address(app_url):
    """Wrong tries are counted by person and device first: an address is shared by a whole yard."""
    with httpx.Client(base_url=app_url, timeout=HANG_S) as bad, httpx.Client(base_url=app_url, timeout=HANG_S) as good:
        codes = [
            bad.post("/api/session/sign-in", json={"name": f"Nobody {n}", "password": "wrong password"}).status_code
            for n in range(42)
        ]
        assert 429 in codes
        assert good.post("/api/session/demo", json={"person_id": demo_id("Ines Aldous")}).status_code == 200

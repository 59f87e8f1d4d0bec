"""The trace desk over HTTP: a file is read once, judged, judged again where somebody moved a stage, and refused."""

from __future__ import annotations

import datetime as dt
import io
import time
import uuid
import zipfile

import httpx
import pytest

from lowhiss.core.record import read_run
from lowhiss.demo.scenario import demo_id
from lowhiss.engine.executor import executor
from lowhiss.engine.judge_record import judge_record
from lowhiss.engine.simulation import frame_of
from lowhiss.exchange.recordings.writer import write_candump
from lowhiss.exchange.traces import write_trace
from lowhiss.service.errors import NotFoundError
from lowhiss.service.exports import export_jobs
from lowhiss.service.jobs import claim
from lowhiss.service.people.signin import Person
from lowhiss.service.runs import log, run_feeds
from lowhiss.service.spool import Spool
from lowhiss.service.traces import recording_batches as batches
from lowhiss.service.traces.editor import JudgeRequest
from tests.conftest import sign_in
from tests.devices import Device
from tests.plugin import HANG_S
from tests.trace.recorded import driven

ODILE = Person(demo_id("Odile Ferrow"), "Odile Ferrow", "manager", "en", "psi", True)


@pytest.fixture(scope="module")
def one():
    return driven("tractor_semitrailer", "leak-check", "coupling_leak:mild")


@pytest.fixture(scope="module")
def text(one):
    file = io.StringIO()
    write_trace(file, one.samples, one.spec.unit.needles, trailer=True)
    return file.getvalue().encode()


def sent(client, name, data, **columns):
    headers = {"content-type": "application/octet-stream"}
    return client.post("/api/traces", params={"name": name, **columns}, content=data, headers=headers)


def judged(client, recording, **asked):
    return client.post(f"/api/traces/{recording}/judge", json={"procedure": "leak-check", **asked})


def test_a_file_is_read_once_and_judged_as_it_is_moved(client, text):
    kept = sent(client, "drive.csv", text).raise_for_status().json()
    assert (kept["format"], kept["columns"]["primary"]) == ("csv", "primary_psi")
    assert sent(client, "again.csv", text).json()["id"] == kept["id"]
    assert kept["id"] in [row["id"] for row in client.get("/api/traces").json()]
    found = judged(client, kept["id"]).raise_for_status().json()
    (stage,) = found["stages"]
    assert (stage["stage"], stage["moved"], stage["open"], found["verdict"]["overall"]) == (
        "leak_applied", False, True, "incomplete",
    )  # fmt: skip
    placed = [{"place": 0, "from_s": stage["from_s"], "to_s": stage["to_s"]}]
    assert judged(client, kept["id"], moved=placed).json()["verdict"]["overall"] == "pass"
    assert {one["needle"] for one in found["needles"]} == {"primary", "secondary"}
    assert max(len(one["at_s"]) for one in found["needles"]) <= 1300
    # moved into the fall of the pedal the loss is another, and so is the verdict
    from_s = stage["from_s"] - 40
    moved = [{"place": 0, "from_s": from_s, "to_s": from_s + 60}]
    again = judged(client, kept["id"], moved=moved).raise_for_status().json()
    assert again["stages"][0]["moved"]
    assert again["stages"][0]["from_s"] == pytest.approx(from_s, abs=0.2)
    assert again["stages"][0]["measured"]["drop_psi"]["value"] > stage["measured"]["drop_psi"]["value"] + 3
    assert again["verdict"]["overall"] == "fail"
    assert judged(client, kept["id"]).json()["stages"] == found["stages"]


def test_a_column_and_a_unit_may_be_named_over_the_guess(client):
    data = b"t_s,A,B\n" + b"".join(b"%d,%d,%d\n" % (n, 800 + n, 810 + n) for n in range(60))
    assert "no column has pressures" in sent(client, "odd.csv", data).json()["error"]["message"]
    assert "probably in kPa" in sent(client, "odd.csv", data, primary="B").json()["error"]["message"]
    kept = sent(client, "odd.csv", data, primary="B", unit="kpa").raise_for_status().json()
    assert (kept["columns"], kept["names"]) == ({"time": "t_s", "primary": "B"}, ["t_s", "A", "B"])
    (needle,) = judged(client, kept["id"]).json()["needles"]
    assert needle["psi"][0] == pytest.approx(810 / 6.894757, abs=0.1)


def test_the_network_s_log_is_read_and_says_its_steps(client, one):
    file = io.StringIO()
    write_candump(file, one.samples)
    kept = sent(client, "drive.log", file.getvalue().encode()).raise_for_status().json()
    assert kept["columns"]["sender"] == "0x0b"
    assert judged(client, kept["id"]).json()["step_psi"] == pytest.approx(1.16, abs=0.01)


def test_what_cannot_be_is_refused_by_its_field(client, stranger, text):
    kept = sent(client, "drive.csv", text).json()["id"]
    refused = [
        (sent(client, "milk.csv", b"farm,litres\nA,1\nB,2\nC,3\n"), 422, "t_s"),
        (sent(client, "empty.csv", b" "), 422, "file"),
        (sent(client, "drive.csv", text, primary="nobody"), 422, "nobody"),
        (sent(client, "drive.csv", text, unit="feet"), 422, "unit"),
        (judged(client, "0" * 64), 404, "recording"),
        (judged(client, kept, kind="barge"), 422, "barge"),
        (judged(client, kept, rules="none"), 422, "none"),
        (judged(client, kept, session=9), 422, "session"),
        (judged(client, kept, moved=[{"place": 7, "from_s": 0, "to_s": 9}]), 422, "stage 7"),
        (judged(client, kept, moved=[{"place": 0, "from_s": 9, "to_s": 1}]), 422, "moved"),
        (judged(client, kept, moved=[{"place": 0, "from_s": -5, "to_s": 99999}]), 422, "moved"),
    ]
    for answer, status, says in refused:
        assert answer.status_code == status, answer.text
        assert says in answer.json()["error"]["message"]
    assert sent(stranger, "drive.csv", text).status_code == 401
    assert sent(client, "large.csv", b"0" * (25 * 1024 * 1024)).status_code == 413


def new_unit(client) -> str:
    body = {"name": f"R-{uuid.uuid4().hex[:6]}", "kind": "tractor"}
    return client.post("/api/units", json=body).raise_for_status().json()["id"]


WHEN = "2026-10-20T05:00:00Z"


def attached(client, recording, unit, counts=False, **more):
    judged_as = {"unit_id": unit, "rules": "us-cdl", "procedure": "leak-check"}
    body = {"judged": {**judged_as, **more.pop("judged", {})}, "driver": "Tove Lind", "began_at": WHEN, **more}
    return client.post(f"/api/traces/{recording}/{'count' if counts else 'attach'}", json=body)


def test_a_session_becomes_a_run_that_says_what_it_was_found_in(client, text):
    kept = sent(client, "fleet.csv", text + b"\n").json()["id"]
    unit = new_unit(client)
    seen = judged(client, kept, unit_id=unit, rules="us-cdl").json()
    assert [one["state"] for one in seen["sessions"]] == ["open"]
    stage = seen["stages"][0]
    moved = [{"place": 0, "from_s": stage["from_s"] + 1, "to_s": stage["to_s"]}]
    run_id = attached(client, kept, unit, judged={"moved": moved}).raise_for_status().json()["run_id"]
    report = client.get(f"/api/runs/{run_id}/report").json()
    told = report["run"]["recording"]
    assert (told["file"], told["sha256"], told["moved"]) == ("fleet.csv", kept, ["leak_applied"])
    assert (report["run"]["purpose"], report["run"]["driver"]) == ("dispatch", "Tove Lind")
    assert report["verdict"]["candidate"] == {"critical": [], "minor": []}
    # the record says it too, with its ends, and judged alone comes to the same
    record = client.get(f"/api/runs/{run_id}/record").json()
    assert record["recording"]["columns"]["primary"] == "primary_psi"
    assert any(event.get("between") for event in record["events"])
    again = judge_record(read_run(record))
    assert [(one.stage, one.outcome, one.between) for one in again.stages] == [
        (one["stage"], one["outcome"], {name: tuple(ends) for name, ends in one["between"].items()})
        for one in report["verdict"]["stages"]
    ]
    assert again.stages[0].between["drop_psi"][0] < again.stages[0].between["drop_psi"][1]
    # it is one run, once
    assert [one["state"] for one in judged(client, kept).json()["sessions"]] == ["run"]
    assert attached(client, kept, unit).json()["error"]["code"] == "recording_used"
    assert client.put(f"/api/traces/{kept}/sessions/1/no-test").status_code == 409
    assert client.delete(f"/api/traces/{kept}/sessions/1/no-test").status_code == 409
    (listed,) = [row for row in client.get("/api/traces").json() if row["id"] == kept]
    assert (listed["sessions"], listed["settled"]) == (1, 1)


def test_whether_it_counts_for_its_unit_a_manager_says(client, app_url, text):
    kept = sent(client, "counts.csv", text + b"\n\n").json()["id"]
    unit = new_unit(client)
    with httpx.Client(base_url=app_url, timeout=HANG_S) as http:
        driver = sign_in(http, "Tove Lind")
        assert attached(driver, kept, unit, counts=True).status_code == 403
    assert attached(client, kept, unit, began_at="2099-01-01T00:00:00Z").json()["error"]["field"] == "began_at"
    fail = {"moved": [{"place": 0, "from_s": 1.0, "to_s": 61.0}]}
    run_id = attached(client, kept, unit, counts=True, judged=fail).raise_for_status().json()["run_id"]
    report = client.get(f"/api/runs/{run_id}/report").json()
    assert report["run"]["purpose"] == "dispatch"
    known = {row["unit_id"]: row for row in client.get("/api/status").json()}
    assert (report["outcome"], known[unit]["stays"], len(known[unit]["holds"])) == ("fail", True, 1)


def test_no_test_is_said_and_taken_back(client, text):
    kept = sent(client, "nothing.csv", text + b"\n\n\n").json()["id"]
    for _ in range(2):
        assert client.put(f"/api/traces/{kept}/sessions/1/no-test").status_code == 204
    assert [one["state"] for one in judged(client, kept).json()["sessions"]] == ["no_test"]
    assert client.put(f"/api/traces/{kept}/sessions/2/no-test").status_code == 422
    for _ in range(2):
        assert client.delete(f"/api/traces/{kept}/sessions/1/no-test").status_code == 204
    assert [one["state"] for one in judged(client, kept).json()["sessions"]] == ["open"]


def zipped(**files: bytes) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as file:
        for name, data in files.items():
            file.writestr(name, data)
    return out.getvalue()


def put(client, batch, name, data):
    headers = {"content-type": "application/octet-stream"}
    return client.put(f"/api/trace-batches/{batch}/files", params={"name": name}, content=data, headers=headers)


def waited(client, batch):
    for _ in range(600):
        told = client.get(f"/api/trace-batches/{batch}").json()
        if told["state"] not in ("gathering", "waiting", "running"):
            return told
        time.sleep(0.1)
    raise AssertionError(told)


def test_many_files_are_read_one_by_one_and_those_that_are_none_are_named(client, one, text):
    log = io.StringIO()
    write_candump(log, one.samples)
    described = b"""BO_ 291 Brakes: 8 Vehicle
 SG_ primary_bar : 0|16@1+ (0.01,0) [0|20] "bar" Vector__XXX
"""
    own = b"".join(
        b"(%017.6f) can0 123#%s000000000000\n" % (n, (700 + n % 3).to_bytes(2, "little").hex().encode())
        for n in range(40)
    )
    batch = client.post("/api/trace-batches", json={"procedure": "leak-check"}).raise_for_status().json()["id"]
    packed = zipped(**{"day/a.csv": text, "day/milk.csv": b"farm,litres\nA,1\nB,2\nC,3\n", ".hidden": b"x"})
    assert client.post(f"/api/trace-batches/{batch}/start").json()["error"]["code"] == "no_files"
    assert put(client, batch, "day.zip", packed).status_code == 204
    assert put(client, batch, "own.log", own).status_code == 204
    assert put(client, batch, "van.dbc", described).status_code == 204
    started = client.post(f"/api/trace-batches/{batch}/start").raise_for_status().json()
    assert started["total"] == 3
    assert put(client, batch, "late.csv", text).json()["error"]["code"] == "job_begun"
    told = waited(client, batch)
    assert (told["state"], told["done"], told["failed"], told["sessions"]) == ("done", 3, 1, 2), client.get(
        f"/api/trace-batches/{batch}/lines"
    ).json()
    lines = {row["name"]: row for row in client.get(f"/api/trace-batches/{batch}/lines").json()}
    assert lines["day.zip/day/a.csv"]["sessions"][0]["overall"] == "incomplete"
    assert "no time column found among farm, litres" in lines["day.zip/day/milk.csv"]["error"]
    assert lines["own.log"]["columns"]["primary"] == "primary_bar of 0x00"
    # each is a recording like any other
    assert judged(client, lines["day.zip/day/a.csv"]["id"]).json()["verdict"]["overall"] == "incomplete"
    assert client.get("/api/trace-batches").json()[0]["id"] == batch


def test_files_are_read_where_they_lie_and_no_process_takes_a_job_whose_files_it_does_not_see(store, text, tmp_path):
    here, elsewhere = Spool(tmp_path / "here"), Spool(tmp_path / "elsewhere")
    assert here.place != elsewhere.place
    assert Spool(tmp_path / "here").place == here.place
    batch = batches.begin(store, here, ODILE, JudgeRequest("tractor_semitrailer", None, "leak-check", 1, {}))
    taking = batches.Taking(store, here, batch.id, "a.csv", ODILE)
    taking.take(text)
    taking.done()
    batches.start(store, here, batch.id, ODILE)
    export = export_jobs.begin(store, here, ODILE, "csv", log.Wanted(outcome="fail"))
    kinds = (batches.KIND, export_jobs.KIND)
    now = dt.datetime.now(dt.UTC)
    assert claim(store, kinds, "other", now, elsewhere.place) is None
    with executor(width=1) as work:
        assert claim(store, kinds, "mine", now, here.place) == (batches.KIND, batch.id)
        batches.work_on(here, store, batch.id, "mine", work)
        assert claim(store, kinds, "mine", now, here.place) == (export_jobs.KIND, export.id)
        export_jobs.work_on(here, store, export.id, "mine", work)
    told = batches.batch(store, here, batch.id)
    assert (told.state, told.done, told.failed) == ("done", 1, 0)
    assert export_jobs.file_of(store, here, export.id)[0].stat().st_size > 100
    with pytest.raises(NotFoundError):
        export_jobs.file_of(store, elsewhere, export.id)


def test_a_batch_that_is_stopped_ends_and_leaves_no_file(client, app_spool, text):
    batch = client.post("/api/trace-batches", json={}).json()["id"]
    assert put(client, batch, "a.csv", text).status_code == 204
    assert len(list((app_spool / batch).iterdir())) == 1
    assert client.post(f"/api/trace-batches/{batch}/stop").json()["state"] == "cancelled"
    assert not (app_spool / batch).exists()
    assert client.post(f"/api/trace-batches/{batch}/start").status_code == 422
    assert client.get(f"/api/trace-batches/{uuid.uuid4()}").status_code == 404


def test_a_test_s_own_feed_is_laid_under_its_marks(client, store, one):
    unit, device = new_unit(client), Device(client)
    run_id = device.begin(unit_id=unit).raise_for_status().json()["id"]
    frames = [frame_of(n, sample, one.spec) for n, sample in enumerate(one.samples)]
    assert run_feeds.save_frames(store, unit, dt.datetime.now(dt.UTC), frames)
    for point in ("start", "end"):
        device.wait(40)
        mark = {"stage": "leak_applied", "point": point, "primary_psi": 100, "secondary_psi": 100}
        device.send(device.marked("reading", **mark)).raise_for_status()
    other = Device(client)
    plain = other.begin(unit_id=unit).json()["id"]
    kept = client.post(f"/api/traces/of-run/{run_id}").raise_for_status().json()
    assert kept["run_id"] == run_id
    assert client.post(f"/api/traces/of-run/{run_id}").json()["id"] == kept["id"]
    found = client.post(f"/api/traces/{kept['id']}/judge", json={}).raise_for_status().json()
    beside = client.get(f"/api/runs/{run_id}/feed-comparison").json()
    assert found["marks"] == beside
    assert [mark["typed_psi"] for mark in beside] == [[100, 100], [100, 100]]
    assert client.post(f"/api/traces/of-run/{plain}").status_code == 422

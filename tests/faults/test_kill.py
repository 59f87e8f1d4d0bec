"""Every acknowledged mark survives: servers and databases are really killed in the middle of a run."""

from __future__ import annotations

import contextlib
import io
import random
import threading
import uuid
import zipfile
from pathlib import Path

import httpx
import pytest

from lowhiss.cli import main
from lowhiss.demo.scenario import UNITS, demo_id
from lowhiss.exchange.traces import write_trace
from tests.conftest import copied, sign_in
from tests.devices import Device
from tests.faults.processes import LowHiss, free_port, is_running
from tests.plugin import HANG_S
from tests.trace.recorded import driven


class PatientDevice(Device):
    """A device that resends until it is acknowledged, as the app does."""

    def send_until_kept(self, *events) -> None:
        """Send; on no answer or a 5xx send the very same again."""
        self.until_kept(lambda: self.send(*events))

    def until_kept(self, send) -> None:
        """The same of whatever is sent."""
        for _ in range(400):
            try:
                answer = send()
            except httpx.TransportError:
                PAUSE.wait(0.05)
                continue
            if answer.status_code >= 500:
                assert answer.json()["error"]["code"] == "database_away", answer.text
                PAUSE.wait(0.05)
                continue
            received = answer.raise_for_status().json()
            assert received["set_aside"] == []
            return
        raise AssertionError("never acknowledged")


PAUSE = threading.Event()  # waited on only to let a killed process come back between two attempts


@pytest.fixture(scope="module")
def killable(tmp_path_factory, demo_database):
    data = tmp_path_factory.mktemp("killed") / "var"
    copied(demo_database, data / "database")
    app = LowHiss(data, free_port(), "--demo")
    holder = [app]
    yield holder
    holder[0].interrupt()


def seeds(few: int, many: int) -> list[object]:
    """So few in every run, and the rest where there is time; each has two kills, at other moments."""
    return [pytest.param(seed, marks=pytest.mark.long if seed >= few else ()) for seed in range(many)]


@pytest.mark.parametrize("seed", seeds(2, 50))
def test_a_killed_database_or_server_costs_no_acknowledged_mark(killable, seed):
    rng = random.Random(seed)
    with httpx.Client(base_url=killable[0].url, timeout=HANG_S) as client:
        sign_in(client)
        device = PatientDevice(client)
        device.begin().raise_for_status()
        events = device.leak_test(100, 97)
        marked_at = set(rng.sample(range(len(events)), 2))
        for number, event in enumerate(events):
            # the kill falls before, into or after the sending, as it comes
            blow = threading.Timer(rng.uniform(0, 0.03), kill_something, (killable, rng))
            if number in marked_at:
                blow.start()
            device.send_until_kept(event)
            if number in marked_at:
                blow.join()
        # the whole run resent, as a device does that never saw the last answer
        device.send_until_kept(*events)
        kept = client.get(f"/api/runs/{device.run_id}/events").raise_for_status().json()
        assert [event["id"] for event in kept] == [event["id"] for event in events]
        assert [event["seq"] for event in kept] == list(range(1, len(events) + 1))
        assert {event["by"] for event in kept} == {"Odile Ferrow"}  # who was signed in, whatever name was sent
        stage = device.report()["verdict"]["stages"][0]
        assert (stage["outcome"], stage["measured"]["drop_psi"], stage["measured"]["duration_s"]) == ("pass", 3, 60)


@pytest.mark.parametrize("seed", seeds(1, 8))
def test_a_killed_database_or_server_costs_no_mark_of_an_inspection_and_no_defect_twice(killable, seed):
    rng = random.Random(100 + seed)
    with httpx.Client(base_url=killable[0].url, timeout=HANG_S) as client:
        sign_in(client)
        device = PatientDevice(client)
        unit = client.post("/api/units", json={"name": f"K-{seed}", "kind": "straight_truck"}).raise_for_status().json()
        inspection_id = str(uuid.uuid4())
        body = {"id": inspection_id, "unit_id": unit["id"], "way": "in-cab", "begun": device.moment()}
        device.until_kept(lambda: _begun(client.post("/api/inspections", json={**body, "sent": device.moment()})))
        answers = [
            ("floor@P", "right", {}),
            ("washer@P", "not_right", {"wrong": ["works"]}),
            ("overhead@P", "right", {}),
        ]
        marks = [device.wait(4).marked("answer", asks=[ask], answer=answer, **more) for ask, answer, more in answers]

        def send(*some):
            return client.post(
                f"/api/inspections/{inspection_id}/marks", json={"sent": device.moment(), "events": list(some)}
            )

        for mark in marks:
            blow = threading.Timer(rng.uniform(0, 0.05), kill_something, (killable, rng))
            blow.start()
            device.until_kept(lambda mark=mark: send(mark))
            blow.join()
        device.until_kept(lambda: send(*marks))
        kept = client.get(f"/api/inspections/{inspection_id}/marks").raise_for_status().json()
        assert [mark["id"] for mark in kept] == [mark["id"] for mark in marks]
        standing = client.get(f"/api/units/{unit['id']}").raise_for_status().json()["status"]
        assert (standing["status"], len(standing["defects"])) == ("unfit", 1)


@pytest.mark.parametrize("seed", seeds(1, 8))
def test_a_killed_server_goes_on_with_a_long_question_and_leaves_no_process_behind(killable, seed):
    rng = random.Random(200 + seed)
    with httpx.Client(base_url=killable[0].url, timeout=HANG_S) as client:
        sign_in(client)
        asked = {"rules": "us-older", "search": "MV-"}
        whole = answered(client, client.post("/api/what-if", json=asked).raise_for_status().json()["id"])
        job_id = client.post("/api/what-if", json=asked).raise_for_status().json()["id"]
        app = killable[0]
        while not (at_work := children_of(app.process.pid)):
            PAUSE.wait(0.02)
        PAUSE.wait(rng.uniform(0, 0.8))  # anywhere between the start of the processes and the last part
        at_work |= children_of(app.process.pid)
        app.kill()
        killable[0] = LowHiss(app.data, app.port, "--demo")
        again = answered(client, job_id)
        for same in ("state", "total", "done", "judged", "changed", "lines", "ways", "units"):
            assert again[same] == whole[same], same
        assert len(client.get(f"/api/what-if/{job_id}/lines").json()) == whole["lines"]
        assert not any(is_running(pid) for pid in at_work)


def answered(client, job_id):
    """The answer to a long question, once it is there."""
    for _ in range(1200):
        told = client.get(f"/api/what-if/{job_id}").raise_for_status().json()
        if told["state"] not in ("waiting", "running"):
            return told
        PAUSE.wait(0.05)
    raise AssertionError("never answered")


def children_of(pid):
    """The Python processes that this one began: those that work, not the database."""
    found = set()
    for line in Path("/proc").glob("[0-9]*/stat"):
        with contextlib.suppress(OSError):
            parent = int(line.read_text().rsplit(")", 1)[1].split()[1])
            if parent == pid and b"spawn_main" in (line.parent / "cmdline").read_bytes():
                found.add(int(line.parent.name))
    return found


def _begun(answer: httpx.Response) -> httpx.Response:
    """An inspection that was begun, as a batch that was taken."""
    if answer.status_code < 300:
        return httpx.Response(200, json={"set_aside": []}, request=answer.request)
    return answer


def kill_something(holder, rng) -> None:
    """The database, the application, or both at once."""
    app = holder[0]
    victim = rng.choice(["database", "server", "both"])
    if victim in ("database", "both"):
        app.kill_database()
    if victim in ("server", "both"):
        app.kill()
        holder[0] = LowHiss(app.data, app.port, "--demo")


def test_while_the_database_is_away_the_answer_says_wait(killable):
    app = killable[0]
    with httpx.Client(base_url=app.url, timeout=HANG_S) as client:
        sign_in(client)
        before = app.database_pid
        app.kill_database()
        for _ in range(400):
            answer = client.get("/api/units")
            assert answer.status_code in (200, 503), answer.text
            if answer.status_code == 503:
                assert answer.headers["retry-after"] == "1"
            elif app.database_pid != before:
                break
            PAUSE.wait(0.02)
        assert answer.status_code == 200
        assert app.hear("was restarted")


@pytest.mark.parametrize("seed", seeds(2, 16))
def test_a_killed_database_or_server_costs_nothing_that_was_done_about_a_vehicle(killable, seed):
    """Holds placed and defects reported, resent until acknowledged: each there once, and the fold of all of them."""
    rng = random.Random(1000 + seed)
    with httpx.Client(base_url=killable[0].url, timeout=HANG_S) as client:
        sign_in(client)
        name = f"K-{seed}-{rng.randrange(10**6)}"
        unit = client.post("/api/units", json={"name": name, "kind": "straight_truck"}).raise_for_status().json()["id"]
        device = Device(client)
        acts = [device.wait(1).act("hold_placed", unit, reason=f"noise {n}") for n in range(4)]
        acts += [device.wait(1).act("defect_seen", unit, what=f"rattle {n}", consequence="note") for n in range(4)]
        for number, act in enumerate(acts):
            blow = threading.Timer(rng.uniform(0, 0.03), kill_something, (killable, rng))
            if number in (2, 6):
                blow.start()
            until_acknowledged(device, act)
            if number in (2, 6):
                blow.join()
        until_acknowledged(device, *acts)
        page = client.get(f"/api/units/{unit}").raise_for_status().json()
        assert sorted(hold["text"] for hold in page["status"]["holds"]) == [f"noise {n}" for n in range(4)]
        assert sorted(one["text"] for one in page["status"]["defects"]) == [f"rattle {n}" for n in range(4)]
        assert len([entry for entry in page["course"]["entries"] if entry["kind"] == "act"]) == len(acts)


def until_acknowledged(device, *acts) -> None:
    """Send acts; on no answer or a 5xx send the very same again."""
    for _ in range(400):
        try:
            answer = device.send_acts(*acts)
        except httpx.TransportError:
            PAUSE.wait(0.05)
            continue
        if answer.status_code >= 500:
            assert answer.json()["error"]["code"] == "database_away", answer.text
            PAUSE.wait(0.05)
            continue
        assert answer.raise_for_status().json() == {"accepted": [act["id"] for act in acts], "set_aside": []}
        return
    raise AssertionError("never acknowledged")


def test_a_kill_into_a_seal_leaves_one_signature_and_an_unbroken_chain(killable, capsys):
    """Each signature resent until it is acknowledged, as a device does; the chain is then held against every row."""
    rng = random.Random(4000)
    with httpx.Client(base_url=killable[0].url, timeout=HANG_S) as client:
        sign_in(client)
        signed = {}
        for _ in range(3):
            device = PatientDevice(client)
            device.until_kept(lambda device=device: _begun(device.begin(driver="Odile Ferrow")))
            device.send_until_kept(*device.leak_test(100, 97), device.marked("finished"))
            body = {"id": str(uuid.uuid4()), "person_id": demo_id("Odile Ferrow"), "how": "demo", "secret": ""}
            body["signed_at"] = device.moment()["wall"]
            # a seal takes some tens of milliseconds: the blow falls before, into or after it
            blow = threading.Timer(rng.uniform(0, 0.08), kill_something, (killable, rng))
            blow.start()
            path = f"/api/runs/{device.run_id}/sign"
            device.until_kept(lambda path=path, body=body: _begun(client.post(path, json=body)))
            blow.join()
            signed[device.run_id] = body["id"]
        for run_id in signed:
            told = client.get(f"/api/runs/{run_id}/seals").raise_for_status().json()
            assert ([one["name"] for one in told["signed"]], len(told["seals"])) == (["Odile Ferrow"], 1)
            assert told["problems"] == []
    assert main(["verify", "--all", "--data", str(killable[0].data)]) == 0, capsys.readouterr().out
    assert "no changes" in capsys.readouterr().out


def test_recordings_that_a_kill_interrupted_are_read_on_where_it_stood(killable):
    one = driven("tractor_semitrailer", "leak-check", "coupling_leak:mild")
    text = io.StringIO()
    write_trace(text, one.samples, one.spec.unit.needles, trailer=True)
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as file:
        for number in range(8):
            # each another drive, or it is the same recording
            file.writestr(f"{number}.csv", text.getvalue().replace("\n", f"\n# {number}\n", 1).encode())
    with httpx.Client(base_url=killable[0].url, timeout=HANG_S) as client:
        sign_in(client)
        batch = client.post("/api/trace-batches", json={"procedure": "leak-check"}).raise_for_status().json()["id"]
        path = f"/api/trace-batches/{batch}"
        headers = {"content-type": "application/octet-stream"}
        client.put(f"{path}/files", params={"name": "day.zip"}, content=packed.getvalue(), headers=headers)
        client.post(f"{path}/start").raise_for_status()
        while client.get(path).json()["done"] < 2:
            PAUSE.wait(0.02)
        app = killable[0]
        app.kill()
        killable[0] = LowHiss(app.data, app.port, "--demo")
        for _ in range(1200):
            told = client.get(path).raise_for_status().json()
            if told["state"] not in ("waiting", "running"):
                break
            PAUSE.wait(0.05)
        assert (told["state"], told["done"], told["failed"]) == ("done", 8, 0)
        lines = client.get(f"{path}/lines").json()
        assert [line["name"] for line in lines] == [f"day.zip/{number}.csv" for number in range(8)]
        assert not (app.data / "waiting" / batch).exists()


def test_how_the_fleet_stands_and_when_it_is_due_on_the_command_line(killable, tmp_path, capsys):
    data = str(killable[0].data)
    assert main(["status", "--data", data]) == 1  # one of the demo must stay
    told = capsys.readouterr().out.splitlines()
    assert any(
        line.startswith("MV-21        Do not drive: on hold. Spring brakes, pop-out failed: read 12 psi")
        for line in told
    )
    assert any(line.startswith("MV-22") and line.endswith("May be driven") for line in told)
    assert main(["status", "--csv", "--lang", "es", "--data", data]) == 1
    assert "No circular: en retención" in capsys.readouterr().out
    assert main(["due", "--data", data]) == 0
    due = [line.split()[0] for line in capsys.readouterr().out.splitlines()]
    assert len([day for day in due if day != "–"]) == len(UNITS)
    calendar = tmp_path / "due.ics"
    assert main(["due", "--ics", str(calendar), "--data", data]) == 0
    # each unit, and the papers that somebody entered
    assert calendar.read_bytes().count(b"BEGIN:VEVENT") == len(UNITS) + 6
    assert main(["due", "--ics", str(tmp_path / "no" / "where.ics"), "--data", data]) == 1
    assert "can't be written" in capsys.readouterr().err
    assert main(["status", "--data", str(tmp_path / "nothing")]) == 1
    assert "There is no Low Hiss data" in capsys.readouterr().err

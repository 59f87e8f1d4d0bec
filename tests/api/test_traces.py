"""The trace desk over HTTP: a file is read once, judged, judged again where somebody moved a stage, and refused."""

from __future__ import annotations

import io

import pytest

from lowhiss.exchange.recordings.writing import write_candump
from lowhiss.exchange.traces import write_trace
from tests.trace.recorded import driven


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
    assert (stage["stage"], stage["moved"], found["verdict"]["overall"]) == ("leak_applied", False, "pass")
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

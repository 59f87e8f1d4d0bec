"""Signing over HTTP: who may, by what they show, once; and files that somebody checks with a programme of their own."""

from __future__ import annotations

import datetime as dt
import json
import subprocess
import sys
import uuid
from pathlib import Path

import httpx
import jsonschema
import pytest

from lowhiss.cli import main
from lowhiss.demo.scenario import demo_id
from lowhiss.store.run_models import RunRow
from lowhiss.store.seal_models import SealRow
from tests.conftest import ROOT, sign_in
from tests.devices import Device
from tests.plugin import HANG_S

CHECKER = Path(__file__).with_name("independent_checker.py")


@pytest.fixture
def ended(client):
    device = Device(client)
    run_id = device.begin("MV-12").raise_for_status().json()["id"]
    device.send(device.marked("note", text="calm"), device.marked("finished")).raise_for_status()
    return run_id, device


def sign(client, run_id, name="Odile Ferrow", how="demo", secret="", **more):
    body = {"id": str(uuid.uuid4()), "person_id": demo_id(name), "how": how, "secret": secret}
    return client.post(f"/api/runs/{run_id}/sign", json={**body, "signed_at": "2026-11-28T00:00:00Z", **more})


def now(device) -> str:
    return device.moment()["wall"]


def test_who_tested_signs_and_a_trainer_beside_each_once(client, ended):
    run_id, device = ended
    mine = str(uuid.uuid4())
    first = sign(client, run_id, signed_at=now(device), id=mine).raise_for_status().json()
    assert sign(client, run_id, signed_at=now(device), id=mine).json() == first
    second = sign(client, run_id, "Hanne Solberry", signed_at=now(device)).raise_for_status().json()
    assert (first["amends"], second["amends"]) == (None, first["place"])
    told = client.get(f"/api/runs/{run_id}/seals").json()
    assert [(one["name"], one["part"], one["how"]) for one in told["signed"]] == [
        ("Odile Ferrow", "driver", "demo"),
        ("Hanne Solberry", "beside", "demo"),
    ]
    assert (told["problems"], told["later"]) == ([], 0)
    assert client.get(f"/api/runs/{run_id}").json()["sealed"]
    head = client.get("/api/seals/head").json()
    assert head["place"] >= second["place"]
    device.send(device.marked("note", text="seen later")).raise_for_status()
    assert client.get(f"/api/runs/{run_id}/seals").json()["later"] == 1


def test_what_cannot_be_signed_is_refused_in_a_sentence(client, ended, app_url):
    run_id, device = ended
    going_on = Device(client)
    open_run = going_on.begin("MV-15").json()["id"]
    refused = [
        (sign(client, open_run, signed_at=now(device)), 422, "not_ended"),
        (sign(client, run_id), 422, "signed_when"),
        (sign(client, run_id, signed_at="2199-01-01T00:00:00Z"), 422, "signed_when"),
        (sign(client, run_id, "Tove Lind", signed_at=now(device)), 403, "not_yours_to_sign"),
        (sign(client, run_id, how="password", secret="wrong", signed_at=now(device)), 422, "not_confirmed"),
        (sign(client, run_id, how="pin", secret="1234", signed_at=now(device)), 422, "not_confirmed"),
        (sign(client, str(uuid.uuid4()), signed_at=now(device)), 404, "run_unknown"),
        (client.get(f"/api/runs/{run_id}/seal-file"), 422, "not_sealed"),
    ]
    for answer, status, code in refused:
        assert (answer.status_code, answer.json()["error"]["code"]) == (status, code), answer.text
    with httpx.Client(base_url=app_url, timeout=HANG_S) as http:
        assert sign_in(http, "Tove Lind").get("/api/seals").status_code == 403


def test_a_pin_shows_that_it_is_them_and_guessing_ends(client, ended):
    run_id, device = ended
    client.put("/api/session/pin", json={"pin": "2580"}).raise_for_status()
    assert sign(client, run_id, how="pin", secret="2580", signed_at=now(device)).status_code == 201
    tries = [sign(client, run_id, how="pin", secret="9999", signed_at=now(device)).status_code for _ in range(5)]
    assert tries == [422] * 5
    used_up = sign(client, run_id, how="pin", secret="2580", signed_at=now(device))
    assert used_up.status_code == 422, "five wrong ones use a PIN up: the right one is none any more"


def test_a_file_of_seals_is_checked_by_somebody_else_s_programme(client, ended, tmp_path, capsys):
    """The checker was written from docs/seal.md alone; it shares no line with the application."""
    run_id, device = ended
    sign(client, run_id, signed_at=now(device)).raise_for_status()
    whole, one = tmp_path / "chain.json", tmp_path / "one.json"
    whole.write_bytes(client.get("/api/seals").content)
    one.write_bytes(client.get(f"/api/runs/{run_id}/seal-file").content)
    schema = json.loads((ROOT / "docs" / "schemas" / "low-hiss-seals-1.json").read_text())
    key = json.loads(whole.read_bytes())["seals"][0]["key"]
    for path in (whole, one):
        jsonschema.validate(json.loads(path.read_bytes()), schema)
        assert main(["verify", str(path)]) == 0
        assert "hold it against the key id" in capsys.readouterr().out
        assert main(["verify", str(path), "--key", key]) == 0
        assert "no changes" in capsys.readouterr().out
        assert checked(path, key) == (0, "")
        # K4: the file brings its own keys, so that one made up by somebody else is whole in itself
        assert main(["verify", str(path), "--key", "0" * 16]) == 1
        assert "isn't the published one" in capsys.readouterr().out
        assert checked(path, "0" * 16)[0] == 1
    table = json.loads(one.read_bytes())
    table["seals"][0]["document"] = table["seals"][0]["document"].replace("calm", "rude")
    edited = tmp_path / "edited.json"
    edited.write_text(json.dumps(table))
    assert main(["verify", str(edited)]) == 1
    assert "the hashes differ" in capsys.readouterr().out
    assert checked(edited, key)[0] == 1
    chain = json.loads(whole.read_bytes())
    del chain["seals"][-2]
    edited.write_text(json.dumps(chain))
    assert main(["verify", str(edited)]) == 1
    assert "is missing" in capsys.readouterr().out
    assert checked(edited, key)[0] == 1
    for text in ("", "{}", '{"format": "low-hiss-run/1"}', "[" * 5000):
        edited.write_text(text)
        assert main(["verify", str(edited)]) == 64
        assert capsys.readouterr().err.count("\n") == 1
    assert main(["verify"]) == 64
    assert main(["verify", str(tmp_path / "none.json")]) == 64


def checked(path: Path, key: str) -> tuple[int, str]:
    done = subprocess.run([sys.executable, str(CHECKER), str(path), key], capture_output=True, text=True, check=False)
    return done.returncode, done.stderr


def test_whoever_holds_a_paper_checks_its_seal_without_an_account(client, ended, app_url, store):
    run_id, device = ended
    first = sign(client, run_id, signed_at=now(device)).raise_for_status().json()
    with httpx.Client(base_url=app_url, timeout=HANG_S) as stranger:
        told = stranger.get(f"/api/check/{first['sha256']}").raise_for_status().json()
        began = client.get(f"/api/runs/{run_id}").json()["started_at"]
        assert (told["place"], told["unit"], told["outcome"]) == (first["place"], "MV-12", "incomplete")
        assert dt.datetime.fromisoformat(told["began"]) == dt.datetime.fromisoformat(began)
        assert (told["changed"], told["amended_by"]) == (0, None)
        assert "Ines Aldous" not in json.dumps(told)
        second = sign(client, run_id, "Hanne Solberry", signed_at=now(device)).raise_for_status().json()
        told = stranger.get(f"/api/check/{first['sha256']}").json()
        assert (told["changed"], told["amended_by"]) == (0, second["place"])
        with store.transaction() as session:
            session.get_one(RunRow, run_id).driver = "Somebody Else"
        assert stranger.get(f"/api/check/{second['sha256']}").json()["changed"] > 0
        with store.transaction() as session:
            session.get_one(RunRow, run_id).driver = "Ines Aldous"
        answer = stranger.get(f"/api/check/{'0' * 64}")
        assert (answer.status_code, answer.json()["error"]["code"]) == (404, "seal_unknown")
        assert stranger.get("/api/check/short").status_code == 422
        # a seal whose own text was broken is still one of a test, and says nothing that cannot be relied on
        some_day = {"kind": "run", "record": {"started_at": "some day"}, "result": {}}
        no_unit = {"kind": "run", "record": {"started_at": began, "unit": "MV-12"}, "result": {"outcome": "pass"}}
        texts = ["no longer a document", "[]", '{"kind": "run"}', "[" * 50_000]
        for text in (*texts, json.dumps(some_day), json.dumps(no_unit)):
            with store.transaction() as session:
                sealed = session.get_one(SealRow, second["place"])
                sealed.document, kept = text, sealed.document
            told = stranger.get(f"/api/check/{second['sha256']}").raise_for_status().json()
            assert (told["of"], told["unit"], told["began"], told["outcome"]) == ("run", "", "", "")
            assert told["changed"] > 0
            with store.transaction() as session:
                session.get_one(SealRow, second["place"]).document = kept
        assert stranger.get(f"/api/check/{second['sha256']}").json()["changed"] == 0
        chain = client.get("/api/seals").raise_for_status().json()["seals"]
        key = next(json.loads(one["document"]) for one in chain if json.loads(one["document"])["kind"] == "key")
        of_key = next(one["sha256"] for one in chain if json.loads(one["document"])["place"] == key["place"])
        told = stranger.get(f"/api/check/{of_key}").raise_for_status().json()
        assert (told["of"], told["began"], told["changed"]) == ("key", "", 0)

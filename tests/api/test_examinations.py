"""A candidate's examination over HTTP: who may grant, who is told what and when, and that it is told once."""

from __future__ import annotations

from contextlib import ExitStack

import httpx
import pytest

from tests.conftest import sign_in
from tests.devices import Device
from tests.plugin import HANG_S

WHO = {"driver": "Tove Lind", "other": "Ines Aldous", "trainer": "Hanne Solberry", "manager": "Odile Ferrow"}


@pytest.fixture(scope="module")
def people(app_url):
    with ExitStack() as stack:
        yield {
            role: sign_in(stack.enter_context(httpx.Client(base_url=app_url, timeout=HANG_S)), name)
            for role, name in WHO.items()
        }


@pytest.fixture
def examined(people):
    """A candidate's device whose leak test lost 20 psi, asked for again twice, with an examiner who joined."""
    candidate = Device(people["driver"])
    setup = {"examined": True, "calls": "rehearsal"}
    candidate.begin(purpose="training", setup=setup).raise_for_status()
    code = people["driver"].post(f"/api/runs/{candidate.run_id}/join-code").raise_for_status().json()["code"]
    people["trainer"].post("/api/runs/join", json={"code": code}).raise_for_status()
    assert candidate.send(*candidate.leak_test(100, 80)).json()["set_aside"] == []
    return candidate


def told(client, run_id, **body):
    response = client.put(f"/api/runs/{run_id}/examination", json=body)
    return response.status_code, response.json().get("error", {}).get("code")


def report(client, run_id):
    return client.get(f"/api/runs/{run_id}/examination").raise_for_status().json()


def said(device, what, **more):
    return device.wait(1).marked("said", what=what, **more)


def test_a_part_is_asked_for_and_granted_by_the_examiner_alone(people, examined):
    ask = said(examined, "redo:leak_applied", value="unnamed")
    own = said(examined, "grant:leak_applied")
    answer = examined.send(ask, own).json()
    assert [one["code"] for one in answer["set_aside"]] == ["examiner_only"]
    examiner = Device(people["trainer"])
    examiner.run_id = examined.run_id
    again = said(examined, "redo:leak_applied", value="named")
    assert examined.send(again).json()["set_aside"] == []
    assert examiner.send(said(examiner, "grant:leak_applied")).json()["set_aside"] == []
    assert report(people["trainer"], examined.run_id)["asked"] == [
        {"stage": "leak_applied", "named": False, "granted": False},
        {"stage": "leak_applied", "named": True, "granted": True},
    ]


def test_the_result_is_withheld_told_once_and_apart_from_the_vehicles(people, examined):
    run = examined.run_id
    verdict = said(examined, "verdict:leak_applied", value="pass")
    closing = said(examined, "closing", value="pass")
    assert examined.send(verdict, closing).json()["set_aside"] == []
    seen, known = report(people["driver"], run), report(people["trainer"], run)
    assert (seen["withheld"], seen["findings"], seen["closing"]) == (True, [], "pass")
    assert not known["withheld"]
    assert "wrong_verdict_said" in [one["code"] for one in known["findings"] if one["critical"]]
    assert told(people["trainer"], run, passed=False) == (422, "still_going_on")
    examined.send(examined.wait(1).marked("finished")).raise_for_status()
    assert told(people["driver"], run, passed=True)[0] == 403
    assert told(people["trainer"], run, passed=False, remark="Twenty is not less than four.") == (200, None)
    assert told(people["trainer"], run, passed=False, remark="Twenty is not less than four.") == (200, None)
    assert told(people["trainer"], run, passed=True) == (409, "told_already")
    assert told(people["manager"], run, passed=False) == (409, "told_already")
    seen = report(people["driver"], run)
    assert (seen["passed"], seen["examiner"], seen["withheld"]) == (False, WHO["trainer"], False)
    assert "wrong_verdict_said" in [one["code"] for one in seen["findings"]]
    vehicle = people["driver"].get(f"/api/runs/{run}/report").raise_for_status().json()
    assert vehicle["outcome"] == "fail"


def test_an_examiner_who_is_gone_leaves_the_result_to_another_and_a_plain_test_has_none(people, examined):
    examined.send(examined.wait(1).marked("abandoned", why="made safe")).raise_for_status()
    assert told(people["manager"], examined.run_id, passed=False, remark="The examiner had to leave.")[0] == 200
    plain = Device(people["driver"])
    plain.begin().raise_for_status()
    refused = people["driver"].get(f"/api/runs/{plain.run_id}/examination")
    assert (refused.status_code, refused.json()["error"]["code"]) == (404, "no_examination")

"""Two devices in one run: joined by a code, each in its part, told of one another, in one process or two."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Iterator
from contextlib import ExitStack

import httpx
import pytest
from sqlalchemy import update
from websockets.exceptions import ConnectionClosed
from websockets.sync.client import ClientConnection

from lowhiss.api import sockets
from lowhiss.api.marks import live
from lowhiss.service.people import guess_limits
from lowhiss.service.runs import participants
from lowhiss.store.run_models import JoinCodeRow
from tests.conftest import Running, sign_in
from tests.devices import Device, watching
from tests.plugin import HANG_S

CODE = "/api/runs/{}/join-code"


@pytest.fixture
def people(app_url) -> Iterator:
    """Clients of the application, each signed in as somebody."""
    with ExitStack() as stack:
        yield lambda name, url=app_url: sign_in(stack.enter_context(httpx.Client(base_url=url, timeout=HANG_S)), name)


@pytest.fixture
def driver(people) -> Device:
    device = Device(people("Ines Aldous"))
    device.begin().raise_for_status()
    return device


def joined(driver: Device, watching: httpx.Client) -> Device:
    """A second device that has joined the driver's run."""
    code = driver.client.post(CODE.format(driver.run_id)).raise_for_status().json()["code"]
    answer = watching.post("/api/runs/join", json={"code": f" {code[:3].lower()}-{code[3:]}"})
    assert answer.raise_for_status().json()["part"] == "watch"
    device = Device(watching)
    device.run_id = answer.json()["id"]
    assert device.run_id == driver.run_id
    return device


def heard(socket: ClientConnection) -> dict:
    return json.loads(socket.recv(timeout=HANG_S))


def test_a_watcher_marks_and_never_commands(driver, people):
    watcher = joined(driver, people("Bram Osei"))
    mark = watcher.marked("reading", stage="cut_out", point="cut_out")
    own = [
        mark,
        watcher.marked("said", what="cut_out"),
        watcher.marked("note", text="wind"),
        watcher.marked("settled", stage="leak_applied"),
        watcher.marked("warning", lamp=True, buzzer=True),
        watcher.marked("knob", knob="trailer", state="out", cause="popped"),
        watcher.marked("valued", event=mark["id"], primary_psi=125, secondary_psi=125),
    ]
    assert watcher.send(*own).json()["set_aside"] == []
    commands = [
        watcher.marked("engine", state="off"),
        watcher.marked("key", state="on"),
        watcher.marked("pedal", state="full"),
        watcher.marked("knob", knob="trailer", state="out", cause="hand"),
        watcher.marked("confirmed", item="wheels_chocked"),
        watcher.marked("attempt", stage="leak_applied"),
        watcher.marked("skipped", stage="leak_applied", why="x"),
        watcher.marked("made_safe"),
        watcher.marked("finished"),
        watcher.marked("abandoned", why="x"),
    ]
    refused = watcher.send(*commands).json()["set_aside"]
    assert [one["code"] for one in refused] == ["watcher_may_not"] * len(commands)
    kept = driver.client.get(f"/api/runs/{driver.run_id}/events").json()
    assert [event["id"] for event in kept] == [event["id"] for event in own]


def test_a_watcher_takes_back_only_their_own_and_numbers_only_what_has_none(driver, people):
    watcher = joined(driver, people("Bram Osei"))
    bare = driver.marked("reading", stage="cut_out", point="cut_out")
    full = driver.marked("reading", stage="cut_in", point="cut_in", primary_psi=104, secondary_psi=104)
    assert driver.send(bare, full).json()["set_aside"] == []
    numbers = {"primary_psi": 126, "secondary_psi": 126}
    tries = [
        watcher.marked("withdrawn", event=bare["id"]),
        watcher.marked("valued", event=full["id"], **numbers),
        watcher.marked("valued", event=bare["id"], **numbers),
    ]
    answer = watcher.send(*tries).json()
    assert [one["id"] for one in answer["set_aside"]] == [tries[0]["id"], tries[1]["id"]]
    again = watcher.send(own := watcher.marked("reading", stage="cut_out", point="cut_out"))
    assert again.json()["accepted"]
    assert driver.send(driver.marked("withdrawn", event=own["id"])).json()["set_aside"] == []


def test_guessed_codes_are_braked_and_an_old_one_is_worth_nothing(driver, people, store):
    code = driver.client.post(CODE.format(driver.run_id)).json()["code"]
    newer = driver.client.post(CODE.format(driver.run_id)).json()["code"]
    guesser = people("Kit Varga")
    assert guesser.post("/api/runs/join", json={"code": code}).json()["error"]["code"] == "join_code_unknown"
    with store.transaction() as session:
        lapsed = dt.datetime.now(dt.UTC) - participants.CODE_LASTS - dt.timedelta(seconds=1)
        session.execute(update(JoinCodeRow).where(JoinCodeRow.run_id == driver.run_id).values(made_at=lapsed))
    answers = [guesser.post("/api/runs/join", json={"code": newer}) for _ in range(guess_limits.TRIES_AT_ONE)]
    assert {answer.status_code for answer in answers[:-1]} == {422}
    assert answers[-1].status_code == 429
    assert guesser.post("/api/runs/join", json={"code": code}).headers["retry-after"] == "900"


def test_only_who_leads_gives_codes_and_only_a_trainer_takes_the_lead(driver, people):
    stranger = people("Pia Munro")
    assert stranger.post(CODE.format(driver.run_id)).status_code == 403
    watcher = joined(driver, stranger)
    assert watcher.client.post(CODE.format(driver.run_id)).status_code == 403
    assert watcher.client.post(f"/api/runs/{driver.run_id}/lead").status_code == 403
    trainer = joined(driver, people("Hanne Solberry"))
    assert trainer.send(trainer.marked("finished")).json()["set_aside"]
    lead = trainer.client.post(f"/api/runs/{driver.run_id}/lead").raise_for_status().json()
    assert lead["part"] == "lead"
    assert trainer.send(trainer.marked("finished")).json()["set_aside"] == []


def test_what_was_marked_before_the_end_comes_late_and_what_came_after_it_is_set_aside(driver, people):
    """A device that was a week in a drawer joins the sending again after the run was ended."""
    watcher = joined(driver, people("Bram Osei"))
    watcher.send(watcher.marked("note", text="here"))
    driver.wait(60)
    before = watcher.wait(20).marked("said", what="cut_out")
    assert driver.send(driver.marked("finished")).json()["set_aside"] == []
    after = watcher.wait(90).marked("warning", lamp=True, buzzer=True)
    note = watcher.marked("note", text="found in the drawer")
    answer = watcher.wait(7 * 86400).send(before, after, note).json()
    assert [one["code"] for one in answer["set_aside"]] == ["run_ended"]
    assert {one["id"] for one in answer["accepted"]} == {before["id"], note["id"]}


@pytest.mark.parametrize("wall_off_s", [-3 * 365 * 86400, 5 * 3600, 40 * 365 * 86400])
def test_a_second_device_with_a_wrong_clock_keeps_the_order(driver, people, wall_off_s):
    watcher = joined(driver, people("Bram Osei"))
    off = Device(watcher.client, wall_off_s=wall_off_s)
    off.run_id = driver.run_id
    assert off.send(off.marked("said", what="cut_out")).json()["set_aside"] == []
    assert off.wait(30).send(off.marked("note", text="x")).json()["set_aside"] == []
    said, note = driver.client.get(f"/api/runs/{driver.run_id}/events").json()
    assert said["at_s"] < 60
    assert note["at_s"] - said["at_s"] == pytest.approx(30, abs=0.001)


def test_screens_of_two_processes_hear_of_each_others_marks(driver, people, store):
    other = Running(store)
    try:
        far = people("Hanne Solberry", other.url)
        watcher = joined(driver, far)
        with watching(driver.client, driver.run_id) as near_screen, watching(far, driver.run_id) as far_screen:
            assert heard(near_screen)["last_seq"] == heard(far_screen)["last_seq"] == 0
            driver.send(driver.marked("engine", state="off"))
            assert heard(near_screen)["last_seq"] == heard(far_screen)["last_seq"] == 1
            watcher.send(watcher.marked("said", what="cut_out"))
            told = heard(near_screen)
            assert told["last_seq"] == heard(far_screen)["last_seq"] == 2
            assert 0 <= told["at_s"] < 60
        after = far.get(f"/api/runs/{driver.run_id}/events", params={"after": 1}).json()
        assert [(event["seq"], event["by"]) for event in after] == [(2, "Hanne Solberry")]
    finally:
        other.stop()


@pytest.mark.parametrize(
    ("signed_in", "run_id", "headers", "code"),
    [
        (False, None, {}, sockets.SIGNED_OUT),
        (True, "no-such-run", {}, sockets.UNKNOWN),
        (True, None, {"Origin": "http://elsewhere.test"}, sockets.FOREIGN),
    ],
)
def test_a_screen_that_may_not_listen_is_told_why(driver, stranger, signed_in, run_id, headers, code):
    client = driver.client if signed_in else stranger
    with watching(client, run_id or driver.run_id, **headers) as socket, pytest.raises(ConnectionClosed) as closed:
        socket.recv(timeout=HANG_S)
    assert closed.value.rcvd.code == code


def test_no_run_is_watched_by_a_crowd(driver):
    with ExitStack() as stack:
        for _ in range(live.MAX_ON_LOG):
            heard(stack.enter_context(watching(driver.client, driver.run_id)))
        late = stack.enter_context(watching(driver.client, driver.run_id))
        with pytest.raises(ConnectionClosed) as closed:
            late.recv(timeout=HANG_S)
    assert closed.value.rcvd.code == sockets.CROWDED

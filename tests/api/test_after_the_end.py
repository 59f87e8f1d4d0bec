"""A finished run is not rewritten, and a fail never disappears: over HTTP, by people with different parts."""

from __future__ import annotations

from contextlib import ExitStack

import httpx
import pytest
from sqlalchemy import select

from lowhiss.service.runs import verdicts
from lowhiss.service.runs.lifecycle import judge_ended_again
from lowhiss.service.runs.log import log_page
from lowhiss.store.run_models import RunRow, VerdictRow
from tests.conftest import sign_in
from tests.devices import UNIT_ID, Device
from tests.plugin import HANG_S


@pytest.fixture
def people(app_url):
    """Clients of the application, each signed in as somebody."""
    with ExitStack() as stack:
        yield lambda name: sign_in(stack.enter_context(httpx.Client(base_url=app_url, timeout=HANG_S)), name)


@pytest.fixture
def driver(people):
    return Device(people("Ines Aldous"))


def run_test(device, end=95, unit="MV-12", purpose="dispatch", ends="finished", start=100, ago_s=3600):
    """A whole leak test of a unit, brought to its end in a batch of its own."""
    # long enough ago that it is over before anything is done about it
    sent = {**device.moment(), "mono_s": device.mono_s + ago_s}
    device.begin(unit, purpose=purpose, sent=sent).raise_for_status()
    device.send(*device.leak_test(start, end)).raise_for_status()
    device.wait(5)
    if ends:
        device.send(device.marked(ends)).raise_for_status()
    return device.run_id


def failed(client, unit="MV-12"):
    units = {one["name"]: one for one in client.get("/api/units").raise_for_status().json()}
    yard = [(one["stage"], one["run_id"]) for one in units[unit]["status"]["holds"]]
    page = client.get(f"/api/units/{UNIT_ID[unit]}").raise_for_status().json()["status"]["holds"]
    assert [(one["stage"], one["run_id"]) for one in page] == yard
    return yard


def repair(device, people, unit):
    """The workshop certifies a repair of whatever holds a unit; the device's next test comes after it."""
    holds = [one["id"] for one in device.client.get(f"/api/units/{UNIT_ID[unit]}").json()["status"]["holds"]]
    shop = Device(people("Jory Pask"))
    done = shop.act("repaired", UNIT_ID[unit], did="mended", holds=holds)
    assert shop.send_acts(done).raise_for_status().json() == {"accepted": [done["id"]], "set_aside": []}


def events_of(client, run_id):
    return {one["id"]: one for one in client.get(f"/api/runs/{run_id}/events").json()}


# a fail never disappears


@pytest.mark.parametrize(("unit", "ends"), [("MV-05", "finished"), ("MV-03", "abandoned"), ("MV-09", None)])
def test_a_fail_stands_whatever_comes_of_its_run_until_a_later_finished_one_passes(driver, people, unit, ends):
    run = run_test(driver, 90, unit, ends=ends)
    assert ("leak_applied", run) in failed(driver.client, unit)
    begun = Device(driver.client)
    begun.begin(unit).raise_for_status()
    begun.send(begun.marked("made_safe", why="rain"), begun.marked("abandoned")).raise_for_status()
    run_test(Device(driver.client), 99, unit, purpose="rehearsal")
    run_test(Device(driver.client), 99, unit, ends="abandoned")
    run_test(Device(driver.client), 99, unit, ends=None)
    run_test(Device(driver.client), 85, unit, start=85)  # void: not charged
    assert ("leak_applied", run) in failed(driver.client, unit)
    repair(driver, people, unit)
    run_test(Device(driver.client), 99, unit, ends="abandoned", ago_s=0)
    assert ("leak_applied", run) in failed(driver.client, unit)
    run_test(Device(driver.client), 99, unit, ago_s=0)
    assert failed(driver.client, unit) == []


def test_a_rehearsal_fails_nothing_and_a_fail_that_was_shown_stays_though_its_reading_is_taken_back(driver):
    run_test(driver, 90, "MV-07", purpose="rehearsal")
    assert failed(driver.client, "MV-07") == []
    driver.begin("MV-07").raise_for_status()
    events = driver.leak_test(100, 90)
    driver.send(*events)
    assert [stage for stage, _ in failed(driver.client, "MV-07")] == ["leak_applied"]
    driver.send(driver.marked("withdrawn", event=events[-1]["id"], why="misread"))
    assert [stage for stage, _ in failed(driver.client, "MV-07")] == ["leak_applied"]


def test_what_a_run_no_longer_says_is_looked_up_in_the_ones_before_it(driver, people):
    first = run_test(driver, 90, "MV-11")
    second = Device(driver.client)
    second.begin("MV-11").raise_for_status()
    events = second.leak_test(100, 90)
    second.send(*events)
    assert failed(driver.client, "MV-11") == [("leak_applied", second.run_id)]
    second.send(second.marked("withdrawn", event=events[-1]["id"]))
    assert failed(driver.client, "MV-11") == [("leak_applied", second.run_id)]
    assert first != second.run_id


def test_a_run_said_to_have_begun_years_ago_is_taken_marked_and_clears_nothing(driver):
    run = run_test(driver, 90, "MV-14")
    old = Device(driver.client)
    begun = old.moment()
    begun["epoch"], begun["wall"] = "another-life", "1991-05-05T05:05:05Z"
    assert old.begin("MV-14", begun=begun).raise_for_status().json()["doubtful"] is True
    assert driver.client.get(f"/api/runs/{run}").json()["doubtful"] is False
    old.send(*old.leak_test(100, 99), old.marked("finished")).raise_for_status()
    assert failed(driver.client, "MV-14") == [("leak_applied", run)]


# a finished run is not rewritten


def outcome(client, run_id):
    report = client.get(f"/api/runs/{run_id}/report").raise_for_status().json()
    return report["outcome"], report["at_end"]["outcome"], [mark["why"] for mark in report["verdict"]["late"]]


def test_a_failing_reading_cannot_be_replaced_after_the_end(driver, people):
    driver.begin().raise_for_status()
    events = driver.leak_test(100, 95)
    early = driver.moment()
    driver.wait(5)
    driver.send(*events, driver.marked("finished")).raise_for_status()
    better = {**driver.marked("reading", stage="leak_applied", point="end", primary_psi=99, secondary_psi=99), **early}
    taken = driver.marked("withdrawn", event=events[-1]["id"], why="misread")
    assert driver.send(taken, better).raise_for_status().json()["set_aside"] == []
    run = driver.run_id
    assert outcome(driver.client, run) == ("fail", "fail", ["waits", "waits"])
    kept = events_of(driver.client, run)
    assert (kept[better["id"]]["after_end"], kept[events[-1]["id"]]["after_end"]) == (True, False)
    record = driver.client.get(f"/api/runs/{run}/record").json()["events"]
    late = {one["id"]: one for one in record if one.get("after_end")}
    assert {better["id"], taken["id"]} == set(late)
    assert all("received" in one for one in late.values())
    # the driver cannot confirm it; a trainer can, though they did not join, and must say why
    confirm = [driver.marked("late_confirmed", event=one["id"], why="photograph") for one in (taken, better)]
    assert [one["code"] for one in driver.send(*confirm).json()["set_aside"]] == ["trainer_needed"] * 2
    trainer = Device(people("Hanne Solberry"))
    trainer.run_id = run
    assert trainer.send(trainer.marked("finished")).json()["set_aside"][0]["code"] == "not_your_run"
    said = [trainer.marked("late_confirmed", event=one["id"], why="photograph") for one in (taken, better)]
    assert trainer.send(*said).raise_for_status().json()["set_aside"] == []
    assert outcome(driver.client, run) == ("pass", "fail", ["confirmed", "confirmed"])


@pytest.mark.parametrize("ends", ["finished", "abandoned"])
def test_an_end_dated_back_cuts_nothing_off(driver, ends):
    driver.begin().raise_for_status()
    early = driver.moment()
    events = driver.leak_test(100, 90)
    driver.send(*events).raise_for_status()
    driver.send({**driver.marked(ends), **early}).raise_for_status()
    assert outcome(driver.client, driver.run_id)[:2] == ("fail", "fail")
    assert ("leak_applied", driver.run_id) in failed(driver.client)


def test_what_makes_it_worse_counts_at_once(driver):
    run = run_test(driver, 99, "MV-16")
    late = driver.marked("engine", state="running")
    late["mono_s"] -= 40  # within the hold
    driver.send(late).raise_for_status()
    assert outcome(driver.client, run) == ("void", "pass", ["worse"])


def test_an_end_taken_back_in_the_same_breath_is_none_and_later_it_stays(driver):
    driver.begin().raise_for_status()
    first = driver.marked("finished")
    driver.send(first, driver.marked("withdrawn", event=first["id"])).raise_for_status()
    assert driver.client.get(f"/api/runs/{driver.run_id}").json()["ended_by"] is None
    second = driver.marked("finished")
    driver.send(second).raise_for_status()
    driver.send(driver.marked("withdrawn", event=second["id"])).raise_for_status()
    assert driver.client.get(f"/api/runs/{driver.run_id}").json()["ended_by"] == "finished"
    driver.wait(60)
    refused = driver.send(driver.marked("engine", state="off")).json()["set_aside"]
    assert [one["code"] for one in refused] == ["run_ended"]


def test_an_upgrade_of_the_core_keeps_what_ended_and_shows_what_it_would_say(driver, store, client, monkeypatch):
    passed, failing = run_test(driver, 96, "MV-12"), run_test(Device(driver.client), 90, "MV-22")
    monkeypatch.setattr(verdicts, "core_version", lambda: "newer")
    monkeypatch.setattr("lowhiss.service.runs.lifecycle.core_version", lambda: "newer")
    # the newer core takes a loss of four for a fail, and one of ten for a pass
    real = verdicts.summary_of
    turned = {"pass": "fail", "fail": "pass"}

    def told(verdict):
        said = real(verdict)
        return {**said, "outcome": turned[said["outcome"]], "stages": dict.fromkeys(said["stages"], "x")}

    monkeypatch.setattr(verdicts, "summary_of", told)
    with store.transaction() as session:
        others = select(RunRow.id).where(RunRow.id.not_in([passed, failing]))
        session.query(VerdictRow).where(VerdictRow.run_id.in_(others)).update(
            {"core_version": "newer"}, synchronize_session=False
        )
    assert judge_ended_again(store, 10) == 2
    assert judge_ended_again(store, 10) == 0
    reports = {run: client.get(f"/api/runs/{run}/report").json() for run in (passed, failing)}
    assert {run: report["differs"]["counts"] for run, report in reports.items()} == {passed: "now", failing: "kept"}
    assert [report["at_end"]["outcome"] for report in reports.values()] == ["pass", "fail"]
    assert reports[failing]["outcome"] == "fail"
    assert {line.head.id for line in log_page(store) if line.differs} == {passed, failing}
    look = {"why": "looked at both"}
    assert driver.client.post(f"/api/runs/{failing}/result", json=look).status_code == 403
    after = client.post(f"/api/runs/{failing}/result", json=look).raise_for_status().json()
    assert (after["differs"], after["looked"]["by"]) == (None, "Odile Ferrow")
    assert client.post(f"/api/runs/{failing}/result", json=look).status_code == 422
    client.post(f"/api/runs/{passed}/result", json=look).raise_for_status()


# parts


def test_a_trainer_leads_only_what_they_have_taken_over_and_is_shown(driver, people):
    driver.begin().raise_for_status()
    trainer = people("Rafe Tolland")
    path = f"/api/runs/{driver.run_id}"
    assert trainer.get(path).json()["part"] == "oversee"
    assert driver.run_id in {run["id"] for run in trainer.get("/api/runs/open").json()}
    taken = trainer.post(f"{path}/lead").raise_for_status().json()
    assert (taken["part"], taken["members"]) == ("lead", [{"name": "Rafe Tolland", "part": "lead"}])
    assert people("Bram Osei").post(f"{path}/lead").status_code == 403


def test_one_drivers_forgotten_runs_hide_nobody_elses(driver, people):
    driver.begin().raise_for_status()
    mine = driver.run_id
    other = Device(people("Tove Lind"))
    for _ in range(25):
        other.begin().raise_for_status()
    assert mine in {run["id"] for run in driver.client.get("/api/runs/open").json()}
    seen = people("Hanne Solberry").get("/api/runs/open").json()
    assert mine in {run["id"] for run in seen}
    assert len([run for run in seen if run["begun_by"] == "Tove Lind"]) <= 20


def test_a_fail_of_the_demo_stands_from_before(client):
    assert [stage for stage, _ in failed(client, "MV-21")] == ["spring_brakes"]

"""What must not upset a run: bursts, going back, a second tab, a unit coupled anew, another language in mid-hold."""

from __future__ import annotations

import re

import httpx
import pytest
from playwright.sync_api import expect

from lowhiss.demo.scenario import demo_id
from tests.browser.cab import Cab
from tests.browser.test_conductor import COMBINATION, agrees
from tests.browser.test_leak_journey import events_of
from tests.conftest import sign_in
from tests.devices import Device
from tests.plugin import HANG_S


def kinds(cab, run: str) -> list[str]:
    return [event["body"]["type"] for event in events_of(cab, run)]


def test_a_burst_of_marks_is_one_mark_and_a_held_key_no_second_one(cab):
    page = cab.page
    run = cab.begin("MV-12", procedure="leak-check")
    page.clock.pause_at(
        page.evaluate("Date.now() / 1000 + 1")
    )  # on a busy machine five presses take longer than a burst
    for _ in range(5):
        page.keyboard.press("Space")
    page.keyboard.down("Space")
    page.keyboard.down("Space")  # the key repeats
    page.keyboard.up("Space")
    page.clock.resume()
    expect(cab.bar).to_have_attribute("data-bar", "key_on")
    cab.until(lambda: page.locator("[data-saved=true]").count() == 1)
    assert kinds(cab, run) == ["engine"]


HOLD_THE_STORE = """() => new Promise((held) => {
  const opening = indexedDB.open('lowhiss')
  opening.onsuccess = () => {
    const store = opening.result.transaction('events', 'readwrite').objectStore('events')
    const goOn = () => window.letGo ? opening.result.close() : (store.count().onsuccess = goOn)
    goOn()
    held()
  }
})"""


@pytest.mark.long
def test_a_device_that_is_slow_to_write_makes_one_mark_of_two_marks(cab):
    page = cab.page
    run = cab.begin("MV-12", procedure="leak-check")
    page.evaluate(HOLD_THE_STORE)
    for _ in range(2):
        cab.pass_time(1)
        cab.bar.click()
    assert cab.asked() == "engine_off"  # nothing is kept yet, so the screen has not moved on
    page.evaluate("window.letGo = true")
    expect(cab.bar).to_have_attribute("data-bar", "key_on")
    cab.until(lambda: page.locator("[data-saved=true]").count() == 1)
    assert kinds(cab, run) == ["engine"]


@pytest.mark.long
def test_a_device_that_is_slow_to_write_asks_for_nothing_new_until_it_has_written(cab):
    page = cab.page
    run = cab.begin("MV-12", procedure="leak-check")
    cab.do(COMBINATION, until="pedalUp")
    page.evaluate(HOLD_THE_STORE)
    cab.pass_time(1)
    cab.bar.click()
    cab.pass_time(1)
    assert cab.asked() == "pedalUp"  # what was asked for too early would not hear the touch
    page.evaluate("window.letGo = true")
    cab.until(lambda: cab.asked() != "pedalUp")
    assert cab.asked() == "finish"  # at once, never *Go on* in between
    cab.pass_time(1)
    page.keyboard.press("Space")
    cab.until(lambda: page.locator("article").count() == 1)
    assert kinds(cab, run)[-2:] == ["pedal", "finished"]


@pytest.mark.long
def test_going_back_after_the_end_leads_to_the_report_again(cab):
    page = cab.page
    run = cab.begin("MV-22", procedure="leak-check")
    cab.do(COMBINATION)
    cab.finish()
    page.go_back()
    expect(page.locator("article")).to_be_visible()
    cab.go(f"/test/{run}")
    expect(page.locator("article")).to_be_visible()
    assert kinds(cab, run).count("finished") == 1


def test_two_tabs_of_one_run_show_the_same_and_end_the_hold_once(cab):
    run = cab.begin("MV-12", procedure="leak-check")
    other = Cab(cab.page.context.new_page(), cab.url)
    other.go(f"/test/{run}")
    expect(other.bar).to_be_visible()
    cab.page.bring_to_front()  # what lies behind is drawn once a second
    cab.do(COMBINATION, until="up")
    other.until(lambda: other.asked() == "up")
    cab.accept(COMBINATION)
    expect(other.page.get_by_role("slider")).to_have_count(0)
    for tab in (cab, other):
        tab.until(lambda tab=tab: tab.page.locator("[data-phase=read]").count() == 1, jump_s=1)
    cab.until(lambda: cab.page.locator("[data-saved=true]").count() == 1)
    points = [event["body"].get("point") for event in events_of(cab, run) if event["body"]["type"] == "reading"]
    assert points == ["start", "end"]
    other.page.bring_to_front()
    other.page.get_by_role("button", name="Make safe").click()
    other.page.get_by_role("button", name="Vehicle is safe: end test").click()
    for tab in (cab, other):
        tab.until(lambda tab=tab: tab.page.locator("article").count() == 1)
    assert other.complaints == []


@pytest.mark.long
def test_a_unit_coupled_anew_in_mid_run_leaves_the_run_as_it_was_set_up(cab, tmp_path, capsys):
    run = cab.begin("MV-22", procedure="leak-check")
    cab.do(COMBINATION, until="start")
    with httpx.Client(base_url=cab.url) as client:
        office = sign_in(client)
        unit = office.get(f"/api/units/{demo_id('MV-22')}").json()["unit"]
        bare = {"trailer_ids": [], "version": unit["version"]}
        alone = office.put(f"/api/units/{unit['id']}/coupling", json=bare).raise_for_status().json()
        assert alone["kind"] == "tractor"
        cab.do(COMBINATION)
        cab.finish()
        expect(cab.page.get_by_role("heading", level=1)).to_contain_text("tractor and trailer")
        verdict = agrees(cab, tmp_path, capsys)
        assert verdict["stages"][0]["limit"]["max"] == 4  # of a combination, as it was when the run began
        back = {"trailer_ids": unit["trailer_ids"], "version": alone["version"]}
        office.put(f"/api/units/{unit['id']}/coupling", json=back).raise_for_status()
    assert run in cab.page.url


@pytest.mark.long
def test_another_language_in_mid_hold_changes_words_and_nothing_else(cab):
    page = cab.page
    run = cab.begin("MV-12", procedure="leak-check")
    cab.do(COMBINATION, until="up")
    cab.accept(COMBINATION)
    cab.pass_time(20)
    page.get_by_role("button", name="Language, units, light").click()
    page.get_by_role("radio", name="Español").click()
    page.keyboard.press("Escape")
    expect(page.get_by_role("timer")).to_contain_text("de 60 segundos")
    cab.do(COMBINATION)
    cab.finish()
    expect(page.locator("[data-try='leak_applied 1']")).to_contain_text("Aprobada")
    start, end = (event for event in events_of(cab, run) if event["body"]["type"] == "reading")
    assert end["mono_s"] - start["mono_s"] == pytest.approx(60, abs=0.05)


@pytest.mark.long
def test_what_is_said_from_memory_is_ticked_by_the_watcher_and_graded(cab, tmp_path, capsys):
    page = cab.page
    cab.set_up("MV-12", "Pia Munro", procedure="leak-check")
    page.get_by_role("radio", name="training").click()
    page.get_by_role("radio", name="from memory").click()
    page.locator("button[type=submit]:enabled").click()
    cab.do(COMBINATION, until="pedal_full")
    expect(page.get_by_text("may lose no more than")).to_have_count(0)  # nobody reads the limit off the screen
    page.get_by_role("button", name="Said wrong").click()
    page.get_by_label("Number said").fill("3")
    page.get_by_role("dialog").get_by_role("button", name="Said wrong").click()
    cab.do(COMBINATION, until="pedalUp")
    page.get_by_role("button", name=re.compile("^Said$")).click()
    page.get_by_role("button", name="Said fail").click()
    cab.do(COMBINATION)
    cab.finish()
    verdict = agrees(cab, tmp_path, capsys)
    assert (verdict["overall"], verdict["candidate"]["critical"]) == ("pass", ["wrong_verdict_said"])
    weighed = page.locator("[data-weighed]")
    assert sorted(each.get_attribute("data-weighed") for each in weighed.all()) == [
        "no_fresh_cut_out",
        "wrong_limit_said",
        "wrong_verdict_said",
    ]


def test_a_run_left_open_is_gone_on_with_on_another_device_and_ended_there_with_its_reason(cab, browser):
    run = cab.begin("MV-22", procedure="leak-check")
    cab.do(COMBINATION, until="key_on")
    cab.until(lambda: cab.page.locator("[data-saved=true]").count() == 1)
    context = browser.new_context(locale="en-US", service_workers="block")
    other = Cab(context.new_page(), cab.url)
    other.sign_in("Tove Lind")
    other.go()
    left_open = other.page.locator(f"[data-open='{run}']")
    left_open.get_by_role("link", name="Resume").click()
    expect(other.bar).to_have_attribute("data-bar", "key_on")
    other.go()
    left_open.get_by_role("button", name="End test").click()
    other.page.get_by_label("Reason").fill("the bay was needed")
    other.page.get_by_role("dialog").get_by_role("button", name="End test").click()
    expect(left_open).to_have_count(0)
    other.until(lambda: kinds(cab, run)[-1] == "abandoned")
    assert events_of(cab, run)[-1]["body"]["why"] == "the bay was needed"
    assert other.complaints == []
    context.close()


def test_a_browser_that_keeps_nothing_is_said_before_a_test_begins(cab):
    cab.page.add_init_script("IDBFactory.prototype.open = () => { throw new Error('no storage here.') }")
    cab.set_up("MV-12")
    expect(cab.page.get_by_role("alert")).to_contain_text("can't save marks on the device: no storage here.")
    expect(cab.page.locator("button[type=submit]")).to_be_disabled()


FULL = """() => { for (const way of ['add', 'put']) IDBObjectStore.prototype[way] = () => {
  throw new DOMException('The device is full.', 'QuotaExceededError')
} }"""


def test_a_full_device_is_said_before_a_test_and_at_a_mark_and_the_screen_stays(cab):
    page = cab.page
    cab.expected = ["The device is full."]  # what cannot be noted as sent is logged
    cab.set_up("MV-12", procedure="leak-check")
    page.evaluate(FULL)
    page.locator("button[type=submit]:enabled").click()
    expect(page.get_by_role("alert")).to_contain_text("The device is full.")
    page.reload()
    cab.unfold_way()
    page.get_by_label("Test order").select_option("leak-check")
    page.locator("button[type=submit]:enabled").click()
    cab.mark("Engine is off")
    page.evaluate(FULL)
    cab.pass_time(1)
    cab.bar.click()
    expect(page.get_by_role("alert")).to_contain_text("couldn't be saved")
    expect(cab.bar).to_have_attribute("data-bar", "key_on")


def test_what_came_after_the_end_waits_for_a_trainers_word(cab):
    run = cab.begin("MV-22", procedure="leak-check")
    cab.do({**COMBINATION, "leak_applied start": (100, 100), "leak_applied end": (90, 90)}, until="again")
    end = next(event for event in events_of(cab, run) if event["body"].get("point") == "end")
    with httpx.Client(base_url=cab.url, timeout=HANG_S) as http:
        device = Device(sign_in(http, "Tove Lind"))
        device.run_id = run
        device.send(device.marked("finished")).raise_for_status()
        received = device.send(device.marked("withdrawn", event=end["id"], why="misread")).raise_for_status().json()
        assert received["set_aside"] == []
    cab.page.goto("about:blank")  # a page that is still open would ask with a session that is being replaced
    cab.sign_in("Hanne Solberry")
    cab.go(f"/runs/{run}")
    late = cab.page.locator("[data-late=waits]")
    cab.until(lambda: late.count() == 1)  # a question that is asked again waits by the page's own clock
    expect(cab.page.locator("article")).to_contain_text("Do not drive.")
    late.get_by_role("button", name="Confirm").click()
    cab.page.get_by_role("dialog").get_by_role("textbox").fill("the photograph shows 96")
    cab.page.get_by_role("dialog").get_by_role("button", name="Confirm").click()
    cab.until(lambda: cab.page.locator("[data-late=confirmed]").count() == 1)
    expect(cab.page.get_by_text("Result when the test ended:")).to_be_visible()

"""The application without its server: opened, a test begun, led to its end, and judged once there is contact again."""

from __future__ import annotations

import re
import shutil

import pytest
from playwright.sync_api import expect

from lowhiss.static import WEB
from tests.browser.cab import RealCab, failed_an_hour_ago
from tests.browser.test_conductor import COMBINATION
from tests.browser.test_leak_journey import events_of, run_id
from tests.conftest import Running

JUDGE_FILES = 6
JUDGE_SAVED = "caches.open('judge').then((cache) => cache.keys()).then((keys) => keys.length)"
NO_ROOM_FOR_THE_JUDGE = """if (window.Cache)  // an empty page has none
  Cache.prototype.add = () => Promise.reject(new DOMException('full', 'QuotaExceededError'))
"""
READY = "navigator.serviceWorker.ready.then(({ active }) => active.state)"


@pytest.fixture
def browser_context_args(browser_context_args):
    return {**browser_context_args, "service_workers": "allow"}


def visit_once(cab, *, with_judge: bool = False) -> None:
    """A first visit with contact, until the application and the scripts of all units are on the device.

    with_judge : the judge's files too, 13 MB of them; else the device has no room for them.
    """
    if not with_judge:
        cab.page.add_init_script(NO_ROOM_FOR_THE_JUDGE)
    cab.sign_in("Tove Lind")
    scripts: set[str] = set()
    cab.page.on("response", lambda answer: scripts.add(answer.url) if "/script" in answer.url else None)
    units = cab.page.request.get(f"{cab.url}/api/units").json()
    ways = sum(len(ways_of(unit)) for unit in units)
    cab.go()
    expect(cab.page.get_by_role("link", name=re.compile("^Test ")).first).to_be_visible()
    assert cab.page.evaluate(READY) in ("activated", "activating")
    fetched(cab, lambda: len(scripts) >= ways)
    if with_judge:
        fetched(cab, lambda: cab.page.evaluate(JUDGE_SAVED) == JUDGE_FILES)
    cab.pass_time(2)  # the copy is written a moment after the last change
    cab.page.wait_for_load_state("networkidle")


def ways_of(unit) -> set[tuple]:
    """By which order and rules a test of a unit may begin next: its own, and those of its recheck."""
    recheck = (unit["status"] or {}).get("recheck") or {}
    again = (recheck.get("procedure") or unit["procedure"], recheck.get("rules") or unit["rules"])
    return {(unit["procedure"], unit["rules"]), again}


def fetched(cab, condition) -> None:
    """Wait, by real time, for what comes over the network; a busy machine may take a while."""
    for _ in range(600):
        if condition():
            return
        cab.pass_time(0.25)
        cab.page.wait_for_timeout(50)
    raise AssertionError("never came")


def lose_contact(cab) -> None:
    cab.offline = True
    cab.page.context.set_offline(True)


def find_contact(cab) -> None:
    cab.page.context.set_offline(False)


def open_set_up(cab, unit: str) -> None:
    """From the yard; a yard of many draws only the units in sight."""
    cab.page.get_by_role("searchbox").fill(unit)
    cab.page.get_by_role("link", name=f"Test {unit}").click()


@pytest.mark.long
def test_a_test_is_begun_and_ended_without_contact_and_judged_when_it_is_back(cab, coupled):
    """On a device that had no room for the judge."""
    page = cab.page
    visit_once(cab)
    lose_contact(cab)
    cab.go()  # the application itself comes from the device
    open_set_up(cab, coupled["name"])
    page.locator("button[type=submit]:enabled").click()
    expect(cab.bar).to_be_visible()
    page.reload()
    expect(cab.bar).to_be_visible()
    run = run_id(cab)
    cab.do(COMBINATION, until="locked")  # nothing is rolled before the static part is judged
    expect(page.get_by_text("aren't judged yet")).to_be_visible()
    find_contact(cab)
    cab.until(lambda: cab.asked() != "locked")
    cab.offline = False
    cab.do(COMBINATION)
    cab.finish()
    expect(page.locator("article [data-outcome=pass]").first).to_be_visible()
    kept = [event["body"]["type"] for event in events_of(cab, run)]
    assert kept[0] == "confirmed"
    assert kept[-1] == "finished"


def test_without_contact_the_device_judges_by_the_same_core_and_the_server_confirms_it(cab, coupled):
    page = cab.page
    visit_once(cab, with_judge=True)
    lose_contact(cab)
    cab.go()
    open_set_up(cab, coupled["name"])
    page.locator("button[type=submit]:enabled").click()
    expect(cab.bar).to_be_visible()
    page.reload()
    expect(cab.bar).to_be_visible()
    run = run_id(cab)
    cab.do(COMBINATION)  # what rolls is not locked: the static part was judged here
    cab.finish()
    expect(page.locator("[data-on-device=true]")).to_contain_text("Judged on this device")
    expect(page.locator("article [data-outcome=pass]").first).to_be_visible()
    judged_here = page.locator("article ol").first.inner_text()
    # signed here it is pending, and still is after the page was loaded anew
    page.get_by_role("button", name="Sign (sealed when there is network)").click()
    expect(page.locator("[data-pending]")).to_contain_text("waiting to be sent")
    page.reload()
    cab.until(lambda: page.locator("[data-pending]").count() == 1)  # the judge starts anew, which takes its real time
    find_contact(cab)
    cab.until(lambda: page.locator("[data-on-device]").count() == 0)
    cab.offline = False
    cab.until(lambda: page.locator("article ol").first.inner_text() == judged_here)
    assert events_of(cab, run)[-1]["body"]["type"] == "finished"
    signing = page.locator("[data-signing]")
    expect(signing).to_contain_text("without network")
    signing.get_by_role("button", name="Sign", exact=True).click()
    expect(signing.locator("[data-signed=driver]")).to_contain_text("Tove Lind")
    expect(signing.locator("[data-seal]")).to_contain_text("nothing has changed since")


@pytest.mark.long
def test_the_report_says_not_judged_yet_until_there_is_contact(cab, coupled):
    page, unit = cab.page, coupled["name"]
    visit_once(cab)
    lose_contact(cab)
    cab.go()
    open_set_up(cab, unit)
    cab.unfold_way()
    page.get_by_label("Test order").select_option("leak-check")
    expect(page.get_by_role("alert")).to_contain_text("isn't on this device and needs network")
    page.go_back()
    open_set_up(cab, unit)
    page.locator("button[type=submit]:enabled").click()
    expect(cab.bar).to_be_visible()
    page.get_by_role("button", name="Make safe").click()
    page.get_by_role("button", name="Vehicle is safe: end test").click()
    expect(page.locator("[data-outcome=pending]")).to_have_text("Not judged yet")
    cab.pass_time(3)
    waits = page.get_by_role("status").filter(has_text="waiting for network since")
    expect(waits).to_contain_text(unit)
    find_contact(cab)
    cab.until(lambda: page.locator("article").count() == 1)
    cab.offline = False
    expect(page.locator("[data-outcome=incomplete]").first).to_be_visible()
    cab.until(lambda: waits.count() == 0)


@pytest.mark.long
def test_what_is_held_is_looked_at_again_without_contact(cab, coupled):
    """The order that looks at it again is on the device too, not only the unit's own."""
    failed_an_hour_ago(cab, coupled)
    visit_once(cab)
    lose_contact(cab)
    cab.go()
    open_set_up(cab, coupled["name"])
    expect(cab.page.locator("[data-recheck]")).to_be_visible()
    cab.page.locator("button[type=submit]:enabled").click()
    expect(cab.bar).to_be_visible()


def test_a_newer_version_waits_until_it_is_taken(page, store, tmp_path):
    web = tmp_path / "web"
    shutil.copytree(WEB, web)
    running = Running(store, web)
    try:
        cab = RealCab(page, running.url)
        visit_once(cab)
        page_file, worker = web / "index.html", web / "sw.js"
        page_file.write_text(page_file.read_text().replace("<title>Low Hiss</title>", "<title>Newer</title>"))
        of_page = re.compile(r'(url:"index.html",revision:")[0-9a-f]+')
        worker.write_text(of_page.sub(r"\1newer", worker.read_text()))
        page.reload()
        newer = page.get_by_role("button", name="Update now")
        expect(newer).to_be_visible(timeout=15_000)
        assert page.title() == "Low Hiss"
        newer.click()
        expect(page).to_have_title("Newer")
        expect(newer).to_have_count(0)
        assert cab.complaints == []
    finally:
        running.stop()


LEFT_ON_THE_DEVICE = """() => new Promise((told) => {
  const opening = indexedDB.open('lowhiss')
  opening.onsuccess = async () => {
    const all = (name) => new Promise((got) => {
      const asked = opening.result.transaction(name).objectStore(name).getAll()
      asked.onsuccess = () => got(asked.result)
    })
    const [runs, events, copies] = [await all('runs'), await all('events'), await all('copies')]
    opening.result.close()
    told({ runs: runs.length, waiting: events.filter((e) => e.delivery === 'waiting').length, copies: copies.length })
  }
})"""


def test_signing_out_without_contact_leaves_nothing_readable_but_what_must_be_sent(cab):
    visit_once(cab)
    cab.begin("MV-12", procedure="leak-check")
    fetched(cab, lambda: cab.page.locator("[data-saved=true]").count() == 1)
    lose_contact(cab)
    for word in ("Engine is off", "Key is on"):
        cab.mark(word)  # one after the other: a device that still writes hears no touch
    run = run_id(cab)
    cab.go()
    cab.page.get_by_role("button", name="Tove Lind").click()
    cab.page.get_by_role("button", name="Sign out", exact=True).click()
    expect(cab.page.get_by_role("link", name=re.compile("^Test "))).to_have_count(0)
    fetched(cab, lambda: cab.page.evaluate(LEFT_ON_THE_DEVICE) == {"runs": 1, "waiting": 2, "copies": 0})
    assert "Tove" not in cab.page.evaluate("JSON.stringify({ ...localStorage })")
    cab.page.reload()
    expect(cab.page.get_by_role("link", name=re.compile("^Test "))).to_have_count(0)
    # somebody else signs in on the device when there is contact: the marks go in, and stay their author's
    cab.expected = ["403 (Forbidden)"]  # the end of a session that was replaced meanwhile
    find_contact(cab)
    cab.sign_in("Bram Osei")
    cab.go()
    expect(cab.page.get_by_role("banner").get_by_role("button", name="Bram Osei")).to_be_visible()
    expect(cab.page.locator(f"[data-open='{run}']")).to_have_count(0)
    kept = []
    fetched(cab, lambda: kept.append(events_of(cab, run)) or len(kept[-1]) == 2)
    assert {event["by"] for event in kept[-1]} == {"Tove Lind"}
    # the page may have sent them by the session that was hers, in the moment before it was replaced
    assert {event["sent_by"] for event in kept[-1]} <= {"Bram Osei", ""}

"""Two people, one run: the driver's screen and a watcher's, each a browser of its own."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import expect

from tests.browser.cab import Cab, RealCab
from tests.browser.test_conductor import COMBINATION
from tests.browser.test_leak_journey import events_of
from tests.conftest import Running


@pytest.fixture
def far(browser, browser_context_args, store):
    """A second device, on a second server process of the same yard."""
    other = Running(store)
    context = browser.new_context(**browser_context_args)
    cab = RealCab(context.new_page(), other.url)
    yield cab
    context.close()
    other.stop()
    assert cab.complaints == []


@pytest.fixture
def near(page, app_url):
    """The driver's device."""
    cab = RealCab(page, app_url)
    yield cab
    assert cab.complaints == []


def watch(near: RealCab, far: RealCab, name: str) -> None:
    """The driver reads a code aloud, and somebody joins by it."""
    near.page.get_by_role("button", name="Marks", exact=True).click()
    near.page.get_by_role("button", name="Invite an observer").click()
    code = near.page.locator("[data-join-code]").inner_text()
    near.page.keyboard.press("Escape")
    far.sign_in(name)
    far.go()
    far.page.get_by_label("Join code").fill(code.lower())
    far.page.get_by_role("button", name="Watch a test").click()
    expect(far.bar).to_be_visible()


def both_ask(near: RealCab, far: RealCab, word: str, watched: str = "watching") -> None:
    expect(near.bar).to_have_attribute("data-bar", word)
    expect(far.bar).to_have_attribute("data-bar", watched)


def to_cut_out(near: RealCab) -> None:
    """Answer what the first stage needs, up to its mark."""
    while near.asked() not in ("lower", "cut_out"):
        asked = near.asked()
        near.mark("")
        expect(near.bar).not_to_have_attribute("data-bar", asked)


@pytest.mark.long
def test_marks_appear_on_both_and_the_watcher_never_commands(near, far):
    run = near.begin("MV-12", "Ines Aldous", procedure="static-only")
    watch(near, far, "Bram Osei")
    expect(far.page.get_by_text("Observing").first).to_be_visible()
    expect(far.page.get_by_role("button", name="Make safe")).to_have_count(0)
    both_ask(near, far, "wheels_chocked")
    near.mark("Chocks are in")
    expect(far.page.locator("h1")).to_be_visible()
    to_cut_out(near)
    asked = near.asked()
    both_ask(near, far, asked, asked)
    # both mark the same thing, one of them without contact
    far.offline = True
    far.page.context.set_offline(True)
    far.mark("")
    near.mark("")
    expect(far.page.locator("[data-saved=false]")).to_be_visible()
    far.page.context.set_offline(False)
    for cab in (near, far):
        expect(cab.page.get_by_text("Marked twice")).to_be_visible(timeout=15_000)
    far.offline = False
    expect(far.page.get_by_role("button", name="Use mine")).to_have_count(0)  # a watcher gives up their own only
    near.page.get_by_role("button", name="Use mine").click()
    for cab in (near, far):
        expect(cab.page.get_by_text("Marked twice")).to_have_count(0)
    marks = [event for event in events_of(near, run) if event["body"]["type"] in ("reading", "withdrawn")]
    assert sorted(event["by"] for event in marks) == ["Bram Osei", "Ines Aldous", "Ines Aldous"]
    gone = next(event["body"]["event"] for event in marks if event["body"]["type"] == "withdrawn")
    assert {event["id"]: event["by"] for event in marks}[gone] == "Bram Osei"


def test_a_watcher_ticks_calls_sets_numbers_and_leads_on_when_the_drivers_device_has_died(near, far):
    near.set_up("MV-22", "Tove Lind", procedure="leak-check")
    near.page.get_by_role("radio", name=re.compile("shown", re.I)).first.click()
    near.page.locator("button[type=submit]:enabled").click()
    expect(near.bar).to_be_visible()
    run = near.page.url.rsplit("/", 1)[1]
    watch(near, far, "Hanne Solberry")
    near.prepare()
    near.mark("Pedal is down")
    expect(far.page.get_by_role("button", name="Said").first).to_be_visible()
    far.page.get_by_role("button", name="Said").first.click()
    expect(near.page.get_by_text("✓")).to_be_visible()
    near.mark("Needles settled")
    near.mark("Start timer")
    expect(far.page.get_by_role("slider").first).to_be_visible()
    far.set_start("100", "100")
    expect(near.page.get_by_role("slider")).to_have_count(0)
    near.page.context.close()  # the phone fell into the milk
    far.page.get_by_role("button", name="Observing", exact=True).click()
    far.page.get_by_role("button", name="Take over on this device").click()
    expect(far.bar).to_have_attribute("data-bar", "up")
    far.page.get_by_role("button", name="Make safe").click()
    far.page.get_by_role("button", name="Vehicle is safe: end test").click()
    expect(far.page.locator("article")).to_be_visible()
    kept = {event["body"]["type"]: event["by"] for event in events_of(far, run)}
    assert kept["said"] == kept["valued"] == "Hanne Solberry"
    assert kept["settled"] == "Tove Lind"


@pytest.mark.long
def test_a_wrong_code_is_said(far):
    far.sign_in("Cora Dunmere")
    far.go()
    far.expected = ["status of 422"]
    far.page.get_by_label("Join code").fill("nosuch")
    far.page.get_by_role("button", name="Watch a test").click()
    expect(far.page.get_by_role("alert")).to_contain_text("Ask for a new one")


@pytest.mark.long
def test_a_trainer_takes_a_test_over_and_low_gear_holds_where_there_are_no_chocks(near, browser):
    run = near.begin("MV-12", procedure="leak-check")
    near.do(COMBINATION, until="wheels_chocked")
    near.page.get_by_role("button", name="Held in low gear").click()
    expect(near.bar).to_have_attribute("data-bar", "area_clear")
    near.until(lambda: near.page.locator("[data-saved=true]").count() == 1)
    context = browser.new_context(locale="en-US", service_workers="block")
    other = Cab(context.new_page(), near.url)
    other.sign_in("Hanne Solberry")
    other.go()
    left_open = other.page.locator(f"[data-open='{run}']")
    expect(left_open.get_by_role("button", name="End test")).to_have_count(0)
    left_open.get_by_role("button", name="Take over").click()
    expect(other.bar).to_have_attribute("data-bar", "area_clear")
    other.do(COMBINATION)
    other.finish()
    expect(other.page.locator("article")).to_contain_text("Only low gear held the vehicle")
    assert other.complaints == []
    context.close()


def test_a_candidate_is_examined_told_nothing_and_given_a_report_of_their_own(cab, far):
    """Asked for without a reason it is the examiner's to grant; the vehicle's verdict and the driver's are two."""
    cab.set_up("MV-22", "Tove Lind", procedure="leak-check")
    cab.page.get_by_role("radio", name="training").click()
    cab.page.get_by_role("radio", name="an examination").click()
    cab.page.locator("button[type=submit]:enabled").click()
    expect(cab.bar).to_be_visible()
    run = cab.page.url.rsplit("/", 1)[1]
    cab.page.get_by_role("button", name="Invite an observer").click()
    code = cab.page.locator("[data-join-code]").inner_text()
    far.sign_in("Hanne Solberry")
    far.go()
    far.page.get_by_label("Join code").fill(code)
    far.page.get_by_role("button", name="Watch a test").click()
    expect(far.bar).to_be_visible()
    failing = {**COMBINATION, "leak_applied end": (80, 80)}
    cab.do(failing, until="settled")
    # the examiner has the words to hear, the candidate none to read
    expect(far.page.get_by_role("button", name="Said wrong").first).to_be_visible()
    expect(cab.page.get_by_text("may lose no more than")).to_have_count(0)
    cab.do(failing, until="pedalUp")
    candidate = cab.page.locator("[data-candidate]")
    expect(candidate.get_by_role("button", name="Good", exact=True)).to_be_visible()
    expect(cab.page.locator("[data-outcome=fail]")).to_have_count(0)
    expect(far.page.locator("[data-judged] [data-outcome=fail]")).to_be_visible()
    candidate.get_by_role("button", name="Good", exact=True).click()
    candidate.get_by_role("button", name="Ask to repeat it").click()
    expect(candidate.get_by_text("Request sent.")).to_be_visible()
    asks = far.page.locator("[data-asks]")
    expect(asks).to_contain_text("That is your decision")
    asks.get_by_role("button", name="Allow a repeat").click()
    cab.until(lambda: candidate.get_by_role("button", name="Start over").count() == 1)
    cab.page.get_by_role("button", name="Make safe").click()
    cab.page.get_by_role("button", name="Vehicle is safe: end test").click()
    expect(cab.page.locator("[data-withheld]")).to_be_visible()
    expect(cab.page.locator("article")).to_have_count(0)
    far.go(f"/runs/{run}")
    report = far.page.locator("[data-examination]")
    expect(report).to_contain_text("no reason given")
    expect(report).to_contain_text("critical")
    report.get_by_label("Remark to the candidate").fill("Twenty is not less than three.")
    report.get_by_role("button", name="Announce: not passed").click()
    expect(report).to_contain_text("Not passed · Hanne Solberry")
    cab.until(lambda: cab.page.locator("article").count() == 1, jump_s=5)
    expect(cab.page.locator("[data-examination]")).to_contain_text("Twenty is not less than three.")

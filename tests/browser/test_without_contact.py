"""The application without its server: opened, a test begun, led to its end, and judged once there is contact again."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import expect

from tests.browser.test_conductor import COMBINATION
from tests.browser.test_leak_journey import events_of, run_id

READY = "navigator.serviceWorker.ready.then(({ active }) => active.state)"


@pytest.fixture
def browser_context_args(browser_context_args):
    return {**browser_context_args, "service_workers": "allow"}


def visit_once(cab, name: str = "Tove Lind") -> None:
    """A first visit with contact, until the application and the scripts of all units are on the device."""
    cab.sign_in(name)
    scripts: list[str] = []
    cab.page.on("response", lambda answer: scripts.append(answer.url) if "/script" in answer.url else None)
    cab.go()
    expect(cab.page.get_by_role("heading", name="Yard")).to_be_visible()
    assert cab.page.evaluate(READY) in ("activated", "activating")
    units = cab.page.get_by_role("link", name=re.compile("^Test ")).count()
    cab.until(lambda: len(scripts) == units)
    cab.pass_time(2)  # the copy is written a moment after the last change
    cab.page.wait_for_load_state("networkidle")


def lose_contact(cab) -> None:
    cab.offline = True
    cab.page.context.set_offline(True)


def find_contact(cab) -> None:
    cab.page.context.set_offline(False)


def test_a_test_is_begun_and_ended_without_contact_and_judged_when_it_is_back(cab):
    page = cab.page
    visit_once(cab)
    lose_contact(cab)
    cab.go()  # the application itself comes from the device
    page.get_by_role("link", name="Test MV-12").click()
    page.locator("button[type=submit]:enabled").click()
    expect(cab.bar).to_be_visible()
    page.reload()
    expect(cab.bar).to_be_visible()
    run = run_id(cab)
    cab.do(COMBINATION, until="locked")  # nothing is rolled before the static part is judged
    expect(page.get_by_text("is not judged yet")).to_be_visible()
    find_contact(cab)
    cab.until(lambda: cab.asked() != "locked")
    cab.offline = False
    cab.do(COMBINATION)
    cab.finish()
    expect(page.locator("article [data-outcome=pass]").first).to_be_visible()
    kept = [event["body"]["type"] for event in events_of(cab, run)]
    assert kept[0] == "confirmed"
    assert kept[-1] == "finished"


def test_the_sheet_says_not_judged_yet_until_there_is_contact(cab):
    page = cab.page
    visit_once(cab)
    lose_contact(cab)
    cab.go()
    page.get_by_role("link", name="Test MV-03").click()
    page.get_by_label("Order of work").select_option("leak-check")
    expect(page.get_by_role("alert")).to_contain_text("is not on the device and needs contact")
    page.go_back()
    page.get_by_role("link", name="Test MV-03").click()
    page.locator("button[type=submit]:enabled").click()
    expect(cab.bar).to_be_visible()
    page.get_by_role("button", name="Make safe").click()
    page.get_by_role("button", name="It is safe; end the test").click()
    expect(page.locator("[data-outcome=pending]")).to_have_text("Not judged yet")
    find_contact(cab)
    cab.until(lambda: page.locator("article").count() == 1)
    cab.offline = False
    expect(page.locator("[data-outcome=incomplete]").first).to_be_visible()

"""The log in Chromium: found by a number, kept as a list, gone through by keys, side by side, signed, taken out."""

from __future__ import annotations

import datetime as dt
import re

from playwright.sync_api import expect

from tests.browser.cab import RealCab
from tests.browser.inspect import axe_findings, cut_off, load_axe
from tests.devices import Device


def test_the_log_is_narrowed_kept_and_gone_through_by_keys(page, app_url, client):
    device = Device(client)
    run_id = device.begin("MV-12").raise_for_status().json()["id"]
    device.send(device.struck("finished")).raise_for_status()
    cab = RealCab(page, app_url)
    cab.sign_in("Odile Ferrow")
    cab.go("/log")
    page.get_by_role("button", name="More filters").click()
    page.get_by_label("What was measured").select_option("leak_applied")
    least = page.get_by_label("At least (psi)")
    least.fill("3")
    least.press("Tab")
    expect(page).to_have_url(re.compile("at_least=3"))
    expect(page.locator("[data-count]")).to_contain_text("test")
    page.get_by_label("A name for this list").fill("lost much")
    page.get_by_role("button", name="Keep this list").click()
    expect(page.get_by_role("link", name="lost much")).to_be_visible()
    load_axe(page)
    assert axe_findings(page) == []
    assert cut_off(page) == []
    # by keys alone: the search, the first row, the next, and open it
    page.keyboard.press("Escape")
    page.locator("h1").click()
    page.keyboard.press("/")
    expect(page.get_by_role("searchbox")).to_be_focused()
    rows = page.locator("[data-open]")
    rows.first.focus()
    page.keyboard.press("ArrowDown")
    expect(rows.nth(1)).to_be_focused()
    for place in (0, 1):
        page.locator("tbody input[type=checkbox]").nth(place).check()
    page.get_by_role("link", name="These 2 side by side").click()
    expect(page.locator("[data-compare='2']")).to_be_visible()
    assert axe_findings(page) == []
    page.go_back()
    page.get_by_role("button", name="XLSX").click()
    expect(page.locator("[data-made=xlsx]")).to_be_visible(timeout=30_000)
    rows.first.press("Enter")
    expect(page.locator("[data-signing]")).to_be_visible()
    cab.go(f"/runs/{run_id}")
    with page.expect_response(re.compile("/sign$")) as told:
        page.get_by_role("button", name="Sign", exact=True).click()
    # what a refusal says of the clock is worth nothing without both clocks
    assert told.value.ok, (told.value.text(), page.evaluate("Date()"), dt.datetime.now(dt.UTC))
    expect(page.locator("[data-signed=driver]")).to_contain_text("Odile Ferrow")
    with page.expect_download() as paper:
        page.get_by_role("link", name="As PDF").click()
    assert paper.value.suggested_filename.endswith(".pdf")
    assert cab.complaints == []

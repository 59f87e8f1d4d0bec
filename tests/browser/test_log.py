"""The log in Chromium: found by a number, kept as a list, gone through by keys, side by side, signed, taken out."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from tests.browser.cab import RealCab
from tests.browser.inspect import axe_findings, cut_off, load_axe
from tests.devices import Device
from tests.plugin import HANG_S


def test_the_log_is_narrowed_kept_and_gone_through_by_keys(page, app_url, client, browser):
    device = Device(client)
    run_id = device.begin("MV-12").raise_for_status().json()["id"]
    device.send(device.marked("finished")).raise_for_status()
    cab = RealCab(page, app_url)
    cab.sign_in("Odile Ferrow")
    cab.go("/log")
    page.get_by_role("button", name="Filters").click()
    page.get_by_label("Measured value").select_option("leak_applied")
    least = page.get_by_label("At least (psi)")
    least.fill("6")
    least.press("Tab")
    expect(page).to_have_url(re.compile("at_least=6"))
    expect(page.locator("[data-count]")).to_contain_text("test")
    page.get_by_label("View name").fill("lost much")
    page.get_by_role("button", name="Save view").click()
    expect(page.get_by_role("link", name="lost much")).to_be_visible()
    load_axe(page)
    assert axe_findings(page) == []
    assert cut_off(page) == []
    # by keys alone: the search, the first row, the next, and open it
    page.keyboard.press("Escape")
    page.locator("h1").click()
    page.keyboard.press("/")
    expect(page.get_by_role("searchbox")).to_be_focused()
    rows = page.locator("[data-logged]")
    rows.first.focus()
    page.keyboard.press("ArrowDown")
    expect(rows.nth(1)).to_be_focused()
    for place in (0, 1):
        page.locator("tbody input[type=checkbox]").nth(place).check()
    page.get_by_role("link", name="Compare these 2").click()
    expect(page.locator("[data-compare='2']")).to_be_visible()
    assert axe_findings(page) == []
    page.go_back()
    page.get_by_role("button", name="Records (zip)", exact=True).click()
    made = page.locator("[data-made=records]")
    expect(made).to_be_visible(timeout=30_000)
    with page.expect_download() as packed:
        made.click()
    page.get_by_role("button", name="PDF", exact=True).click()
    printed = page.locator("[data-made=pdf]")
    expect(printed).to_be_visible(timeout=60_000)
    assert page.request.get(f"{cab.url}{printed.get_attribute('href')}").body()[:5] == b"%PDF-"
    # the same records again are known, each of them
    page.locator("input[type=file]").set_input_files(packed.value.path())
    expect(page.locator("[data-arrived]")).to_have_text(re.compile(r"^0 imported, [1-9]\d* already here$"))
    page.get_by_label("Export another table").select_option("holds")
    with page.expect_download() as holds:
        page.locator("a[href*='/api/tables/holds.xlsx']").click()
    assert holds.value.suggested_filename.startswith("low-hiss-holds-")
    rows.first.press("Enter")
    expect(page.locator("[data-signing]")).to_be_visible()
    cab.go(f"/runs/{run_id}")
    page.wait_for_load_state("networkidle")  # a button that moves while it is pressed hears nothing
    with page.expect_response(re.compile("/sign$"), timeout=HANG_S * 1000) as told:
        page.get_by_role("button", name="Sign", exact=True).click()
    assert told.value.ok, told.value.text()
    expect(page.locator("[data-signed=driver]")).to_contain_text("Odile Ferrow")
    with page.expect_download() as paper:
        page.get_by_role("link", name="Export PDF").click()
    assert paper.value.suggested_filename.endswith(".pdf")
    # whoever holds that paper follows its code, without an account
    sealed = client.get(f"/api/runs/{run_id}/seals").json()["seals"][-1]["sha256"]
    with browser.new_context(viewport={"width": 390, "height": 844}) as stranger:
        held = stranger.new_page()
        held.goto(f"{app_url}/check/{sealed}")
        expect(held.locator("[data-check=sound]")).to_be_visible()
        expect(held.locator("dl")).to_contain_text("MV-12")
        load_axe(held)
        assert axe_findings(held) == []
        assert cut_off(held) == []
        held.goto(f"{app_url}/check/{sealed[::-1]}")
        expect(held.locator("[data-check=unknown]")).to_be_visible()
    assert cab.complaints == []

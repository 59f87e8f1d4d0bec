"""What a result leads to, on the screens: held, repaired, looked at again, released; a defect seen in a dead zone."""

from __future__ import annotations

import io
import re

import pytest
from PIL import Image
from playwright.sync_api import expect

from tests.browser.cab import client_of, failed_an_hour_ago
from tests.browser.test_conductor import COMBINATION
from tests.devices import UNIT_ID, Device


def test_a_fail_holds_a_repair_is_certified_and_a_recheck_lifts_it(cab, coupled):
    page, name = cab.page, coupled["name"]
    run = failed_an_hour_ago(cab, coupled)
    cab.sign_in("Jory Pask")
    cab.go(f"/runs/{run}")
    expect(page.locator("[data-did]")).to_contain_text("the unit is now on hold. Do not drive.")
    page.get_by_role("link", name="Workshop").click()
    hold = page.locator("[data-hold=leak_applied]", has_text=f"{name} + {name}-T")
    expect(hold).to_contain_text("112 → 98 psi")
    expect(hold).to_contain_text("The one that passes is released.")
    expect(hold.get_by_role("button", name="Release hold")).to_have_count(0)
    hold.get_by_role("button", name="Certify repair").click()
    page.get_by_label("Work done").fill("Both glad hand seals")
    page.get_by_role("button", name="I certify this repair").click()
    expect(hold).to_contain_text("repair certified")
    cab.set_up(name, "Tove Lind", held=True)
    expect(page.locator("[data-recheck]")).to_contain_text("Stages that must pass to lift the hold")
    page.locator("button[type=submit]:enabled").click()
    expect(cab.bar).to_be_visible()
    cab.do(COMBINATION)  # the hold chose the order: the one stage that failed
    cab.finish()
    expect(page.locator("[data-did]")).to_have_text("Applied leak test, pedal held: the hold is lifted.")
    cab.go(f"/units/{coupled['id']}")
    # free of its hold, and no more: a unit is fit once every stage of its order has passed
    expect(page.locator("[data-status=never_tested]").first).to_be_visible()
    expect(page.get_by_text("Repair certified: Both glad hand seals")).to_be_visible()


def test_the_next_driver_reads_what_was_done_and_says_so(cab, coupled):
    page = cab.page
    with client_of(cab, "Jory Pask") as client:
        device = Device(client)
        seen = device.act("defect_seen", coupled["id"], group="washer", what="dry")
        device.send_acts(seen).raise_for_status()
        device.send_acts(device.act("repaired", coupled["id"], did="Pump replaced", defects=[seen["id"]]))
    cab.set_up(coupled["name"], "Ines Aldous")
    told = page.locator("[data-unread]")
    expect(told).to_contain_text("Washer: dry")
    expect(told).to_contain_text("certified by Jory Pask")
    told.get_by_role("button", name="Acknowledge").click()
    expect(told).to_have_count(0)
    cab.go(f"/units/{coupled['id']}")
    expect(page.get_by_text("Acknowledged: Washer: dry")).to_be_visible()


@pytest.mark.long
def test_somebody_puts_it_on_hold_and_a_manager_releases_it_with_a_reason(cab):
    page = cab.page
    cab.sign_in("Ines Aldous")
    cab.go(f"/units/{UNIT_ID['MV-03']}")
    page.get_by_role("button", name="Put on hold").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_role("textbox").fill("Smells of burning at the left rear")
    dialog.get_by_role("button", name="Put on hold").click()
    expect(page.locator("[data-hold=hand]")).to_contain_text("Smells of burning")
    expect(page.get_by_role("button", name="Release hold")).to_have_count(0)
    cab.go()
    expect(page.locator("[data-unit=MV-03]:visible")).to_contain_text("On hold")
    page.wait_for_load_state("networkidle")  # what the page still asks as somebody else would be refused
    cab.sign_in("Odile Ferrow")
    cab.go("/workshop")
    held = page.locator("[data-hold=hand]", has_text="MV-03")
    held.get_by_role("button", name="Release hold").click()
    dialog.get_by_role("textbox").fill("A plastic bag on the exhaust, taken off")
    dialog.get_by_role("button", name="Release hold").click()
    expect(held).to_have_count(0)
    cab.go(f"/units/{UNIT_ID['MV-03']}")
    expect(page.get_by_text("Hold released: A plastic bag on the exhaust, taken off")).to_be_visible()


def photograph():
    out = io.BytesIO()
    Image.new("RGB", (800, 600), "orange").save(out, "PNG")
    return {"name": "tire.png", "mimeType": "image/png", "buffer": out.getvalue()}


def test_a_defect_seen_in_a_dead_zone_is_kept_with_its_photograph_and_sent(cab):
    page = cab.page
    cab.sign_in("Bram Osei")
    cab.go(f"/units/{UNIT_ID['MV-22']}")
    page.get_by_role("button", name="Report a defect").click()
    page.get_by_label(re.compile("^(Part|Pieza)")).fill("wheel nut")
    expect(page.get_by_role("button", name="Wheel nut or stud")).to_be_visible()
    cab.offline = True
    page.context.set_offline(True)
    page.get_by_role("button", name="Wheel nut or stud").click()
    page.get_by_label("What is wrong").fill("one missing")
    page.get_by_label(re.compile("^Where")).fill("axle 3, left")
    page.locator("input[type=file]").set_input_files(photograph())
    expect(page.get_by_text("1 photo")).to_be_visible()
    page.get_by_role("button", name="Report defect").click()
    expect(page.locator("[data-act=waiting]")).to_contain_text("one missing")
    page.context.set_offline(False)
    cab.until(lambda: page.locator("[data-act=waiting]").count() == 0)
    cab.offline = False
    defect = page.locator("[data-defect=open]", has_text="one missing")
    expect(defect).to_contain_text("Do not drive")
    expect(defect.get_by_role("img")).to_be_visible()
    # what may not be done is said where it was done, and kept until it was read
    cab.sign_in("Wanda Keel")
    cab.go("/workshop")
    mine = page.locator("[data-defect=open]", has_text="one missing")
    expect(mine).to_be_visible()
    with client_of(cab, "Jory Pask") as client:
        known = next(one for one in client.get("/api/workshop").json()["defects"] if "one missing" in one["text"])
        device = Device(client)
        device.send_acts(
            device.act("repaired", UNIT_ID["MV-22"], did="two nuts", defects=[known["id"]])
        ).raise_for_status()
    mine.get_by_role("button", name="No repair needed").click()
    page.get_by_role("dialog").get_by_role("textbox").fill("All there")
    page.get_by_role("dialog").get_by_role("button", name="No repair needed").click()
    expect(page.locator("[data-act=aside]")).to_contain_text("Jory Pask has already certified this")
    page.get_by_role("button", name="Dismiss").click()
    expect(page.locator("[data-act=aside]")).to_have_count(0)

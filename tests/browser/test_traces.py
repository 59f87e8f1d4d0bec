"""The trace desk in Chromium: a file dropped, a stage moved by mouse and by key, the verdict follows, and back."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import expect

from lowhiss.exchange.traces import write_trace
from tests.browser.cab import RealCab
from tests.browser.inspect import axe_findings, cut_off, load_axe
from tests.devices import UNIT_ID
from tests.plugin import HANG_S
from tests.trace.recorded import driven


@pytest.fixture(scope="module")
def file(tmp_path_factory):
    one = driven("tractor_semitrailer", "us-full")
    path = tmp_path_factory.mktemp("recordings") / "yard-box.csv"
    with path.open("w", newline="") as out:
        write_trace(out, one.samples, one.spec.unit.needles, trailer=True)
    return path


def test_a_recording_is_dropped_its_stage_moved_and_judged_again(page, app_url, file):
    cab = RealCab(page, app_url)
    cab.sign_in("Hanne Solberry")
    cab.go("/log")
    page.get_by_role("link", name="Recordings").click()
    page.set_input_files("input[type=file]", file)
    row = page.locator("[data-stage=leak_applied]")
    expect(row.locator("[data-outcome=pass]")).to_be_visible(timeout=30_000)
    expect(page.locator("[data-columns]")).to_contain_text("primary: primary_psi")
    expect(page.get_by_label("Test order")).to_contain_text("detected: US full test")
    row.get_by_role("button").click()
    end = page.locator("[data-handle=to_s]")
    before = float(end.get_attribute("aria-valuenow"))
    # dragged over the strokes that follow, the loss is no longer a hold's
    grip = end.locator("rect")
    grip.hover()
    box = grip.bounding_box()
    page.mouse.down()
    page.mouse.move(box["x"] + 60, box["y"] + box["height"] / 2, steps=5)
    page.mouse.up()
    expect(row).to_have_attribute("data-moved", "true")
    expect(row.locator("[data-outcome=fail]")).to_be_visible()
    page.get_by_role("button", name="Undo last move").click()
    expect(row.locator("[data-outcome=pass]")).to_be_visible()
    end.focus()
    page.keyboard.press("ArrowLeft")
    expect(row).to_have_attribute("data-moved", "true")
    expect(row.locator("[data-outcome=pass]")).to_be_visible()
    assert float(end.get_attribute("aria-valuenow")) == pytest.approx(before - 0.5, abs=0.11)
    load_axe(page)
    assert axe_findings(page) == []
    assert cut_off(page) == []
    cab.expected = ["status of 422"]
    page.set_input_files(
        "input[type=file]", {"name": "milk.csv", "mimeType": "text/csv", "buffer": b"farm,litres\nA,1\n" * 3}
    )
    expect(page.get_by_role("alert")).to_contain_text("no time column found among farm, litres")
    # the pressures' unit is said by hand, and the file is read again
    odd = b"t_s,A\n" + b"".join(b"%d,%d\n" % (n, 800 + n) for n in range(60))
    page.set_input_files("input[type=file]", {"name": "odd.csv", "mimeType": "text/csv", "buffer": odd})
    expect(page.get_by_role("alert")).to_contain_text("no column has pressures")
    form = page.locator("[data-columns-form]")
    form.get_by_label("Primary").fill("A")
    form.get_by_label("Pressure unit").select_option("kpa")
    form.get_by_role("button").click()
    expect(page.locator("[data-columns]")).to_contain_text("primary: A")
    assert cab.complaints == []


def test_many_are_dropped_together_one_is_no_test_and_one_becomes_a_run(page, app_url, file, tmp_path):
    milk = tmp_path / "milk.csv"
    milk.write_text("farm,litres\nA,1\nB,2\nC,3\n")
    cab = RealCab(page, app_url)
    cab.sign_in("Odile Ferrow")
    cab.go("/traces")
    page.set_input_files("input[type=file]", [file, milk])
    expect(page.locator("[data-batch=done]")).to_be_visible(timeout=HANG_S * 1000)
    expect(page.locator("[data-line='milk.csv']")).to_contain_text("no time column found among farm, litres")
    load_axe(page)
    assert axe_findings(page) == []
    page.get_by_role("button", name="yard-box.csv").click()
    page.get_by_role("button", name="Not a test").click()
    expect(page.locator("[data-settle=no_test]")).to_be_visible()
    page.get_by_role("button", name="Undo: may be a test").click()
    expect(page.locator("[data-settle=open]")).to_contain_text("Choose a unit above")
    page.get_by_label(re.compile("^Vehicle")).select_option(UNIT_ID["MV-12"])
    page.get_by_label("Start time").fill("2026-10-20T05:10:00")
    page.get_by_label("Driver").fill("Tove Lind")
    page.get_by_role("button", name="Add to log").click()
    page.get_by_role("link", name="Open report").click()
    expect(page.locator("[data-from-recording]")).to_contain_text("yard-box.csv: 9 of 9 stages found")
    assert cut_off(page) == []
    assert cab.complaints == []

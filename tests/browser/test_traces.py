"""The trace desk in Chromium: a file dropped, a stage moved by mouse and by key, the verdict follows, and back."""

from __future__ import annotations

import pytest
from playwright.sync_api import expect

from lowhiss.exchange.traces import write_trace
from tests.browser.cab import RealCab
from tests.browser.inspect import axe_findings, cut_off, load_axe
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
    expect(page.get_by_label("Order of work")).to_contain_text("found: US full test")
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
    page.get_by_role("button", name="Undo the last move").click()
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
    expect(page.get_by_role("alert")).to_contain_text("none of farm, litres is a time")
    assert cab.complaints == []

"""The applied leak-down from the yard to the report, as a driver does it."""

from __future__ import annotations

import httpx
import pytest
from playwright.sync_api import expect

from tests.conftest import sign_in


def run_id(cab) -> str:
    return cab.page.url.rsplit("/", 1)[1]


HOW_MANY_WAIT = """() => new Promise((told) => {
  const opening = indexedDB.open('lowhiss')
  opening.onsuccess = () => {
    const counting = opening.result.transaction('events').objectStore('events').index('delivery').count('waiting')
    counting.onsuccess = () => {
      opening.result.close()
      told(counting.result)
    }
  }
})"""


def events_of(cab, run: str):
    """What the server has, asked by a client of its own: the page may be without a network.

    Where it has one, what waits on the page's device is sent first.
    """
    if not cab.offline:
        cab.until(lambda: cab.page.evaluate(HOW_MANY_WAIT) == 0)
    with httpx.Client(base_url=cab.url) as client:
        return sign_in(client).get(f"/api/runs/{run}/events").json()


def test_a_combination_passes_by_keyboard_alone(cab):
    page = cab.page
    cab.begin("MV-12", "Ines Aldous", procedure="leak-check")
    for word in ("Engine is off", "Key is on", "Chocks are in", "Area is clear", "Knobs are in", "Pedal is down"):
        expect(cab.bar).to_contain_text(word)
        page.keyboard.press("Space")
        expect(cab.bar).not_to_contain_text(word)
        cab.pass_time(3)
    page.keyboard.press("Space")
    expect(cab.bar).to_contain_text("Start timer")
    cab.pass_time(20)
    expect(page.get_by_text("The air has settled")).to_be_visible()
    page.keyboard.press("Space")
    expect(page.get_by_role("timer")).to_contain_text("of 60 seconds left")
    for number in ("100", "101"):
        page.keyboard.type(number)
        page.keyboard.press("Tab")
    page.keyboard.press("Shift+Tab")
    page.keyboard.press("Enter")
    expect(page.get_by_role("timer")).to_contain_text("Started at 100 · 101 psi.")
    cab.hold_to_the_end()
    expect(cab.bar).to_be_disabled()  # a ghost is no reading: enter twice is not "nothing lost"
    cab.set_tapes("97", "99")
    page.keyboard.press("Enter")
    verdict = cab.wait_for_verdict()
    expect(verdict).to_have_text("Pass")
    expect(
        page.get_by_text("100 → 97 psi in 60 s, 3.0 psi/min, limit 4, 1.0 to spare, reading error ±0.8")
    ).to_be_visible()
    for asked in ("pedalUp", "finish"):
        cab.until(lambda asked=asked: cab.asked() == asked)
        cab.pass_time(1)
        page.keyboard.press("Space")
    cab.until(lambda: page.locator("article").count() > 0)
    expect(page.get_by_role("img", name="Air column, 97 psi")).to_be_visible()

    run = run_id(cab)
    kept = [event["body"] for event in events_of(cab, run)]
    assert kept[0] == {"type": "engine", "state": "off"}
    assert {"type": "knob", "knob": "trailer", "state": "in", "cause": "hand"} in kept
    assert kept[-1] == {"type": "finished"}
    page.get_by_role("link", name="Log").click()
    row = page.locator("tbody tr").first
    expect(row).to_contain_text("MV-12")
    expect(row).to_contain_text("Ines Aldous")
    expect(row).to_contain_text("100 → 97")


@pytest.mark.long
def test_a_bus_fails_and_the_report_says_do_not_drive_first(cab):
    cab.begin("MV-21", procedure="leak-check")
    cab.prepare()
    cab.press_and_settle()
    cab.set_start("112", "112")
    cab.hold_to_the_end()
    cab.set_tapes("108", "111")
    cab.mark("Readings are right")
    expect(cab.wait_for_verdict()).to_have_text("Fail")
    expect(cab.page.get_by_text("Do not drive. Park the vehicle")).to_be_visible()
    cab.page.get_by_role("button", name="End test here").click()
    expect(cab.page.locator("article p").first).to_have_text("Do not drive.")
    expect(cab.page.get_by_text("a single vehicle may lose no more than three psi")).to_be_visible()
    cab.go()
    expect(cab.page.locator("[data-unit=MV-21]:visible")).to_contain_text("On hold")


@pytest.mark.long
def test_the_pedal_came_up_early_needs_a_held_press_and_comes_out_void(cab):
    page = cab.page
    cab.begin("MV-03", procedure="leak-check")
    cab.prepare()
    cab.press_and_settle()
    cab.set_start("110", "110")
    cab.pass_time(30)
    cab.bar.click()  # a stray tap spoils nothing
    page.keyboard.press("Space")
    cab.pass_time(1)
    expect(page.get_by_role("timer")).to_be_visible()
    page.keyboard.down("Space")
    cab.pass_time(1.1)
    expect(page.get_by_text("Ended early")).to_be_visible()
    page.keyboard.up("Space")
    cab.set_tapes("110", "109")
    cab.mark("Readings are right")
    expect(cab.wait_for_verdict()).to_have_text("Void")
    expect(page.locator("[data-finding=hold_short]")).to_contain_text("s shorter than 60 s")
    page.get_by_role("button", name="Marks").click()
    page.get_by_role("listitem").filter(has_text="end").get_by_role("button", name="Correct").click()
    expect(page.get_by_role("slider")).to_have_count(2)


@pytest.mark.long
def test_an_unmet_condition_is_said_at_once_and_judged_void(cab):
    cab.begin("MV-05", procedure="leak-check")
    cab.deny()
    for word in ("Key is on", "Chocks are in", "Area is clear", "Knobs are in"):
        cab.mark(word)
    cab.deny()  # asked once more before the stage itself
    cab.do({}, until="pedal_full")
    expect(cab.page.get_by_role("alert")).to_contain_text("can void this stage")
    cab.press_and_settle()
    cab.set_start("110", "110")
    cab.hold_to_the_end()
    cab.set_tapes("110", "109")
    cab.mark("Readings are right")
    expect(cab.wait_for_verdict()).to_have_text("Void")
    expect(cab.page.locator("[data-finding=engine_running]")).to_be_visible()


def test_no_network_from_the_first_mark_to_the_last_loses_nothing(cab):
    page = cab.page
    cab.begin("MV-12", procedure="leak-check")
    cab.until(lambda: page.locator("[data-saved=true]").count() == 1)
    cab.offline = True
    page.context.set_offline(True)
    cab.prepare()
    cab.press_and_settle()
    cab.set_start("100", "100")
    cab.hold_to_the_end()
    cab.set_tapes("98", "98")
    cab.mark("Readings are right")
    expect(page.locator("[data-outcome=pending]")).to_have_text("Not judged yet")
    expect(page.get_by_text("marks waiting")).to_contain_text("12 marks waiting")
    run = run_id(cab)
    assert events_of(cab, run) == []
    page.context.set_offline(False)
    expect(cab.wait_for_verdict()).to_have_text("Pass")
    cab.offline = False
    kept = events_of(cab, run)
    assert [event["body"]["type"] for event in kept][-4:] == ["reading", "valued", "reading", "valued"]
    ends = [event for event in kept if event["body"]["type"] == "reading"]
    assert ends[1]["mono_s"] - ends[0]["mono_s"] == pytest.approx(60, abs=0.3)


@pytest.mark.long
def test_a_reload_in_the_hold_goes_on_where_it_was(cab):
    cab.begin("MV-22", procedure="leak-check")
    cab.prepare()
    cab.press_and_settle()
    cab.set_start("100", "100")
    cab.pass_time(20)
    cab.page.reload()
    expect(cab.page.get_by_role("timer")).to_contain_text("Started at 100 · 100 psi.")
    run = run_id(cab)
    cab.go()
    cab.page.locator(f"[data-open='{run}']").get_by_role("link", name="Resume").click()
    expect(cab.page.get_by_role("timer")).to_contain_text("of 60 seconds left")


@pytest.mark.long
def test_a_reading_above_the_start_is_asked_about_and_kept_in_the_readers_unit(cab):
    page = cab.page
    cab.prefer(language="es", unit="kpa", light="night")
    cab.begin("MV-02", procedure="leak-check")  # one circuit: one needle
    for word in ("Motor apagado", "Llave encendida", "Calzos puestos", "Área despejada", "Botones adentro"):
        cab.mark(word)
    cab.mark("Pedal pisado")
    cab.pass_time(9)
    cab.mark("Agujas quietas")
    cab.pass_time(15)
    cab.mark("Iniciar tiempo")
    cab.set_tapes("750")
    page.keyboard.press("Enter")
    cab.pass_time(60.2)
    cab.set_tapes("760")
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("más alta que al inicio (750 kPa)")
    cab.mark("Sí, es correcta")
    expect(cab.wait_for_verdict()).to_have_text("Aprobada")
    expect(page.locator("[data-finding=needle_rose]")).to_contain_text("subió")
    readings = [event["body"] for event in events_of(cab, run_id(cab)) if event["body"]["type"] == "valued"]
    assert [body["primary_kpa"] for body in readings] == [750, 760]


def test_make_safe_ends_the_test_and_a_mark_can_be_taken_back(cab):
    page = cab.page
    cab.begin("MV-14", procedure="leak-check")
    cab.mark("Engine is off")
    page.get_by_role("button", name="Withdraw: engine off").click()
    expect(cab.bar).to_contain_text("Engine is off")
    page.get_by_role("button", name="Make safe").click()
    page.keyboard.press("Space")  # under a dialog the bar is dead
    page.get_by_role("button", name="Vehicle is safe: end test").click()
    cab.until(lambda: page.locator("article").count() > 0)
    kept = [event["body"]["type"] for event in events_of(cab, run_id(cab))]
    assert kept == ["engine", "withdrawn", "made_safe", "abandoned"]


@pytest.mark.long
def test_the_tape_by_thumb_and_out_of_range(cab):
    page = cab.page
    cab.begin("MV-14", procedure="leak-check")
    cab.prepare()
    cab.press_and_settle()
    tape = page.get_by_role("slider", name="Primary needle")
    ghost = int(tape.get_attribute("aria-valuenow"))
    box = tape.bounding_box()
    middle = (box["x"] + box["width"] / 2, box["y"] + 20)
    page.mouse.move(*middle)
    page.mouse.down()
    page.mouse.move(middle[0] - 95, middle[1], steps=5)
    page.mouse.up()
    expect(tape).to_have_attribute("aria-valuetext", f"{ghost + 5} psi")
    page.mouse.click(middle[0] + 38, middle[1])
    expect(tape).to_have_attribute("aria-valuetext", f"{ghost + 7} psi")
    page.get_by_role("button", name="Primary needle, one less").click()
    expect(tape).to_have_attribute("aria-valuetext", f"{ghost + 6} psi")
    tape.focus()
    page.keyboard.type("201")
    expect(page.get_by_role("alert")).to_contain_text("A reading must be between 0 and 200 psi.")
    expect(tape).to_have_attribute("aria-valuetext", "20 psi")


def test_deep_links_missing_pages_and_an_empty_search(cab):
    page = cab.page
    cab.sign_in()
    cab.go("/log?q=nothing-like-it")
    expect(page.get_by_text("No tests match these filters.")).to_be_visible()
    cab.go("/somewhere/else")
    expect(page.get_by_text("This page doesn't exist.")).to_be_visible()
    page.get_by_role("link", name="Go to the yard").click()
    expect(page.get_by_role("heading", name="Yard", exact=True)).to_be_visible()

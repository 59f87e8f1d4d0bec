"""The practice vehicle in Chromium, in real time: driven by keys and by thumb, rolled off its chocks, gone on with."""

from __future__ import annotations

import re
import subprocess

import pytest
from playwright.sync_api import expect

from lowhiss.engine.practice import replay
from tests.browser.inspect import AXE, cut_off, small_controls
from tests.browser.seat import READY_S, Seat
from tests.conftest import ROOT

LEAK_CHECK = {"Test order": "Applied leak test only"}
MEMORIES = "caches.open('judge-memory').then((cache) => cache.keys()).then((keys) => keys.length)"
PHONE = {"viewport": {"width": 390, "height": 844}, "has_touch": True, "is_mobile": True}


def hold_a_minute(seat: Seat, *, settle_s: float = 8) -> None:
    """With the pedal down: settled, the clock, both numbers, and the other two when the time is up."""
    seat.until_asked("settled", "start")
    seat.page.wait_for_timeout(settle_s * 1000)
    if seat.asked() == "settled":
        seat.mark()
    seat.mark()
    seat.page.wait_for_timeout(300)
    seat.set_numbers(*seat.both())
    seat.until(lambda: seat.asked() in ("read", "readOne"), 80)
    seat.set_numbers(*seat.both())


@pytest.mark.long
@pytest.mark.real_time
def test_a_whole_test_is_driven_by_keys_and_its_log_is_the_same_on_the_server(browser, app_url):
    """A bus, its needles read as a person reads them; the record replays here to the very bits of the device."""
    page = browser.new_page(viewport={"width": 1280, "height": 800})
    seat = Seat(page, app_url)
    seat.begin("bus", choose=LEAK_CHECK, press=("automatic", "full", "none"))
    seat.key("k")
    expect(page.locator("[data-lamp=true]")).to_be_visible()  # the lamp proves itself
    expect(page.locator("[data-lamp=false]")).to_be_visible()
    page.wait_for_timeout(3000)  # the needles sweep
    seat.key("y", "o", "Comma", "Period")
    seat.until_asked("pedal_full")
    page.keyboard.down("ArrowDown")
    hold_a_minute(seat)
    expect(page.get_by_text("Pass", exact=True)).to_be_visible(timeout=20_000)
    page.keyboard.up("ArrowDown")
    for _ in range(6):
        if "/after" in page.url:
            break
        page.keyboard.press("Space")
        page.wait_for_timeout(1500)
    seat.after()
    expect(page.get_by_role("heading", level=1)).to_contain_text("The vehicle had no fault. You called it good.")
    practice_id = re.search("practice/([0-9a-f-]+)/after", page.url).group(1)
    seat.until(lambda: page.request.get(f"{app_url}/api/practices/{practice_id}").ok, 20)
    kept = page.request.get(f"{app_url}/api/practices/{practice_id}").json()
    again = replay(kept["record"])
    assert again.digest() == kept["record"]["digest"]  # WebAssembly and this machine: the same bits
    assert kept["head"]["outcome"] == "pass"
    yard = page.request.get(f"{app_url}/api/log").text()
    assert practice_id not in yard
    assert not seat.complaints


@pytest.mark.long
@pytest.mark.real_time
def test_a_hidden_leak_is_found_by_two_thumbs(browser, app_url):
    """At 390 px: the pedal under one thumb, the mark under the other; what was hidden is told after it."""
    context = browser.new_context(**PHONE)
    page = context.new_page()
    seat = Seat(page, app_url)
    page.goto(f"{app_url}/practice")
    page.get_by_role("radio", name="chosen", exact=True).click()
    # what it can hide is asked of the core, which comes to this device first
    page.get_by_role("button", name="Leak in the primary circuit: severe").click(timeout=READY_S * 1000)
    seat.choose("bus", choose=LEAK_CHECK, press=("automatic", "full"))
    page.locator("[data-key=on]").tap()
    page.wait_for_timeout(4500)
    knob = page.locator("[data-knob=parking]")
    box = knob.bounding_box()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 30)
    page.mouse.down()
    page.wait_for_timeout(400)
    page.mouse.up()
    expect(knob).to_have_attribute("aria-checked", "true")
    for side in ("left", "right"):
        page.locator(f"[data-mirror={side}]").dispatch_event("click")
    seat.until_asked("pedal_full")
    page.get_by_role("button", name="Lock down").tap()
    seat.until_asked("settled", "start")
    page.wait_for_timeout(5000)
    if seat.asked() == "settled":
        page.wait_for_timeout(300)
        seat.bar.tap()
    seat.until_asked("start")
    page.wait_for_timeout(500)
    seat.bar.tap()
    page.wait_for_timeout(300)
    seat.set_numbers(*seat.both())
    seat.until(lambda: seat.asked() in ("read", "readOne"), 80)
    seat.set_numbers(*seat.both())
    expect(page.get_by_text("Fail", exact=True).first).to_be_visible(timeout=20_000)
    page.get_by_role("button", name="End test here").tap()
    seat.after()
    expect(page.get_by_role("heading", level=1)).to_contain_text("limit 3. You called it bad.")
    expect(page.get_by_text("Faults: Leak in the primary circuit.")).to_be_visible()
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    assert not seat.complaints
    context.close()


def test_it_rolls_off_its_chocks_and_a_page_that_died_goes_on_at_the_same_second(tablet, app_url):
    page = tablet.new_page()
    seat = Seat(page, app_url)
    seat.begin("truck", press=("free", "full", "none"))
    # without sight of it: the meters say where they stand
    assert page.get_by_role("meter", name="Primary").get_attribute("aria-valuetext")
    seat.start_engine()
    seat.key("y")
    page.wait_for_timeout(1500)
    page.keyboard.down("c")
    page.wait_for_timeout(300)
    seat.key("g", "1")
    expect(page.locator("[data-gear=L]")).to_have_attribute("aria-pressed", "true")
    page.keyboard.down("w")
    page.wait_for_timeout(900)
    page.keyboard.up("c")
    expect(page.locator("[data-rolls=true]")).to_be_visible(timeout=10_000)  # over the chocks, with the throttle
    page.wait_for_timeout(1200)
    page.keyboard.up("w")
    page.keyboard.down("ArrowDown")
    expect(page.locator("[data-rolls=false]")).to_be_visible(timeout=10_000)
    page.keyboard.up("ArrowDown")
    page.wait_for_timeout(1500)  # it is written down once a second
    before = seat.needle("Primary")
    address = page.url
    page.close()
    page = tablet.new_page()
    seat = Seat(page, app_url)
    asked: list[str] = []
    page.on("request", lambda request: asked.append(request.url.rsplit("/", 1)[1]))
    page.goto(address)
    seat.here()
    # from the memory that the first start left; where it does not fit, everything is asked for and begun again
    assert page.evaluate(MEMORIES) == 1
    assert asked.count("pyodide.asm.wasm") == 1
    expect(page.locator("[data-gear=L]")).to_have_attribute("aria-pressed", "true")
    assert seat.needle("Primary") == pytest.approx(before, abs=4)
    page.close()


def test_a_trainer_on_another_device_sees_the_truth_and_sets_the_vehicle(browser, tablet, app_url):
    seat = Seat(tablet.new_page(), app_url)
    seat.begin("tractor and trailer", press=("free", "full", "none"))
    seat.page.get_by_role("button", name="Invite trainer").click()
    seat.page.get_by_role("button", name="Invite trainer").last.click()
    code = re.search("Code ([^,]+),", seat.page.locator("[data-code]").inner_text()).group(1)
    training = browser.new_context(viewport={"width": 1280, "height": 800})
    trainer = Seat(training.new_page(), app_url, "Hanne Solberry")
    trainer.page.goto(app_url)
    trainer.page.get_by_label("Join code").fill(code)
    trainer.page.get_by_role("button", name="Watch a test").click()
    expect(trainer.page).to_have_url(re.compile("/watch$"))
    expect(trainer.page.locator("[data-set]")).to_have_text("Remove all faults", timeout=20_000)
    expect(trainer.page.get_by_text("primary", exact=True)).to_be_visible()
    trainer.page.get_by_role("button", name="Leaking coupling: severe").click(timeout=60_000)
    trainer.page.get_by_role("button", name="Apply", exact=True).click()
    expect(trainer.page.locator("[data-set]")).to_contain_text("Leaking coupling")
    trainer.page.get_by_role("button", name="Drain tanks").first.click()
    assert "coupling" not in seat.page.locator("body").inner_text().lower().replace("uncoupled", "")
    seat.page.close()
    expect(trainer.page.get_by_text("The driver's device is disconnected.", exact=False)).to_be_visible(timeout=20_000)
    assert not trainer.complaints
    training.close()


TRANSPILE = (
    "const ts = require('typescript'); const text = require('fs').readFileSync('src/features/dash/sounds.ts', 'utf8');"
    "const out = ts.transpileModule(text, { compilerOptions: { module: 'esnext', target: 'es2022' } }).outputText;"
    "process.stdout.write(out.replace('export class', 'window.CabSounds = class'))"
)
RENDER = """async ([sounds, rpm]) => {
  const context = new OfflineAudioContext(1, 44100, 44100)
  const cab = new window.CabSounds(context)
  cab.play({ rpm, parking: false, trailer: false, sounds }, 0)
  const samples = (await context.startRendering()).getChannelData(0)
  let [energy, change, last] = [0, 0, 0]
  for (const now of samples) {
    energy += now * now
    change += (now - last) ** 2
    last = now
  }
  return [Math.sqrt(energy / samples.length), change / Math.max(energy, 1e-12)]
}"""


def test_every_sound_has_energy_where_it_should(page):
    """Rendered without a loudspeaker: a hiss is high, an engine is low, a louder leak is louder, silence is silent."""
    made = subprocess.run(
        ["node", "-e", TRANSPILE], cwd=ROOT / "web", check=True, capture_output=True, text=True
    ).stdout
    page.goto("about:blank")
    page.add_script_tag(content=made)

    def heard(*sounds: tuple[str, str, float], rpm: float = 700) -> tuple[float, float]:
        told = [{"name": name, "place": place, "level": level} for name, place, level in sounds]
        return tuple(page.evaluate(RENDER, [told, rpm]))

    silence = heard()[0]
    faint, plain = heard(("hiss", "coupling", 2.0)), heard(("hiss", "coupling", 4.0))
    engine, buzzer = heard(("engine", "engine", 5.0)), heard(("buzzer", "dash", 7.0))
    assert silence == 0
    # two steps of the scale are 6.6 dB of flow
    assert plain[0] / faint[0] == pytest.approx(10 ** (6.6 / 20), rel=0.1)
    assert plain[1] > 10 * buzzer[1] > 10 * engine[1]
    for name in ("compressor", "starter", "grinding", "blast"):
        assert heard((name, "engine", 5.0))[0] > 0.001


def inspected(page) -> None:
    """Axe finds nothing, nothing is cut off, and nothing is too small for a thumb."""
    page.evaluate(AXE.read_text())
    found = page.evaluate(
        "axe.run({ resultTypes: ['violations'] }).then(({ violations }) => violations.map(({ id, nodes }) =>"
        " `${id}: ${nodes.map(({ html }) => html.slice(0, 120)).join(' | ')}`))"
    )
    assert found == []
    assert cut_off(page) == []


@pytest.mark.long
@pytest.mark.parametrize(("language", "theme"), [pytest.param("en", "day", marks=pytest.mark.long), ("es", "night")])
def test_the_dash_can_be_read_by_everybody(tablet, app_url, theme, language):
    """Axe and cut text: at a desk in English by day, on a phone in Spanish by night and in kPa."""
    wide = language == "en"
    page = tablet.new_page()
    page.set_viewport_size({"width": 1280, "height": 800} if wide else PHONE["viewport"])
    seat = Seat(page, app_url, language=language, unit="kpa" if theme == "night" else "psi", light=theme)
    page.goto(f"{app_url}/practice")
    page.wait_for_selector("form")
    inspected(page)
    page.locator("form button[type=submit]").click()
    seat.here()
    inspected(page)
    assert small_controls(page) == []
    assert not seat.complaints
    page.close()

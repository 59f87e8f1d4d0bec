"""Inspections on a screen: in the cab while air builds, by thumb without contact, lights with a helper."""

from __future__ import annotations

import re
from collections.abc import Iterator

import httpx
import pytest
from PIL import Image
from playwright.sync_api import expect

from tests.api.test_inspections import Walker as OtherDevice
from tests.browser.cab import Cab
from tests.browser.inspect import axe_findings, cut_off, load_axe, small_controls
from tests.browser.test_conductor import COMBINATION
from tests.browser.test_without_contact import lose_contact, visit_once
from tests.conftest import sign_in
from tests.devices import UNIT_ID
from tests.plugin import HANG_S

PHONE = {"viewport": {"width": 390, "height": 844}, "has_touch": True}
NUMBERS = {
    "oil_rise": "2", "gauge_oil": "45", "gauge_coolant": "170", "gauge_volts": "14", "gauge_fuel": "1",
    "gauge_def": "1", "steering_play": "1", "windshield": "0", "extinguisher": "10", "triangles": "3", "fuses": "3",
    "tire_tread": "8", "tire_air": "100", "slack": "1", "lining": "1", "lugs": "0", "belts": "0", "pedal_clutch": "1",
}  # fmt: skip
"""What a healthy vehicle shows."""


ASKED = """() => {
  const one = document.querySelector('[data-ask], [data-block], [data-fact], [data-call]')
  if (!one) return ''
  const { ask, fact, call, block } = one.dataset
  return ask ?? fact ?? call ?? `${block} ${one.querySelector('h2 span')?.innerText ?? ''}`
}"""


class Walker:
    """Somebody with a thumb, who touches what the screen offers."""

    def __init__(self, cab: Cab) -> None:
        self.cab, self.page = cab, cab.page
        self.touches = 0

    def begin(self, unit: str, way: str, driver: str = "Tove Lind", purpose: str = "") -> str:
        self.cab.sign_in(driver)
        self.cab.go(f"/inspection/new/{UNIT_ID[unit]}")
        self.page.get_by_role("radio", name=re.compile(way)).click()
        if purpose:
            self.page.get_by_role("radio", name=purpose).click()
        self.page.locator("button[type=submit]:enabled").click()
        expect(self.page.locator("[data-left]")).to_be_visible()
        return self.page.url.rsplit("/", 1)[1]

    def touch(self, locator) -> None:
        """One touch, and the screen has taken it."""
        self.touches += 1
        locator.click()

    @property
    def asks(self) -> str:
        """The name of what is asked: an item, a block, a fact, a call; empty while none is."""
        return self.page.evaluate(ASKED)

    def gone_on(self, before: str, left: str) -> None:
        """Wait until the screen asks for something else, or less is left."""
        self.cab.until(lambda: self.asks != before or self.left() != left)

    def left(self) -> str:
        found = self.page.locator("[data-left]")
        return found.get_attribute("data-left") or "" if found.count() else ""

    def step(self) -> None:
        """Answer what is asked as a healthy vehicle would be."""
        before, left = self.asks, self.left()
        first = self.page.locator("[data-first]")
        while open_ := first.count():
            self.touch(first.first)
            self.cab.until(lambda open_=open_: first.count() < open_)
        if self.page.locator("[data-fact]").count():
            self.touch(self.page.get_by_role("button", name=re.compile("^(No)$")))
        elif self.page.locator("[data-block]").count():
            self.touch(self.page.get_by_role("button", name=re.compile("^(All OK|Todo bien)$")))
        elif self.page.locator("[data-call]").count():
            self.call()
        else:
            slider = self.page.get_by_role("slider")
            item = before.partition("@")[0]
            if slider.count() and item in NUMBERS:
                slider.focus()
                self.touches += 1
                self.page.keyboard.type(NUMBERS[item])
                expect(slider).to_have_attribute("data-set", "true")
            self.touch(self.page.get_by_role("button", name=re.compile("^(OK|Bien)$")))
        self.gone_on(before, left)

    def call(self) -> None:
        """A call of the lights: looked at, all right, the next one."""
        right = self.page.get_by_role("button", name=re.compile("^(All OK|Todo bien)$"))
        self.cab.until(lambda: right.count() > 0, jump_s=1)
        self.touch(right)
        self.touch(self.page.get_by_role("button", name=re.compile("^(Next call|Siguiente llamada)$")))

    def finish(self) -> None:
        """To the report."""
        self.page.get_by_role("button", name=re.compile("^(Finish|Terminar)")).last.click()
        finish = self.page.locator("main").get_by_role("button", name=re.compile("^(Finish|Terminar)"))
        finish.click()
        expect(self.page.locator("[data-inspection-report]")).to_be_visible()


@pytest.fixture
def walker(cab) -> Walker:
    return Walker(cab)


def state_of(cab: Cab, inspection_id: str) -> dict:
    return cab.page.request.get(f"{cab.url}/api/inspections/{inspection_id}/state").json()


def faults_of(page, where: str) -> Iterator[str]:
    yield from (f"{where}: small: {each}" for each in small_controls(page))
    yield from (f"{where}: cut off: {each}" for each in cut_off(page))
    yield from (f"{where}: {each}" for each in axe_findings(page))


def test_the_in_cab_list_is_done_while_the_air_builds_and_the_blast_comes_first(cab):
    walker, page = Walker(cab), cab.page
    run = cab.begin("MV-05", procedure="single-vehicle")
    cab.do({}, until="cut_out")
    page.locator("main input").first.fill("5")  # from almost nothing: there is time for the whole list
    page.get_by_role("button", name="Do the in-cab inspection now").click()
    beside = page.locator("[data-beside]")
    expect(beside.locator("[data-ask], [role=status]").first).to_be_visible()
    cab.pass_time(
        12
    )  # the page's clock runs ahead of the server's, by which the inspection's begin is laid beside the run's
    for _ in range(20):
        walker.step()
        cab.pass_time(3)
    while walker.asks.partition("@")[0] not in NUMBERS:
        walker.step()
    # the blast, in the middle of a measured item: its tape is set, its answer is not given
    waiting = walker.asks
    page.get_by_role("slider").first.focus()
    page.keyboard.type(NUMBERS[waiting.partition("@")[0]])
    cab.bar.click()
    cab.until(lambda: page.get_by_role("slider").count() > 0 and not beside.count())
    cab.set_tapes(*["125"] * page.get_by_role("slider").count())
    cab.bar.click()
    cab.until(lambda: cab.asked() not in ("cut_out", "read", "readOne"))
    assert walker.left() == ""  # engine off, leak stages: nothing is offered
    (here,) = page.request.get(f"{cab.url}/api/inspections", params={"run": run}).json()
    state = state_of(cab, here["id"])
    assert state["while_filling"] >= 18
    assert waiting not in {one["key"] for one in state["items"] if one["answer"]}
    assert {one["answer"] for one in state["items"] if one["key"].startswith("gauge_air")} == {"from_run"}
    cab.go(f"/runs/{run}")
    expect(page.locator("[data-while-filling]")).to_contain_text("During air build-up:")


class TestWithoutContact:
    @pytest.fixture
    def browser_context_args(self, browser_context_args):
        return {**browser_context_args, **PHONE, "service_workers": "allow"}

    def test_a_walk_inspection_by_thumb_with_a_defect_and_a_photograph_ends_in_do_not_drive(self, cab, tmp_path):
        walker, page = Walker(cab), cab.page
        visit_once(cab, with_judge=True)
        cab.go(f"/inspection/new/{UNIT_ID['MV-16']}")
        expect(page.locator("button[type=submit]:enabled")).to_be_visible()
        page.get_by_role("radio", name="Exam inspection").click()
        expect(page.locator("button[type=submit]:enabled")).to_be_visible()
        cab.pass_time(3)
        lose_contact(cab)
        page.context.set_offline(True)
        page.locator("button[type=submit]").click()
        expect(page.locator("[data-left]")).to_be_visible()
        inspection_id = page.url.rsplit("/", 1)[1]
        load_axe(page)
        faults = list(faults_of(page, "fact"))
        page.locator("header").get_by_role("button", name=re.compile(r"\d+ of \d+")).click()
        faults += faults_of(page, "stops")
        page.get_by_role("dialog").get_by_role("button", name="Steer axle, left").click()
        expect(page.locator("[data-block=suspension]")).to_be_visible()
        faults += faults_of(page, "block")
        while "tire_tread" not in walker.asks:
            walker.step()
        faults += faults_of(page, "measured")
        page.get_by_role("slider").focus()
        page.keyboard.type("3")
        page.get_by_role("button", name="Not OK").click()
        faults += faults_of(page, "not right")
        page.get_by_role("button", name="not worn").click()
        expect(page.locator("[data-means=stay]")).to_be_visible()
        page.get_by_text("Note or photo").click()
        Image.new("RGB", (800, 600), "gray").save(tmp_path / "tread.jpg")
        page.locator("input[type=file]").set_input_files(tmp_path / "tread.jpg")
        expect(page.get_by_text("Photo (1 taken)")).to_be_visible()
        faults += faults_of(page, "photograph")
        page.get_by_role("button", name="Save: Do not drive").click()
        # judged on this device, without contact
        cab.until(lambda: page.locator("[data-stays]").count() > 0)
        faults += faults_of(page, "stays")
        cut = walker.left()
        page.reload()
        cab.until(lambda: walker.left() == cut)
        load_axe(page)
        while walker.asks.startswith(("tire_", "valve", "rim")) or "wheel" in walker.asks:
            walker.step()
        page.get_by_role("button", name="Finish inspection").click()
        faults += faults_of(page, "finish")
        page.locator("main").get_by_role("button", name=re.compile("^Finish with")).click()
        page.context.set_offline(False)
        cab.offline = False
        cab.until(lambda: page.request.get(f"{cab.url}/api/inspections/{inspection_id}").ok, jump_s=10)
        cab.until(lambda: state_of(cab, inspection_id)["ended"] == "finished", jump_s=10)
        state = state_of(cab, inspection_id)
        assert state["worst"] == "stay"
        (bad,) = [one for one in state["items"] if one["outcome"] == "not_right"]
        assert (bad["key"], bad["shown"]) == ("tire_tread@P.axle1.left", "3/32 in")
        with httpx.Client(base_url=cab.url) as http:
            standing = sign_in(http).get(f"/api/units/{UNIT_ID['MV-16']}").json()["status"]
            defect = next(one for one in standing["defects"] if "Tread" in one["text"])
            assert standing["stays"] is True
            cab.until(
                lambda: bool(
                    next(
                        one
                        for one in http.get(f"/api/units/{UNIT_ID['MV-16']}").json()["status"]["defects"]
                        if one["id"] == defect["id"]
                    )["photos"]
                ),
                jump_s=5,
            )
        assert not faults, "\n".join(sorted(faults))


def test_lights_with_a_helper_on_a_second_device(cab, browser, browser_context_args, app_url):
    walker, page = Walker(cab), cab.page
    inspection_id = walker.begin("MV-07", "Full inspection")
    page.locator("header").get_by_role("button", name=re.compile(r"\d+ of \d+")).click()
    page.get_by_role("dialog").get_by_role("button", name="Lights").click()
    page.get_by_role("button", name="A helper with a device").click()
    code = page.locator("[data-code]").inner_text()
    page.keyboard.press("Escape")
    context = browser.new_context(**{**browser_context_args, **PHONE})
    far = Cab(context.new_page(), app_url)
    far.sign_in("Ines Aldous")
    far.go()
    far.page.get_by_label("Join code").fill(code)
    far.page.get_by_role("button", name="Watch a test").click()
    expect(far.page.locator("[data-waiting]")).to_be_visible()
    load_axe(far.page)
    faults = list(faults_of(far.page, "helper"))
    page.get_by_role("button", name="Start calls").click()
    far.until(lambda: far.page.locator("[data-call=front_markers]").count() > 0, jump_s=3)
    faults += faults_of(far.page, "call")
    # no instruction to the driver ever stands on a helper's screen, and nothing is right before one could look
    expect(far.page.get_by_role("button", name=re.compile("Next call|Say again"))).to_have_count(0)
    expect(far.page.get_by_role("button", name=re.compile("Look first"))).to_be_disabled()
    far.until(lambda: far.page.get_by_role("button", name="All OK").count() > 0, jump_s=2)
    far.page.get_by_role("button", name="Which light is not OK?").click()
    far.page.get_by_role("button", name=re.compile("Front side markers, left")).click()
    far.until(lambda: far.page.get_by_role("button", name=re.compile("Front side markers, left")).count() == 0)
    far.page.get_by_role("button", name="All OK").click()
    # by the clock of the wall: a call waits for its answer only so long
    expect(page.get_by_text("Answered by Ines Aldous")).to_be_visible()
    page.get_by_role("button", name="Next call").click()
    far.until(lambda: far.page.locator("[data-call=low]").count() > 0, jump_s=3)
    state = {one["key"]: one for one in state_of(cab, inspection_id)["items"]}
    wrong = state["lamp_marker_front@P.left"]
    assert (wrong["outcome"], wrong["by"], wrong["consequence"]) == ("not_right", "Ines Aldous", "finish")
    assert state["lamp_clear_front@P"]["outcome"] == "right"
    assert far.complaints == []
    context.close()
    assert not faults, "\n".join(sorted(faults))


@pytest.mark.long
def test_a_bus_from_inside_out_in_spanish_at_night(walker):
    page = walker.page
    walker.cab.prefer(language="es", light="night", unit="kpa")
    page.set_viewport_size(PHONE["viewport"])
    walker.begin("MV-21", "autobús")
    load_axe(page)
    faults = list(faults_of(page, "bus, fact"))
    page.locator("header").get_by_role("button", name=re.compile(r"\d+ de \d+")).click()
    page.get_by_role("dialog").get_by_role("button", name="Adentro").click()
    expect(page.locator("[data-ask], [data-fact]").first).to_be_visible()
    for _ in range(6):
        walker.step()
    faults += faults_of(page, "bus, inside")
    page.get_by_role("button", name="Terminar inspección").click()
    faults += faults_of(page, "bus, finish")
    page.locator("main").get_by_role("button", name=re.compile("^Terminar con")).click()
    expect(page.locator("[data-inspection-report]")).to_be_visible()
    expect(page.locator("[data-complete=false]")).to_have_text("Incompleta")
    faults += faults_of(page, "bus, report")
    assert not faults, "\n".join(sorted(faults))


@pytest.mark.long
def test_from_memory_an_item_is_hidden_until_it_is_named_and_a_watcher_ticks(
    walker, browser, browser_context_args, app_url
):
    page, cab = walker.page, walker.cab
    inspection_id = walker.begin("MV-05", "Exam inspection", driver="Kit Varga", purpose="rehearsal")
    while page.locator("[data-fact]").count():
        walker.step()
    asked = walker.asks
    page.get_by_role("button", name="From memory").click()
    expect(page.locator("[data-memory]")).to_be_visible()
    expect(page.locator("[data-ask]")).to_have_count(0)
    page.get_by_role("button", name="Show").click()
    expect(page.locator(f"[data-ask='{asked}']")).to_be_visible()
    page.get_by_role("button", name="Named correctly").click()
    cab.until(lambda: page.get_by_role("button", name="Named correctly").count() == 0)
    walker.step()
    page.locator("header").get_by_role("button", name=re.compile(r"\d+ of \d+")).click()
    page.get_by_role("dialog").get_by_role("button", name="Invite helper").click()
    code = page.locator("[data-code]").inner_text()
    page.keyboard.press("Escape")
    context = browser.new_context(**browser_context_args)
    watcher = Cab(context.new_page(), app_url)
    watcher.sign_in("Hanne Solberry")
    watcher.go()
    watcher.page.get_by_label("Join code").fill(code)
    watcher.page.get_by_role("button", name="Watch a test").click()
    watcher.page.get_by_role("button", name=re.compile("^Not named, or wrong: ")).nth(1).click()
    watcher.until(lambda: watcher.page.locator("[aria-pressed=true]").count() > 1, jump_s=3)

    def said_wrong() -> bool:
        """Whether what the watcher ticked has reached the log."""
        found = state_of(cab, inspection_id)["items"]
        return "said_wrong" in {finding["code"] for one in found for finding in one["findings"]}

    watcher.until(said_wrong, jump_s=1)
    state = {one["key"]: one for one in state_of(cab, inspection_id)["items"]}
    assert state[asked]["said"] is True
    assert watcher.complaints == []
    context.close()


def test_a_defect_stops_what_it_must_is_named_and_leads_to_its_item(cab, app_url):
    """Low oil pressure stops the engine; a dead washer beside it stops nothing but driving away."""
    page = cab.page
    run = cab.begin("MV-12", procedure="us-three-part")
    cab.do({}, until="cut_out")
    page.get_by_role("button", name="Do the in-cab inspection now").click()
    expect(page.locator("[data-beside] [data-ask], [data-beside] [role=status]").first).to_be_visible()
    (inspection,) = page.request.get(f"{cab.url}/api/inspections", params={"run": run}).json()
    with httpx.Client(base_url=app_url, timeout=HANG_S) as http:
        other = OtherDevice(sign_in(http, inspection["begun_by"]))
        other.inspection_id = inspection["id"]
        other.tell(other.answer("washer@P", "not_right", wrong=["works"]))
        other.tell(other.answer("gauge_oil@P", "not_right", wrong=["within"]))
        cab.pass_time(12)  # the page's clock runs ahead of the server's
        cab.bar.click()
        cab.until(lambda: page.get_by_role("slider").count() > 0 and not page.locator("[data-beside]").count())
        cab.set_tapes(*["125"] * page.get_by_role("slider").count())
        cab.bar.click()
        cab.until(lambda: cab.asked() not in ("cut_out", "read", "readOne"))
        cab.do(COMBINATION, until="locked")
        expect(page.get_by_text("The engine must not be started until this is fixed.")).to_be_visible()
        expect(page.get_by_text("Oil pressure")).to_be_visible()
        assert "Washer" not in page.locator("main").inner_text()
        page.get_by_role("button", name="Open this item").click()
        expect(page.locator("[data-ask='gauge_oil@P']")).to_be_visible()
        page.get_by_role("link", name="Back to test").click()
        expect(page.get_by_role("button", name="Open this item")).to_be_visible()
        page.set_viewport_size({"width": 390, "height": 844})
        load_axe(page)
        assert (axe_findings(page), cut_off(page)) == ([], [])

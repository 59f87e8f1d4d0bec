"""What a driver does on the test screen, in the words of the screen."""

from __future__ import annotations

import re
import time
from contextlib import contextmanager

import httpx
from playwright.sync_api import Page, expect

from lowhiss.demo.scenario import UNITS, demo_id
from tests.conftest import sign_in
from tests.devices import Device
from tests.plugin import HANG_S, patience

STEP_MS = 250
PATIENCE_S = 90 * patience()
MANY_STEPS = 240
BOUNCE_S = 0.4
JUMP_S = 30
HOLD_JUMP_S = 1
FRAME_S = 0.05
"""What is left after the jumps runs frame by frame."""
HOLDS = ("up", "cutShort")
RESTS = ("judging", "goOn", "pedalUp")
READS = ("read", "readOne", "accept", "acceptOne", "itIs")
PAUSES_S = {"settled": 8.0, "start": 16.0, "cut_out": 90.0, "upper": 20.0, "warning": 20.0, "popped": 20.0}
"""How long a driver lets pass before a mark."""
STAMPS_BY_THE_PAGES_CLOCK = """
  Object.defineProperty(Event.prototype, 'timeStamp', { get: () => performance.now() })
"""
"""The browser stamps inputs by the real clock, which has nothing to do with the one that the test turns by hand."""
NEXT_TURN = """() => new Promise((done) => {
  const channel = new MessageChannel()
  channel.port1.onmessage = done
  channel.port2.postMessage(0)
})"""


class Cab:
    """One page. Time stands still except when the test lets it run, so that a minute's hold takes no minute."""

    def __init__(self, page: Page, url: str) -> None:
        self.page, self.url = page, url
        self.complaints: list[str] = []
        self.offline = False
        self.expected: list[str] = []
        self.times: dict[str, int] = {}
        page.on("console", self._heard)
        page.on("pageerror", lambda error: self.complaints.append(f"{error} {error.stack}"))
        page.on("request", self._requested)
        self._set_clocks()

    def _set_clocks(self) -> None:
        self.page.clock.install()
        self.page.add_init_script(STAMPS_BY_THE_PAGES_CLOCK)

    def _heard(self, message) -> None:
        # a browser reports every request that finds no network, and every answer that is an error: a test says which
        # of them it means to bring about
        offline = self.offline and re.search("ERR_INTERNET_DISCONNECTED|ERR_FAILED", message.text)
        expected = any(text in message.text for text in self.expected)
        if message.type == "error" and not offline and not expected:
            self.complaints.append(f"{message.text} {message.location.get('url', '')}")

    def _requested(self, request) -> None:
        if not request.url.startswith((self.url, "data:", "blob:")):
            self.complaints.append(f"asked outside: {request.url}")

    def prefer(self, **preferences: str) -> None:
        """Language, unit, light, as a returning user has set them."""
        text = str(preferences).replace("'", '"')
        self.page.add_init_script(f"localStorage.setItem('lowhiss.preferences', '{text}')")

    def go(self, path: str = "/") -> None:
        """Open an address."""
        self.page.goto(self.url + path)

    def pass_time(self, seconds: float) -> None:
        """Let the page's clocks run: in jumps, because every tick between would be drawn."""
        # a hold ends by itself: the page must get its turn when its time is over
        jump_s = HOLD_JUMP_S if seconds > HOLD_JUMP_S and self.bar.count() and self.asked() in HOLDS else JUMP_S
        while seconds > FRAME_S:
            jump = min(jump_s, seconds - FRAME_S)
            self.page.clock.fast_forward(round(jump * 1000))
            seconds -= jump
        self.page.clock.run_for(round(seconds * 1000))

    def until(self, condition, jump_s: float = 0) -> None:
        """Let time run until something is true; a busy machine may take long for what is not by the page's clock."""
        given_up = time.monotonic() + PATIENCE_S
        while not condition():
            if time.monotonic() > given_up:
                said = self.page.get_by_role("alert").all_inner_texts()
                asked = self.asked() if self.bar.count() else "nothing"
                raise AssertionError(f"never came true; the bar asks for {asked}; the screen says {said}")
            self._turn(jump_s)

    def _turn(self, jump_s: float) -> None:
        self.page.clock.fast_forward(jump_s * 1000 or STEP_MS)
        self.page.evaluate(NEXT_TURN)

    @property
    def bar(self):
        """The mark bar."""
        return self.page.locator("[data-bar]")

    def mark(self, word: str) -> None:
        """Touch the bar while it says ``word``; returns when the screen has moved on."""
        expect(self.bar).to_contain_text(word)
        asked = self.asked()
        self.pass_time(BOUNCE_S)  # marks closer than this are one
        self.bar.click()
        expect(self.bar).not_to_have_attribute("data-bar", asked)

    def touch(self, asked: str) -> None:
        """Touch the bar unless it has gone on by itself since it was read: a judgement comes when it comes."""
        if self.asked() == asked:
            self.bar.click()

    def deny(self) -> None:
        """*Not so*, and wait until the screen has taken it."""
        asked = self.asked()
        self.pass_time(BOUNCE_S)
        self.page.get_by_role("button", name="Not so").click()
        self.until(lambda: self.asked() != asked)

    def asked(self) -> str:
        """What the bar asks for, by its stable name."""
        return self.bar.get_attribute("data-bar") or ""

    def sign_in(self, name: str = "Odile Ferrow") -> None:
        """Sign the browser in as a demo person, without the page.

        Whoever was signed in before is signed out by it: a page that still asks for something would be answered 401.
        """
        if self.page.url.startswith(self.url):
            self.page.goto("about:blank")
        self.page.request.post(f"{self.url}/api/session/demo", data={"person_id": demo_id(name)})

    def set_up(self, unit: str, driver: str = "Tove Lind", *, held: bool = False, **choices: str) -> None:
        """From the yard to the set-up, signed in as the driver; ``procedure`` and ``rules`` by their ids.

        held : what holds the unit may choose the order of work, as it does for whoever touches nothing.
        """
        self.sign_in(driver)
        self.go()
        # a yard of many draws only the units in sight
        find = re.compile("Unit, trailer or driver|Unidad, remolque o conductor")
        self.page.get_by_role("searchbox", name=find).fill(unit)
        # not by its place: the yard may put another unit first between the touch and its end
        self.page.get_by_role("link", name=re.compile(f"(Test|Probar) {unit}$")).dispatch_event("click", {"button": 0})
        expect(self.page.get_by_role("textbox").first).to_have_value(driver)
        if not held and self.page.locator("[data-recheck]").count():
            # another test's fail: its order of work is not this one's
            choices.setdefault("rules", next(one.rules for one in UNITS if one.name == unit))
        if choices:
            self.unfold_way()
        for name, label in (("rules", "^(Rule set|Reglas)"), ("procedure", "^(Test order|Orden de la prueba)")):
            if name in choices:
                self.page.get_by_label(re.compile(label)).select_option(choices[name])

    def unfold_way(self) -> None:
        """Open what the set-up folds into one line."""
        way = self.page.locator("[data-way]")
        if way.get_attribute("data-state") == "closed":
            way.click()

    def begin(self, unit: str, driver: str = "Tove Lind", **choices: str) -> str:
        """From the yard to the test screen; returns the run's id."""
        self.set_up(unit, driver, **choices)
        self.page.locator("button[type=submit]:enabled").click()
        expect(self.bar).to_be_visible()
        return self.page.url.rsplit("/", 1)[1]

    def do(self, figures: dict[str, tuple[float, ...]], until: str = "finish") -> None:
        """Do what the screen asks, with these figures at each mark, until the bar asks for ``until``.

        A mark is named by its point, or by stage and point; ``cut_out.2`` is the second time that it comes.
        """
        for _ in range(MANY_STEPS):
            asked = self.asked()
            if asked == until:
                return
            self.step(figures, asked)
        raise AssertionError(f"never asked for {until}; it asks for {self.asked()}")

    def step(self, figures: dict[str, tuple[float, ...]], asked: str) -> None:
        """The one thing that the bar asks for, as it was read last, and the tapes that are open beside it."""
        if asked in RESTS and not self.offline:
            # whoever tests looks at the outcome first; the page's clock, turned on meanwhile, would outrun the server
            expect(self.page.locator("[data-judged] [data-outcome=pending]")).to_have_count(0)
            if self.asked() != asked:
                return
        if self.page.get_by_role("slider").count() and asked not in READS:
            self.accept(figures)
        if asked in ("read", "readOne"):
            self.set_tapes(*(f"{value:g}" for value in self._figures_for(figures)))
        elif asked in HOLDS:
            self.until(lambda: self.asked() != asked, jump_s=HOLD_JUMP_S)
        elif asked != "judging":
            self.pass_time(PAUSES_S.get(asked, 2))
            self.touch(asked)
        self.until(lambda: self.asked() != asked)

    def accept(self, figures: dict[str, tuple[float, ...]]) -> None:
        """Set the tapes that are open beside another mark."""
        self.set_tapes(*(f"{value:g}" for value in self._figures_for(figures)))
        self.page.keyboard.press("Enter")
        expect(self.page.get_by_role("slider")).to_have_count(0)

    def _figures_for(self, figures: dict[str, tuple[float, ...]]) -> tuple[float, ...]:
        tapes = self.page.locator("[data-point]")
        stage, point = tapes.get_attribute("data-stage"), tapes.get_attribute("data-point")
        name = f"{stage} {point}" if f"{stage} {point}" in figures else str(point)
        self.times[name] = self.times.get(name, 0) + 1
        return figures.get(f"{name}.{self.times[name]}", figures[name])

    def prepare(self) -> None:
        """Everything as a leak check needs it."""
        for word in ("Engine is off", "Key is on", "Chocks are in", "Area is clear", "Knobs are in"):
            self.mark(word)
            self.pass_time(2)

    def press_and_settle(self, wait_s: float = 22) -> None:
        """Pedal down, needles stopped, the wait, start."""
        self.mark("Pedal is down")
        self.pass_time(8)
        self.mark("Needles settled")
        self.pass_time(wait_s - 8)
        self.mark("Start timer")

    def set_tapes(self, *values: str) -> None:
        """Type a number on each tape."""
        tapes = self.page.get_by_role("slider")
        expect(tapes).to_have_count(len(values))
        for index, value in enumerate(values):
            self._type(tapes.nth(index), value)

    def _type(self, tape, value: str) -> None:
        for _ in range(8):
            tape.focus()
            self.page.keyboard.type(value)
            if (tape.get_attribute("aria-valuetext") or "").split()[0] == value:
                return
            self.pass_time(2)  # a busy machine took the digits for two numbers: typed again, as a person would
        raise AssertionError(f"the tape never showed {value}")

    def set_start(self, *values: str) -> None:
        """The numbers at the start, while the clock runs."""
        self.set_tapes(*values)
        self.page.get_by_role("button", name="Save readings").click()
        expect(self.page.get_by_role("slider")).to_have_count(0)

    def hold_to_the_end(self, hold_s: float = 60) -> None:
        """The rest of the hold: it ends by itself."""
        self.pass_time(hold_s + 0.2)
        expect(self.page.get_by_text("Time. Read now.")).to_be_visible()

    def wait_for_verdict(self):
        """The verdict on the test screen."""
        verdict = self.page.locator("[data-outcome]:not([data-outcome=pending])")
        self.until(lambda: verdict.count() > 0)
        return verdict.first

    def finish(self) -> None:
        """To the report."""
        self.pass_time(BOUNCE_S)
        self.bar.click()
        self.until(lambda: self.page.locator("article").count() > 0)


class RealCab(Cab):
    """A page on the real clocks: every second of it takes a second, so it waits no longer than it must."""

    def _set_clocks(self) -> None:
        pass

    def pass_time(self, seconds: float) -> None:
        """Real time passes: only as much as two marks must lie apart."""
        self.page.wait_for_timeout(min(seconds, BOUNCE_S) * 1000)

    def _turn(self, _jump_s: float) -> None:
        self.page.wait_for_timeout(STEP_MS)


@contextmanager
def client_of(cab, name):
    with httpx.Client(base_url=cab.url, timeout=HANG_S) as client:
        yield sign_in(client, name)


def failed_an_hour_ago(cab, unit):
    """A failed leak test of a unit that was over before anything is done about it; its run's id."""
    with client_of(cab, "Tove Lind") as client:
        device = Device(client)
        sent = {**device.moment(), "mono_s": device.mono_s + 3600}
        device.begin(unit_id=unit["id"], sent=sent).raise_for_status()
        device.send(*device.leak_test(112, 98)).raise_for_status()
        device.wait(5).send(device.marked("finished")).raise_for_status()
        return device.run_id

"""What a trainee does in the practice vehicle: by keys or thumb on the dash, and on the test screen beside it."""

from __future__ import annotations

import json
import re
import time

from playwright.sync_api import Page, expect

from lowhiss.demo.scenario import demo_id

READY_S = 90
READS = ("read", "readOne", "accept", "acceptOne", "itIs")

TELLS_FAILURES = """
  const Told = window.Worker
  window.Worker = class extends Told {
    constructor(...given) {
      super(...given)
      this.addEventListener('message', ({ data }) => {
        if (data.failed || data.drive === 'failed') console.error(JSON.stringify(data))
      })
    }
  }
"""
"""What the core refuses inside its worker is a complaint like any other."""


PREFERS = """
  if (!sessionStorage.begun) {
    sessionStorage.begun = 'yes'
    localStorage.setItem('lowhiss.preferences', %r)
  }
"""
"""Once a page: the device may have been somebody else's before."""


class Seat:
    """A page in real time: the vehicle has a clock of its own, and a minute is a minute. prefers : how it is shown."""

    def __init__(self, page: Page, url: str, who: str = "Abel Renn", **prefers: str) -> None:
        self.page, self.url = page, url
        self.complaints: list[str] = []
        page.on("pageerror", lambda error: self.complaints.append(f"{error} {error.stack}"))
        page.on("console", self._heard)
        page.add_init_script(TELLS_FAILURES)
        page.add_init_script(PREFERS % json.dumps(prefers))
        page.request.post(f"{url}/api/session/demo", data={"person_id": demo_id(who)})

    def _heard(self, said) -> None:
        if said.type == "error":
            self.complaints.append(f"{said.text} {said.location.get('url', '')}")

    def begin(self, vehicle: str, *, choose: dict[str, str] | None = None, press: tuple[str, ...] = ()) -> None:
        """From the list into the seat: choices by their labels, and buttons by their words."""
        self.page.goto(f"{self.url}/practice")
        self.choose(vehicle, choose=choose, press=press)

    def choose(self, vehicle: str, *, choose: dict[str, str] | None = None, press: tuple[str, ...] = ()) -> None:
        """The same from the list as it is."""
        self._select("Vehicle").select_option(label=vehicle)
        for name in press:
            self.page.get_by_role("radio", name=name, exact=True).click()
        for label, option in (choose or {}).items():
            self._select(label).select_option(label=option)
        self.page.get_by_role("button", name="Start practice").click()
        self.here()

    def _select(self, label: str):
        return self.page.locator(f'label:has(> span:text-is("{label}")) select')

    def here(self) -> None:
        """Wait until the dash stands."""
        self.page.wait_for_selector("[data-dial]", timeout=READY_S * 1000)

    # the dash

    def key(self, *keys: str) -> None:
        for key in keys:
            self.page.keyboard.press(key)

    def start_engine(self) -> None:
        """Key, clutch where there is one, and the starter held until it runs."""
        self.page.keyboard.press("k")
        self.page.keyboard.down("c")
        self.page.keyboard.down("l")
        expect(self.page.locator("[data-heard]").first).to_contain_text("starter")
        self.until(lambda: "starter" not in self.heard())
        self.page.keyboard.up("l")
        self.page.keyboard.up("c")

    def heard(self) -> str:
        """What can be heard, in words."""
        return self.page.locator("[data-heard]").first.inner_text()

    def needle(self, name: str) -> float:
        """Where a needle stands, as finely as it can be read."""
        return float(self.page.locator(f'[data-dial="{name}"]').get_attribute("aria-valuenow") or 0)

    def both(self) -> tuple[float, float]:
        """Both needles as they stand now, on a dial each or on one."""
        meters = self.page.locator("[data-dial]").all()
        told = [one.get_attribute("aria-valuetext") or "" for one in meters]
        air = [float(value) for text in told if "psi" in text for value in re.findall(r"([0-9.]+) psi", text)]
        return air[0], air[1]

    # the test screen

    @property
    def bar(self):
        return self.page.locator("[data-bar]")

    def asked(self) -> str:
        return self.bar.get_attribute("data-bar") or ""

    def until(self, condition, longest_s: float = 120) -> None:
        """Wait in real time until something is true."""
        end = time.monotonic() + longest_s
        while not condition():
            if time.monotonic() > end:
                raise AssertionError(f"never came true; the bar asks for {self.asked() if self.bar.count() else '-'}")
            self.page.wait_for_timeout(100)

    def until_asked(self, *asked: str) -> None:
        self.until(lambda: self.asked() in asked)

    def mark(self) -> None:
        """The space bar: now."""
        before = self.asked()
        self.page.wait_for_timeout(350)  # marks closer than this are one
        self.page.keyboard.press("Space")
        self.until(lambda: self.asked() != before, 10)

    def set_numbers(self, *psi: float) -> None:
        """Type the needles' numbers into the open tapes and accept them."""
        tapes = self.page.locator("[role=slider][data-set]")
        for tape, value in zip(tapes.all(), psi, strict=False):
            tape.focus()
            self.page.keyboard.type(f"{value:g}")
            self.page.keyboard.press("Enter")
        self.page.wait_for_timeout(200)

    def after(self) -> None:
        """The page of what was true."""
        expect(self.page).to_have_url(re.compile("/after$"), timeout=60_000)

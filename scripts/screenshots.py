"""Renews docs/screenshots from demo data: starts the application on a data directory of its own and drives it.

Run it with the built front end in place: .venv/bin/python scripts/screenshots.py
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT))

from tests.browser.cab import Cab  # noqa: E402
from tests.faults.processes import LowHiss, free_port  # noqa: E402

SHOTS = ROOT / "docs" / "screenshots"
DESK, PHONE = {"width": 1280, "height": 800}, {"width": 390, "height": 844}


def shoot(page: Page, name: str) -> None:
    """One picture of what is in view."""
    page.wait_for_load_state("networkidle")
    page.screenshot(path=SHOTS / f"{name}.png")


def lead_to_hold(cab: Cab, unit: str, *start: str) -> None:
    """A test of one unit, until the start is set."""
    cab.begin(unit, "Ines Aldous")
    cab.prepare()
    cab.press_and_settle()
    cab.set_start(*start)


def on_desk(cab: Cab) -> None:
    """The screens at 1280x800."""
    cab.go()
    cab.page.wait_for_selector("text=Odile Ferrow")
    shoot(cab.page, "sign-in")
    cab.sign_in()
    cab.go()
    cab.page.wait_for_selector("tbody tr")
    shoot(cab.page, "yard")
    cab.go("/log")
    cab.page.wait_for_selector("tbody tr")
    shoot(cab.page, "log")
    cab.page.locator("tbody a", has_text="MV-16").first.click()
    cab.page.wait_for_selector("article svg")
    shoot(cab.page, "sheet")
    cab.go("/units")
    cab.page.wait_for_selector("tbody tr")
    shoot(cab.page, "units")
    cab.page.get_by_role("link", name="MV-15").click()
    cab.page.wait_for_selector("form")
    shoot(cab.page, "unit")
    cab.go("/people")
    cab.page.wait_for_selector("tbody tr")
    shoot(cab.page, "people")
    lead_to_hold(cab, "MV-12", "100", "101")
    cab.pass_time(37)
    shoot(cab.page, "test-hold")
    cab.pass_time(24)
    cab.set_tapes("97", "99")
    shoot(cab.page, "test-read")


def on_phone(cab: Cab) -> None:
    """A failing bus at 390x844."""
    cab.begin("MV-21", "Pia Munro")
    shoot(cab.page, "phone-prepare")
    cab.prepare()
    cab.press_and_settle()
    cab.set_start("112", "112")
    cab.hold_to_the_end()
    cab.set_tapes("108", "111")
    cab.strike("That is what they show")
    cab.wait_for_verdict()
    shoot(cab.page, "phone-fail")


def at_night(cab: Cab) -> None:
    """The hold at night on a phone."""
    cab.prefer(light="night")
    lead_to_hold(cab, "MV-15", "101", "102")
    cab.pass_time(52)
    shoot(cab.page, "phone-night")


@contextmanager
def application() -> Iterator[str]:
    """The application with fresh demo data."""
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        app = LowHiss(Path(folder) / "var", free_port(), "--demo")
        try:
            yield app.url
        finally:
            app.interrupt()


def main() -> None:
    """Every picture, newly made."""
    if not (ROOT / "web" / "dist" / "index.html").exists():
        subprocess.run(["npm", "--prefix", "web", "run", "build"], cwd=ROOT, check=True)
    SHOTS.mkdir(exist_ok=True)
    with application() as url, sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path="/usr/bin/chromium",
            args=["--disable-gpu", "--no-sandbox", "--disable-background-networking"],
        )
        for drive, size in ((on_desk, DESK), (on_phone, PHONE), (at_night, PHONE)):
            context = browser.new_context(viewport=size, locale="en-US")
            cab = Cab(context.new_page(), url)
            drive(cab)
            assert cab.complaints == [], cab.complaints
            context.close()
        browser.close()


if __name__ == "__main__":
    main()

"""Renews docs/screenshots from demo data: starts the application on a data directory of its own and drives it.

Run it with the built front end in place: .venv/bin/python scripts/screenshots.py
"""

from __future__ import annotations

import re
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import httpx
from playwright.sync_api import Browser, Page, sync_playwright

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT))

from lowhiss.demo.scenario import demo_id  # noqa: E402
from lowhiss.static import WEB  # noqa: E402
from tests.browser.cab import Cab  # noqa: E402
from tests.browser.seat import Seat  # noqa: E402
from tests.browser.test_conductor import COMBINATION  # noqa: E402
from tests.browser.test_inspections import Walker  # noqa: E402
from tests.browser.test_practice import LEAK_CHECK  # noqa: E402
from tests.conftest import sign_in  # noqa: E402
from tests.faults.processes import LowHiss, free_port  # noqa: E402

SHOTS = ROOT / "docs" / "screenshots"
DESK, PHONE = {"width": 1280, "height": 800}, {"width": 390, "height": 844}


def shoot(page: Page, name: str) -> None:
    """One picture of what is in view."""
    page.wait_for_load_state("networkidle")
    page.screenshot(path=SHOTS / f"{name}.png")


def office(cab: Cab) -> None:
    """The office's screens at 1280x800."""
    cab.sign_in()
    cab.go("/log")
    cab.page.wait_for_selector("tbody tr")
    shoot(cab.page, "log")
    for path, name, shown in (("/", "yard", "[data-unit]"), ("/workshop", "workshop", "[data-hold]")):
        cab.go(path)
        cab.page.wait_for_selector(f"{shown} >> visible=true")
        shoot(cab.page, name)
    cab.go("/units")
    cab.page.get_by_role("link", name="MV-16").click()
    cab.page.wait_for_selector("#trends")
    shoot(cab.page, "unit")


def rule_desk(cab: Cab) -> None:
    """The rule desk at 1280x800, side by side."""
    cab.sign_in()
    columns = "&".join(f"sets={ref}" for ref in ("us-cdl", "canada-west", "marram-valley@2", "marram-valley@3"))
    cab.go(f"/rules?{columns}&draft=marram-valley@3")
    cab.page.wait_for_selector("[data-said=en]")
    cab.page.evaluate("scrollTo(0, 0)")
    shoot(cab.page, "rules")


def in_the_yard(cab: Cab) -> None:
    """The yard on a phone."""
    cab.sign_in("Tove Lind")
    cab.go()
    cab.page.wait_for_selector("[data-unit] >> visible=true")
    shoot(cab.page, "phone-yard")


def whole_run(cab: Cab) -> None:
    """A whole test of a combination at 1280x800, from the set-up to its report."""
    cab.set_up("MV-12", "Ines Aldous")
    cab.page.get_by_role("heading", name="Limits").wait_for()
    cab.set_up("MV-12", "Ines Aldous", procedure="us-full")
    cab.page.get_by_role("radio", name="shown", exact=True).click()
    cab.page.locator("button[type=submit]:enabled").click()
    cab.page.wait_for_selector("[data-bar]")
    cab.do(COMBINATION, until="upper")
    cab.do(COMBINATION, until="settled")
    cab.do(COMBINATION, until="pedal_full")
    cab.do(COMBINATION, until="up")
    cab.accept(COMBINATION)
    cab.pass_time(37)
    shoot(cab.page, "test-hold")
    cab.do(COMBINATION, until="pedalUp")
    shoot(cab.page, "test-verdict")
    cab.do(COMBINATION)
    cab.finish()
    cab.page.wait_for_selector("[data-school]")
    shoot(cab.page, "report")


def at_night(cab: Cab) -> None:
    """The hold at night on a phone, in Spanish."""
    cab.prefer(light="night", language="es")
    cab.begin("MV-15", "Ines Aldous", procedure="leak-check")
    cab.do(COMBINATION, until="up")
    cab.accept(COMBINATION)
    cab.pass_time(50)
    shoot(cab.page, "phone-night")


def beside_the_fill(cab: Cab) -> None:
    """The inspection beside the filling air, and the report of an inspection, at 1280x800."""
    cab.begin("MV-05", "Tove Lind", procedure="single-vehicle")
    cab.do({}, until="cut_out")
    cab.page.locator("main input").first.fill("30")
    cab.page.get_by_role("button", name="Do the in-cab inspection now").click()
    cab.page.wait_for_selector("[data-beside] [data-ask]")
    cab.pass_time(4)
    shoot(cab.page, "test-inspection")
    (latest, *_) = cab.page.request.get(f"{cab.url}/api/inspections?unit={demo_id('MV-12')}").json()
    cab.go(f"/inspections/{latest['id']}")
    cab.page.wait_for_selector("[data-inspection-report]")
    shoot(cab.page, "inspection-report")


def going_round(cab: Cab) -> None:
    """An inspection by thumb at 390x844: a wheel end, and what follows from a tread that is too low."""
    walker = Walker(cab)
    walker.begin("MV-12", "Exam inspection", driver="Ines Aldous")
    cab.page.locator("header").get_by_role("button", name=re.compile(r"\d+ of \d+")).click()
    cab.page.get_by_role("dialog").get_by_role("button", name="Drive axles, left").click()
    while "tire_tread" not in walker.asks:
        walker.step()
    shoot(cab.page, "phone-inspection")
    cab.page.get_by_role("slider").focus()
    cab.page.keyboard.type("1")
    cab.page.get_by_role("button", name="not worn").click()
    cab.page.wait_for_selector("[data-means=stay]")
    shoot(cab.page, "phone-not-right")


def learning(page: Page, url: str) -> None:
    """The ladder of lessons, and a trainer's class at a glance."""
    page.goto(f"{url}/learn")
    page.wait_for_selector("[data-open]", timeout=60_000)
    shoot(page, "lessons")
    with httpx.Client(base_url=url, timeout=30) as http:
        client = sign_in(http, "Hanne Solberry")
        made = client.post("/api/learning/classes", json={"name": "Winter"}).raise_for_status().json()
        names = ("Tove Lind", "Ines Aldous", "Bram Osei")
        members = [demo_id(name) for name in names]
        body = {"version": made["version"], "name": "Winter", "exam_on": "2027-01-12", "members": members}
        client.put(f"/api/learning/classes/{made['id']}", json=body).raise_for_status()
        for name in names:  # nothing of theirs is seen before they agree
            with httpx.Client(base_url=url, timeout=30) as member:
                agreed = {"agree": True}
                sign_in(member, name).post(f"/api/learning/invitations/{made['id']}", json=agreed).raise_for_status()
        for lesson in ("dash", "full_air", "needles", "release"):
            note = {"kind": "passed", "about": lesson, "text": "shown on MV-03"}
            client.post(f"/api/learning/people/{members[1]}/notes", json=note).raise_for_status()
    page.request.post(f"{url}/api/session/demo", data={"person_id": demo_id("Hanne Solberry")})
    page.goto(f"{url}/learn/classes")
    page.wait_for_selector("[data-board]", timeout=60_000)
    shoot(page, "class")


def practising(browser: Browser, url: str) -> None:
    """The practice vehicle in its minute, at both sizes, and what was true of it: in real time."""
    for size, name in ((PHONE, "phone-dash"), (DESK, "dash")):
        context = browser.new_context(viewport=size, locale="en-US", service_workers="block")
        seat = Seat(context.new_page(), url)
        page = seat.page
        page.goto(f"{url}/practice")
        page.get_by_role("radio", name="chosen", exact=True).click()
        page.get_by_role("button", name="Leaking coupling: severe").click(timeout=60_000)
        seat.choose("tractor and trailer", choose=LEAK_CHECK, press=("automatic", "full"))
        seat.key("k")
        page.wait_for_timeout(4500)
        seat.key("y", "t", "o", "Comma", "Period")
        seat.until_asked("pedal_full")
        page.wait_for_timeout(6000)
        page.keyboard.down("ArrowDown")
        seat.until_asked("settled", "start")
        page.wait_for_timeout(12_000)
        seat.mark()
        if seat.asked() == "start":
            page.wait_for_timeout(9000)
            seat.mark()
        seat.set_numbers(*seat.both())
        page.wait_for_timeout(20_000)
        shoot(page, name)
        if size is DESK:
            seat.until_asked("read", "readOne")
            seat.set_numbers(*seat.both())
            page.keyboard.up("ArrowDown")
            page.get_by_role("button", name="End test here").click()
            seat.after()
            page.wait_for_selector("[data-quality]")
            shoot(page, "truth")
            learning(page, url)
        assert seat.complaints == [], seat.complaints
        context.close()


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
    if not (WEB / "index.html").exists():
        subprocess.run(["npm", "--prefix", "web", "run", "build"], cwd=ROOT, check=True)
    SHOTS.mkdir(exist_ok=True)
    with application() as url, sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path="/usr/bin/chromium-headless-shell",
            args=["--disable-gpu", "--no-sandbox", "--disable-background-networking"],
        )
        views = (
            (office, DESK),
            (rule_desk, DESK),
            (whole_run, DESK),
            (at_night, PHONE),
            (in_the_yard, PHONE),
            (beside_the_fill, DESK),
            (going_round, PHONE),
        )
        for drive, size in views:
            context = browser.new_context(viewport=size, locale="en-US", service_workers="block")
            cab = Cab(context.new_page(), url)
            drive(cab)
            assert cab.complaints == [], cab.complaints
            context.close()
        practising(browser, url)
        browser.close()


if __name__ == "__main__":
    main()

"""One complete leak check by real clocks on a slowed processor, its page frozen in the middle of the hold."""

from __future__ import annotations

import datetime as dt
import time

import pytest
from playwright.sync_api import expect

from tests.browser.cab import BOUNCE_S, READS, RealCab
from tests.browser.test_leak_journey import events_of

SLOWED = 6
"""A phone of the cheap kind against the machine that tests, by the browser's own throttle."""
FROZEN_S = 20
HOLD_S, LATE_S = 60, 3
FIGURES = {"start": (112, 113), "end": (110, 111)}


@pytest.fixture
def real_cab(page, app_url):
    cab = RealCab(page, app_url)
    yield cab
    assert cab.complaints == []


@pytest.mark.long
@pytest.mark.real_time
def test_the_hold_is_measured_right_by_a_slow_page_that_was_frozen_meanwhile(real_cab):
    cab, page = real_cab, real_cab.page
    devtools = page.context.new_cdp_session(page)
    run = cab.begin("MV-12", procedure="leak-check")
    devtools.send("Emulation.setCPUThrottlingRate", {"rate": SLOWED})
    cab.do(FIGURES, until="start")
    cab.pass_time(BOUNCE_S)  # two marks closer than this are one
    before = time.time()
    cab.bar.dispatch_event("pointerdown", {"button": 0})
    after = time.time()
    cab.until(lambda: cab.asked() == "up")
    cab.accept(FIGURES)
    devtools.send("Page.setWebLifecycleState", {"state": "frozen"})
    time.sleep(FROZEN_S)
    devtools.send("Page.setWebLifecycleState", {"state": "active"})
    expect(page.locator("[data-phase=read]")).to_be_visible(timeout=HOLD_S * 1000)
    ended = time.time()
    assert cab.asked() in READS
    cab.do(FIGURES)
    cab.finish()
    start, end = (event for event in events_of(cab, run) if event["body"]["type"] == "reading")
    held_s = end["mono_s"] - start["mono_s"]
    # never before its time; a busy machine may wake the page late, and then the mark says how late
    assert HOLD_S - 0.05 <= held_s <= HOLD_S + LATE_S
    walls = [time_of(event["wall"]) for event in (start, end)]
    assert walls[1] - walls[0] == pytest.approx(held_s, abs=0.1)
    # and by a clock that is not the page's: the mark fell between these two, and the end was shown when it came
    assert before - 0.1 <= walls[0] <= after + 0.1
    assert walls[1] <= ended + 0.1
    measured = page.request.get(f"{cab.url}/api/runs/{run}/report").json()["verdict"]["stages"][0]["measured"]
    assert measured["duration_s"] == pytest.approx(held_s, abs=0.1)


def time_of(wall: str) -> float:
    """Seconds since the epoch of a wall-clock stamp."""
    return dt.datetime.fromisoformat(wall).timestamp()

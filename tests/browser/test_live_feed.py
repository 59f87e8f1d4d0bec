"""A whole test from a live feed: a simulated vehicle sends, the screen fills in and proposes, people mark."""

from __future__ import annotations

import json
import time
from collections.abc import Callable

import httpx
import pytest
from playwright.sync_api import expect
from websockets.sync.client import connect

from lowhiss import rulebook
from lowhiss.core.airsystem import AirSystem, Sample, kind_spec
from lowhiss.engine.simulation import frame_of
from tests.browser.cab import PATIENCE_S, Cab
from tests.browser.test_conductor import agrees
from tests.browser.test_leak_journey import events_of
from tests.conftest import sign_in
from tests.devices import UNIT_ID
from tests.plugin import HANG_S

OUTCOMES_SHOWN = """
window.shown = []
new MutationObserver(() => {
  const outcome = document.querySelector('article header [data-outcome]')?.dataset.outcome
  if (outcome && shown.at(-1) !== outcome) shown.push(outcome)
}).observe(document.body, { childList: true, subtree: true, attributes: true })
"""


class FeedCab(Cab):
    """A driver in a simulated vehicle whose needles are sent while the page's time runs."""

    def __init__(self, page, url: str) -> None:
        super().__init__(page, url)
        self.vehicle = AirSystem(kind_spec(rulebook.air_data(), "tractor_semitrailer"), rulebook.air_data(), 112, 108)
        self.socket = None
        self.seq = 0
        self.came = 0
        self.joined = False
        page.on("websocket", self._opened)

    def _opened(self, socket) -> None:
        if socket.url.endswith("/feed"):
            self.joined = False
            socket.on("framereceived", self._received)

    def _received(self, payload) -> None:
        message = json.loads(payload)
        if "state" in message and not self.joined:  # this screen has joined: what was sent before that is not for it
            self.joined, self.came = True, self.seq
        self.came = message.get("frame", {}).get("seq", self.came)

    def pass_time(self, seconds: float) -> None:
        """Second by second: the vehicle goes on, its frames are sent, the page's clocks run."""
        left = seconds
        while left > 1e-6:
            step = min(1.0, left)
            for _ in range(2):
                self.send(self.vehicle.advance(step / 2))
            if self.socket is not None:
                self._wait_for_frames()
            self.page.clock.fast_forward(round(step * 1000))
            left -= step

    def _wait_for_frames(self) -> None:
        """Frames come by real time: the page's clocks run on only when it has them, however busy the machine."""
        self._wait(lambda: self.came >= self.seq, f"frame {self.seq} never came")

    def wait_to_join(self) -> None:
        """Wait until this screen is told what is sent: it says "stopped" before it is, too."""
        self._wait(lambda: self.joined, "the screen never joined the feed")

    def _wait(self, until: Callable[[], bool], otherwise: str) -> None:
        given_up = time.monotonic() + PATIENCE_S
        while not until():
            assert time.monotonic() < given_up, otherwise
            self.page.wait_for_timeout(5)

    def send(self, dash) -> None:
        self.seq += 1
        if self.socket is not None:
            self.socket.send(json.dumps(frame_of(self.seq, Sample(dash, 0, 0, True), self.vehicle.spec)))

    def handle(self, asked: str) -> None:
        """Do on the vehicle what the screen asks for, before it is marked."""
        controls = self.vehicle.controls
        match asked:
            case "engine_running":
                controls.key, controls.rpm = True, 1100
            case "engine_off":
                controls.rpm, controls.key = 0, False
            case "key_on":
                controls.key = True
            case "knobs_in":
                controls.tractor_in = controls.trailer_in = True
            case "pedal_full":
                controls.pedal = 1.0
            case "pedalUp":
                controls.pedal = 0.0

    def until_proposed(self, fan: bool = False) -> str:
        """Let time run, fanning where the air must be spent, until the feed proposes a moment; its name."""
        proposal = self.page.locator("[data-proposal]")
        for _ in range(300):  # a proposal lasts twelve seconds, and on a busy machine a step may take some of them
            if proposal.count():
                self.vehicle.controls.pedal = 0.0 if fan else self.vehicle.controls.pedal
                return proposal.get_attribute("data-proposal") or ""
            if fan:
                self.vehicle.controls.pedal = 0.0 if self.vehicle.controls.pedal else 1.0
            self.pass_time(1)
        raise AssertionError("never proposed")

    def take(self) -> None:
        """Confirm what the feed proposes."""
        asked = self.asked()
        self.page.locator("[data-proposal]").click()
        self.until(lambda: self.asked() != asked)


@pytest.fixture
def cab(page, app_url):
    cab = FeedCab(page, app_url)
    yield cab
    assert cab.complaints == []


def test_a_whole_test_from_the_feed_with_a_dropout_in_the_hold(cab, app_url, tmp_path, capsys):
    page = cab.page
    with httpx.Client(base_url=app_url) as http:
        token = sign_in(http).post(f"/api/units/{UNIT_ID['MV-12']}/feed-token").json()["token"]
    cab.set_up("MV-12", "Ines Aldous", procedure="static-only")
    page.get_by_role("radio", name="live feed").click()
    page.locator("button[type=submit]:enabled").click()
    expect(cab.bar).to_be_visible()
    run = page.url.rsplit("/", 1)[1]
    expect(page.locator("[data-feed=stopped]")).to_be_visible()
    cab.wait_to_join()
    address = app_url.replace("http", "ws", 1) + "/api/feed"
    with connect(address, additional_headers={"Authorization": f"Bearer {token}"}, open_timeout=HANG_S) as cab.socket:
        cab.pass_time(1)
        expect(page.locator("[data-feed=stopped]")).to_have_count(0)
        for _ in range(60):
            asked = cab.asked()
            if asked == "cut_out":
                assert cab.until_proposed() == "cut_out"
                cab.take()
            elif asked == "settled":
                assert cab.until_proposed() == "settled"
                cab.take()
            elif asked == "up":
                cab.pass_time(20)
                away, cab.socket = cab.socket, None
                cab.pass_time(6)
                expect(page.locator("[data-feed=stopped]")).to_be_visible()
                cab.socket = away
                cab.pass_time(36)
                cab.until(lambda: cab.asked() != "up")
            elif asked == "warning":
                cab.pass_time(8)
                assert cab.until_proposed(fan=True) == "warning"
                cab.take()
            elif asked in ("popped", "tractor", "trailer"):
                assert cab.until_proposed(fan=True) in ("trailer_out", "tractor_out")
                cab.take()
            elif asked == "finish":
                break
            else:
                cab.handle(asked)
                cab.pass_time(20 if asked == "start" else 1.5)
                cab.touch(asked)
                cab.until(lambda asked=asked: cab.asked() != asked)
        expect(page.get_by_role("slider")).to_have_count(0)  # every number came from the feed
    cab.socket = None
    page.evaluate(OUTCOMES_SHOWN)
    cab.finish()
    expect(page.locator("svg:has([data-needle])")).to_be_visible()
    assert page.evaluate("shown") == ["pass"]  # never, for a moment, what the run was before
    for needle in ("primary", "secondary"):  # drawn before and after the dropout, not across it
        expect(page.locator(f"[data-needle={needle}]")).to_have_count(2)
    verdict = agrees(cab, tmp_path, capsys)
    assert verdict["overall"] == "pass"
    readings = [event["body"] for event in events_of(cab, run) if "primary_psi" in event["body"]]
    assert {body["type"] for body in readings} == {"reading", "warning", "knob"}
    trace = page.request.get(f"{app_url}/api/runs/{run}/trace").json()
    seqs = [frame["seq"] for frame in trace]
    assert len(seqs) > 300
    assert seqs == sorted(seqs)
    assert seqs[-1] - seqs[0] + 1 > len(seqs)  # the dropout is not filled in
    # each mark has its place on the feed (here by two clocks, as the page's is turned by hand); a dispatch says nothing
    beside = page.request.get(f"{app_url}/api/runs/{run}/feed-comparison").json()
    read = [one for one in beside if one["typed_psi"]]
    assert {"cut_out", "start", "end"} <= {one["kind"] for one in read}
    expect(page.locator("[data-beside]")).to_have_count(0)

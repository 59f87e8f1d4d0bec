"""Two processes and a Redis of our own: a sender on one, its screens on the other; a dead Redis costs a nudge."""

from __future__ import annotations

import contextlib
import json
import subprocess
import threading
from contextlib import ExitStack

import httpx
import pytest
from websockets.exceptions import ConnectionClosed
from websockets.sync.client import connect

from lowhiss.service.backing_services import REDIS_URL
from tests.conftest import Running, sign_in
from tests.devices import UNIT_ID, Device
from tests.faults.processes import free_port
from tests.plugin import HANG_S

PAUSE = threading.Event()


class Redis:
    """Debian's server on loopback, nothing written to disk; may be killed and started anew."""

    def __init__(self, port: int) -> None:
        self.port = port
        self.start()

    def start(self) -> None:
        quiet = ["--save", "", "--appendonly", "no", "--loglevel", "warning"]
        command = ["redis-server", "--bind", "127.0.0.1", "--port", str(self.port), *quiet]
        self.process = subprocess.Popen(command, stdout=subprocess.DEVNULL)

    def kill(self) -> None:
        self.process.kill()
        self.process.wait()


@pytest.fixture
def pair(store, monkeypatch, tmp_path):
    """Two applications on one database, and the Redis between them."""
    server = Redis(free_port())
    monkeypatch.setenv(REDIS_URL, f"redis://127.0.0.1:{server.port}")
    apps = [Running(store, spool=tmp_path / name, keys=tmp_path / "keys") for name in ("one", "other")]
    yield apps, server
    for app in apps:
        app.stop()
    server.kill()


def heard(socket, fits, seconds=10.0):
    """The first message that fits."""
    while True:
        message = json.loads(socket.recv(timeout=seconds))
        if fits(message):
            return message


def cookies(http):
    return {"Cookie": "; ".join(f"{name}={value}" for name, value in http.cookies.items())}


def frame(seq):
    return json.dumps({"seq": seq, "t_s": seq / 10, "primary_psi": 100 + seq % 5, "secondary_psi": 101})


def test_a_sender_on_one_process_is_seen_on_the_other(pair):
    (one, other), server = pair
    unit = UNIT_ID["MV-15"]
    with ExitStack() as stack:
        http = sign_in(stack.enter_context(httpx.Client(base_url=other.url, timeout=HANG_S)))
        token = http.post(f"/api/units/{unit}/feed-token").raise_for_status().json()["token"]
        ws = [app.url.replace("http", "ws") for app in (one, other)]
        screen = stack.enter_context(
            connect(f"{ws[1]}/api/units/{unit}/feed", additional_headers=cookies(http), open_timeout=HANG_S)
        )
        assert heard(screen, lambda _: True) == {"state": "stopped"}
        bearer = {"Authorization": f"Bearer {token}"}
        sender = stack.enter_context(connect(f"{ws[0]}/api/feed", additional_headers=bearer, open_timeout=HANG_S))
        seen = _sent_until_seen(sender, screen, 0)
        # a screen that comes later hears that somebody sends
        late = stack.enter_context(
            connect(f"{ws[1]}/api/units/{unit}/feed", additional_headers=cookies(http), open_timeout=HANG_S)
        )
        heard(late, lambda message: message.get("state") == "live")
        # Redis dies and comes again: only what was on its way is missed, and the screen says so meanwhile
        server.kill()
        sender.send(frame(seen + 1))
        heard(screen, lambda message: message.get("apart") is True)
        health = http.get("/api/health").raise_for_status().json()
        assert (health["ok"], health["redis"]) == (True, "away")
        server.start()
        heard(screen, lambda message: "state" in message and "apart" not in message)
        seen = _sent_until_seen(sender, screen, seen + 1)
        # a newer sender at the other process takes the older one's place, wherever that is
        newer = stack.enter_context(connect(f"{ws[1]}/api/feed", additional_headers=bearer, open_timeout=HANG_S))
        with contextlib.suppress(ConnectionClosed):
            for place in range(200):
                newer.send(frame(place))
                sender.send(frame(seen + 1 + place))
                PAUSE.wait(0.1)
            raise AssertionError("the older sender was never closed")
        newer.send(frame(300))


def _sent_until_seen(sender, screen, after):
    """Send frames until one of them is on the screen; its number."""
    for seq in range(after + 1, after + 200):
        sender.send(frame(seq))
        with contextlib.suppress(TimeoutError):
            message = json.loads(screen.recv(timeout=0.1))
            if "primary_psi" in json.dumps(message):
                return seq
    raise AssertionError("nothing came")


def test_a_nudge_comes_with_redis_and_without(pair):
    (one, other), server = pair
    with ExitStack() as stack:
        driver, watcher = (
            sign_in(stack.enter_context(httpx.Client(base_url=app.url, timeout=HANG_S))) for app in (one, other)
        )
        device = Device(driver)
        run_id = device.begin("MV-16").raise_for_status().json()["id"]
        live = f"{other.url.replace('http', 'ws')}/api/runs/{run_id}/live"
        screen = stack.enter_context(connect(live, additional_headers=cookies(watcher), open_timeout=HANG_S))
        for place in range(1, 4):
            device.send(device.marked("note", text=str(place))).raise_for_status()
            heard(screen, lambda message, place=place: message.get("last_seq", 0) >= place)
            if place == 1:
                server.kill()
            if place == 2:
                server.start()

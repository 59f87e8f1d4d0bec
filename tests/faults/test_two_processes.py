"""Two server processes on one database serve the two devices of one run; one of them is killed in the middle."""

from __future__ import annotations

import json
from contextlib import ExitStack

import httpx
import pytest
from websockets.sync.client import connect

from tests.conftest import sign_in
from tests.faults.processes import LowHiss, free_port
from tests.faults.test_kill import PatientDevice
from tests.plugin import HANG_S


@pytest.fixture
def two(tmp_path, demo_store, empty_url):
    """Two processes of one yard."""
    with ExitStack() as stack:
        processes = []
        for name in ("one", "other"):
            app = LowHiss(tmp_path / name, free_port(), "--demo", database_url=empty_url)
            stack.callback(lambda app=app: app.runs and app.interrupt())
            processes.append(app)
        yield processes


def test_either_process_serves_either_device_and_one_may_die(two):
    one, other = two
    with ExitStack() as stack:
        driver, watcher = (
            PatientDevice(sign_in(stack.enter_context(httpx.Client(base_url=app.url, timeout=HANG_S)), name))
            for app, name in ((one, "Ines Aldous"), (other, "Rafe Tolland"))
        )
        driver.begin().raise_for_status()
        code = driver.client.post(f"/api/runs/{driver.run_id}/join-code").json()["code"]
        watcher.run_id = watcher.client.post("/api/runs/join", json={"code": code}).json()["id"]
        cookies = "; ".join(f"{name}={value}" for name, value in watcher.client.cookies.items())
        live = f"{other.url.replace('http', 'ws')}/api/runs/{driver.run_id}/live"
        screen = stack.enter_context(connect(live, additional_headers={"Cookie": cookies}, open_timeout=HANG_S))
        marks = driver.leak_test(100, 97)
        calls = [{**watcher.marked("said", what="limit:leak_applied"), "by": "Rafe Tolland"} for _ in marks]
        sent = []
        for number, (mark, call) in enumerate(zip(marks, calls, strict=True)):
            driver.send_until_kept(mark)
            watcher.send_until_kept(call)
            sent += [mark, call]
            if number == len(marks) // 2:
                one.kill()
                driver.client.base_url = other.url  # the phone finds the process that is left
        driver.send_until_kept(*marks)
        while json.loads(screen.recv(timeout=HANG_S))["last_seq"] < len(sent):
            pass
        kept = watcher.client.get(f"/api/runs/{driver.run_id}/events").json()
        assert [(event["seq"], event["id"], event["by"]) for event in kept] == [
            (seq, event["id"], event["by"]) for seq, event in enumerate(sent, 1)
        ]
        stage = driver.report()["verdict"]["stages"][0]
        assert (stage["outcome"], stage["measured"]["drop_psi"]) == ("pass", 3)

"""Every acknowledged mark survives: servers and databases are really killed in the middle of a run."""

from __future__ import annotations

import os
import random
import threading

import httpx
import pytest

from tests.conftest import copied, sign_in
from tests.devices import Device
from tests.faults.processes import LowHiss, free_port


class PatientDevice(Device):
    """A device that resends until it is acknowledged, as the app does."""

    def send_until_kept(self, *events) -> None:
        """Send; on no answer or a 5xx send the very same again."""
        for _ in range(400):
            try:
                answer = self.send(*events)
            except httpx.TransportError:
                PAUSE.wait(0.05)
                continue
            if answer.status_code >= 500:
                assert answer.json()["error"]["code"] == "database_away", answer.text
                PAUSE.wait(0.05)
                continue
            received = answer.raise_for_status().json()
            assert received["set_aside"] == []
            return
        raise AssertionError("never acknowledged")


PAUSE = threading.Event()  # waited on only to let a killed process come back between two attempts


@pytest.fixture(scope="module")
def killable(tmp_path_factory, demo_database):
    data = tmp_path_factory.mktemp("killed") / "var"
    copied(demo_database, data / "database")
    app = LowHiss(data, free_port(), "--demo")
    holder = [app]
    yield holder
    holder[0].interrupt()


RUNS = 50 if os.environ.get("LOWHISS_NIGHTLY") else 6
"""Each run has two kills: a dozen moments here, a hundred with LOWHISS_NIGHTLY=1."""


@pytest.mark.parametrize("seed", range(RUNS))
def test_a_killed_database_or_server_costs_no_acknowledged_mark(killable, seed):
    rng = random.Random(seed)
    with httpx.Client(base_url=killable[0].url, timeout=20) as client:
        sign_in(client)
        device = PatientDevice(client)
        device.begin().raise_for_status()
        events = device.leak_test(100, 97)
        struck_at = set(rng.sample(range(len(events)), 2))
        for number, event in enumerate(events):
            # the kill falls before, into or after the sending, as it comes
            blow = threading.Timer(rng.uniform(0, 0.03), kill_something, (killable, rng))
            if number in struck_at:
                blow.start()
            device.send_until_kept(event)
            if number in struck_at:
                blow.join()
        # the whole run resent, as a device does that never saw the last answer
        device.send_until_kept(*events)
        kept = client.get(f"/api/runs/{device.run_id}/events").raise_for_status().json()
        assert [event["id"] for event in kept] == [event["id"] for event in events]
        assert [event["seq"] for event in kept] == list(range(1, len(events) + 1))
        assert {event["by"] for event in kept} == {"Odile Ferrow"}  # who was signed in, whatever name was sent
        stage = device.sheet()["verdict"]["stages"][0]
        assert (stage["outcome"], stage["measured"]["drop_psi"], stage["measured"]["duration_s"]) == ("pass", 3, 60)


def kill_something(holder, rng) -> None:
    """The database, the application, or both at once."""
    app = holder[0]
    victim = rng.choice(["database", "server", "both"])
    if victim in ("database", "both"):
        app.kill_database()
    if victim in ("server", "both"):
        app.kill()
        holder[0] = LowHiss(app.data, app.port, "--demo")


def test_while_the_database_is_away_the_answer_says_wait(killable):
    app = killable[0]
    with httpx.Client(base_url=app.url, timeout=20) as client:
        sign_in(client)
        before = app.database_pid
        app.kill_database()
        for _ in range(400):
            answer = client.get("/api/units")
            assert answer.status_code in (200, 503), answer.text
            if answer.status_code == 503:
                assert answer.headers["retry-after"] == "1"
            elif app.database_pid != before:
                break
            PAUSE.wait(0.02)
        assert answer.status_code == 200
        assert app.hear("was started again")

"""A live feed over the wire: its token, what is passed on to screens, what is kept, and what is refused."""

from __future__ import annotations

import json
import time
from collections import deque
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager

import pytest
from websockets.exceptions import ConnectionClosed
from websockets.sync.client import ClientConnection, connect

from lowhiss.api import sockets
from lowhiss.api.runs import feed
from lowhiss.cli import main
from lowhiss.service.people import secrets
from tests.devices import UNIT_ID, Device

PATIENCE_S = 60
"""So long an answer may take on a machine that is busy with other tests."""


@contextmanager
def sender(url: str, token: str, **headers: str) -> Iterator[ClientConnection]:
    address = url.replace("http", "ws", 1) + "/api/feed"
    with connect(address, additional_headers={"Authorization": f"Bearer {token}", **headers}) as socket:
        yield socket


@contextmanager
def screen(client, unit: str) -> Iterator[ClientConnection]:
    address = str(client.base_url).replace("http", "ws", 1) + f"/api/units/{UNIT_ID[unit]}/feed"
    cookies = "; ".join(f"{name}={value}" for name, value in client.cookies.items())
    with connect(address, additional_headers={"Cookie": cookies}) as socket:
        yield socket


def heard(socket: ClientConnection) -> dict:
    return json.loads(socket.recv(timeout=PATIENCE_S))


def closed_with(socket: ClientConnection) -> int:
    with pytest.raises(ConnectionClosed) as closed:
        deque(iter(lambda: socket.recv(timeout=PATIENCE_S), None), maxlen=0)
    return closed.value.rcvd.code


def frame(seq: int, psi: float = 100, **more) -> str:
    return json.dumps({"seq": seq, "t_s": seq / 10, "primary_psi": psi, "secondary_psi": psi, **more})


def saved_trace(client, run_id: str) -> list[dict]:
    """What was kept of a feed with a run; that happens after screens have been told that the sender is gone."""
    given_up = time.monotonic() + PATIENCE_S
    trace = []
    while not trace and time.monotonic() < given_up:
        trace = client.get(f"/api/runs/{run_id}/trace").raise_for_status().json()
    return trace


@pytest.fixture
def token(client) -> str:
    return client.post(f"/api/units/{UNIT_ID['MV-12']}/feed-token").raise_for_status().json()["token"]


def test_frames_reach_the_screens_and_are_kept_with_the_run_that_is_under_way(client, app_url, token):
    run = Device(client)
    run.begin("MV-12").raise_for_status()
    with screen(client, "MV-12") as look:
        assert heard(look) == {"state": "stopped"}
        with sender(app_url, token) as send:
            assert heard(look) == {"state": "live"}
            send.send("\n".join(frame(seq) for seq in range(1, 6)))
            shown = [heard(look)["frame"] for _ in range(5)]
            assert [one["seq"] for one in shown] == [1, 2, 3, 4, 5]
            send.send(frame(9, lamp=True))
            assert heard(send) == {"trouble": "gap", "seq": 9}
            assert heard(look)["trouble"] == "gap"
        assert heard(look) == {"state": "stopped"}
    trace = saved_trace(client, run.run_id)
    assert [one["seq"] for one in trace] == [1, 2, 3, 4, 5, 9]
    assert trace[-1]["at_s"] - trace[0]["at_s"] == pytest.approx(0.8)
    drawn = client.get(f"/api/runs/{run.run_id}/needles").raise_for_status().json()
    assert [one["needle"] for one in drawn] == ["primary", "secondary"]
    assert drawn[0]["at_s"] == [one["at_s"] for one in trace]
    assert client.get(f"/api/runs/{run.run_id}/record").json()["events"] == []  # a feed marks nothing


def test_a_wrong_frame_is_answered_and_the_next_one_taken(client, app_url, token):
    with screen(client, "MV-12") as look, ExitStack() as stack:
        heard(look)
        send = stack.enter_context(sender(app_url, token))
        for wrong, field in (
            ("{", ""),
            ('{"seq": 1, "t_s": 0, "primary": 100}', "primary"),
            (frame(1, 900), "primary_psi"),
            ("x" * 5000, ""),
        ):
            send.send(wrong)
            answer = heard(send)
            assert answer["field"] == field
            assert answer["error"]
        send.send(frame(1))
        messages = [heard(look) for _ in range(2)]
        assert messages[-1]["frame"]["seq"] == 1
        send.send(frame(1))
        assert heard(send) == {"trouble": "duplicate", "seq": 1}


def test_a_sender_without_its_token_is_closed_out_and_another_units_token_feeds_that_unit_only(client, app_url, token):
    with sender(app_url, "guessed") as send:
        assert closed_with(send) == sockets.SIGNED_OUT
    with sender(app_url, token, Origin="http://elsewhere.test") as send:
        assert closed_with(send) == sockets.FOREIGN
    with screen(client, "MV-22") as other, sender(app_url, token) as send:
        assert heard(other) == {"state": "stopped"}
        send.send(frame(1))
        with pytest.raises(TimeoutError):
            other.recv(timeout=0.3)


def test_a_new_token_voids_the_old_one_and_a_new_sender_takes_the_place_of_the_old_one(client, app_url, token):
    with screen(client, "MV-12") as look, sender(app_url, token) as first:
        assert [heard(look)["state"] for _ in range(2)][-1] == "live"  # the first one is known before the second comes
        with sender(app_url, token) as second:
            assert closed_with(first) == sockets.REPLACED
            second.send(frame(1))
        newer = client.post(f"/api/units/{UNIT_ID['MV-12']}/feed-token").json()["token"]
    with sender(app_url, token) as send:
        assert closed_with(send) == sockets.SIGNED_OUT
    with sender(app_url, newer) as send:
        send.send(frame(1))


def test_a_flood_and_endless_nonsense_are_ended(app_url, token):
    with sender(app_url, token) as send:
        send.send("\n".join(frame(seq) for seq in range(1, feed.MAX_FRAMES_AT_ONCE + 20)))
        assert closed_with(send) == sockets.CROWDED
    with sender(app_url, token) as send:
        send.send("\n".join("nonsense" for _ in range(feed.MAX_BAD_FRAMES + 5)))
        assert closed_with(send) == sockets.BAD


def test_nobody_looks_without_signing_in(stranger):
    with screen(stranger, "MV-12") as look:
        assert closed_with(look) == sockets.SIGNED_OUT


def test_a_token_can_be_given_on_a_command_line():
    assert not [token for token in (secrets.new_token() for _ in range(500)) if not token.isalnum()]


def test_the_stand_in_sends_a_simulated_drive(client, app_url, token, tmp_path, capsys):
    arguments = ["--unit", "tractor_semitrailer", "--procedure", "leak-check", "--speed", "12"]
    with screen(client, "MV-12") as look:
        heard(look)
        code = main(["simulate", *arguments, "--out", str(tmp_path / "run"), "--feed", app_url, "--token", token])
        assert code == 0
        frames = [message["frame"] for message in iter(lambda: heard(look), {"state": "stopped"}) if "frame" in message]
    # a screen that does not keep up misses the oldest, never the order
    assert [one["seq"] for one in frames] == sorted(one["seq"] for one in frames)
    assert frames[-1]["tractor_in"] is True
    assert main(["simulate", *arguments, "--feed", app_url, "--token", "wrong", "--out", str(tmp_path / "x")]) == 64
    assert "4401" in capsys.readouterr().err
    assert main(["simulate", *arguments, "--feed", app_url]) == 64

"""Marks of every kind of log are received by the same rules: each is tried on a test and on an inspection."""

from __future__ import annotations

import json
import uuid
from dataclasses import dataclass

import httpx
import pytest
from websockets.exceptions import ConnectionClosed

from lowhiss.api import sockets
from lowhiss.service.marks import receiver
from lowhiss.service.marks.kinds import KINDS
from tests.conftest import sign_in
from tests.devices import Device, watching
from tests.plugin import HANG_S


@dataclass
class Log:
    """A log on a device: where it is, and how a mark of it looks."""

    kind: str
    id: str
    device: Device

    @property
    def path(self) -> str:
        return f"/api/{self.kind}s/{self.id}"

    def mark(self, kind: str = "note", **fields) -> dict:
        self.device.seq += 1
        self.device.wait(1)
        own = {"type": kind, **({"text": "seen"} if kind == "note" else {})}
        return {"id": uuid.uuid4().hex, "seq": self.device.seq, "by": "", **self.device.moment(), **own, **fields}

    def send(self, *marks: dict) -> dict:
        where = f"{self.path}/{'events' if self.kind == 'run' else 'marks'}"
        body = {"sent": self.device.moment(), "events": list(marks)}
        return self.device.client.post(where, json=body).raise_for_status().json()

    def kept(self) -> list[dict]:
        where = f"{self.path}/{'events' if self.kind == 'run' else 'marks'}"
        return self.device.client.get(where).raise_for_status().json()

    def codes(self, *marks: dict) -> list[str]:
        return [one["code"] for one in self.send(*marks)["set_aside"]]


@pytest.fixture(params=sorted(KINDS))
def log(request, app_url):
    with httpx.Client(base_url=app_url, timeout=HANG_S) as client:
        sign_in(client, "Tove Lind")
        device = Device(client)
        kind = request.param
        units = client.get("/api/units").raise_for_status().json()
        unit = next(one for one in units if one["name"] == "MV-12")
        at = {"begun": device.moment(), "sent": device.moment()}
        body = {"id": str(uuid.uuid4()), "unit_id": unit["id"], "purpose": "rehearsal", **at}
        more = {"way": "in-cab"} if kind == "inspection" else {}
        client.post(f"/api/{kind}s", json={**body, **more}).raise_for_status()
        yield Log(kind, body["id"], device)


def test_a_mark_sent_again_is_the_same_only_where_all_that_its_device_said_is(log):
    mark = log.mark()
    assert log.send(mark)["accepted"] == log.send(mark)["accepted"] == [{"id": mark["id"], "seq": 1}]
    for change in ({"text": "other"}, {"seq": mark["seq"] + 50}, {"mono_s": mark["mono_s"] + 1}, {"epoch": "other"}):
        assert log.codes({**mark, **change}) == ["id_conflict"], change
    earlier = {**mark, "wall": mark["wall"].replace("2026", "2025")}
    assert log.codes(earlier) == ["id_conflict"]


def test_what_the_server_adds_cannot_be_sent(log):
    for field in ("at_s", "after_end", "sent_by", "received"):
        answer = log.send(log.mark(**{field: 1}))
        assert [one["code"] for one in answer["set_aside"]] == ["mark_malformed"]
        assert answer["set_aside"][0]["message"] == f"{field} is set by the server and can't be sent."


def test_every_mark_of_a_page_life_is_timed_by_the_clock_of_the_first(log):
    first, second, third = (log.mark(epoch="reloaded", mono_s=mono_s) for mono_s in (5.0, 65.0, 125.0))
    assert log.codes(first, second) == []
    log.device.wait(300)  # the batch that brings the third was long on its way
    assert log.codes(third) == []
    kept = log.kept()
    assert kept[2]["at_s"] - kept[1]["at_s"] == pytest.approx(60)


def test_a_log_has_so_many_page_lives_and_not_one_more(log, monkeypatch):
    monkeypatch.setattr(receiver, "MAX_CLOCKS", 2)
    assert log.codes(log.mark(epoch="second")) == []
    assert log.codes(log.mark(epoch="third"), log.mark(epoch="second")) == ["too_many_clocks"]


def test_an_end_is_never_dated_back_before_what_came(log):
    log.device.wait(60)
    log.send(log.mark())
    end = log.mark("abandoned", why="rain")
    log.send({**end, "mono_s": end["mono_s"] - 50})
    last, ended = (one["at_s"] for one in log.kept())
    assert ended == last


def test_whoever_watches_a_log_is_nudged_when_it_grows(log):
    with watching(log.device.client, log.id, kind=log.kind) as screen:
        assert json.loads(screen.recv(timeout=HANG_S))["last_seq"] == 0
        log.send(log.mark())
        told = json.loads(screen.recv(timeout=HANG_S))
    assert told["last_seq"] == 1
    assert 0 <= told["at_s"] < 600
    with watching(log.device.client, "none", kind=log.kind) as screen, pytest.raises(ConnectionClosed) as closed:
        screen.recv(timeout=HANG_S)
    assert closed.value.rcvd.code == sockets.UNKNOWN

"""A device as the server sees it: makes ids, keeps two clocks, sends and resends."""

from __future__ import annotations

import base64
import datetime as dt
import json
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import httpx
import rfc8785
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.hazmat.primitives.asymmetric.utils import decode_dss_signature
from cryptography.hazmat.primitives.serialization import Encoding, PublicFormat
from websockets.sync.client import ClientConnection, connect

from lowhiss.demo.scenario import UNITS

UNIT_ID = {unit.name: unit.id for unit in UNITS}


def wall_ms(wall: str) -> int:
    return round(dt.datetime.fromisoformat(wall).timestamp() * 1000)


@contextmanager
def watching(client: httpx.Client, log_id: str, kind: str = "run", **headers: str) -> Iterator[ClientConnection]:
    """The connection of a screen that shows a log."""
    address = str(client.base_url).replace("http", "ws", 1)
    cookies = "; ".join(f"{name}={value}" for name, value in client.cookies.items())
    with connect(f"{address}/api/{kind}s/{log_id}/live", additional_headers={"Cookie": cookies, **headers}) as socket:
        yield socket


class SessionKey:
    """The key that a browser makes when somebody signs in; its public half is given to the server."""

    def __init__(self, client: httpx.Client) -> None:
        self.id = str(uuid.uuid4())
        self._key = ec.generate_private_key(ec.SECP256R1())
        point = self._key.public_key().public_bytes(Encoding.X962, PublicFormat.UncompressedPoint).hex()
        client.post("/api/session/key", json={"id": self.id, "public": point}).raise_for_status()

    def proof(self, content: dict[str, Any]) -> dict[str, str]:
        """The proof of a mark."""
        r, s = decode_dss_signature(self._key.sign(rfc8785.dumps(content), ec.ECDSA(hashes.SHA256())))
        raw = r.to_bytes(32, "big") + s.to_bytes(32, "big")
        return {"key": self.id, "signature": base64.b64encode(raw).decode()}


class Device:
    """One page life of one device. Its clocks stand still until ``wait``."""

    def __init__(self, client: httpx.Client, name: str | None = None, wall_off_s: float = 0) -> None:
        self.client = client
        self.device = name or uuid.uuid4().hex
        self.epoch = uuid.uuid4().hex
        self.mono_s = 10.0
        self.wall = dt.datetime.now(dt.UTC) + dt.timedelta(seconds=wall_off_s)
        self.seq = 0
        self.run_id = ""
        self.key: SessionKey | None = None

    def wait(self, seconds: float) -> Device:
        """Let both clocks go on."""
        self.mono_s += seconds
        self.wall += dt.timedelta(seconds=seconds)
        return self

    def moment(self) -> dict[str, Any]:
        """Now."""
        return {"device": self.device, "epoch": self.epoch, "mono_s": self.mono_s, "wall": self.wall.isoformat()}

    def begin(self, unit: str = "MV-12", **more: Any) -> httpx.Response:
        """Begin a run."""
        self.run_id = str(uuid.uuid4())
        body = {
            "id": self.run_id,
            "unit_id": UNIT_ID[unit],
            "procedure": "leak-check",
            "driver": "Ines Aldous",
            "begun": self.moment(),
            "sent": self.moment(),
            **more,
        }
        return self.client.post("/api/runs", json=body)

    def marked(self, kind: str, **fields: Any) -> dict[str, Any]:
        """An event of this instant, not yet sent."""
        self.seq += 1
        event = {"id": uuid.uuid4().hex, "seq": self.seq, **self.moment(), "by": "Ines Aldous", "type": kind, **fields}
        return self.proven(self.run_id, event)

    def sign_with(self, key: SessionKey | None) -> Device:
        """From here on marks are signed by the key of whoever is signed in here; None: by nobody's."""
        self.key = key
        return self

    def by(self, name: str, event: dict[str, Any], log: str | None = None) -> dict[str, Any]:
        """An event as somebody else's, signed by the key that is here."""
        bare = {key: value for key, value in event.items() if key != "proof"}
        return self.proven(log or self.run_id, {**bare, "by": name})

    def proven(self, log: str, event: dict[str, Any]) -> dict[str, Any]:
        """An event with its proof, where there is a key."""
        if self.key is None:
            return event
        own = {name: event[name] for name in ("id", "device", "epoch", "mono_s", "by")}
        body = {name: value for name, value in event.items() if name not in (*own, "seq", "wall")}
        return {**event, "proof": self.key.proof({"log": log, **own, "wall_ms": wall_ms(event["wall"]), "body": body})}

    def send(self, *events: dict[str, Any]) -> httpx.Response:
        """Send a batch."""
        return self.client.post(f"/api/runs/{self.run_id}/events", json={"sent": self.moment(), "events": list(events)})

    def act(self, kind: str, part_id: str, part_kind: str = "unit", **body: Any) -> dict[str, Any]:
        """Something done about a vehicle at this instant, not yet sent."""
        part = {"kind": part_kind, "id": part_id}
        by = body.pop("by", "")
        act = {"id": str(uuid.uuid4()), "type": kind, "part": part, "at": self.moment(), "by": by, "body": body}
        if self.key is not None:
            at = self.moment()
            own = {"id": act["id"], "by": by, **{name: at[name] for name in ("device", "epoch", "mono_s")}}
            fields = {"type": kind, "part": part, **{f"body.{name}": value for name, value in body.items()}}
            act["proof"] = self.key.proof({"log": "acts", **own, "wall_ms": wall_ms(at["wall"]), "body": fields})
        return act

    def send_acts(self, *acts: dict[str, Any]) -> httpx.Response:
        """Send a batch of them."""
        body = json.dumps({"sent": self.moment(), "acts": list(acts)})  # takes what UTF-8 does not
        return self.client.post("/api/acts", content=body, headers={"content-type": "application/json"})

    def leak_test(self, start: float, end: float, hold_s: float = 60) -> list[dict[str, Any]]:
        """The marks of a whole applied leak test of a combination; the device's clocks go on meanwhile."""
        events = [
            self.marked("confirmed", item="wheels_chocked"),
            self.marked("engine", state="off"),
            self.marked("key", state="on"),
            self.marked("knob", knob="tractor", state="in"),
            self.marked("knob", knob="trailer", state="in"),
        ]
        self.wait(5)
        events.append(self.marked("pedal", state="full"))
        self.wait(8)
        events.append(self.marked("settled", stage="leak_applied"))
        self.wait(15)
        both = {"primary_psi": start, "secondary_psi": start}
        events.append(self.marked("reading", stage="leak_applied", point="start", **both))
        self.wait(hold_s)
        both = {"primary_psi": end, "secondary_psi": end}
        events.append(self.marked("reading", stage="leak_applied", point="end", **both))
        return events

    def report(self, **query: str) -> dict[str, Any]:
        """The run judged."""
        return self.client.get(f"/api/runs/{self.run_id}/report", params=query).raise_for_status().json()

"""Attacks that once held everybody up, each as work that goes on while somebody else's marks are timed.

Named as the tests name them: H3 floods of a stranger, H4 heavy work of one person, M5 jobs, M6 paper.
"""

from __future__ import annotations

import asyncio
import struct
import uuid
import zlib
from collections.abc import Awaitable, Callable
from typing import Any

import httpx

from lowhiss.demo.scenario import UNITS

Attack = Callable[[], Awaitable[object]]
_JSON = {"content-type": "application/json"}
_LONG_RUN = 4_500
_AT_ONCE = 12


def png_of(width: int, height: int) -> bytes:
    """An all black PNG of so many pixels: some kilobytes for tens of megapixels."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack("!I", len(data)) + kind + data + struct.pack("!I", zlib.crc32(kind + data))

    packed = zlib.compressobj(9)
    data = b"".join(packed.compress(bytes(width + 1)) for _ in range(height)) + packed.flush()
    head = struct.pack("!IIBBBBB", width, height, 8, 0, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", data) + chunk(b"IEND", b"")


async def long_run(client: httpx.AsyncClient, marks: int = _LONG_RUN) -> str:
    """An open run of so many marks; its id."""
    run_id, device, epoch = str(uuid.uuid4()), uuid.uuid4().hex, uuid.uuid4().hex

    def moment(mono_s: float) -> dict[str, Any]:
        return {"device": device, "epoch": epoch, "mono_s": mono_s, "wall": "2026-11-20T05:00:00+00:00"}

    begun = {"id": run_id, "unit_id": UNITS[0].id, "procedure": "static-only", "driver": "Odile Ferrow"}
    body = {**begun, "begun": moment(10), "sent": moment(10)}
    (await client.post("/api/runs", json=body)).raise_for_status()
    for first in range(0, marks, 450):
        events = [
            {"id": uuid.uuid4().hex, "seq": n + 1, **moment(11 + n), "type": "note", "text": "x" * 200}
            for n in range(first, min(marks, first + 450))
        ]
        path = f"/api/runs/{run_id}/events"
        (await client.post(path, json={"sent": moment(12 + first), "events": events})).raise_for_status()
    return run_id


async def attacks(client: httpx.AsyncClient, url: str) -> dict[str, Attack]:
    """Each attack by what it is called."""
    run_id = await long_run(client)
    floods = {
        "empty lists": b"[" + b",".join([b"[]"] * 650_000) + b"]",
        "unknown fields": b"{" + b",".join(b'"f%d":1' % n for n in range(160_000)) + b"}",
        "deep lists": b"[" + b",".join([b"[" * 900 + b"]" * 900] * 1_000) + b"]",
    }
    picture = png_of(7_700, 7_700)

    async def strangers_flood(body: bytes) -> None:
        async with httpx.AsyncClient(base_url=url, timeout=60) as stranger:
            for _ in range(10):
                await stranger.post("/api/session/sign-in", content=body, headers=_JSON)

    async def pictures() -> None:
        act = {"act": str(uuid.uuid4())}
        path = "/api/photos/"
        puts = (client.put(f"{path}{uuid.uuid4()}", params=act, content=picture) for _ in range(8))
        await asyncio.gather(*puts)

    async def many(path: str) -> None:
        await asyncio.gather(*(client.get(path) for _ in range(_AT_ONCE)))

    async def dotted_toml() -> None:
        text = b"format = 'low-hiss-rules/1'\n" + b".".join([b"a"] * 450_000) + b" = 1\n"
        await asyncio.gather(*(client.post("/api/rules/import", content=text) for _ in range(4)))

    async def batches() -> None:
        for _ in range(55):
            begun = await client.post("/api/trace-batches", json={"kind": "tractor"})
            if begun.status_code == httpx.codes.CREATED:
                await client.post(f"/api/trace-batches/{begun.json()['id']}/stop")

    return {
        **{f"H3 a stranger's {name}": lambda body=body: strangers_flood(body) for name, body in floods.items()},  # type: ignore[misc]
        "H4 photographs of 59 megapixels": pictures,
        "H4 the report of a long run": lambda: many(f"/api/runs/{run_id}/report"),
        "H4 every school of it": lambda: many(f"/api/runs/{run_id}/rule-sets"),
        "H4 the log over open runs": lambda: many("/api/log?outcome=void"),
        "H4 TOML of one long key": dotted_toml,
        "M5 batches begun and stopped": batches,
        "M6 a long run on paper": lambda: many(f"/api/runs/{run_id}/report.pdf"),
    }

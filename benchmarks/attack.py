"""What a crowd, half-sent requests, long traces and nonsense do to the marks of everybody else.

./bench attack [--seconds S] [--calls N] [--long]

A real server with its database; every request goes to loopback. First how soon a mark is kept while nothing else goes
on, then while forty people sign in at once, while eight traces of thirty minutes are fetched, while the whole log is
printed, with a thousand half-sent requests open, and beside each attack of benchmarks/attacks.py. Last, random calls of
every operation with real ids and hostile values: none may answer 5xx (10,000 of them with --long).
"""

from __future__ import annotations

import argparse
import asyncio
import contextlib
import datetime as dt
import json
import os
import random
import statistics
import tempfile
import uuid
from collections import Counter
from collections.abc import Awaitable, Callable
from pathlib import Path
from typing import Any

import httpx
from sqlalchemy import select

from benchmarks.attacks import attacks
from benchmarks.live import PORT, Bare, Marked, Times, server
from lowhiss.database import PrivateServer
from lowhiss.demo.scenario import PEOPLE, TRAILERS, UNITS, demo_id
from lowhiss.store.engine import Store, make_engine
from lowhiss.store.run_models import RunRow, TracePartRow

_URL = f"http://127.0.0.1:{PORT}"
_HOSTILE: tuple[Any, ...] = (
    None, True, 0, -1, 10**400, 1e308, "", "x" * 5000, "\ud800", "\u202e", "'; DROP TABLE run; --", [], {}, [[]],
    {"a": {"a": {}}}, "../../etc/passwd", "00000000-0000-0000-0000-000000000000", "2026-11-02T04:41:00Z", 1.5,
)  # fmt: skip


async def signed_in(name: str = "Odile Ferrow") -> httpx.AsyncClient:
    """A client signed in as a demo person."""
    client = httpx.AsyncClient(base_url=_URL, timeout=60)
    me = await client.post("/api/session/demo", json={"person_id": demo_id(name)})
    client.headers["x-low-hiss-csrf"] = me.raise_for_status().json()["csrf"]
    return client


def headers_of(client: httpx.AsyncClient) -> str:
    """The lines of a bare request of this client."""
    cookies = "; ".join(f"{name}={value}" for name, value in client.cookies.items())
    csrf = client.headers["x-low-hiss-csrf"]
    return f"Cookie: {cookies}\r\nX-Low-Hiss-CSRF: {csrf}\r\nContent-Type: application/json\r\n"


async def marks_during(bare: Bare, work: Callable[[], Awaitable[object]] | None, seconds: float) -> list[float]:
    """How long each mark took [ms], ten a second for so long, while the work is done again and again beside them."""
    loop = asyncio.get_running_loop()
    going = asyncio.ensure_future(_again_and_again(work)) if work else None
    took = []
    end = loop.time() + seconds
    while loop.time() < end:
        began = loop.time()
        await bare.mark()
        took.append((loop.time() - began) * 1000)
        await asyncio.sleep(max(0.0, 0.1 - (loop.time() - began)))
    if going is not None:
        going.cancel()
        await asyncio.wait([going])
    return took


async def _again_and_again(work: Callable[[], Awaitable[object]]) -> None:
    while True:
        with contextlib.suppress(httpx.TransportError):  # what the attacker hears is no figure of ours
            await work()
        await asyncio.sleep(0)


def spread(took: list[float]) -> str:
    """Median, slowest in a hundred and slowest."""
    cuts = statistics.quantiles(took, n=100, method="inclusive") if len(took) > 1 else took * 99
    return f"p50 {cuts[49]:.0f} ms, p99 {cuts[98]:.0f} ms, slowest {max(took):.0f} ms ({len(took)})"


async def crowd() -> None:
    """Forty people who sign in at once, again and again for some seconds; nobody knows their password."""

    limits = httpx.Limits(max_connections=40)
    async with httpx.AsyncClient(base_url=_URL, timeout=120, limits=limits) as client:

        async def one(place: int) -> None:
            for turn in range(3):
                body = {"name": f"Nobody {place} {turn}", "password": "wrong password"}
                await client.post("/api/session/sign-in", json=body)

        await asyncio.gather(*(one(place) for place in range(40)))


def save_trace(store: Store, run_id: str) -> int:
    """Thirty minutes of a feed at ten a second with a run; how many bytes they are."""
    size = 0
    with store.transaction() as session:
        started_at = session.scalars(select(RunRow.started_at).where(RunRow.id == run_id)).one()
        for part in range(180):
            frames = [
                {
                    "seq": part * 100 + n,
                    "t_s": round(part * 10 + n / 10, 3),
                    "primary_psi": 100.0,
                    "secondary_psi": 99.5,
                }
                for n in range(100)
            ]
            lines = "\n".join(json.dumps(frame, separators=(",", ":")) for frame in frames)
            size += len(lines)
            began = started_at + dt.timedelta(seconds=part * 10)
            session.add(TracePartRow(run_id=run_id, began_at=began, frames=lines))
    return size


async def half_sent(count: int) -> list[asyncio.StreamWriter]:
    """So many requests that never go on: half of them in the head, half in the body."""
    writers = []
    for n in range(count):
        _, writer = await asyncio.open_connection("127.0.0.1", PORT)
        head = b"POST /api/session/sign-in HTTP/1.1\r\nHost: 127.0.0.1\r\n"
        body = head + b"Content-Type: application/json\r\nContent-Length: 90\r\n\r\n{"
        writer.write(head if n % 2 else body)
        writers.append(writer)
    return writers


async def nonsense(client: httpx.AsyncClient, document: dict[str, Any], run_ids: list[str], count: int) -> Counter[int]:
    """Random calls with real ids and hostile values; how often each status was answered."""
    rng = random.Random(8420)
    ids = {
        "run_id": run_ids, "unit_id": [unit.id for unit in UNITS], "trailer_id": [demo_id(name) for name in TRAILERS],
        "person_id": [demo_id(name) for name in PEOPLE if name != "Odile Ferrow"],
    }  # fmt: skip
    left_out = {"signOut", "signOutEverywhere", "signIn", "demoSignIn", "redeemCode", "switchPerson"}
    calls = [
        (method, path, operation)
        for path, methods in document["paths"].items()
        for method, operation in methods.items()
        if operation.get("operationId") not in left_out
    ]
    schemas = document["components"]["schemas"]

    def value(schema: dict[str, Any], name: str, depth: int = 0) -> Any:
        if rng.random() < 0.15 or depth > 4:
            return rng.choice(_HOSTILE)
        schema = schemas[schema["$ref"].rsplit("/", 1)[1]] if "$ref" in schema else schema
        if "anyOf" in schema:
            return value(rng.choice(schema["anyOf"]), name, depth)
        if name in ids and rng.random() < 0.8:
            return rng.choice(ids[name])
        if "enum" in schema or "const" in schema:
            return rng.choice(schema.get("enum", [schema.get("const")]))
        match schema.get("type"):
            case "object":
                known = {key: value(part, key, depth + 1) for key, part in schema.get("properties", {}).items()}
                return {key: one for key, one in known.items() if rng.random() < 0.9}
            case "array":
                return [value(schema.get("items", {}), name, depth + 1) for _ in range(rng.randint(0, 3))]
            case "integer":
                return rng.choice([0, 1, 2, 7, 2**31 - 1])
            case "number":
                return rng.choice([0, 0.5, 1, 60.2, 100, 999999])
            case "boolean":
                return rng.random() < 0.5
            case "string" if schema.get("format") == "date-time":
                return rng.choice(["2026-11-27T04:41:00Z", "1990-01-01T00:00:00Z", "2199-12-31T23:59:59Z"])
            case "string":
                return rng.choice([str(uuid.uuid4()), "MV-12", "x", "note", "reading", "valued"])
        return rng.choice(_HOSTILE)

    statuses: Counter[int] = Counter()
    limit = asyncio.Semaphore(8)

    async def one() -> None:
        method, path, operation = rng.choice(calls)
        for name, known in ids.items():
            path = path.replace("{" + name + "}", rng.choice(known) if rng.random() < 0.9 else str(uuid.uuid4()))
        query = {
            part["name"]: value(part["schema"], part["name"])
            for part in operation.get("parameters", [])
            if part["in"] == "query" and rng.random() < 0.5
        }
        text = {key: json.dumps(one) if not isinstance(one, str) else one for key, one in query.items()}
        text = {key: one.encode("utf-8", "replace").decode() for key, one in text.items()}
        content = None
        if (body := operation.get("requestBody")) is not None:
            kind, media = next(iter(body["content"].items()))
            given = value(media["schema"], "")
            content = json.dumps(given).encode() if kind == "application/json" else b"name,kind\nX-1,bus\n"
            async with limit:
                answer = await client.request(
                    method, path, params=text, content=content, headers={"content-type": kind}
                )
        else:
            async with limit:
                answer = await client.request(method, path, params=text)
        statuses[answer.status_code] += 1
        if answer.status_code >= 500:
            print(f"  {answer.status_code} {method} {path} {text} {(content or b'')[:300]!r} {answer.text[:200]}")

    for start in range(0, count, 200):
        await asyncio.gather(*(one() for _ in range(min(200, count - start))))
    return statuses


async def measure(options: argparse.Namespace, store: Store) -> int:
    """Print every figure; how many calls were answered with 5xx."""
    client = await signed_in()
    run = Marked(client, Times(), (PORT, PORT))
    await run.begin()
    bare = Bare(run, headers_of(client))
    print(f"a mark, nothing else going on: {spread(await marks_during(bare, None, options.seconds))}")
    print(f"while forty sign in at once:   {spread(await marks_during(bare, crowd, options.seconds))}")
    size = save_trace(store, run.run_id)

    async def traces() -> None:
        async def one() -> None:
            async with client.stream("GET", f"/api/runs/{run.run_id}/trace") as answer:
                async for _ in answer.aiter_bytes():
                    pass

        await asyncio.gather(*(one() for _ in range(8)))

    print(
        f"while eight traces of {size / 1e6:.1f} MB go out: {spread(await marks_during(bare, traces, options.seconds))}"
    )

    async def files() -> None:
        for what in ("pdf", "xlsx"):
            job = (await client.post("/api/exports", json={"what": what})).raise_for_status().json()
            while job["state"] in ("waiting", "running"):
                await asyncio.sleep(0.2)
                job = (await client.get(f"/api/exports/{job['id']}")).raise_for_status().json()

    print(f"while the log leaves, printed and as a table: {spread(await marks_during(bare, files, options.seconds))}")
    writers = await half_sent(1000)
    print(f"with a thousand half-sent requests: {spread(await marks_during(bare, None, options.seconds))}")
    for writer in writers:
        writer.close()
    for name, attack in (await attacks(client, _URL)).items():
        print(f"{name}: {spread(await marks_during(bare, attack, options.seconds))}", flush=True)
    document = (await client.get("/api/openapi.json")).raise_for_status().json()
    with store.transaction() as session:
        run_ids = [*session.scalars(select(RunRow.id).limit(20)).all(), run.run_id]
    count = 10_000 if options.long else options.calls
    statuses = await nonsense(client, document, run_ids, count)
    told = ", ".join(f"{status}: {times}" for status, times in sorted(statuses.items()))
    print(f"{count} random calls with real ids: {told}")
    await client.aclose()
    return sum(times for status, times in statuses.items() if status >= 500)


def main(arguments: list[str]) -> None:
    """Run the benchmark."""
    parser = argparse.ArgumentParser(prog="./bench attack")
    parser.add_argument("--seconds", type=float, default=8)
    parser.add_argument("--calls", type=int, default=1_000)
    parser.add_argument("--long", action="store_true", help="ten thousand random calls")
    options = parser.parse_args(arguments)
    os.environ.pop("LOWHISS_DATABASE_URL", None)
    with tempfile.TemporaryDirectory() as folder, server(Path(folder)):
        database = PrivateServer(Path(folder) / "database")
        if not database.find_running():
            raise SystemExit("the database of the server was not found")
        store = Store(make_engine(database.url))
        bad = asyncio.run(measure(options, store))
        store.engine.dispose()
    if bad:
        raise SystemExit(f"{bad} calls were answered with 5xx")

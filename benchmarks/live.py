"""How soon a mark is kept and seen elsewhere while many runs are marked at once; commits as a ratio to bare InnoDB.

./bench live [--runs N] [--seconds S] [--every S]

A real server with its database, and in this process the devices: for each run one that strikes and one that watches.
All of it shares the machine's cores.
"""

from __future__ import annotations

import argparse
import asyncio
import datetime as dt
import json
import os
import statistics
import subprocess
import sys
import tempfile
import threading
import time
import uuid
from collections.abc import Callable, Iterator
from contextlib import AsyncExitStack, contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import httpx
import pymysql
import websockets

from lowhiss.demo.scenario import UNITS, demo_id

PORT = 8193
_WARM_UP_S = 2.0


@dataclass
class Times:
    """Milliseconds from a strike to its acknowledgement, and to the other device's having it."""

    kept: list[float] = field(default_factory=list)
    seen: list[float] = field(default_factory=list)


class Marked:
    """One run: a device that strikes, and a screen elsewhere that is nudged and fetches what came."""

    def __init__(self, client: httpx.AsyncClient, times: Times) -> None:
        self.client, self.times = client, times
        self.run_id, self.device, self.epoch = str(uuid.uuid4()), uuid.uuid4().hex, uuid.uuid4().hex
        self.struck: dict[str, float] = {}
        self.seq = 0

    def moment(self) -> dict[str, Any]:
        """Now, by this device's clocks."""
        wall = dt.datetime.now(dt.UTC).isoformat()
        return {"device": self.device, "epoch": self.epoch, "mono_s": time.monotonic(), "wall": wall}

    async def begin(self) -> None:
        """Begin the run."""
        begun = {"id": self.run_id, "unit_id": UNITS[0].id, "begun": self.moment(), "sent": self.moment()}
        (await self.client.post("/api/runs", json=begun)).raise_for_status()

    async def strike(self) -> None:
        """Strike one mark and wait until it is kept."""
        self.seq += 1
        mark = {"id": uuid.uuid4().hex, "seq": self.seq, **self.moment(), "type": "note", "text": f"mark {self.seq}"}
        began = self.struck[mark["id"]] = time.perf_counter()
        body = {"sent": self.moment(), "events": [mark]}
        answer = (await self.client.post(f"/api/runs/{self.run_id}/events", json=body)).raise_for_status().json()
        assert len(answer["accepted"]) == 1, answer
        self.times.kept.append((time.perf_counter() - began) * 1000)

    async def watch(self, cookies: str) -> None:
        """Be the other device, until cancelled."""
        address = f"ws://127.0.0.1:{PORT}/api/runs/{self.run_id}/live"
        after = 0
        async with websockets.connect(address, additional_headers={"Cookie": cookies}) as socket:
            async for _ in socket:
                path = f"/api/runs/{self.run_id}/events"
                for event in (await self.client.get(path, params={"after": after})).raise_for_status().json():
                    self.times.seen.append((time.perf_counter() - self.struck[event["id"]]) * 1000)
                    after = event["seq"]


async def paced(runs: list[Marked], every_s: float, seconds: float) -> None:
    """Each run is marked every so often, evenly spread over the runs."""

    async def one(place: int, run: Marked) -> None:
        due = time.perf_counter() + every_s * place / len(runs)
        end = time.perf_counter() + seconds
        while due < end:
            await asyncio.sleep(max(0.0, due - time.perf_counter()))
            await run.strike()
            due += every_s

    await asyncio.gather(*(one(place, run) for place, run in enumerate(runs)))


class Bare:
    """One kept-open connection that says no more HTTP than it must: what is measured is the server, not the client."""

    def __init__(self, run: Marked, headers: str) -> None:
        self.run, self.headers = run, headers
        self.reader: asyncio.StreamReader | None = None
        self.writer: asyncio.StreamWriter | None = None

    async def strike(self) -> None:
        """Strike one mark and wait until it is kept."""
        if self.reader is None or self.writer is None:
            self.reader, self.writer = await asyncio.open_connection("127.0.0.1", PORT)
        self.run.seq += 1
        moment = self.run.moment()
        mark = {"id": uuid.uuid4().hex, "seq": self.run.seq, **moment, "type": "note", "text": f"mark {self.run.seq}"}
        body = json.dumps({"sent": moment, "events": [mark]}).encode()
        path = f"/api/runs/{self.run.run_id}/events"
        head = f"POST {path} HTTP/1.1\r\nHost: 127.0.0.1:{PORT}\r\n{self.headers}Content-Length: {len(body)}\r\n\r\n"
        self.writer.write(head.encode() + body)
        answer = await self.reader.readuntil(b"\r\n\r\n")
        assert answer.startswith(b"HTTP/1.1 200"), answer
        length = next(int(line[15:]) for line in answer.split(b"\r\n") if line.lower().startswith(b"content-length:"))
        assert b'"accepted":[{' in await self.reader.readexactly(length)


async def flat_out(runs: list[Marked], headers: str, seconds: float) -> tuple[float, list[float]]:
    """Each run is marked again as soon as its last mark is kept; marks a second, and how long each took [ms]."""
    end, began = time.perf_counter() + seconds, time.perf_counter()
    took: list[float] = []

    async def one(bare: Bare) -> None:
        while (struck := time.perf_counter()) < end:
            await bare.strike()
            took.append((time.perf_counter() - struck) * 1000)

    await asyncio.gather(*(one(Bare(run, headers)) for run in runs))
    return len(took) / (time.perf_counter() - began), took


def bare_commits(url: dict[str, Any], threads: int, seconds: float) -> float:
    """Commits a second of one-row inserts by as many connections, nothing else; the baseline."""
    end, counts = time.perf_counter() + seconds, [0] * threads

    def work(place: int) -> None:
        with pymysql.connect(**url) as connection, connection.cursor() as cursor:
            while time.perf_counter() < end:
                cursor.execute("INSERT INTO bench_commit (text) VALUES (%s)", ("x" * 400,))
                connection.commit()
                counts[place] += 1

    with pymysql.connect(**url) as connection:
        connection.cursor().execute("CREATE TABLE bench_commit (id INT AUTO_INCREMENT PRIMARY KEY, text TEXT)")
    workers = [threading.Thread(target=work, args=(place,)) for place in range(threads)]
    began = time.perf_counter()
    for worker in workers:
        worker.start()
    for worker in workers:
        worker.join()
    return sum(counts) / (time.perf_counter() - began)


@contextmanager
def server(directory: Path) -> Iterator[subprocess.Popen[str]]:
    """The application with demo data, as a process of its own."""
    command = [sys.executable, "-m", "lowhiss.cli", "start", "--demo", "--data", str(directory), "--port", str(PORT)]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    try:
        if not process.stdout.readline().startswith("Low Hiss is ready"):
            raise SystemExit("the server did not start")
        yield process
    finally:
        process.terminate()
        process.wait(30)


def resident_mb(pid: int) -> float:
    """Memory that a process holds now [MB]."""
    fields = dict(line.split(":", 1) for line in Path(f"/proc/{pid}/status").read_text().splitlines() if ":" in line)
    return int(fields["VmRSS"].split()[0]) / 1024


def spread(values: list[float]) -> str:
    """Median and the slowest in a hundred."""
    cuts = statistics.quantiles(values, n=100)
    return f"p50 {cuts[49]:.0f} ms, p99 {cuts[98]:.0f} ms ({len(values)})"


async def measure(options: argparse.Namespace, memory: Callable[[], str]) -> float:
    """Print the paced figures; returns marks a second flat out."""
    async with AsyncExitStack() as stack:
        limits = httpx.Limits(
            max_connections=2 * options.runs, max_keepalive_connections=2 * options.runs, keepalive_expiry=2
        )
        client = await stack.enter_async_context(
            httpx.AsyncClient(base_url=f"http://127.0.0.1:{PORT}", limits=limits, timeout=60)
        )
        me = await client.post("/api/session/demo", json={"person_id": demo_id("Odile Ferrow")})
        client.headers["x-low-hiss-csrf"] = me.raise_for_status().json()["csrf"]
        cookies = "; ".join(f"{name}={value}" for name, value in client.cookies.items())
        times = Times()
        runs = [Marked(client, times) for _ in range(options.runs)]
        for run in runs:
            await run.begin()
        watchers = [asyncio.create_task(run.watch(cookies)) for run in runs]
        print(f"memory, idle: {memory()}")
        await paced(runs, options.every, _WARM_UP_S)
        times.kept.clear()
        times.seen.clear()
        await paced(runs, options.every, options.seconds)
        print(f"{options.runs} runs, each marked every {options.every:g} s for {options.seconds:g} s:")
        print(f"  strike to acknowledgement: {spread(times.kept)}")
        print(f"  strike to the other device: {spread(times.seen)}")
        print(f"  memory: {memory()}")
        for watcher in watchers:
            watcher.cancel()
        headers = f"Cookie: {cookies}\r\nX-Low-Hiss-CSRF: {client.headers['x-low-hiss-csrf']}\r\n"
        headers += "Content-Type: application/json\r\n"
        marks, took = await flat_out(runs, headers, min(10.0, options.seconds))
        print(f"flat out, {options.runs} runs at once: {spread(took)}")
        return marks


def main(arguments: list[str]) -> None:
    """Run the benchmark."""
    parser = argparse.ArgumentParser(prog="./bench live")
    parser.add_argument("--runs", type=int, default=50)
    parser.add_argument("--seconds", type=float, default=30)
    parser.add_argument("--every", type=float, default=2)
    options = parser.parse_args(arguments)
    os.environ.pop("LOWHISS_DATABASE_URL", None)
    with tempfile.TemporaryDirectory() as folder, server(Path(folder)) as process:
        database = Path(folder) / "database"
        database_pid = int((database / "mariadbd.pid").read_text())

        def memory() -> str:
            return f"server {resident_mb(process.pid):.0f} MB, database {resident_mb(database_pid):.0f} MB"

        marks = asyncio.run(measure(options, memory))
        password = (database / "password").read_text().strip()
        given = Path(f"/proc/{database_pid}/cmdline").read_text().split("\0")
        port = next(int(one.removeprefix("--port=")) for one in given if one.startswith("--port="))
        url = {"host": "127.0.0.1", "port": port, "user": "lowhiss", "password": password, "database": "lowhiss"}
        commits = bare_commits(url, min(options.runs, 16), min(10.0, options.seconds))
        print(f"marks kept flat out: {marks:.0f}/s; bare InnoDB commits: {commits:.0f}/s; ratio {marks / commits:.3f}")

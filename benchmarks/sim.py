"""How fast the simulated vehicle runs, and how late a screen hears of many live feeds sent into one server.

./bench sim [--rounds N] [--feeds N] [--hertz N] [--seconds S] [--long]
"""

from __future__ import annotations

import argparse
import asyncio
import json
import os
import statistics
import tempfile
import time
from contextlib import AsyncExitStack
from pathlib import Path

import httpx
import websockets

from benchmarks.live import PORT, resident_mb, server, spread
from lowhiss import rulebook
from lowhiss.core.airsystem import AirSystem, Driver, model
from lowhiss.core.record import read_run
from lowhiss.core.vehicle import UNIT_KINDS, UnitKind
from lowhiss.demo.scenario import demo_id
from lowhiss.engine.judge_record import judge_record
from lowhiss.engine.simulation import STARTS_AT_PSI, TRAILER_PSI, drive, spec_named


def pace(kind: UnitKind, seed: int) -> float:
    """Simulated seconds a wall second of one whole test, driver and dash included, on one core."""
    spec = spec_named(kind)
    rules = rulebook.rule_set("us-cdl")
    trailer = TRAILER_PSI if spec.towed else None
    driver = Driver(
        AirSystem(spec, rulebook.air_data(), STARTS_AT_PSI, trailer),
        rulebook.procedure("us-full"),
        rules,
        rulebook.planning(kind),
        seed,
    )
    began = time.perf_counter()
    for _ in driver.drive():
        pass
    return driver.system.t_s / (time.perf_counter() - began)


async def feed(units: list[tuple[str, str]], cookies: str, hertz: float, seconds: float) -> list[float]:
    """Send a feed for each unit and its token, with one screen looking at each; milliseconds from sender to screen."""
    late: list[float] = []

    async def look(unit_id: str) -> None:
        address = f"ws://127.0.0.1:{PORT}/api/units/{unit_id}/feed"
        async with websockets.connect(address, additional_headers={"Cookie": cookies}) as socket:
            async for text in socket:
                message = json.loads(text)
                if "frame" in message:
                    late.append((time.monotonic() - message["frame"]["t_s"]) * 1000)

    async def send(place: int, token: str) -> None:
        headers = {"Authorization": f"Bearer {token}"}
        async with websockets.connect(f"ws://127.0.0.1:{PORT}/api/feed", additional_headers=headers) as socket:
            began = time.monotonic() + place / len(units) / hertz
            for seq in range(int(seconds * hertz)):
                await asyncio.sleep(max(0.0, began + seq / hertz - time.monotonic()))
                psi = 100 - seq / 100
                frame = {"seq": seq, "t_s": time.monotonic(), "primary_psi": psi, "secondary_psi": psi}
                await socket.send(json.dumps(frame))

    screens = [asyncio.create_task(look(unit_id)) for unit_id, _ in units]
    await asyncio.sleep(1)
    await asyncio.gather(*(send(place, token) for place, (_, token) in enumerate(units)))
    await asyncio.sleep(0.5)
    for screen in screens:
        screen.cancel()
    return late


async def feeds(count: int, hertz: float, seconds: float) -> list[float]:
    """Feeds of as many units at once, into a server that is already running."""
    async with AsyncExitStack() as stack:
        client = await stack.enter_async_context(httpx.AsyncClient(base_url=f"http://127.0.0.1:{PORT}", timeout=60))
        me = await client.post("/api/session/demo", json={"person_id": demo_id("Odile Ferrow")})
        client.headers["x-low-hiss-csrf"] = me.raise_for_status().json()["csrf"]
        units = []
        for number in range(count):
            body = {"name": f"bench {number}", "kind": "straight_truck", "rules": "us-cdl"}
            made = (await client.post("/api/units", json=body)).raise_for_status().json()
            token = (await client.post(f"/api/units/{made['id']}/feed-token")).raise_for_status().json()["token"]
            units.append((made["id"], token))
        cookies = "; ".join(f"{name}={value}" for name, value in client.cookies.items())
        return await feed(units, cookies, hertz, seconds)


def main(arguments: list[str]) -> None:
    """Run the benchmark."""
    parser = argparse.ArgumentParser(prog="./bench sim")
    parser.add_argument("--rounds", type=int, default=5)
    parser.add_argument("--feeds", type=int, default=30)
    parser.add_argument("--hertz", type=float, default=20)
    parser.add_argument("--seconds", type=float, default=20)
    parser.add_argument("--long", action="store_true", help="drive every procedure on every kind of unit, too")
    options = parser.parse_args(arguments)
    paces(options.rounds)
    if options.long:
        every_pair()
    os.environ.pop("LOWHISS_DATABASE_URL", None)
    with tempfile.TemporaryDirectory() as folder, server(Path(folder)) as process:
        before = resident_mb(process.pid)
        late = asyncio.run(feeds(options.feeds, options.hertz, options.seconds))
        print(f"{options.feeds} live feeds at {options.hertz:g} Hz, each with a screen, for {options.seconds:g} s:")
        print(f"  sender to screen: {spread(late)} of {int(options.feeds * options.hertz * options.seconds)}")
        print(f"  memory of the server: {before:.0f} MB before, {resident_mb(process.pid):.0f} MB after")


def every_pair() -> None:
    """A good driver on a healthy vehicle: every procedure on every kind must pass; what does not is printed."""
    failing = []
    for procedure in rulebook.procedures():
        rules = rulebook.rule_set(
            procedure.id if procedure.id in rulebook.rule_set_ids() else rulebook.rule_set_ids()[0]
        )
        for kind in UNIT_KINDS:
            verdict = judge_record(read_run(drive(spec_named(kind), rules, procedure).record))
            if verdict.overall != "pass":
                failing.append(f"{procedure.id} on {kind}: {verdict.overall}")
    print("every procedure on every kind:", "; ".join(failing) or "all pass")


def paces(rounds: int) -> None:
    """Print how fast a whole test is simulated."""
    coarse = model.COARSE_S
    print("simulated seconds a wall second (aim 300), and as a ratio to the fine step throughout:")
    for kind in UNIT_KINDS:
        paces, fine = [], []
        for seed in range(rounds):
            paces.append(pace(kind, seed))
            model.COARSE_S = model.FINE_S
            fine.append(pace(kind, seed))
            model.COARSE_S = coarse
        middle = statistics.median(paces)
        ratio = middle / statistics.median(fine)
        print(f"  {kind:20} {middle:6.0f}  ({min(paces):.0f} to {max(paces):.0f})  ratio {ratio:.1f}")

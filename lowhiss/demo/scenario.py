"""Units and runs of the demo scenario, from a seed. Every name and every figure is invented."""

from __future__ import annotations

import datetime as dt
import random
import uuid
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

OWNER = "Marram Valley Milk Haulage"
_SPACE = uuid.UUID("6f2b8a52-3c1e-5a0e-9d6b-2f64a9a1c0de")


@dataclass(frozen=True, slots=True)
class DemoUnit:
    """A unit of the scenario. ``losses`` are what it loses with the pedal held, run by run, the oldest first."""

    name: str
    facts: dict[str, Any]
    losses: tuple[int, ...]
    rules: str = "us-cdl"
    trailers: tuple[str, ...] = ()

    @property
    def id(self) -> str:
        """The same on every machine."""
        return demo_id(self.name)

    @property
    def assembled(self) -> dict[str, Any]:
        """The unit as a run record holds it."""
        kinds = {0: self.facts["kind"], 1: "tractor_semitrailer", 2: "multi_trailer"}
        kept = ("name", "circuits", "governor", "fmvss_121")
        facts = {key: self.facts[key] for key in kept if key in self.facts}
        return {**facts, "kind": kinds[len(self.trailers)], "trailers": list(self.trailers)}


def demo_id(name: str) -> str:
    """An id that is the same on every machine."""
    return str(uuid.uuid5(_SPACE, name))


_GOVERNOR = {"cut_in_psi": 100, "cut_out_psi": 125}
_RIGID = {"chambers": [20, 20, 30, 30], "reservoirs_in3": [1100, 1400, 1100], "build_year": 2016}
_BUS = {"chambers": [24, 24, 36, 36], "reservoirs_in3": [1800, 2300, 1900], "build_year": 2014}
_TRACTOR = {"chambers": [20, 20, 30, 30, 30, 30], "reservoirs_in3": [1600, 2500, 2000], "build_year": 2019}
_OLD = {
    "circuits": "single",
    "fmvss_121": False,
    "build_year": 1973,
    "governor": {"cut_in_psi": 100, "cut_out_psi": 122},
    "reservoirs_in3": [1600, 1900],
}


def _rigid(name: str, *losses: int, **more: Any) -> DemoUnit:
    facts = {"name": name, "kind": "straight_truck", "governor": _GOVERNOR, **_RIGID, **more}
    return DemoUnit(name, facts, losses)


def _tractor(name: str, *losses: int, trailers: tuple[str, ...] = (), rules: str = "us-cdl") -> DemoUnit:
    facts = {"name": name, "kind": "tractor", "governor": _GOVERNOR, **_TRACTOR}
    return DemoUnit(name, facts, losses, rules, trailers)


UNITS = (
    _rigid("MV-02", 1, 1, **_OLD),
    _rigid("MV-03", 0, 1, 0, 1),
    _rigid("MV-05", 1, 0, 1),
    _rigid("MV-07", 1, 1, 2),
    _rigid("MV-09", 0, 1),
    _rigid("MV-11", 2, 1, 2),
    _tractor("MV-12", 1, 0, 1, 2, 1, trailers=("T-04",)),
    _rigid("MV-14", 1, 0),
    _tractor("MV-15", 3, 4, 5, 6, trailers=("T-07", "T-08")),
    _tractor("MV-16", 1, 1, 2, 3, 4, trailers=("T-02",)),
    _tractor("MV-18", 2, 1, trailers=("T-05",), rules="canada-west"),
    DemoUnit("MV-21", {"name": "MV-21", "kind": "bus", "governor": _GOVERNOR, **_BUS}, (1, 2, 4)),
    _tractor("MV-22", 1, 2, 1, trailers=("T-01",)),
    _tractor("MV-30", 0, 1),
)
TRAILERS = {
    f"T-0{number}": {"chambers": [30] * (2 if number == 7 else 4), "reservoirs_in3": [1500 if number == 7 else 3000]}
    for number in range(1, 9)
}
PEOPLE = {
    "Odile Ferrow": "manager",
    "Marten Quill": "manager",
    "Hanne Solberry": "trainer",
    "Rafe Tolland": "trainer",
    "Jory Pask": "workshop",
    "Wanda Keel": "workshop",
    "Ines Aldous": "driver",
    "Bram Osei": "driver",
    "Tove Lind": "driver",
    "Pia Munro": "driver",
    "Kit Varga": "driver",
    "Sol Brandt": "driver",
    "Abel Renn": "driver",
    "Cora Dunmere": "driver",
    "Emil Hask": "driver",
    "Freya Ostling": "driver",
    "Luz Marenco": "driver",
    "Noor Tavish": "driver",
    "Oskar Wend": "driver",
    "Teo Calloway": "driver",
}
SPANISH_READERS = ("Luz Marenco", "Teo Calloway")
DRIVERS = ("Ines Aldous", "Bram Osei", "Tove Lind", "Pia Munro", "Kit Varga", "Sol Brandt", "Odile Ferrow")


def demo_runs(latest: dt.datetime, seed: int = 8420) -> Iterator[tuple[DemoUnit, dict[str, Any]]]:
    """Open run records with the unit they belong to, the newest a few hours before ``latest``."""
    rng = random.Random(seed)
    for number, unit in enumerate(UNITS):
        for back, loss in enumerate(reversed(unit.losses)):
            started_at = latest - dt.timedelta(days=3 * back + number % 3, hours=2 + rng.random() * 3)
            yield unit, _record(unit, loss, started_at, rng, short=unit.name == "MV-09" and back == 0)


def _record(unit: DemoUnit, loss: int, started_at: dt.datetime, rng: random.Random, *, short: bool) -> dict[str, Any]:
    trailed = bool(unit.trailers)
    settled = rng.randint(99, 102) if trailed else rng.randint(108, 114)
    dual = unit.facts.get("circuits") != "single"
    hold_s = 120 if unit.rules == "canada-west" else 60
    run_id = str(uuid.uuid5(_SPACE, f"{unit.name} {started_at.isoformat()}"))

    def needles(primary: int, secondary: int) -> dict[str, int]:
        return {"primary_psi": primary, **({"secondary_psi": secondary} if dual else {})}

    other = max(0, loss - rng.randint(0, 2))
    start_s = 66 + rng.random() * 8
    end_s = start_s + (41.3 if short else hold_s + rng.random() * 0.4)
    full = rng.randint(122, 128)
    events: list[dict[str, Any]] = [
        {"at_s": 0, "type": "confirmed", "item": "wheels_chocked"},
        {"at_s": 2, "type": "confirmed", "item": "area_clear"},
        {"at_s": 4, "type": "engine", "state": "running"},
        {
            "at_s": 12,
            "type": "reading",
            "stage": "cut_out",
            "point": "cut_out",
            **needles(full, full - rng.randint(0, 2)),
        },
        {"at_s": 20, "type": "engine", "state": "off"},
        {"at_s": 22, "type": "key", "state": "on"},
        {"at_s": 27, "type": "knob", "knob": "tractor", "state": "in", "cause": "hand"},
        *([{"at_s": 28, "type": "knob", "knob": "trailer", "state": "in", "cause": "hand"}] if trailed else []),
        {"at_s": 40, "type": "pedal", "state": "full"},
        {"at_s": 49, "type": "settled", "stage": "leak_applied"},
        {
            "at_s": start_s,
            "stage": "leak_applied",
            "type": "reading",
            "point": "start",
            **needles(settled, settled + 1),
        },
        {
            "at_s": end_s,
            "stage": "leak_applied",
            "type": "reading",
            "point": "end",
            **needles(settled - loss, settled + 1 - other),
        },
        {"at_s": end_s + 1, "type": "pedal", "state": "released"},
        {"at_s": end_s + 20, "type": "finished"},
    ]
    for event in events:
        event["at_s"] = round(event["at_s"], 3)
    return {
        "format": "low-hiss-run/1",
        "id": run_id,
        "started_at": started_at.isoformat(),
        "purpose": "dispatch",
        "people": {"driver": rng.choice(DRIVERS)},
        "unit": unit.assembled,
        "rules": unit.rules,
        "procedure": "leak-check",
        "gauges": {"resolution_psi": 1},
        "events": events,
    }

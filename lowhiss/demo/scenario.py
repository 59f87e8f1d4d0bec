"""Units, people and runs of the demo scenario. Every name and every figure is invented."""

from __future__ import annotations

import datetime as dt
import gzip
import json
import uuid
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from lowhiss.core.vehicle import KIND_TABLE

RUNS_FILE = Path(__file__).with_name("runs.jsonl.gz")
OWNER = "Marram Valley Milk Haulage"
CALENDAR = {"time_zone": "America/Denver", "due_rule": '{"every": "days", "count": 60}'}
"""The fleet's own: every unit passes once in two months."""
_SPACE = uuid.UUID("6f2b8a52-3c1e-5a0e-9d6b-2f64a9a1c0de")


@dataclass(frozen=True, slots=True)
class DemoUnit:
    """A unit of the scenario."""

    name: str
    facts: dict[str, Any]
    rules: str = "us-cdl"
    trailers: tuple[str, ...] = ()

    @property
    def id(self) -> str:
        """An id that is equal on every machine."""
        return demo_id(self.name)

    def assembled(self, trailers: Sequence[str]) -> dict[str, Any]:
        """The unit with these trailers, as a run record holds it."""
        kinds: tuple[str, ...] = (self.facts["kind"], *KIND_TABLE[self.facts["kind"]].pulling)
        kept = ("name", "circuits", "governor", "fmvss_121", "gearbox", "trailer_knob")
        facts = {key: self.facts[key] for key in kept if key in self.facts}
        return {**facts, "kind": kinds[len(trailers)], "trailers": list(trailers)}


def demo_id(name: str) -> str:
    """An id that is the same on every machine."""
    return str(uuid.uuid5(_SPACE, name))


_GOVERNOR = {"cut_in_psi": 100, "cut_out_psi": 125}
_RIGID = {"chambers": [20, 20, 30, 30], "reservoirs_in3": [1100, 1400, 1100], "build_year": 2016}
_BUS = {
    "chambers": [24, 24, 36, 36],
    "reservoirs_in3": [1800, 2300, 1900],
    "build_year": 2014,
    "gearbox": "automatic",
}
_TRACTOR = {
    "chambers": [20, 20, 30, 30, 30, 30],
    "reservoirs_in3": [1600, 2500, 2000],
    "build_year": 2019,
    "gearbox": "manual",
}
_OLD = {
    "circuits": "single",
    "fmvss_121": False,
    "build_year": 1973,
    "governor": {"cut_in_psi": 100, "cut_out_psi": 122},
    "reservoirs_in3": [1600, 1900],
}


def _rigid(name: str, **more: Any) -> DemoUnit:
    facts = {"name": name, "kind": "straight_truck", "governor": _GOVERNOR, **_RIGID, **more}
    return DemoUnit(name, facts)


def _tractor(name: str, trailers: tuple[str, ...] = (), rules: str = "us-cdl") -> DemoUnit:
    facts = {"name": name, "kind": "tractor", "governor": _GOVERNOR, **_TRACTOR}
    return DemoUnit(name, facts, rules, trailers)


UNITS = (
    _rigid("MV-02", **_OLD),
    _rigid("MV-03"),
    _rigid("MV-05"),
    _rigid("MV-07"),
    _rigid("MV-09"),
    _rigid("MV-11"),
    _tractor("MV-12", trailers=("T-04",)),
    _rigid("MV-14"),
    _tractor("MV-15", trailers=("T-07", "T-08")),
    _tractor("MV-16", trailers=("T-02",)),
    _tractor("MV-18", trailers=("T-05",), rules="canada-west"),
    DemoUnit("MV-21", {"name": "MV-21", "kind": "bus", "governor": _GOVERNOR, **_BUS}),
    _tractor("MV-22", trailers=("T-01",)),
    _tractor("MV-30"),
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


def demo_runs(latest: dt.datetime) -> Iterator[tuple[DemoUnit, dict[str, Any]]]:
    """Open run records with the unit they belong to, the newest a few hours before ``latest``.

    They were driven on simulated vehicles by ``scripts/grow_demo.py``; only the dates are set here.
    """
    by_name = {unit.name: unit for unit in UNITS}
    for line in gzip.decompress(RUNS_FILE.read_bytes()).decode().splitlines():
        run = json.loads(line)
        unit = by_name[run["unit"]]
        started_at = latest - dt.timedelta(seconds=run["back_s"])
        record = {
            "format": "low-hiss-run/1",
            "id": demo_id(f"{unit.name} {run['back_s']}"),
            "started_at": started_at.isoformat(),
            "purpose": run["purpose"],
            "people": {"driver": run["driver"]},
            "unit": unit.assembled(run.get("trailers", unit.trailers)),
            "rules": unit.rules,
            "procedure": run["procedure"],
            "gauges": {"resolution_psi": 1},
            "events": run["events"],
        }
        yield unit, record

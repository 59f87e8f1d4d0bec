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

    @property
    def id(self) -> str:
        """The same on every machine."""
        return str(uuid.uuid5(_SPACE, self.name))


def _unit(name: str, kind: str, losses: tuple[int, ...], rules: str = "us-cdl", **facts: Any) -> DemoUnit:
    governor = facts.pop("governor", {"cut_in_psi": 100, "cut_out_psi": 125})
    return DemoUnit(name, {"name": name, "kind": kind, "governor": governor, **facts}, losses, rules)


_OLD: dict[str, Any] = {"circuits": "single", "fmvss_121": False, "governor": {"cut_in_psi": 100, "cut_out_psi": 122}}
UNITS = (
    _unit("MV-02", "straight_truck", (1, 1), **_OLD),
    _unit("MV-03", "straight_truck", (0, 1, 0, 1)),
    _unit("MV-05", "straight_truck", (1, 0, 1)),
    _unit("MV-07", "straight_truck", (1, 1, 2)),
    _unit("MV-09", "straight_truck", (0, 1)),
    _unit("MV-11", "straight_truck", (2, 1, 2)),
    _unit("MV-12", "tractor_semitrailer", (1, 0, 1, 2, 1), trailers=["T-04"]),
    _unit("MV-14", "straight_truck", (1, 0)),
    _unit("MV-15", "multi_trailer", (3, 4, 5, 6), trailers=["T-07", "T-08"]),
    _unit("MV-16", "tractor_semitrailer", (1, 1, 2, 3, 4), trailers=["T-02"]),
    _unit("MV-18", "tractor_semitrailer", (2, 1), rules="canada-west", trailers=["T-05"]),
    _unit("MV-21", "bus", (1, 2, 4)),
    _unit("MV-22", "tractor_semitrailer", (1, 2, 1), trailers=["T-01"]),
    _unit("MV-30", "tractor", (0, 1)),
)
DRIVERS = ("Ines Aldous", "Bram Osei", "Tove Lind", "Pia Munro", "Kit Varga", "Sol Brandt", "Odile Ferrow")


def demo_runs(latest: dt.datetime, seed: int = 8420) -> Iterator[tuple[DemoUnit, dict[str, Any]]]:
    """Open run records with the unit they belong to, the newest a few hours before ``latest``."""
    rng = random.Random(seed)
    for number, unit in enumerate(UNITS):
        for back, loss in enumerate(reversed(unit.losses)):
            started_at = latest - dt.timedelta(days=3 * back + number % 3, hours=2 + rng.random() * 3)
            yield unit, _record(unit, loss, started_at, rng, short=unit.name == "MV-09" and back == 0)


def _record(unit: DemoUnit, loss: int, started_at: dt.datetime, rng: random.Random, *, short: bool) -> dict[str, Any]:
    kind = unit.facts["kind"]
    trailed = kind in ("tractor_semitrailer", "multi_trailer")
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
        "unit": unit.facts,
        "rules": unit.rules,
        "procedure": "leak-check",
        "gauges": {"resolution_psi": 1},
        "events": events,
    }

"""What a simulated vehicle needs to be driven: masses, engine, gears and gauges, from data; and how this one stands."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from lowhiss.core.airsystem.spec import AirSystemError
from lowhiss.core.vehicle import UnitKind

Gauges = Literal["electric", "mechanical"]
Gearbox = Literal["manual", "automatic"]


@dataclass(frozen=True, slots=True)
class Power:
    """An engine and what it drives through. Torques in N·m at the clutch, speeds in rpm; ``gears`` with the axle in."""

    idle_rpm: float
    governed_rpm: float
    idle_nm: float
    most_nm: float
    friction_nm: float
    inertia_kg_m2: float
    clutch_nm: float
    gears: Mapping[str, float]
    converter: bool


@dataclass(frozen=True, slots=True)
class DriveData:
    """The parameters of engine, driveline, brakes, body and gauges, and each kind's own; read from data."""

    tables: Mapping[str, Mapping[str, Any]]

    def number(self, table: str, key: str) -> float:
        """One parameter."""
        return float(self.tables[table][key])

    def kind(self, kind: str) -> dict[str, Any]:
        """A kind's table, with what it has from the kind that it is like."""
        table = dict(self.tables["kinds"][kind])
        like = table.pop("like", None)
        return {**self.kind(like), **table} if like else table

    def power(self, kind: str) -> Power:
        """A kind's engine and gears."""
        table = self.kind(kind)
        axle = table["axle"]
        gears = {gear: ratio * axle for gear, ratio in table["gears"].items()}
        names = ("idle_rpm", "governed_rpm", "idle_nm", "most_nm", "friction_nm", "inertia_kg_m2", "clutch_nm")
        figures = {name: float(table[name]) for name in names}
        return Power(**figures, gears=gears, converter=bool(table.get("converter", False)))


@dataclass(frozen=True, slots=True)
class Start:
    """How a vehicle stands when somebody gets in, and which of its kind it is.

    tanks_psi, trailer_psi : gauge.  grade_percent : uphill is positive.  gear : left in.  belt and window as left.
    """

    tanks_psi: float = 70.0
    trailer_psi: float = 60.0
    grade_percent: float = 0.0
    load: Literal["loaded", "empty"] = "loaded"
    tyres: Literal["dry", "wet"] = "dry"
    gearbox: Gearbox = "manual"
    gear: str = "N"
    gauges: Gauges = "electric"
    interlock: bool = True
    chocked: bool = True
    camber: float = 0.0
    coolant_f: float = 120.0


@dataclass(slots=True)
class Hands:
    """Where the controls are. key : off, on or start.  pedal, throttle, clutch : 0 to 1, 1 is down."""

    key: str = "off"
    throttle: float = 0.0
    idle_rpm: float = 0.0
    gear: str = "N"
    clutch: float = 0.0
    pedal: float = 0.0
    window: str = "up"
    belt: str = "off"
    where: str = "cab"
    chock_front: str = "under"
    chock_back: str = "under"
    mirrors: dict[str, float] = field(default_factory=dict)


def read_start(table: Mapping[str, Any], kind: UnitKind, data: DriveData) -> Start:
    """How the vehicle stands, from its table. Raises AirSystemError naming what is out of range."""
    traits = data.tables["traits"]
    known = set(Start.__dataclass_fields__)
    for name, value in table.items():
        if name not in known:
            raise AirSystemError(f"start.{str(name)[:40]}", f"is not known; choose one of {', '.join(sorted(known))}")
        allowed = traits.get(name)
        if isinstance(allowed, list) and value not in allowed:
            raise AirSystemError(f"start.{name}", f"is {str(value)[:40]!r}; it is one of {', '.join(allowed)}")
        if isinstance(getattr(Start, name, None), str) and name == "gearbox" and value not in ("manual", "automatic"):
            raise AirSystemError("start.gearbox", f"is {str(value)[:40]!r}; it is manual or automatic")
    for name in ("tanks_psi", "trailer_psi", "grade_percent", "coolant_f", "camber"):
        value = table.get(name, 0.0)
        if isinstance(value, bool) or not isinstance(value, int | float):
            raise AirSystemError(f"start.{name}", "must be a number")
    for name in ("interlock", "chocked"):
        if not isinstance(table.get(name, True), bool):
            raise AirSystemError(f"start.{name}", "must be true or false")
    least, most = traits["grade_percent"]["least"], traits["grade_percent"]["most"]
    if not least <= table.get("grade_percent", 0.0) <= most:
        raise AirSystemError("start.grade_percent", f"must be from {least:g} to {most:g}")
    if not 0 <= table.get("coolant_f", 100) <= 250:
        raise AirSystemError("start.coolant_f", "must be from 0 to 250")
    if not 0 <= table.get("camber", 0) <= 1:
        raise AirSystemError("start.camber", "must be from 0 to 1")
    start = Start(**table)
    gears = gear_places(kind, start.gearbox, data)
    if start.gear not in gears:
        raise AirSystemError("start.gear", f"is {str(start.gear)[:10]!r}; this vehicle has {', '.join(gears)}")
    return start


def gear_places(kind: str, gearbox: Gearbox, data: DriveData) -> tuple[str, ...]:
    """Where the lever or the selector can be put."""
    if gearbox == "automatic":
        return ("R", "N", "D")
    return ("R", "N", *(gear for gear in data.kind(kind)["gears"] if gear not in ("R", "D")))

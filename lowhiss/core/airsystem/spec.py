"""What a simulated vehicle is made of: volumes, set points and leaks, from a kind or a unit's own specification."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from lowhiss.core.airsystem.gas import Gas
from lowhiss.core.calculators import required_reservoir_in3
from lowhiss.core.errors import CoreError
from lowhiss.core.fleet import PowerUnit, Trailer
from lowhiss.core.vehicle import Unit, UnitKind


class AirSystemError(CoreError):
    """A vehicle cannot be simulated as specified, or an input is out of range; ``field`` names it."""


@dataclass(frozen=True, slots=True)
class Towed:
    """A trailer's tank [in³] and its brake chambers, by type."""

    tank_in3: float
    chambers: tuple[int, ...]


@dataclass(frozen=True, slots=True)
class AirSpec:
    """One vehicle. Pressures in psi gauge, volumes in in³, rates in psi/min at the data's ``leaks.at_psi``.

    secondary_in3 : 0 on a single circuit.  suspension_in3 : 0 where there are no air bags on the secondary circuit.
    health : of the compressor, 1 for a good one.  leaks : further leaks by place (``PLACES``).
    stuck_checks : circuits whose check valve lets air back.  water_share : of each tank (supply, primary,
    secondary) that water has taken.  stiction_psi, offset_psi : of each needle.
    buzzer_offset_psi : its set point from the lamp's.  hysteresis_psi : by which air must rise for both to go off.
    priority : the secondary circuit waits for the primary.  dash_linked : the red knob follows the yellow one.
    brakes : what is left of each brake, 1 for a good one.  parts : other parts and what is wrong with them (``PARTS``).
    """

    kind: UnitKind
    unit: Unit
    supply_in3: float
    primary_in3: float
    secondary_in3: float
    primary_chambers: tuple[int, ...]
    secondary_chambers: tuple[int, ...]
    towed: tuple[Towed, ...]
    suspension_in3: float
    compressor_cfm: float
    applied_stroke: float
    cut_out_psi: float
    cut_in_psi: float
    warning_psi: float
    tractor_pop_psi: float
    trailer_pop_psi: float
    health: float = 1.0
    leaks: Mapping[str, float] = field(default_factory=dict)
    stuck_checks: frozenset[str] = frozenset()
    water_share: tuple[float, float, float] = (0.0, 0.0, 0.0)
    stiction_psi: Mapping[str, float] = field(default_factory=dict)
    offset_psi: Mapping[str, float] = field(default_factory=dict)
    lamp_works: bool = True
    buzzer_works: bool = True
    buzzer_offset_psi: float = 0.0
    hysteresis_psi: float = 5.0
    priority: bool = False
    dash_linked: bool = True
    red_stuck: bool = False
    lines_crossed: bool = False
    brakes: Mapping[str, float] = field(default_factory=dict)
    parts: Mapping[str, str] = field(default_factory=dict)

    @property
    def group(self) -> str:
        """``single``, ``combination`` or ``multi``."""
        return self.unit.group


PLACES = (
    "supply",
    "primary",
    "secondary",
    "trailer_line",
    "primary_chamber",
    "secondary_chamber",
    "trailer_chamber",
    "spring_chamber",
    "control",
)
PARTS: Mapping[str, tuple[str, ...]] = {
    "abs_power": ("stays", "never"),
    "abs_trailer": ("stays", "never"),
    "oil": ("slow", "none"),
    "charging": ("none",),
    "linings": ("grind",),
    "blast": ("faint",),
    "knobs": ("soft",),
}
"""Other parts that can be faulty, and how."""


@dataclass(frozen=True, slots=True)
class AirData:
    """The parameters of the model and what each kind of vehicle is made of; read from data with their origin."""

    gas: Gas
    tables: Mapping[str, Mapping[str, Any]]
    volumes_in3: Mapping[int, float]
    required_ratio: float

    def number(self, table: str, key: str) -> float:
        """One parameter."""
        return float(self.tables[table][key])


def read_air_data(table: Mapping[str, Any], volumes_in3: Mapping[int, float], required_ratio: float) -> AirData:
    """The model's parameters from their table.

    volumes_in3 : of chambers, by type.  required_ratio : of a power unit's reservoirs to its chambers.
    """
    rest = {name: part for name, part in table.items() if name != "gas"}
    return AirData(Gas(**table["gas"]), rest, volumes_in3, required_ratio)


def kind_spec(data: AirData, kind: UnitKind, unit: Unit | None = None) -> AirSpec:
    """The usual vehicle of a kind. Raises AirSystemError for a kind there is not."""
    kinds = data.tables["kinds"]
    if kind not in kinds:
        raise AirSystemError("kind", f"is {kind!r}, which isn't a kind of unit; choose one of {', '.join(kinds)}")
    table = kinds[kind]
    supply, primary, secondary = table["reservoirs_in3"]
    front, rear = _axles(table["chambers"])
    trailers = tuple(
        Towed(math.fsum(one["reservoirs_in3"]), tuple(one["chambers"])) for one in table.get("trailers", ())
    )
    names = tuple(f"trailer {place}" for place in range(1, len(trailers) + 1))
    required = required_reservoir_in3(table["chambers"], data.volumes_in3, data.required_ratio)
    ratio = round(math.fsum(table["reservoirs_in3"]) / required, 4)
    return AirSpec(
        kind=kind,
        unit=unit or Unit(kind, name=kind, reservoir_ratio=ratio, trailers=names),
        supply_in3=supply,
        primary_in3=primary,
        secondary_in3=secondary,
        primary_chambers=rear,
        secondary_chambers=front,
        towed=trailers,
        suspension_in3=table.get("suspension_in3", 0.0),
        compressor_cfm=table["compressor_cfm"],
        applied_stroke=table["applied_stroke"],
        cut_out_psi=table["cut_out_psi"],
        cut_in_psi=table["cut_in_psi"],
        warning_psi=table["warning_psi"],
        tractor_pop_psi=table["tractor_pop_psi"],
        trailer_pop_psi=table.get("trailer_pop_psi", table["tractor_pop_psi"]),
    )


def unit_spec(data: AirData, unit: Unit, power: PowerUnit, trailers: Sequence[Trailer]) -> AirSpec:
    """The vehicle of a fleet's own specification; what it does not say is as usual for its kind.

    Raises AirSystemError where reservoirs or chambers are missing: without them there is nothing to simulate.
    """
    usual = kind_spec(data, unit.kind, unit)
    vehicles: list[PowerUnit | Trailer] = [power, *trailers]
    for vehicle in vehicles:
        for what in ("chambers", "reservoirs_in3"):
            if not getattr(vehicle, what):
                raise AirSystemError(f"{vehicle.name}.{what}", "is missing: fill it in to simulate this vehicle")
    supply, primary, secondary = _tanks(power)
    front, rear = _axles(power.chambers)
    if unit.circuits == "single":
        front, rear = (), (*front, *rear)
    governor = power.governor
    cut_out = governor.cut_out_psi or usual.cut_out_psi
    band = usual.cut_out_psi - usual.cut_in_psi
    return replace(
        usual,
        supply_in3=supply,
        primary_in3=primary,
        secondary_in3=secondary,
        primary_chambers=rear,
        secondary_chambers=front,
        towed=tuple(Towed(math.fsum(one.reservoirs_in3), one.chambers) for one in trailers),
        cut_out_psi=cut_out,
        cut_in_psi=governor.cut_in_psi or cut_out - band,
    )


def _axles(chambers: Sequence[int]) -> tuple[tuple[int, ...], tuple[int, ...]]:
    """The chambers of the steering axle, and those behind it, which have the springs."""
    return tuple(chambers[:2]), tuple(chambers[2:] or chambers)


def _tanks(power: PowerUnit) -> tuple[float, float, float]:
    """Supply, primary and secondary tank from a list in that order; two of them on a single circuit."""
    tanks = power.reservoirs_in3
    if power.circuits == "single":
        if len(tanks) < 2:
            raise AirSystemError(f"{power.name}.reservoirs_in3", "must hold a supply and a service reservoir")
        return tanks[0], math.fsum(tanks[1:]), 0.0
    if len(tanks) < 3:
        raise AirSystemError(f"{power.name}.reservoirs_in3", "must hold a supply, a primary and a secondary reservoir")
    return tanks[0], tanks[1], math.fsum(tanks[2:])

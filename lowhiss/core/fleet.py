"""Power units and trailers as a fleet keeps them, and the unit that is assembled from them on a day."""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from lowhiss.core.calculators import required_reservoir_in3
from lowhiss.core.errors import RecordError
from lowhiss.core.fields import Fields
from lowhiss.core.names import unseen_in
from lowhiss.core.vehicle import KIND_TABLE, Circuits, Gearbox, Governor, Holding, PowerKind, Unit, UnitKind

MAX_TRAILERS = 3
_MAX_CHAMBERS, _MAX_RESERVOIRS = 24, 12
_VOLUMES_IN3 = (50.0, 20_000.0)
_YEARS = (1930.0, 2100.0)
FIRST_FMVSS_121_YEAR = 1975
"""Built since March 1975: 49 CFR 393.51 with FMVSS 121, from memory. Earlier or unknown is said by hand."""


@dataclass(frozen=True, slots=True)
class PowerUnit:
    """A truck, bus or tractor.

    chambers : the type number of each brake chamber, axle by axle.  reservoirs_in3 : its service reservoirs.
    gearbox : None where unknown.  trailer_knob : whether a tractor keeps its trailer supply knob when driven alone.
    holding : what may hold it while it is tested, None: as its order of work or rule set says.
    """

    name: str
    kind: PowerKind
    circuits: Circuits = "dual"
    governor: Governor = field(default_factory=Governor)
    chambers: tuple[int, ...] = ()
    reservoirs_in3: tuple[float, ...] = ()
    build_year: int | None = None
    fmvss_121: bool = True
    gearbox: Gearbox | None = None
    trailer_knob: bool = True
    holding: Holding | None = None


@dataclass(frozen=True, slots=True)
class Trailer:
    """A trailer with its brake chambers and reservoirs."""

    name: str
    chambers: tuple[int, ...] = ()
    reservoirs_in3: tuple[float, ...] = ()


@dataclass(frozen=True, slots=True)
class ReservoirCheck:
    """Service reservoirs against what the chambers require [in³]; ``ratio`` is actual ÷ required."""

    actual_in3: float
    required_in3: float

    @property
    def ratio(self) -> float:
        """Actual ÷ required, dimensionless."""
        return self.actual_in3 / self.required_in3

    @property
    def enough(self) -> bool:
        """Whether the reservoirs are at least as large as required."""
        return self.actual_in3 >= self.required_in3


def check_reservoirs(
    vehicle: PowerUnit | Trailer, volumes_in3: Mapping[int, float], required_ratio: float
) -> ReservoirCheck | None:
    """The vehicle's reservoirs against 12:1 (power unit) or 8:1 (trailer); None while either side is unknown.

    FMVSS 121 S5.1.2.1 and S5.2.1.1, from memory. Raises CalculationError for an unknown chamber type.
    """
    if not vehicle.chambers or not vehicle.reservoirs_in3:
        return None
    required = required_reservoir_in3(vehicle.chambers, volumes_in3, required_ratio)
    return ReservoirCheck(sum(vehicle.reservoirs_in3), required)


def assemble(power: PowerUnit, trailers: Sequence[str], reservoir_ratio: float = 1.0) -> Unit:
    """The unit under test: the power unit with its trailers, in order; its kind follows from how many there are.

    Raises RecordError for trailers behind anything but a tractor.
    """
    pulling = KIND_TABLE[power.kind].pulling
    if trailers and not pulling:
        raise RecordError("trailers", f"can't be coupled to a {power.kind}; only a tractor pulls trailers here")
    kind: UnitKind = pulling[min(len(trailers), len(pulling)) - 1] if trailers else power.kind
    return Unit(
        kind=kind,
        name=power.name,
        circuits=power.circuits,
        governor=power.governor,
        reservoir_ratio=round(min(10.0, max(0.1, reservoir_ratio)), 4),
        fmvss_121=power.fmvss_121,
        trailers=tuple(trailers),
        gearbox=power.gearbox,
        trailer_knob=power.trailer_knob,
        holding=power.holding,
    )


def read_power_unit(table: object, volumes_in3: Mapping[int, float]) -> PowerUnit:
    """A power unit from plain values. Raises RecordError naming the field."""
    fields = Fields(table, "", RecordError)
    governor = fields.table("governor", {})
    year = fields.number("build_year", None, low=_YEARS[0], high=_YEARS[1]) if fields.raw("build_year") else None
    built_to = year is None or year >= FIRST_FMVSS_121_YEAR
    power = PowerUnit(
        name=_name(fields),
        kind=fields.choice("kind", PowerKind),
        circuits=fields.choice("circuits", Circuits, "dual"),
        governor=Governor(_governor(governor, "cut_in_psi"), _governor(governor, "cut_out_psi")),
        chambers=_chambers(fields, volumes_in3),
        reservoirs_in3=_reservoirs(fields),
        build_year=None if year is None else int(year),
        fmvss_121=fields.flag("fmvss_121", built_to),
        gearbox=fields.choice("gearbox", Gearbox, None) if fields.raw("gearbox") is not None else None,
        trailer_knob=fields.flag("trailer_knob", True),
        holding=fields.choice("holding", Holding, None) if fields.raw("holding") is not None else None,
    )
    governor.done()
    fields.done()
    low, high = power.governor.cut_in_psi, power.governor.cut_out_psi
    if low is not None and high is not None and low >= high:
        raise RecordError("governor.cut_in_psi", f"is {low:g}, which must be below the cut-out, {high:g} psi")
    return power


def read_trailer(table: object, volumes_in3: Mapping[int, float]) -> Trailer:
    """A trailer from plain values. Raises RecordError naming the field."""
    fields = Fields(table, "", RecordError)
    trailer = Trailer(_name(fields), _chambers(fields, volumes_in3), _reservoirs(fields))
    fields.done()
    return trailer


def as_table(vehicle: PowerUnit | Trailer) -> dict[str, Any]:
    """The vehicle as plain values, in the form that is read back."""
    return dataclasses.asdict(vehicle)


def _name(fields: Fields) -> str:
    name = fields.text("name").strip()
    if not 1 <= len(name) <= 60:
        raise fields.refuse("name", "must be 1 to 60 characters long")
    if unseen_in(name):
        raise fields.refuse("name", "contains an invisible character; type it again instead of pasting it")
    return name


def _governor(fields: Fields, key: str) -> float | None:
    return fields.number(key, low=40, high=180) if fields.raw(key) is not None else None


def _listed(fields: Fields, key: str, most: int) -> list[Any]:
    given = fields.raw(key)
    if given is None:
        return []
    if not isinstance(given, list | tuple) or len(given) > most:
        raise fields.refuse(key, f"must be a list of at most {most} numbers")
    for place, item in enumerate(given):
        if isinstance(item, bool) or not isinstance(item, int | float):
            raise fields.refuse(f"{key}[{place}]", "must be a number")
    return list(given)


def _chambers(fields: Fields, volumes_in3: Mapping[int, float]) -> tuple[int, ...]:
    types = _listed(fields, "chambers", _MAX_CHAMBERS)
    for place, item in enumerate(types):
        if item not in volumes_in3:
            known = ", ".join(str(number) for number in sorted(volumes_in3))
            raise fields.refuse(f"chambers[{place}]", f"is {item:g}, which isn't a chamber type; known are {known}")
    return tuple(int(item) for item in types)


def _reservoirs(fields: Fields) -> tuple[float, ...]:
    volumes = _listed(fields, "reservoirs_in3", _MAX_RESERVOIRS)
    low, high = _VOLUMES_IN3
    for place, item in enumerate(volumes):
        if not low <= item <= high:
            raise fields.refuse(f"reservoirs_in3[{place}]", f"is {item:g}; a reservoir holds {low:g} to {high:g} in³")
    return tuple(float(item) for item in volumes)

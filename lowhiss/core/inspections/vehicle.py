"""The set that an inspection goes about: its parts, their axles and the facts that make items appear."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, get_args

from lowhiss.core.fields import Fields
from lowhiss.core.inspections.model import Fact, InspectionBook, On, Role
from lowhiss.core.vehicle import KIND_TABLE, Circuits, Gearbox, PowerKind, UnitKind

MAX_AXLES = 6
_FLAGS = ("air_susp", "disc", "dual", "hub_oil", "lift")


@dataclass(frozen=True, slots=True)
class Axle:
    """One axle of a part. ``air_susp``: bags, else springs; ``disc``: disc brakes, else drums; ``lift``: retracts."""

    role: Role
    air_susp: bool = False
    disc: bool = False
    dual: bool = False
    hub_oil: bool = False
    lift: bool = False

    def has(self, fact: str) -> bool:
        """Whether a fact of an axle holds; *always* does, *never* does not."""
        so = {"always": True, "never": False, "spring_susp": not self.air_susp, "drum": not self.disc}
        return so[fact] if fact in so else bool(getattr(self, fact))


@dataclass(frozen=True, slots=True)
class Look:
    """What is known of a unit or trailer beside its air system, as far as the inspection needs it.

    axles : None while nobody has said; the usual ones are assumed.  facts, figures : by their ids, as they were said.
    """

    axles: tuple[Axle, ...] | None = None
    facts: Mapping[str, bool] = field(default_factory=dict)
    figures: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Vehicle:
    """A power unit or a trailer of the set. ``id`` is the fleet's own, where it has one."""

    name: str
    look: Look = Look()
    id: str = ""


@dataclass(frozen=True, slots=True)
class InspectionSet:
    """The set of the day: the power unit and its trailers in order."""

    kind: UnitKind
    power: Vehicle
    trailers: tuple[Vehicle, ...] = ()
    circuits: Circuits = "dual"
    gearbox: Gearbox | None = None
    build_year: int | None = None

    @property
    def power_kind(self) -> PowerKind:
        """The kind of the power unit alone."""
        return next(kind for kind in get_args(PowerKind) if self.kind == kind or self.kind in KIND_TABLE[kind].pulling)


@dataclass(frozen=True, slots=True)
class VehiclePart:
    """Something of the set that an item can be on. ``code``: P, L1, D2, C1 or R, as places name it."""

    code: str
    on: On
    name: str
    number: int = 0
    axles: tuple[Axle, ...] = ()


def parts_of(book: InspectionBook, usual: InspectionSet, today: Mapping[str, bool]) -> list[VehiclePart]:
    """Every part of the set, from front to back: the unit, then each coupling, dolly and trailer, then the person."""
    found = [VehiclePart("P", "unit", usual.power.name, 0, axles_of(book, usual, 0))]
    for number, trailer in enumerate(usual.trailers, 1):
        found.append(VehiclePart(f"C{number}", "coupling", "", number))
        if number > 1 and fact_of(usual, book.facts["a_dolly"], 0, today):
            axles = tuple(usual_axle(book, role) for role in book.usual_axles["dolly"])
            found.append(VehiclePart(f"D{number}", "dolly", "", number, axles))
        found.append(VehiclePart(f"L{number}", "trailer", trailer.name, number, axles_of(book, usual, number)))
    found.append(VehiclePart("R", "person", ""))
    return found


def vehicle_of(usual: InspectionSet, number: int) -> Vehicle:
    """The power unit (0) or the trailer of that number."""
    return usual.trailers[number - 1] if number else usual.power


def usual_axle(book: InspectionBook, role: str) -> Axle:
    """An axle of that role as it usually is."""
    known = next(one for one in get_args(Role) if one == role)
    return Axle(known, **book.usual_axle[known])


def axles_of(book: InspectionBook, usual: InspectionSet, number: int) -> tuple[Axle, ...]:
    """The axles of the power unit (0) or of a trailer: as somebody has said, else the usual ones."""
    said = vehicle_of(usual, number).look.axles
    if said is not None:
        return said
    roles = book.usual_axles["trailer" if number else usual.power_kind]
    return tuple(usual_axle(book, role) for role in roles)


def fact_of(usual: InspectionSet, fact: Fact, number: int, today: Mapping[str, bool]) -> bool | None:
    """Whether a fact holds of the power unit (0) or a trailer; None while nobody knows and nothing is assumed."""
    if fact.of == "today":
        return today.get(fact.id)
    look = vehicle_of(usual, number if fact.of == "trailer" else 0).look
    if fact.id in look.facts:
        return look.facts[fact.id]
    if fact.id == "clutch" and usual.gearbox is not None:
        return usual.gearbox == "manual"
    if fact.id == "engine_rear":
        return usual.kind == "bus"
    if fact.assumed and fact.built_since is not None and usual.build_year is not None:
        return usual.build_year >= fact.built_since
    return fact.assumed


def figure_of(usual: InspectionSet, figure: str, number: int) -> float | None:
    """The maker's figure of the power unit (0) or of a trailer; None where nobody has said it."""
    return vehicle_of(usual, number).look.figures.get(figure)


def read_look(fields: Fields, book: InspectionBook) -> Look:
    """Axles, facts and figures from plain values. Raises the error of ``fields`` naming the field."""
    axles = None
    if fields.raw("axles") is not None:
        given = fields.tables("axles")
        if not 1 <= len(given) <= MAX_AXLES:
            raise fields.refuse("axles", f"must name 1 to {MAX_AXLES} axles, each with its role")
        axles = tuple(_axle(one) for one in given)
    facts = fields.table("facts", {})
    figures = fields.table("figures", {})
    look = Look(
        axles,
        {name: facts.flag(name, False) for name in book.facts if facts.has(name)},
        {
            name: figures.number(name, low=one.low, high=one.high)
            for name, one in book.figures.items()
            if figures.has(name)
        },
    )
    facts.done()
    figures.done()
    fields.done()
    return look


def look_table(look: Look) -> dict[str, Any]:
    """The look as plain values, in the form that is read back."""
    table: dict[str, Any] = {"facts": dict(look.facts), "figures": dict(look.figures)}
    if look.axles is not None:
        table["axles"] = [{"role": one.role, **{flag: getattr(one, flag) for flag in _FLAGS}} for one in look.axles]
    return table


def _axle(fields: Fields) -> Axle:
    axle = Axle(fields.choice("role", Role), **{flag: fields.flag(flag, False) for flag in _FLAGS})
    fields.done()
    return axle


def read_set(fields: Fields, book: InspectionBook) -> InspectionSet:
    """The set of an inspection from plain values. Raises the error of ``fields`` naming the field."""
    kind = fields.choice("kind", UnitKind)
    trailers = tuple(_vehicle(one, book) for one in fields.tables("trailers"))
    year = fields.number("build_year", None, low=1930, high=2100) if fields.raw("build_year") else None
    power = Vehicle(fields.text("name", ""), read_look(fields.table("look", {}), book), fields.text("id", ""))
    found = InspectionSet(
        kind,
        power,
        trailers,
        fields.choice("circuits", Circuits, "dual"),
        fields.choice("gearbox", Gearbox, None) if fields.raw("gearbox") is not None else None,
        None if year is None else int(year),
    )
    fields.done()
    needed = {"single": 0, "combination": 1, "multi": 2}[KIND_TABLE[kind].group]
    if (len(trailers) < needed) if needed else trailers:
        raise fields.refuse("trailers", f"does not fit a {kind}: it has {len(trailers)}")
    if needed == 1 and len(trailers) > 1:
        raise fields.refuse("trailers", f"does not fit a {kind}: it has {len(trailers)}")
    return found


def _vehicle(fields: Fields, book: InspectionBook) -> Vehicle:
    vehicle = Vehicle(fields.text("name", ""), read_look(fields.table("look", {}), book), fields.text("id", ""))
    fields.done()
    return vehicle


def set_table(usual: InspectionSet) -> dict[str, Any]:
    """The set as plain values, in the form that is read back."""
    table: dict[str, Any] = {"kind": usual.kind, "circuits": usual.circuits, **_vehicle_table(usual.power)}
    table["trailers"] = [_vehicle_table(one) for one in usual.trailers]
    if usual.gearbox is not None:
        table["gearbox"] = usual.gearbox
    if usual.build_year is not None:
        table["build_year"] = usual.build_year
    return table


def _vehicle_table(vehicle: Vehicle) -> dict[str, Any]:
    return {"name": vehicle.name, "id": vehicle.id, "look": look_table(vehicle.look)}


def with_facts(usual: InspectionSet, number: int, **said: Any) -> InspectionSet:
    """The set after something was said of the power unit (0) or a trailer: ``facts``, ``figures`` or ``axles``."""
    vehicle = vehicle_of(usual, number)
    look = vehicle.look
    look = Look(
        said.get("axles", look.axles),
        {**look.facts, **said.get("facts", {})},
        {**look.figures, **said.get("figures", {})},
    )
    changed = replace(vehicle, look=look)
    if not number:
        return replace(usual, power=changed)
    trailers = tuple(changed if place == number else one for place, one in enumerate(usual.trailers, 1))
    return replace(usual, trailers=trailers)


def number_of(code: str, usual: InspectionSet) -> int | None:
    """The number of the vehicle that a part's code names, 0 for the power unit; None where it names none."""
    if code == "P":
        return 0
    if code.startswith("L") and code[1:].isdigit() and 1 <= int(code[1:]) <= len(usual.trailers):
        return int(code[1:])
    return None

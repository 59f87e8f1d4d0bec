"""What is asked of a set, and in which order: each item at each of its places, stop by stop of the path."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple

from lowhiss.core.inspections.model import Fact, InspectionBook, Item, On, Role, Stop, WalkOrder
from lowhiss.core.inspections.vehicle import Axle, InspectionSet, VehiclePart, fact_of, parts_of

SIDES = ("left", "right")
_BY_AXLE = ("axle", "end", "tire")


class Place(NamedTuple):
    """Where an item is: a part of the set, one of its axles (from 1), a side, a wheel, a needle."""

    part: str
    axle: int | None = None
    side: str = ""
    wheel: str = ""
    needle: str = ""

    @property
    def code(self) -> str:
        """As it stands in records, such as ``P.axle2.left.outer``."""
        axle = f"axle{self.axle}" if self.axle is not None else ""
        return ".".join(one for one in (self.part, axle, self.side, self.wheel, self.needle) if one)


@dataclass(frozen=True, slots=True)
class Ask:
    """One item at one place.  ``vehicle``: what a defect of it is pinned to, 0 the power unit, else a trailer."""

    item: Item
    place: Place
    part: VehiclePart
    stop: str
    seconds: float
    role: Role | None = None

    @property
    def key(self) -> str:
        """Its name in records, such as ``tire_tread@P.axle1.left``."""
        return f"{self.item.id}@{self.place.code}"

    @property
    def end(self) -> str:
        """The wheel end that it belongs to, as a place; empty for what is not at one."""
        if self.place.axle is None or not self.place.side:
            return ""
        return f"{self.place.part}.axle{self.place.axle}.{self.place.side}"

    @property
    def vehicle(self) -> int:
        """The vehicle that a defect of it is pinned to: 0 the power unit, else the trailer of that number.

        What lies between two vehicles, and a dolly, goes to the trailer behind it: it is coupled and uncoupled with it.
        """
        return self.part.number


@dataclass(frozen=True, slots=True)
class Wanted:
    """A fact that is not known and decides whether something is asked. ``part``: P or a trailer."""

    fact: Fact
    part: str
    stop: str


@dataclass(frozen=True, slots=True)
class Station:
    """A stop of the path as this set has it."""

    id: str
    stop: Stop
    number: int


@dataclass(frozen=True, slots=True)
class Plan:
    """What is asked, in order, and the facts that are not known yet."""

    way: WalkOrder
    parts: tuple[VehiclePart, ...]
    stations: tuple[Station, ...]
    asks: tuple[Ask, ...]
    wanted: tuple[Wanted, ...]

    def of(self, key: str) -> Ask | None:
        """The ask of that name; None where there is none."""
        return next((ask for ask in self.asks if ask.key == key), None)


def walk_orders_for(book: InspectionBook, usual: InspectionSet) -> list[WalkOrder]:
    """The ways that fit the set, in the book's order."""
    return [way for way in book.ways.values() if usual.kind in way.kinds]


def plan(
    book: InspectionBook,
    usual: InspectionSet,
    way: WalkOrder,
    today: Mapping[str, bool] | None = None,
    mirrored: bool = False,
) -> Plan:
    """Everything that is asked of a set by a way.

    today : facts of the day, as they were said.  mirrored : round the vehicle the other way.
    """
    planning = _Planning(book, usual, way, today or {})
    stations = _stations(way.stops or book.paths[usual.kind], len(usual.trailers))
    if mirrored:
        stations = _mirrored(stations)
    asks = [ask for station in stations for ask in planning.at(station)]
    return Plan(way, tuple(planning.parts), tuple(stations), tuple(asks), tuple(planning.wanted))


def _stations(stops: Sequence[Stop], trailers: int) -> list[Station]:
    """The stops, those of a trailer once for each: to the rear in order, back along the other side from the last."""
    found: list[Station] = []
    block: list[Stop] = []

    def unroll() -> None:
        numbers: Iterable[int] = range(1, trailers + 1)
        if block and block[0].side == "right":
            numbers = reversed(range(1, trailers + 1))
        for number in numbers:
            found.extend(
                Station(f"{stop.id}.{number}" if trailers > 1 else stop.id, stop, number)
                for stop in block
                if number > 1 or not _between(stop)
            )
        block.clear()

    for stop in stops:
        if _trailers(stop) and trailers:
            block.append(stop)
            continue
        unroll()
        if not (_trailers(stop) and set(stop.axles)):
            found.append(Station(stop.id, stop, 0))
    unroll()
    return found


def _trailers(stop: Stop) -> bool:
    return bool({"trailer", "dolly"} & set(stop.zones)) or bool({"trailer", "dolly"} & set(stop.axles))


def _between(stop: Stop) -> bool:
    return "dolly" in stop.zones


def _mirrored(stations: list[Station]) -> list[Station]:
    """The stations, those beside the vehicle walked from the other side."""
    beside = [one for one in stations if one.stop.side]
    turned = iter([*beside[:1], *reversed(beside[1:])])
    return [next(turned) if one.stop.side else one for one in stations]


class _Planning:
    def __init__(self, book: InspectionBook, usual: InspectionSet, way: WalkOrder, today: Mapping[str, bool]) -> None:
        self.book, self.usual, self.way, self.today = book, usual, way, today
        self.parts = parts_of(book, usual, today)
        self.wanted: list[Wanted] = []
        stops = way.stops or book.paths[usual.kind]
        self.sides_of_zone = {
            zone: {stop.side for stop in stops if zone in stop.zones} for stop in stops for zone in stop.zones
        }
        self.done: set[str] = set()

    def at(self, station: Station) -> Iterator[Ask]:
        """What is asked at a station, in the way's own order."""
        stop = station.stop
        first = self.way.first.get(stop.id, ())
        items = [item for item in self.book.items.values() if self.chosen(item)]
        order = {name: place for place, name in enumerate(first)}
        items.sort(key=lambda item: order.get(item.id, len(order)))
        for item in items:
            if {item.zone, item.trailer_zone} & set(stop.zones) and item.repeat not in _BY_AXLE:
                yield from self.at_station(item, station)
        if stop.axles:
            yield from self.axles(items, station)
        if station.number > 1 and "dolly" in stop.zones:
            for item in items:
                if item.zone == "coupling" and "coupling" in item.on and item.repeat == "part":
                    yield from self.placed(
                        item, station, [part for part in self.on(item) if part.number == station.number]
                    )

    def chosen(self, item: Item) -> bool:
        """Whether the way goes by it at all."""
        if self.usual.kind not in item.kinds:
            return False
        if self.way.only:
            return item.id in self.way.only or (self.way.glance and item.glance)
        if self.way.glance and item.axles:
            return item.glance
        return bool(set(self.way.letters) & set(item.letters))

    def on(self, item: Item) -> list[VehiclePart]:
        """The parts that it is on."""
        letters: tuple[On, ...] = item.on
        if "trailer" in letters and not self.usual.trailers:
            letters = (*letters, "unit")
        found = [part for part in self.parts if part.on in letters]
        if item.where == "carries":
            dollies = {part.number for part in found if part.on == "dolly"}
            last = len(self.usual.trailers)
            return [
                part for part in found if part.on == "dolly" or (part.number + 1 not in dollies and part.number != last)
            ]
        if item.where == "not_last":
            return [part for part in found if part.number != len(self.usual.trailers)]
        if item.where == "last" or (item.repeat == "once" and "trailer" in letters):
            return found[-1:]
        # what is on the unit and is asked once is not asked of a trailer too
        return found[:1] if item.repeat in ("once", "seat", "needle") else found

    def at_station(self, item: Item, station: Station) -> Iterator[Ask]:
        """An item that is not at an axle, at a station where its zone is."""
        parts = [part for part in self.on(item) if self.zone_of(item, part) in station.stop.zones]
        if station.number and {"trailer", "cargo", "tank", "dolly"} & set(station.stop.zones):
            ahead = 1 if item.where in ("not_last", "carries") else 0
            parts = [
                part
                for part in parts
                if not part.number or part.number == station.number - (ahead if part.on == "trailer" else 0)
            ]
        if item.zone == "coupling":
            parts = [part for part in parts if part.number <= 1]
        yield from self.placed(item, station, parts)

    def zone_of(self, item: Item, part: VehiclePart) -> str:
        """Where an item is on this part; a path that does not stop at the trailer sees it where the unit's is."""
        apart = part.number and item.trailer_zone in self.sides_of_zone
        return item.trailer_zone if apart else item.zone

    def placed(self, item: Item, station: Station, parts: list[VehiclePart]) -> Iterator[Ask]:
        """An item on these parts, at each of its places there."""
        for part in parts:
            if not self.fitted(item, part, station):
                continue
            places = self.places(item, part, station)
            for place in places:
                ask = Ask(item, place, part, station.id, item.seconds / (2 if place.side or place.needle else 1))
                if ask.key not in self.done:
                    self.done.add(ask.key)
                    yield ask

    def places(self, item: Item, part: VehiclePart, station: Station) -> list[Place]:
        if item.repeat == "side":
            both = len(self.sides_of_zone.get(item.zone, {""})) < 2
            return [Place(part.code, side=side) for side in SIDES if both or side == station.stop.side]
        if item.repeat == "needle":
            needles = ("primary", "secondary") if self.usual.circuits == "dual" else ("primary",)
            return [Place(part.code, needle=needle) for needle in needles]
        return [Place(part.code)]

    def axles(self, items: list[Item], station: Station) -> Iterator[Ask]:
        """The block of every axle that stands there, from the frame outwards, axle by axle."""
        stop = station.stop
        for part, number, axle in self.axles_at(station):
            for item in items:
                if not item.axles or not axle.has(item.axles.get(axle.role, "never")):
                    continue
                if part.on not in item.on or not self.fitted(item, part, station):
                    continue
                for place in self.axle_places(item, part, number, axle, stop.side):
                    ask = Ask(item, place, part, station.id, item.seconds, axle.role)
                    if ask.key not in self.done:
                        self.done.add(ask.key)
                        yield ask

    def axles_at(self, station: Station) -> Iterator[tuple[VehiclePart, int, Axle]]:
        for part in self.parts:
            if station.number and part.number not in (station.number, 0):
                continue
            for number, axle in enumerate(part.axles, 1):
                role = "dolly" if part.on == "dolly" else axle.role
                if role in station.stop.axles and (part.number == station.number or not part.number):
                    yield part, number, axle

    def axle_places(self, item: Item, part: VehiclePart, number: int, axle: Axle, side: str) -> list[Place]:
        if item.repeat == "axle":
            return [Place(part.code, number)] if side == SIDES[0] else []
        if item.repeat == "side":
            return [Place(part.code, side=side)]
        if item.repeat == "tire":
            wheels = ("outer", "inner") if axle.dual else ("",)
            return [Place(part.code, number, side, wheel) for wheel in wheels]
        return [Place(part.code, number, side)]

    def fitted(self, item: Item, part: VehiclePart, station: Station) -> bool:
        """Whether the part has it; a fact that nobody knows is wanted, and until then it is not asked."""
        number = part.number if part.on in ("trailer", "dolly") else 0
        for name in item.fitted:
            fact = self.book.facts[name.removeprefix("not:")]
            so = fact_of(self.usual, fact, number, self.today)
            if so is None:
                where = f"L{number}" if fact.of == "trailer" and number else "P"
                if not any(one.fact.id == fact.id and one.part == where for one in self.wanted):
                    self.wanted.append(Wanted(fact, where, station.id))
                return False
            if so == name.startswith("not:"):
                return False
        return True

"""The unit under test, as far as the rules depend on it."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any, Literal, NamedTuple, get_args

UnitKind = Literal["straight_truck", "bus", "tractor", "tractor_semitrailer", "multi_trailer"]
PowerKind = Literal["straight_truck", "bus", "tractor"]
"""The kinds that drive; the others are these with trailers."""
UNIT_KINDS: tuple[UnitKind, ...] = get_args(UnitKind)
Group = Literal["single", "combination", "multi"]
Circuits = Literal["dual", "single"]
Needle = Literal["primary", "secondary"]
Knob = Literal["tractor", "trailer"]
Gearbox = Literal["manual", "automatic"]
Holding = Literal["chocks", "gear_noted", "gear_too"]
"""What holds a vehicle whose brakes are released: chocks alone; low gear with the engine off too, but named; both."""


class KindRow(NamedTuple):
    """A kind of unit.

    group : what most limits depend on.  trailer_knob : whether it has the trailer supply knob; ``most``: a unit of
        this kind usually has.  title : its name.  pulling : the kinds that it is with one trailer, with two, ...
    """

    group: Group
    trailer_knob: Literal["never", "most", "always"]
    title: dict[str, str]
    pulling: tuple[UnitKind, ...] = ()


KIND_TABLE: dict[UnitKind, KindRow] = {
    "straight_truck": KindRow("single", "never", {"en": "truck", "es": "camión"}),
    "bus": KindRow("single", "never", {"en": "bus", "es": "autobús"}),
    "tractor": KindRow(
        "single", "most", {"en": "tractor alone", "es": "tractor solo"}, ("tractor_semitrailer", "multi_trailer")
    ),
    "tractor_semitrailer": KindRow("combination", "always", {"en": "tractor and trailer", "es": "tractor y remolque"}),
    "multi_trailer": KindRow("multi", "always", {"en": "tractor, two trailers", "es": "tractor, dos remolques"}),
}


@dataclass(frozen=True, slots=True)
class Governor:
    """The maker's figures for the governor [psi gauge]; None where unknown."""

    cut_in_psi: float | None = None
    cut_out_psi: float | None = None


@dataclass(frozen=True, slots=True)
class Unit:
    """One assembled unit: a power unit with the trailers it pulls on the day.

    reservoir_ratio : actual ÷ required service reservoir volume, dimensionless.
    fmvss_121 : built to that standard (true unless said otherwise).
    gearbox : None where unknown.
    trailer_knob : whether a tractor driven alone has the trailer supply knob too, as most have; a unit with a trailer
        always has it, a truck or bus never.
    holding : None: as the order of work or the rule set says.
    """

    kind: UnitKind
    name: str = ""
    circuits: Circuits = "dual"
    governor: Governor = Governor()
    reservoir_ratio: float = 1.0
    fmvss_121: bool = True
    trailers: tuple[str, ...] = ()
    gearbox: Gearbox | None = None
    trailer_knob: bool = True
    holding: Holding | None = None

    @property
    def group(self) -> Group:
        """``single``, ``combination`` or ``multi``: what most limits depend on."""
        return KIND_TABLE[self.kind].group

    @property
    def knobs(self) -> tuple[Knob, ...]:
        """The dash knobs this unit has: the trailer supply knob with a trailer, and on most tractors driven alone."""
        has = KIND_TABLE[self.kind].trailer_knob
        return ("tractor", "trailer") if has == "always" or (has == "most" and self.trailer_knob) else ("tractor",)

    @property
    def needles(self) -> tuple[Needle, ...]:
        """The needles on its dash: two on a dual circuit, one otherwise."""
        return ("primary", "secondary") if self.circuits == "dual" else ("primary",)


def unit_table(unit: Unit) -> dict[str, Any]:
    """A unit as it stands in a run record."""
    table = asdict(unit)
    table["trailers"] = list(unit.trailers)
    table["governor"] = {key: value for key, value in table["governor"].items() if value is not None}
    for unknown in ("gearbox", "holding"):
        if table[unknown] is None:
            del table[unknown]
    return table

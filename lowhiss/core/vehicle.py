"""The unit under test, as far as the rules depend on it."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any, Literal, get_args

UnitKind = Literal["straight_truck", "bus", "tractor", "tractor_semitrailer", "multi_trailer"]
UNIT_KINDS: tuple[UnitKind, ...] = get_args(UnitKind)
Group = Literal["single", "combination", "multi"]
Circuits = Literal["dual", "single"]
Needle = Literal["primary", "secondary"]
Knob = Literal["tractor", "trailer"]
Gearbox = Literal["manual", "automatic"]

GROUP_OF_KIND: dict[UnitKind, Group] = {
    "straight_truck": "single",
    "bus": "single",
    "tractor": "single",
    "tractor_semitrailer": "combination",
    "multi_trailer": "multi",
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

    @property
    def group(self) -> Group:
        """``single``, ``combination`` or ``multi``: what most limits depend on."""
        return GROUP_OF_KIND[self.kind]

    @property
    def knobs(self) -> tuple[Knob, ...]:
        """The dash knobs this unit has: the trailer supply knob with a trailer, and on most tractors driven alone."""
        alone = self.kind in ("straight_truck", "bus") or (self.kind == "tractor" and not self.trailer_knob)
        return ("tractor",) if alone else ("tractor", "trailer")

    @property
    def needles(self) -> tuple[Needle, ...]:
        """The needles on its dash: two on a dual circuit, one otherwise."""
        return ("primary", "secondary") if self.circuits == "dual" else ("primary",)


def unit_table(unit: Unit) -> dict[str, Any]:
    """A unit as it stands in a run record."""
    table = asdict(unit)
    table["trailers"] = list(unit.trailers)
    table["governor"] = {key: value for key, value in table["governor"].items() if value is not None}
    if unit.gearbox is None:
        del table["gearbox"]
    return table

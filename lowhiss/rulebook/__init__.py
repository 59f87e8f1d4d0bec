"""The built-in rule sets and procedures: whatever TOML files lie beside this module, read once.

A new one is a file and nothing else: its ``[book]`` table says where it stands among the others.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from importlib.resources.abc import Traversable
from typing import TYPE_CHECKING, Any

from lowhiss.core.errors import RuleError
from lowhiss.core.fields import Fields, choices_text
from lowhiss.core.procedure import Procedure, read_procedure
from lowhiss.core.rules import Judging, RuleSet, parse_toml, read_judging, read_rule_set
from lowhiss.core.stages import LIMITED_STAGES, kind_of
from lowhiss.core.vehicle import UNIT_KINDS, Unit, UnitKind

# whoever judges a record needs neither a simulated vehicle nor lessons, and should not wait for them
if TYPE_CHECKING:
    from lowhiss.core.airsystem import AirData, DriveData
    from lowhiss.core.diagnosis import HintLimits
    from lowhiss.core.inspections import InspectionBook
    from lowhiss.core.practice import KnownNames, Lesson, PracticeData, Scoring
    from lowhiss.core.procedure.planner import Planning
    from lowhiss.core.status import Consequences
    from lowhiss.core.sums import SumRow, SumTables

_ROOT: Traversable = files(__name__)
_ROOMS = ("core", "rulebook")
_DEFAULT_BOOK = {"order": 1_000}


def _text(*path: str) -> str:
    return _ROOT.joinpath(*path).read_text(encoding="utf-8")


@cache
def _listed(folder: str) -> dict[str, tuple[dict[str, Any], dict[str, Any]]]:
    """Every file of a folder: by id its own tables and its place in the book, in the book's order."""
    found = []
    for item in _ROOT.joinpath(folder).iterdir():
        if item.name.endswith(".toml"):
            table = parse_toml(item.read_text(encoding="utf-8"), item.name)
            book = {**_DEFAULT_BOOK, **table.pop("book", {})}
            if table.get("id") != item.name.removesuffix(".toml"):
                raise RuleError(item.name, f"holds the id {table.get('id')!r}: a file is called as what it holds")
            found.append((book["order"], item.name, table, book))
    return {table["id"]: (table, book) for _, _, table, book in sorted(found, key=lambda one: one[:2])}


@cache
def judging() -> Judging:
    """The judging conventions that all built-in rule sets share."""
    return read_judging(Fields(parse_toml(_text("judging.toml"), "judging.toml"), "judging", RuleError))


def rule_set_ids() -> tuple[str, ...]:
    """Every built-in rule set, in the order in which the schools are shown; the first is the default."""
    return tuple(_listed("rules"))


def procedure_ids() -> tuple[str, ...]:
    """Every built-in procedure, in the order in which they are offered."""
    return tuple(_listed("procedures"))


@cache
def rule_set(name: str) -> RuleSet:
    """The built-in rule set called ``name``. Raises RuleError naming the known ones."""
    known = _listed("rules")
    if name not in known:
        raise RuleError("rules", f"{name[:60]!r} is not a built-in rule set; there are {choices_text(known)}")
    return read_rule_set(known[name][0], judging(), rule_set)


@cache
def procedure(name: str) -> Procedure:
    """The built-in procedure called ``name``. Raises RuleError naming the known ones."""
    known = _listed("procedures")
    if name not in known:
        raise RuleError("procedure", f"{name[:60]!r} is not a built-in procedure; there are {choices_text(known)}")
    return read_procedure(known[name][0])


def rule_sets() -> tuple[RuleSet, ...]:
    """Every built-in rule set, the default first."""
    return tuple(rule_set(name) for name in rule_set_ids())


def procedures() -> tuple[Procedure, ...]:
    """Every built-in procedure, in the order in which they are offered."""
    return tuple(procedure(name) for name in procedure_ids())


def default_procedure(rules: RuleSet, unit: Unit) -> Procedure:
    """The procedure a run follows when it names none: that of its school, or its parent's, and the kind of its unit."""
    return procedure(default_procedure_ids(rules)[unit.group])


def default_procedure_ids(rules: RuleSet) -> dict[str, str]:
    """The procedure that a rule set is taught in, by group of units."""
    known = _listed("rules")
    for name in (rules.id, *rules.lineage, rule_set_ids()[0]):
        if name in known and "default_procedure" in known[name][1]:
            return dict(known[name][1]["default_procedure"])
    raise RuleError("book.default_procedure", f"is missing in {rule_set_ids()[0]}.toml")


def forget() -> None:
    """Read the folder again at the next question."""
    for known in (_listed, judging, rule_set, procedure):
        known.cache_clear()


@dataclass(frozen=True, slots=True)
class Chambers:
    """Brake chamber volumes by type [in³] and the reservoir ratios required for them, with their source."""

    volumes_in3: dict[int, float]
    power_unit_ratio: float
    trailer_ratio: float
    source: str


@cache
def _table(name: str) -> dict[str, Any]:
    return parse_toml(_text(name), name)


@cache
def _kind(kind: UnitKind) -> dict[str, dict[str, Any]]:
    """What is known of the usual vehicle of a kind; each kind has a file."""
    return parse_toml(_text("kinds", f"{kind}.toml"), f"{kind}.toml")


def _each_kind(part: str) -> dict[str, dict[str, Any]]:
    return {kind: _kind(kind)[part] for kind in UNIT_KINDS}


@cache
def chambers() -> Chambers:
    """The table of brake chambers."""
    table = _table("chambers.toml")
    volumes = {int(number): float(volume) for number, volume in table["volumes_in3"].items()}
    return Chambers(volumes, table["power_unit_ratio"], table["trailer_ratio"], table["source"])


@dataclass(frozen=True, slots=True)
class Plausible:
    """Between which figures a bound can lie at all: of a stage, one that hangs on another, a hold, a window."""

    bounds: dict[str, tuple[float, float]]
    apart: tuple[float, float]
    hold_s: tuple[float, float]
    window_psi: tuple[float, float]


@cache
def plausible() -> Plausible:
    """What no school's limits lie outside of."""
    table = _table("plausible.toml")

    def between(ends: dict[str, float]) -> tuple[float, float]:
        return float(ends["least"]), float(ends["most"])

    of = {stage: table["stages"].get(stage) or table["kinds"][kind_of(stage)] for stage in LIMITED_STAGES}
    bounds: dict[str, tuple[float, float]] = {stage: between(ends) for stage, ends in of.items()}
    return Plausible(bounds, between(table["apart"]), between(table["hold"]), between(table["window"]))


@cache
def planning(kind: UnitKind) -> Planning:
    """What the planner reckons with for a kind of unit whose own history is unknown."""
    from lowhiss.core.procedure.planner import Planning, Pressures, Rates, Times

    table = _table("planning.toml")
    return Planning(Times(**table["times_s"]), Pressures(**table["pressures"]), Rates(**_kind(kind)["plan"]))


@cache
def air_data() -> AirData:
    """The parameters of the simulated vehicle, of each kind and every fault."""
    from lowhiss.core.airsystem import read_air_data

    table = {**_table("airsystem.toml"), "kinds": _each_kind("air")}
    return read_air_data(table, chambers().volumes_in3, chambers().power_unit_ratio)


@cache
def driving() -> DriveData:
    """What the simulated vehicle needs to be driven: engines, gears, brakes and gauges."""
    from lowhiss.core.airsystem import DriveData

    return DriveData({**_table("driving.toml"), "kinds": _each_kind("drive")})


@cache
def practice() -> PracticeData:
    """What practice vehicles hide, and how marks are held to the truth."""
    from lowhiss.core.practice import read_practice_data

    return read_practice_data(_table("practice.toml"))


@cache
def scoring() -> Scoring:
    """How practices are scored, every mistake with its advice, and the sentences of a debrief."""
    from lowhiss.core.practice import read_scoring

    return read_scoring(_table("scoring.toml"))


@cache
def bench() -> dict[str, Any]:
    """The sheet of a diagnosis: its parts with their answers, and the right ones for each fault."""
    return _table("bench.toml")


def lesson_names() -> KnownNames:
    """What a lesson may name."""
    from lowhiss.core.airsystem import fault_names
    from lowhiss.core.practice import KnownNames

    return KnownNames(
        kinds=UNIT_KINDS,
        faults=fault_names(air_data()),
        pools=tuple(practice().pools),
        mistakes=tuple(scoring().mistakes),
        procedures=procedure_ids(),
    )


@cache
def lessons() -> dict[str, Lesson]:
    """The built-in lessons by id, in the order of their ladder: every file that lies in ``lessons`` is one."""
    from lowhiss.core.practice import read_lesson

    names = lesson_names()
    tables = [
        parse_toml(item.read_text(encoding="utf-8"), item.name)
        for item in _ROOT.joinpath("lessons").iterdir()
        if item.name.endswith(".toml")
    ]
    found = sorted((read_lesson(table, names) for table in tables), key=lambda lesson: lesson.number)
    return {lesson.id: lesson for lesson in found}


@cache
def sums() -> dict[str, SumRow]:
    """Every sum of the trade by its id."""
    from lowhiss.core.sums import read_sums

    return read_sums(_table("sums.toml"))


def sum_tables() -> SumTables:
    """What the sums look up."""
    from lowhiss.core.sums import SumTables

    table = chambers()
    return SumTables(table.volumes_in3, table.power_unit_ratio, table.trailer_ratio)


@cache
def hint_limits() -> HintLimits:
    """When a difference between two holds is worth a hint."""
    from lowhiss.core.diagnosis import HintLimits

    return HintLimits(**_table("hints.toml"))


@cache
def consequences() -> Consequences:
    """What follows when something is not right, by group of parts."""
    from lowhiss.core.status import read_consequences

    return read_consequences(_table("consequences.toml"))


@cache
def inspections() -> InspectionBook:
    """What is looked at beside the air test: every file of items that lies in ``inspection/items`` belongs to it."""
    from lowhiss.core.inspections import INSPECTION_TABLES, read_inspection_book

    table = consequences()
    found = [
        (item.name, parse_toml(item.read_text(encoding="utf-8"), item.name))
        for item in _ROOT.joinpath("inspection", "items").iterdir()
        if item.name.endswith(".toml")
    ]
    return read_inspection_book(
        {name: parse_toml(_text("inspection", f"{name}.toml"), name) for name in INSPECTION_TABLES},
        sorted(found, key=lambda one: (one[1].get("order", _DEFAULT_BOOK["order"]), one[0])),
        table.groups,
        table.questions,
    )


@cache
def version() -> str:
    """Which core and rule book this is: a hash over every file of both."""
    digest = hashlib.sha256()
    for room in _ROOMS:
        for name, content in _files_of(files("lowhiss").joinpath(room), room):
            digest.update(name.encode() + b"\0" + content + b"\0")
    return digest.hexdigest()[:16]


def _files_of(folder: Traversable, at: str) -> list[tuple[str, bytes]]:
    found: list[tuple[str, bytes]] = []
    for item in sorted(folder.iterdir(), key=lambda one: one.name):
        if item.is_dir() and item.name != "__pycache__":
            found += _files_of(item, f"{at}/{item.name}")
        elif item.name.endswith((".py", ".toml")):
            found.append((f"{at}/{item.name}", item.read_bytes()))
    return found

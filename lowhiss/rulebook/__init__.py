"""The built-in rule sets and procedures, read once from the TOML files beside this module."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from typing import Any

from lowhiss.core.airsystem import AirData, read_air_data
from lowhiss.core.errors import RuleError
from lowhiss.core.fields import Fields, choices_text
from lowhiss.core.leakhunt import HintLimits
from lowhiss.core.procedure import Procedure, read_procedure
from lowhiss.core.procedure.planner import Planning, Pressures, Rates, Times
from lowhiss.core.rules import Judging, RuleSet, parse_toml, read_judging, read_rule_set
from lowhiss.core.vehicle import Unit, UnitKind

RULE_SET_IDS = ("us-cdl", "us-older", "us-federal", "canada-west")
"""In the order in which the schools are shown; the first is the default."""
PROCEDURE_IDS = (
    "us-three-part",
    "us-full",
    "holds-first",
    "holds-first-static",
    "canada-west",
    "single-vehicle",
    "static-only",
    "leak-check",
)


def _text(*path: str) -> str:
    return files(__name__).joinpath(*path).read_text(encoding="utf-8")


@cache
def judging() -> Judging:
    """The judging conventions that all built-in rule sets share."""
    return read_judging(Fields(parse_toml(_text("judging.toml"), "judging.toml"), "judging", RuleError))


@cache
def rule_set(name: str) -> RuleSet:
    """The built-in rule set called ``name``. Raises RuleError naming the known ones."""
    if name not in RULE_SET_IDS:
        raise RuleError("rules", f"{name[:60]!r} is not a built-in rule set; there are {choices_text(RULE_SET_IDS)}")
    return read_rule_set(parse_toml(_text("rules", f"{name}.toml"), f"{name}.toml"), judging())


@cache
def procedure(name: str) -> Procedure:
    """The built-in procedure called ``name``. Raises RuleError naming the known ones."""
    if name not in PROCEDURE_IDS:
        raise RuleError(
            "procedure", f"{name[:60]!r} is not a built-in procedure; there are {choices_text(PROCEDURE_IDS)}"
        )
    return read_procedure(parse_toml(_text("procedures", f"{name}.toml"), f"{name}.toml"))


def rule_sets() -> tuple[RuleSet, ...]:
    """Every built-in rule set, the default first."""
    return tuple(rule_set(name) for name in RULE_SET_IDS)


def default_procedure(rules: RuleSet, unit: Unit) -> Procedure:
    """The procedure a run follows when it names none: that of its school and the kind of its unit."""
    if "canada-west" in (rules.id, rules.parent):
        return procedure("canada-west")
    return procedure("single-vehicle" if unit.group == "single" else "us-three-part")


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
def chambers() -> Chambers:
    """The table of brake chambers."""
    table = _table("chambers.toml")
    volumes = {int(number): float(volume) for number, volume in table["volumes_in3"].items()}
    return Chambers(volumes, table["power_unit_ratio"], table["trailer_ratio"], table["source"])


@cache
def planning(kind: UnitKind) -> Planning:
    """What the planner reckons with for a kind of unit whose own history is unknown."""
    table = _table("planning.toml")
    return Planning(Times(**table["times_s"]), Pressures(**table["pressures"]), Rates(**table["kinds"][kind]))


@cache
def air_data() -> AirData:
    """The parameters of the simulated vehicle, of each kind and every fault."""
    return read_air_data(_table("airsystem.toml"), chambers().volumes_in3, chambers().power_unit_ratio)


@cache
def hint_limits() -> HintLimits:
    """When a difference between two holds is worth a hint."""
    return HintLimits(**_table("hints.toml"))

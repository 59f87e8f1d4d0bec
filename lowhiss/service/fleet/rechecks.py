"""Which test looks again at what failed: of the built-in orders that have its stages, the one that takes least time."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, replace

from lowhiss import rulebook
from lowhiss.core.procedure.planner import IllegalOrderError, plan
from lowhiss.core.rules import RuleSet
from lowhiss.core.stages import STAGES, Stage
from lowhiss.core.vehicle import Unit


@dataclass(frozen=True, slots=True)
class Recheck:
    """A test that has every stage wanted. ``rules``: a built-in set, or the unit's own where the failing one is none.

    seconds, refills : as the planner predicts for a usual vehicle of this kind.
    """

    stages: tuple[Stage, ...]
    procedure: str
    rules: str
    seconds: float
    refills: int


_FOUND: dict[tuple[object, ...], Recheck | None] = {}
"""What was found before: a whole yard asks the same few questions."""
_MAX_FOUND = 2_000


def recheck_of(stages: Collection[Stage], rules: RuleSet, unit: Unit) -> Recheck | None:
    """The quickest built-in order with these stages on this unit; None where no order has them all."""
    if not stages:
        return None
    alike = replace(unit, name="", trailers=("",) * len(unit.trailers))
    asked = (frozenset(stages), rules.content_hash, alike)
    if asked not in _FOUND:
        if len(_FOUND) >= _MAX_FOUND:
            _FOUND.clear()
        _FOUND[asked] = _quickest(stages, rules, unit)
    return _FOUND[asked]


def _quickest(stages: Collection[Stage], rules: RuleSet, unit: Unit) -> Recheck | None:
    found = []
    for procedure in rulebook.procedures():
        if not set(stages) <= set(procedure.required(unit)):
            continue
        try:
            planned = plan(procedure.steps, unit, rules, rulebook.planning(unit.kind))
        except IllegalOrderError:
            continue
        found.append((planned.seconds, procedure.id, planned.refills))
    if not found:
        return None
    seconds, procedure_id, refills = min(found)
    wanted = tuple(stage for stage in STAGES if stage in stages)
    return Recheck(wanted, procedure_id, rules.id, seconds, refills)

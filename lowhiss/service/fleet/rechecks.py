"""Which test looks again at what failed: of the orders that have its stages, the one that takes least time."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

from lowhiss import rulebook
from lowhiss.core.procedure import Procedure
from lowhiss.core.procedure.planner import IllegalOrderError, plan, standing_before
from lowhiss.core.rules import RuleSet
from lowhiss.core.stages import STAGES, Stage
from lowhiss.core.vehicle import Unit


@dataclass(frozen=True, slots=True)
class Recheck:
    """A test that has every stage wanted. ``rules``: a set in force, the unit's own where the failing one is none.

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


def recheck_of(stages: Collection[Stage], rules: RuleSet, unit: Unit, orders: Sequence[Procedure]) -> Recheck | None:
    """The quickest of the orders with these stages on this unit; None where none has them all."""
    if not stages:
        return None
    alike = replace(unit, name="", trailers=("",) * len(unit.trailers))
    asked = (frozenset(stages), rules.content_hash, alike, tuple(order.content_hash for order in orders))
    if asked not in _FOUND:
        if len(_FOUND) >= _MAX_FOUND:
            _FOUND.clear()
        _FOUND[asked] = _quickest(stages, rules, unit, orders)
    return _FOUND[asked]


def _quickest(stages: Collection[Stage], rules: RuleSet, unit: Unit, orders: Sequence[Procedure]) -> Recheck | None:
    found = []
    for procedure in orders:
        if not set(stages) <= set(procedure.required(unit)):
            continue
        try:
            planning = rulebook.planning(unit.kind)
            start = standing_before(procedure.steps_on(unit), unit, rules, planning)
            planned = plan(procedure.steps, unit, rules, planning, start)
        except IllegalOrderError:
            continue
        found.append((planned.seconds, procedure.id, planned.refills))
    if not found:
        return None
    seconds, procedure_id, refills = min(found)
    wanted = tuple(stage for stage in STAGES if stage in stages)
    return Recheck(wanted, procedure_id, rules.id, seconds, refills)

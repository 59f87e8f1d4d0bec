"""An order of work as it is being built: what it takes, what it lacks, and why it cannot be done where it cannot."""

from __future__ import annotations

from dataclasses import dataclass

from lowhiss import rulebook
from lowhiss.core.procedure import Procedure
from lowhiss.core.procedure.planner import IllegalOrderError, PlannedStep, Planning, plan, standing_before
from lowhiss.core.rules import RuleSet
from lowhiss.core.stages import FILL_STAGE, LIMITED_STAGES, Stage, Step, applies
from lowhiss.core.vehicle import Unit


@dataclass(frozen=True, slots=True)
class Refusal:
    """Why an order cannot be done: the place of the step in it, and what must come before it.

    hangs : it could be done, but its limit is reckoned from what comes first.
    """

    place: int
    step: Step
    first: tuple[Step, ...]
    hangs: bool


@dataclass(frozen=True, slots=True)
class Ordered:
    """What an order takes on a unit under a rule set.

    steps : those that apply, with what is put in between; empty where it cannot be done.
    places : of each step, its place in the order as it was given; None of what was put in.
    seconds, refills, engine_starts : in all.  begins_full : it starts with full tanks and the engine off.
    unjudged : stages that the rules limit and the order does not have.  unlimited : stages of it without a limit.
    """

    steps: tuple[PlannedStep, ...]
    places: tuple[int | None, ...]
    seconds: float
    refills: int
    engine_starts: int
    begins_full: bool
    unjudged: tuple[Stage, ...]
    unlimited: tuple[Stage, ...]
    refusal: Refusal | None


def order(procedure: Procedure, unit: Unit, rules: RuleSet, planning: Planning | None = None) -> Ordered:
    """What this order takes; with the refusal instead where it cannot be done."""
    planning = planning or rulebook.planning(unit.kind)
    steps = procedure.steps_on(unit)
    own = [place for place, step in enumerate(procedure.steps) if applies(step, unit)]
    start = standing_before(steps, unit, rules, planning)
    stages = procedure.stages(unit)
    unjudged = tuple(stage for stage in LIMITED_STAGES if rules.limit_for(stage, unit) and stage not in stages)
    unlimited = tuple(stage for stage in stages if stage in LIMITED_STAGES and rules.limit_for(stage, unit) is None)

    def not_done(refusal: Refusal) -> Ordered:
        return Ordered((), (), 0.0, 0, 0, start.full_read, unjudged, unlimited, refusal)

    if hanging := _hanging(procedure.steps, stages, unit, rules):
        return not_done(hanging)
    try:
        planned = plan(procedure.steps, unit, rules, planning, start)
    except IllegalOrderError as error:
        return not_done(Refusal(_place(error.field), error.step, error.first, hangs=False))
    waiting = iter(own)
    places = tuple(None if step.added else next(waiting) for step in planned.steps)
    return Ordered(
        planned.steps,
        places,
        planned.seconds,
        planned.refills,
        planned.engine_starts,
        start.full_read,
        unjudged,
        unlimited,
        None,
    )


def _hanging(steps: tuple[Step, ...], stages: tuple[Stage, ...], unit: Unit, rules: RuleSet) -> Refusal | None:
    """A limit that hangs on a cut-out needs one read before it."""
    for stage in stages:
        limit = rules.limit_for(stage, unit)
        hangs = limit is not None and any(bound.of == "cut_out_read" for bound in limit.bounds)
        before = steps[: steps.index(stage)]
        if hangs and FILL_STAGE not in before:
            return Refusal(steps.index(stage), stage, (FILL_STAGE,), hangs=True)
    return None


def _place(field: str) -> int:
    inside = field.partition("[")[2].partition("]")[0]
    return int(inside) if inside.isdigit() else 0

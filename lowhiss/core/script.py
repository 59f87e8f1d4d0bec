"""The run script: all that a device needs to lead a run without contact, compiled for one unit and rule set."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from typing import Any

from lowhiss.core.fields import LANGUAGES
from lowhiss.core.procedure.fill_history import seconds_to_full
from lowhiss.core.procedure.guide import LedStep, led_order
from lowhiss.core.procedure.model import Procedure, holding_of
from lowhiss.core.procedure.planner import IllegalOrderError, PlannedStep, Planning, plan, standing_before
from lowhiss.core.record import HIGHEST_PSI, LOWEST_PSI
from lowhiss.core.rules import Limit, RuleSet, apply_bounds, canonical_json
from lowhiss.core.stages import STEP_TABLE, NeedRow, is_limited, stages_of
from lowhiss.core.units import PRESSURE_UNITS
from lowhiss.core.vehicle import Unit
from lowhiss.core.words import Words

SCRIPT_FORMAT = "low-hiss-script/6"
_FILL_MARKS_PSI = tuple(range(0, 151, 10))


def compile_script(
    procedure: Procedure, rules: RuleSet, unit: Unit, planning: Planning, fills: int = 0
) -> dict[str, Any]:
    """The script as plain values: the steps in order as they are led, limits and words in both languages.

    ``planning`` says how long things take and where needles usually stand; ``fills`` is the number of this unit's own
    fills it rests on. ``version`` changes with anything that a device would show or do differently.
    """
    order = led_order(procedure, unit, holding_of(unit, procedure, rules))
    planned = _planned(procedure, unit, rules, planning)
    refill_s = sum(step.seconds for step in plan([step.step for step in order.refill], unit, rules, planning).steps)
    cut_out_psi = unit.governor.cut_out_psi or rules.judging.default_cut_out_psi
    script: dict[str, Any] = {
        "format": SCRIPT_FORMAT,
        "procedure": {"id": procedure.id, "title": procedure.title, "hash": procedure.content_hash},
        "rules": {"id": rules.id, "title": rules.title, "hash": rules.content_hash},
        "knobs": list(unit.knobs),
        "needles": list(unit.needles),
        "lowest_psi": LOWEST_PSI,
        "highest_psi": HIGHEST_PSI,
        "advised_wait_s": rules.judging.short_wait_s,
        "needle_rose_psi": rules.judging.needle_rose_psi,
        "charged_psi": rules.judging.charged_psi,
        "hold_short_s": rules.judging.hold_short_s,
        "hold_s": planning.times.leak_hold,
        "walking_mph": rules.judging.rolling_mph,
        "usual_psi": usual_psi(rules, unit, planning),
        "fill": {
            "from_psi": list(_FILL_MARKS_PSI),
            "seconds": seconds_to_full(planning, _FILL_MARKS_PSI, cut_out_psi),
            "own": fills,
        },
        "needs": {need: _need(row) for need, row in order.needs.items()},
        "effects": [{**effect._asdict(), "event": dict(effect.event)} for effect in order.effects],
        "aside": list(order.aside),
        "fresh": order.fresh,
        "steps": [_step(step, rules, unit, path) for step, path in zip(order.steps, planned, strict=True)],
        "refill": [_step(step, rules, unit, None) for step in order.refill],
        "refill_s": round(refill_s),
        "fill_after": list(order.fill_after),
    }
    return {"version": hashlib.sha256(canonical_json(script).encode()).hexdigest()[:16], **script}


def usual_psi(rules: RuleSet, unit: Unit, planning: Planning) -> dict[str, float]:
    """Where the needles usually stand at each mark: the place a tape begins from, never a limit [psi]."""
    pressures, governor = planning.pressures, unit.governor
    cut_out_psi = governor.cut_out_psi or rules.judging.default_cut_out_psi
    window = rules.limit_for(stages_of("climb")[0], unit)
    lower, upper = (window.window_psi if window else None) or (pressures.build_lower_psi, pressures.build_upper_psi)
    return {
        "lower": lower,
        "upper": upper,
        "cut_out": cut_out_psi,
        "cut_in": governor.cut_in_psi or cut_out_psi - pressures.governor_band_psi,
        "start": cut_out_psi - planning.rates.release_drop_psi - planning.rates.application_drop_psi,
        "warning": pressures.warning_psi,
        "popped": pressures.pop_psi,
    }


def _planned(procedure: Procedure, unit: Unit, rules: RuleSet, planning: Planning) -> list[PlannedStep | None]:
    """Each step as the planner sees it; nothing where the order cannot be done."""
    steps = procedure.steps_on(unit)
    start = standing_before(steps, unit, rules, planning)
    try:
        planned = plan(steps, unit, rules, planning, start).steps
    except IllegalOrderError:
        return [None] * len(steps)
    return [step for step in planned if not step.added]


def _step(step: LedStep, rules: RuleSet, unit: Unit, planned: PlannedStep | None) -> dict[str, Any]:
    limit = rules.limit_for(step.step, unit) if is_limited(step.step) else None
    row = STEP_TABLE[step.step]
    return {
        "step": step.step,
        "needs": list(step.needs),
        "prompts": [
            {
                "name": s.name,
                "marks": [dict(mark) for mark in s.marks],
                "optional": s.optional,
                "reads": s.reads,
                "falls": s.falls,
                "leads": s.leads,
            }
            for s in step.prompts
        ],
        "says": list(step.says),
        "refill": step.refill,
        "refill_after": step.refill_after,
        "straight_on": step.straight_on,
        "by_the_way": step.by_the_way,
        "rolls": step.rolls,
        "marked_as": step.marked_as,
        "pedal_held": row.states.get("pedal") == "full",
        "limit": None if limit is None else _limit(limit, unit),
        "does": {language: Words(language).step(step.step, unit) for language in LANGUAGES},
        "calls": row.calls,
        "seconds": None if planned is None else round(planned.seconds),
        "path_psi": None if planned is None else [round(planned.start_psi, 1), round(planned.end_psi, 1)],
    }


def _need(row: NeedRow) -> dict[str, Any]:
    """When a need is so, and what may be answered to it."""
    return {
        "met": [dict(facts) for facts in row.met],
        **{part: [dict(body) for body in getattr(row, part)] for part in ("yes", "no", "instead", "denied")},
    }


def _limit(limit: Limit, unit: Unit) -> dict[str, Any]:
    """A limit as it holds for this unit, worded for every reader; ``bay`` is its place along the air column.

    short, text, said : as short as can be shown; as a phrase; as it is said aloud.
    end, most_psi : of a leak stage, where a needle may end (``{end}`` takes the figure), and the loss that is allowed.
    """
    bounds = apply_bounds(limit, unit)
    floors = [bound.value for bound in bounds if bound.floor]
    ceilings = [bound.value for bound in bounds if not bound.floor]
    hangs = any(bound.of == "cut_out_read" for bound in limit.bounds)
    along = limit.unit == "psi" and limit.hold_s is None and not hangs
    return {
        "key": limit.key,
        "unit": limit.unit,
        "hold_s": limit.hold_s,
        "window_psi": None if limit.window_psi is None else list(limit.window_psi),
        "short": {unit_: Words("en", unit_).short_limit(limit, bounds) for unit_ in PRESSURE_UNITS},
        "text": _for_every_reader(lambda words: words.limit(limit, bounds)),
        "said": _for_every_reader(lambda words: words.limit_text(limit, unit)),
        "end": _for_every_reader(lambda words: words.end_of_hold(limit, bounds)),
        "most_psi": min(ceilings) if limit.hold_s is not None and ceilings else None,
        "bay": {"low_psi": max(floors, default=None), "high_psi": min(ceilings, default=None)} if along else None,
    }


def _for_every_reader(sentence: Callable[[Words], str]) -> dict[str, dict[str, str]]:
    return {language: {unit: sentence(Words(language, unit)) for unit in PRESSURE_UNITS} for language in LANGUAGES}

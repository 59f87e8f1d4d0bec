"""The run script: all that a device needs to lead a run without contact, compiled for one unit and rule set."""

from __future__ import annotations

import hashlib
from typing import Any

from lowhiss.core.procedure.guide import says_of, strikes_of
from lowhiss.core.procedure.model import Procedure, Step, is_stage
from lowhiss.core.procedure.needs import NEEDS_OF_STAGE
from lowhiss.core.record import HIGHEST_PSI, LOWEST_PSI
from lowhiss.core.rules import LIMITED_STAGES, Limit, RuleSet, canonical_json
from lowhiss.core.vehicle import Unit
from lowhiss.core.words import english, spanish

SCRIPT_FORMAT = "low-hiss-script/1"


def compile_script(procedure: Procedure, rules: RuleSet, unit: Unit) -> dict[str, Any]:
    """The script as plain values: steps in order, each stage with its needs and its limit in both languages.

    ``version`` changes with anything that a device would show or do differently.
    """
    script: dict[str, Any] = {
        "format": SCRIPT_FORMAT,
        "procedure": {"id": procedure.id, "title": procedure.title},
        "rules": {"id": rules.id, "title": rules.title, "hash": rules.content_hash},
        "knobs": list(unit.knobs),
        "needles": list(unit.needles),
        "lowest_psi": LOWEST_PSI,
        "highest_psi": HIGHEST_PSI,
        "advised_wait_s": rules.judging.short_wait_s,
        "needle_rose_psi": rules.judging.needle_rose_psi,
        "charged_psi": rules.judging.charged_psi,
        "hold_short_s": rules.judging.hold_short_s,
        "steps": [_step(step, rules, unit) for step in procedure.steps],
    }
    return {"version": hashlib.sha256(canonical_json(script).encode()).hexdigest()[:16], **script}


def _step(step: Step, rules: RuleSet, unit: Unit) -> dict[str, Any]:
    limit = rules.limit_for(step, unit) if step in LIMITED_STAGES else None
    return {
        "step": step,
        "needs": list(NEEDS_OF_STAGE[step]) if is_stage(step) else [],
        "limit": None if limit is None else _limit(limit),
        "strikes": [strike.name for strike in strikes_of(step, unit)],
        "says": list(says_of(step)),
        "does": {"en": english.STEPS[step], "es": spanish.STEPS[step]},
    }


def _limit(limit: Limit) -> dict[str, Any]:
    return {
        "key": limit.key,
        "words": limit.words,
        "hold_s": limit.hold_s,
        "window_psi": None if limit.window_psi is None else list(limit.window_psi),
        "bounds": [{"comparator": bound.comparator, "value": bound.value, "of": bound.of} for bound in limit.bounds],
        "unit": limit.unit,
    }

"""The verdict record, ``low-hiss-verdict/1``: a run's verdict as plain values, worded for one reader."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from lowhiss.core.diagnosis import Hint
from lowhiss.core.judge.model import Finding, RunVerdict, StageVerdict
from lowhiss.core.rules import AppliedBound, Limit
from lowhiss.core.vehicle import Unit
from lowhiss.core.words.render import Words

VERDICT_FORMAT = "low-hiss-verdict/1"
_BOUND_KEY = {"at_most": "max", "at_least": "min", "below": "below", "above": "above"}


def verdict_record(verdict: RunVerdict, words: Words, hints: Sequence[Hint] = ()) -> dict[str, Any]:
    """The verdict as plain values. Figures stay in psi and s; only sentences are in the reader's language and unit."""
    limits: dict[str | None, Limit | None] = {stage.stage: stage.limit for stage in verdict.stages}
    return {
        "format": VERDICT_FORMAT,
        "rules": verdict.rules.id,
        "rules_hash": verdict.rules.content_hash,
        "overall": verdict.overall,
        "stages": [_stage(stage, words, verdict.state.run.unit) for stage in verdict.stages],
        "limited": verdict.limited,
        "required": verdict.required,
        "coach": [
            {
                "code": f.code,
                "stage": f.stage,
                "text": words.finding(f, limits.get(f.stage)),
            }
            for f in verdict.coach
        ],
        "candidate": {"critical": verdict.critical, "minor": verdict.minor},
        "late": [
            {"event": mark.event.id, "type": mark.event.type, "counts": mark.counts, "why": mark.why}
            for mark in verdict.late
        ],
        "hints": [{"code": hint.code, "text": words.hint(hint)} for hint in hints],
    }


def _stage(verdict: StageVerdict, words: Words, unit: Unit) -> dict[str, Any]:
    return {
        "stage": verdict.stage,
        "attempt": verdict.attempt,
        "stands": verdict.stands,
        "outcome": verdict.outcome,
        "close_call": verdict.close_call,
        "measured": verdict.measured,
        "between": {name: list(ends) for name, ends in verdict.between.items()},
        "limit": None if verdict.limit is None else _limit(verdict.limit, verdict.bounds, words, unit),
        "margin": verdict.margin,
        "uncertainty": None if verdict.uncertainty is None else round(verdict.uncertainty, 2),
        "arithmetic": words.arithmetic(verdict),
        "findings": [_finding(finding, verdict, words) for finding in verdict.findings],
    }


def _limit(limit: Limit, bounds: tuple[AppliedBound, ...], words: Words, unit: Unit) -> dict[str, Any]:
    table: dict[str, Any] = {
        "key": limit.key,
        "text": words.limit(limit, bounds),
        "words": words.limit_text(limit, unit),
    }
    for bound in bounds:
        # of two bounds on the same side the tighter one is shown
        key, tighter = _BOUND_KEY[bound.comparator], min if bound.comparator in ("at_most", "below") else max
        table[key] = tighter(table[key], bound.value) if key in table else bound.value
    if limit.hold_s is not None:
        table["hold_s"] = limit.hold_s
    if limit.window_psi is not None:
        table["window_psi"] = list(limit.window_psi)
    table["unit"] = limit.unit
    table["source"] = words.source(limit.source)
    return table


def _finding(finding: Finding, verdict: StageVerdict, words: Words) -> dict[str, Any]:
    return {"code": finding.code, "text": words.finding(finding, verdict.limit)}

"""What if, in parts: many kept runs judged again under other rules, elsewhere; plain values in and out."""

from __future__ import annotations

import json
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from lowhiss.core.errors import CoreError, RecordError
from lowhiss.core.fields import Fields
from lowhiss.core.judge import Finding, RunVerdict, StageVerdict, judge_run
from lowhiss.core.procedure import Procedure, read_procedure
from lowhiss.core.record import Run, read_unit, saved_event
from lowhiss.core.rules import AppliedBound, RuleSet, read_rule_set
from lowhiss.engine.whatif import both


@dataclass(frozen=True, slots=True)
class SavedRun:
    """A run as it lies in its rows, as JSON texts.

    unit, procedure : as they were kept when it began.  rules : the hash of its rule set.  policy : None for the set's.
    events : a list of ``[at_s, id, after_end, body]`` in the run's order.
    stood : how its stages stand by its own rules, where this very core has judged them, and the whole; else empty.
    """

    id: str
    unit: str
    procedure: str
    rules: str
    purpose: str
    resolution_psi: float
    policy: str | None
    events: str
    stood: str


@dataclass(frozen=True, slots=True)
class RunsPart:
    """Some runs, the rule sets that they were judged by (JSON by hash), and the one to judge them by now (JSON).

    ends : where the part ends, told again with what came of it.
    """

    runs: tuple[SavedRun, ...]
    sets: dict[str, str]
    others: str
    ends: dict[str, str]


@dataclass(frozen=True, slots=True)
class PartChanges:
    """What came of a part: how many were judged, how many could not be, and each that would come out otherwise."""

    judged: int
    unread: int
    lines: tuple[dict[str, Any], ...]
    ends: dict[str, str]


@lru_cache(maxsize=64)
def _rules(text: str) -> RuleSet:
    return read_rule_set(json.loads(text))


@lru_cache(maxsize=256)
def _procedure(text: str) -> Procedure:
    return read_procedure(json.loads(text))


@lru_cache(maxsize=4096)
def _unit(text: str) -> Any:
    return read_unit(Fields(json.loads(text), "unit", RecordError))


def read_saved(kept: SavedRun) -> Run:
    """The run as the judge takes it. Raises RecordError."""
    unit = _unit(kept.unit)
    events = [
        saved_event(at_s, name, body, place, bool(after_end), unit)
        for place, (at_s, name, after_end, body) in enumerate(json.loads(kept.events))
    ]
    return Run(
        unit=unit,
        events=tuple(events),
        id=kept.id,
        purpose=kept.purpose,  # type: ignore[arg-type]
        resolution_psi=kept.resolution_psi,
        policy=kept.policy,  # type: ignore[arg-type]
    )


def judge_part(part: RunsPart) -> PartChanges:
    """Each run under its own rules and under the others; only what differs is told."""
    others = _rules(part.others)
    lines = []
    unread = 0
    for kept in part.runs:
        try:
            line = _changed(kept, _rules(part.sets[kept.rules]), others)
        except CoreError:
            unread += 1
            continue
        if line is not None:
            lines.append(line)
    return PartChanges(len(part.runs) - unread, unread, tuple(lines), part.ends)


def _changed(kept: SavedRun, rules: RuleSet, others: RuleSet) -> dict[str, Any] | None:
    run, procedure = read_saved(kept), _procedure(kept.procedure)
    if kept.stood and _same(kept.stood, judge_run(run, others, procedure, candidate=False)):
        return None
    before, after = both(run, rules, procedure, others)
    return difference(kept.id, kept.rules, before, after)


def _same(stood: str, after: RunVerdict) -> bool:
    """Whether a run comes out as it stood, stage by stage."""
    overall, stages = json.loads(stood)
    now = after.standing()
    return after.overall == overall and all(
        stage not in now or now[stage].outcome == before["outcome"] for stage, before in stages.items()
    )


def difference(run_id: str, rules_hash: str, before: RunVerdict, after: RunVerdict) -> dict[str, Any] | None:
    """What differs between two verdicts on a run, as plain values; None where nothing does."""
    old, new = before.standing(), after.standing()
    stages = [
        {"stage": stage, "before": stage_summary(verdict), "after": stage_summary(new[stage])}
        for stage, verdict in old.items()
        if stage in new and verdict.outcome != new[stage].outcome
    ]
    if not stages and before.overall == after.overall:
        return None
    return {
        "run": run_id,
        "rules": rules_hash,
        "before": before.overall,
        "after": after.overall,
        "stages": stages,
    }


def stage_summary(verdict: StageVerdict) -> dict[str, Any]:
    """A stage's verdict as plain values: enough to write its sum in any language and unit."""
    return {
        "outcome": verdict.outcome,
        "limit": verdict.limit.key if verdict.limit else None,
        "bounds": [list(bound) for bound in verdict.bounds],
        "measured": verdict.measured,
        "margin": verdict.margin,
        "uncertainty": verdict.uncertainty,
        "findings": [[finding.code, finding.params] for finding in verdict.findings],
    }


def verdict_of(stage: str, table: dict[str, Any], rules: RuleSet) -> StageVerdict:
    """A stage's verdict from what `told` made of it."""
    limit = next((one for one in rules.limits if one.key == table["limit"]), None)
    bounds = tuple(AppliedBound(*bound) for bound in table["bounds"])
    return StageVerdict(
        stage,  # type: ignore[arg-type]
        1,
        table["outcome"],
        limit,
        bounds,
        table["measured"],
        table["margin"],
        table["uncertainty"],
        findings=[Finding(code, stage, params) for code, params in table["findings"]],
    )

"""A recording judged: the same judge over the stages that were found, at every end of what their numbers leave open."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from lowhiss import rulebook
from lowhiss.core.judge import RunVerdict
from lowhiss.core.judge.model import Finding, StageVerdict
from lowhiss.core.judge.whole import overall_of
from lowhiss.core.procedure import Procedure
from lowhiss.core.record import RUN_FORMAT, read_run
from lowhiss.core.rules import RuleSet
from lowhiss.core.stages import LIMITED_STAGES, STEP_TABLE, Stage
from lowhiss.core.vehicle import Unit
from lowhiss.engine.judging import judge_record, judged_by
from lowhiss.trace import Found, FoundStage, Recording, find_stages, put_where
from lowhiss.trace.bounds import Interval
from lowhiss.trace.candidates import FoundMark

_End = Callable[[Interval], float]
_ENDS: tuple[_End, ...] = (lambda one: one.value, lambda one: one.low, lambda one: one.high)
_OPEN = ("pass", "fail")
_FINEST_PSI = 0.5
"""Whatever a sender's digits say, its gauge is not read finer than this."""


@dataclass(frozen=True, slots=True)
class Recorded:
    """A recording's stages, the record that they make, and its verdict."""

    found: Found
    record: dict[str, Any]
    verdict: RunVerdict


def judge_recording(
    recording: Recording,
    rules: RuleSet,
    unit: Unit,
    procedure: Procedure | None = None,
    moved: Mapping[int, tuple[float, float]] | None = None,
) -> Recorded:
    """Find a test in a recording and judge it. Without an order of work the one that explains it best is taken.

    A stage whose interval lies inside its limit passes, outside it fails; one that is astride it is *not done*, with
    the finding ``astride_limit``. moved : by the place of a stage in the order, where a person put it [s]. Raises
    CoreError.
    """
    orders = [procedure] if procedure is not None else _orders(unit)
    found = find_stages(recording, orders, rules, unit)
    if moved:
        found = put_where(recording, found, moved)
    records = [record_of(found, rules, unit, end) for end in _ENDS]
    verdicts = [judge_record(read_run(record), rules) for record in records]
    return Recorded(found, records[0], _over_all_ends(verdicts, found.procedure, unit))


def _orders(unit: Unit) -> Sequence[Procedure]:
    every = [rulebook.procedure(name) for name in rulebook.procedure_ids()]
    return [one for one in every if any(stage in LIMITED_STAGES for stage in one.stages(unit))]


def record_of(found: Found, rules: RuleSet, unit: Unit, end: _End = _ENDS[0]) -> dict[str, Any]:
    """The run record of what was found: marks without a person, and no state of which nothing is known."""
    events = [event for stage, one in found.stages if one is not None for event in _events(stage, one, end)]
    return {
        "format": RUN_FORMAT,
        "purpose": "training",
        **judged_by(rules, found.procedure, unit, max(found.step_psi, _FINEST_PSI)),
        "events": sorted(events, key=lambda one: one["at_s"]),
    }


def _events(stage: Stage, one: FoundStage, end: _End) -> list[dict[str, Any]]:
    marked = STEP_TABLE[stage].marked_as or stage
    return [_event(marked, one, mark, end) for mark in one.marks]


def _event(stage: str, one: FoundStage, mark: FoundMark, end: _End) -> dict[str, Any]:
    numbers = {f"{name}_psi": round(min(max(end(psi), 0.0), 200.0), 2) for name, psi in mark.needles.items()}
    at_s = mark.at_s
    if mark.point == "upper" and "time_s" in one.measured:
        at_s = one.from_s + end(one.measured["time_s"])
    at_s = max(0.0, round(at_s, 3))
    if mark.point == "warning":
        return {"at_s": at_s, "type": "warning", "lamp": True, "buzzer": True, **numbers}
    if mark.point in ("tractor", "trailer"):
        return {"at_s": at_s, "type": "knob", "knob": mark.point, "state": "out", "cause": "popped", **numbers}
    return {"at_s": at_s, "type": "reading", "stage": stage, "point": mark.point, **numbers}


def _over_all_ends(verdicts: Sequence[RunVerdict], procedure: Procedure, unit: Unit) -> RunVerdict:
    """The verdict of the middle, with what its ends do not agree on left open."""
    middle, *others = verdicts
    stages: list[StageVerdict] = []
    for place, verdict in enumerate(middle.stages):
        outcomes = {verdict.outcome, *(one.stages[place].outcome for one in others if place < len(one.stages))}
        if verdict.outcome in _OPEN and len(outcomes & set(_OPEN)) > 1:
            said = [one for one in verdict.findings if one.code != "inside_guard_band"]
            astride = Finding("astride_limit", verdict.stage, {})
            verdict = replace(verdict, outcome="not_done", close_call=False, findings=[*said, astride])
        stages.append(verdict)
    return replace(middle, stages=stages, overall=overall_of(stages, procedure.stages(unit)))


def found_table(found: Found) -> list[dict[str, Any]]:
    """What was found, stage by stage, as ``lowhiss trace --stages`` prints it."""
    return [
        {
            "stage": stage,
            "from_s": None if one is None else round(one.from_s, 2),
            "to_s": None if one is None else round(one.to_s, 2),
            "moved": place in found.moved,
            "measured": {} if one is None else {name: figure.as_dict() for name, figure in one.measured.items()},
        }
        for place, (stage, one) in enumerate(found.stages)
    ]

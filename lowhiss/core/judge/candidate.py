"""The candidate's own result: technique and call-outs, from findings only. It never changes the vehicle's result."""

from __future__ import annotations

import math
from collections.abc import Iterable

from lowhiss.core.findings import FINDINGS
from lowhiss.core.judge.common import JudgeContext, cut_in_psi, cut_out_of
from lowhiss.core.judge.model import DECIDED, Finding, StageVerdict
from lowhiss.core.record import Event
from lowhiss.core.rules import apply_bounds
from lowhiss.core.run import Mark, lower_psi
from lowhiss.core.stages import FILL_STAGE, LIMITED_STAGES, MOVING_STAGES, wants_engine_off


def grade(findings: Iterable[Finding]) -> tuple[list[str], list[str]]:
    """The candidate's critical and minor findings, each code once, in order of appearance."""
    codes = list(dict.fromkeys(finding.code for finding in findings))
    by_weight = {
        weight: [code for code in codes if FINDINGS[code].weight == weight] for weight in ("critical", "minor")
    }
    return by_weight["critical"], by_weight["minor"]


def candidate_findings(case: JudgeContext, stages: list[StageVerdict]) -> list[Finding]:
    """Chocks, moving after a fail, and the call-outs unless the run was only for dispatch."""
    findings = [*_chocks(case), *_moved_after_fail(case, stages)]
    if case.state.run.purpose != "dispatch":
        findings += _call_outs(case, stages)
    return findings


def _chocks(case: JudgeContext) -> list[Finding]:
    """Chocks in before anything is released and while the vehicle stands unbraked; out before anything rolls.

    Low gear with the engine off holds it too where the school takes that; where it is only noted, it is named.
    """
    found: dict[str, Finding] = {}

    def unchocked(stage: str | None, in_gear: bool) -> None:
        if in_gear and case.holding == "gear_too":
            return
        code = "held_by_gear_only" if in_gear and case.holding == "gear_noted" else "chocks_missing"
        found.setdefault(code, Finding(code, stage, {}))

    first = case.state.first_released
    if first is not None and first.chocked is None:
        unchocked(None, first.in_gear)
    for stage, attempts in case.state.attempts.items():
        for mark in (mark for attempt in attempts for mark in attempt.marks):
            if stage in MOVING_STAGES:
                if mark.context.chocked:
                    found.setdefault("chocks_left_in", Finding("chocks_left_in", stage, {}))
            elif wants_engine_off(stage) and mark.context.chocked is False:
                unchocked(stage, mark.context.in_gear)
    return list(found.values())


def _moved_after_fail(case: JudgeContext, stages: list[StageVerdict]) -> list[Finding]:
    """A hold test or a roll while a stage stood failed, that of an earlier hold test too."""
    if all(verdict.outcome != "fail" for verdict in stages):
        return []
    ends: list[tuple[int, StageVerdict]] = []
    for verdict in stages:
        if verdict.outcome in DECIDED and (marks := _marks_of(case, verdict)):
            last = marks[-1].context.position
            ends.append((last if verdict.decided_position is None else verdict.decided_position, verdict))
    for stage in MOVING_STAGES:
        for attempt in case.state.attempts.get(stage, []):
            for mark in attempt.marks:
                stood = {v.stage: v.outcome for end, v in sorted(ends, key=_by_end) if end < mark.context.position}
                failed = [name for name, outcome in stood.items() if outcome == "fail"]
                if failed:
                    return [Finding("moved_after_fail", stage, {"stages": failed})]
    return []


def _by_end(ended: tuple[int, StageVerdict]) -> int:
    return ended[0]


def _marks_of(case: JudgeContext, verdict: StageVerdict) -> list[Mark]:
    attempts = case.state.attempts.get(verdict.stage, [])
    return attempts[verdict.attempt - 1].marks if 0 < verdict.attempt <= len(attempts) else []


def _call_outs(case: JudgeContext, stages: list[StageVerdict]) -> list[Finding]:
    said = [event for event in case.state.events if event.type == "said"]
    findings = _cut_out_calls(case, said) if "cut_out" in case.rules.calls else []
    for part, code in _NOT_SAID.items():
        calls: dict[str, list[tuple[float, int]]] = {}
        for event in said:
            if event.what is not None and event.what.startswith(part):
                calls.setdefault(event.what, []).append(event.order)
        # where nobody ticked calls of this kind at all, nothing shows that they were not made; verdicts are only
        # asked for where the school wants them said
        asked = part in case.rules.calls or (bool(calls) and part != "verdict")
        for stage in _called_stages(case) if asked else ():
            times = calls.get(f"{part}:{stage}", [])
            if part == "limit":
                first = _first_mark(case, stage)
                in_time = any(t <= first for t in times)
            else:
                last = _last_mark(case, stage)
                in_time = any(t >= last for t in times)
            if not in_time:
                findings.append(Finding(code, stage, {}))
    for event in said:
        if event.value is not None:
            findings += _wrong_limit(event, case) + _wrong_verdict(event, case, stages)
    return findings


_NOT_SAID = {"limit": "limit_not_said", "reading": "reading_not_said", "verdict": "verdict_not_said"}


def _cut_out_calls(case: JudgeContext, said: list[Event]) -> list[Finding]:
    """Each cut-out read must be said aloud before the next one; saying the cut-in's figure is a mistake of its own."""
    findings: list[Finding] = []
    calls = [event for event in said if event.what == FILL_STAGE]
    marks = case.state.cut_outs
    missed = 0
    for index, mark in enumerate(marks):
        until = marks[index + 1].event.order if index + 1 < len(marks) else (float("inf"), 0)
        mine = [call for call in calls if mark.event.order <= call.order < until]
        if not mine:
            missed += 1
        elif (wrong := next((call for call in mine if _names_cut_in(call, mark, case)), None)) is not None:
            findings.append(Finding("cut_in_said_for_cut_out", FILL_STAGE, {"said": wrong.value}))
    if missed:
        findings.insert(0, Finding("cut_out_not_said", FILL_STAGE, {"missed": missed, "times": len(marks)}))
    return findings


def _names_cut_in(call: Event, mark: Mark, case: JudgeContext) -> bool:
    said = _number(call.value)
    read = lower_psi(mark.event, case.state.policy)
    return said is not None and read is not None and abs(said - cut_in_psi(case, mark.context)) < abs(said - read)


def _wrong_limit(event: Event, case: JudgeContext) -> list[Finding]:
    """A limit called that is not the one for this unit, worked out as the judge would at that moment."""
    part, _, stage = (event.what or "").partition(":")
    value = _number(event.value)
    limit = case.limits.get(stage) if part == "limit" else None
    if limit is None or value is None:
        return []
    cut_out, by_needle = case.state.cut_out_before(event)
    right: list[float] = []
    for needle in case.needles:
        bounds = apply_bounds(
            limit,
            case.unit,
            cut_out_psi=cut_out_of(case, cut_out),
            latest_psi=by_needle.primary_psi if needle == "primary" else by_needle.secondary_psi,
        )
        right += [round(bound.value, 1) for bound in bounds]
    if not right:
        return []
    # a relative limit may be called as the difference that it is; a figure that was worked out is called whole
    differences = [abs(bound.value) for bound in limit.bounds if bound.of is not None]
    worked_out = any(b.of or b.times_reservoir_ratio or b.cap_share_of_cut_out is not None for b in limit.bounds)
    near = _CALLED_WHOLE if worked_out else _SAME
    if any(abs(value - figure) <= near for figure in (*right, *differences)):
        return []
    return [Finding("wrong_limit_said", stage, {"said": value, "right": list(dict.fromkeys(right))})]


_CALLED_WHOLE, _SAME = 0.5, 1e-6
"""How near a call must come to a figure that was worked out, and to one that stands in the rules."""


def _wrong_verdict(event: Event, case: JudgeContext, stages: list[StageVerdict]) -> list[Finding]:
    """A pass called on a failed attempt or the other way; the attempt last marked before the call is the one meant."""
    part, _, stage = (event.what or "").partition(":")
    if part != "verdict" or event.value not in DECIDED:
        return []
    meant = 0
    for attempt in case.state.attempts.get(stage, []):
        if attempt.marks and attempt.marks[-1].event.order <= event.order:
            meant = attempt.number
    outcome = next((v.outcome for v in stages if v.stage == stage and v.attempt == meant), None)
    if outcome not in DECIDED or outcome == event.value:
        return []
    return [Finding("wrong_verdict_said", stage, {"said": event.value, "right": outcome})]


def _called_stages(case: JudgeContext) -> list[str]:
    """Limited stages that were marked and have a limit to state; the cut-out has a call of its own."""
    return [
        stage
        for stage in LIMITED_STAGES
        if stage != FILL_STAGE
        and case.limits[stage] is not None
        and any(attempt.marks for attempt in case.state.attempts.get(stage, []))
    ]


def _first_mark(case: JudgeContext, stage: str) -> tuple[float, int]:
    return min(mark.event.order for attempt in case.state.attempts[stage] for mark in attempt.marks)


def _last_mark(case: JudgeContext, stage: str) -> tuple[float, int]:
    return max(mark.event.order for attempt in case.state.attempts[stage] for mark in attempt.marks)


def _number(value: str | float | None) -> float | None:
    try:
        number = None if value is None else float(value)
    except ValueError:
        return None
    return number if number is not None and math.isfinite(number) else None

"""The whole run: every attempt of every stage, how each stage stands, the vehicle's result and the candidate's."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Sequence

from lowhiss.core.judge.buildup import judge_build_up, measure_build_up
from lowhiss.core.judge.candidate import candidate_findings, grade
from lowhiss.core.judge.common import JudgeContext, cut_out_psi, retest_needs_refill
from lowhiss.core.judge.ends import judge_between, leaves_open, without_candidate
from lowhiss.core.judge.fanning import (
    deciding_warning,
    judge_knobs,
    judge_warning,
    knobs_state,
    measure_knobs,
    measure_warning,
    warning_state,
)
from lowhiss.core.judge.governor import judge_governor, measure_governor
from lowhiss.core.judge.late import settle
from lowhiss.core.judge.leak import judge_leak, leak_state, measure_leak
from lowhiss.core.judge.model import DECIDED, Overall, RunVerdict, StageVerdict
from lowhiss.core.judge.unlimited_stages import judge_hold, judge_rolling, rebuild_verdict
from lowhiss.core.procedure import Procedure, holding_of
from lowhiss.core.record import Event, Run
from lowhiss.core.rules import Limit, RuleSet, apply_bounds
from lowhiss.core.run import Attempt, RunState, fold
from lowhiss.core.stages import (
    LIMITED_STAGES,
    REFILLED_STAGES,
    STAGES,
    UNLIMITED_STAGES,
    Stage,
    StepKind,
    applies,
    kind_of,
    stages_of,
)


def judge_run(run: Run, rules: RuleSet, procedure: Procedure, *, candidate: bool = True) -> RunVerdict:
    """The run's verdict under ``rules``; ``procedure`` says which stages are required.

    What came in after the run's end counts only as `settle` says. Where marks lie between two ends it is judged at
    both: nobody was there to watch, so a run from a recording says nothing of a candidate.
    Raises RecordError where the events contradict themselves (a withdrawal of nothing, one id with two contents).
    """

    candidate = candidate and run.recording is None

    def judge(run: Run) -> RunVerdict:
        return _judge_as_read(run, rules, procedure, candidate=candidate)

    verdict = judge_between(run, judge) if leaves_open(run) else judge(run)
    if run.recording is not None:
        without_candidate(verdict)
    verdict.overall = overall_of(verdict.stages, procedure.required(run.unit))
    return verdict


def _judge_as_read(run: Run, rules: RuleSet, procedure: Procedure, *, candidate: bool) -> RunVerdict:
    """The verdict with every number as it stands."""

    def judge(events: Sequence[Event], candidate: bool = True) -> RunVerdict:
        counted = run if events is run.events else dataclasses.replace(run, events=tuple(events))
        return judge_state(fold_for(counted, rules), rules, procedure, candidate=candidate)

    if not any(event.after_end for event in run.events):
        return judge(run.events, candidate)
    events, late = settle(run.events, judge)
    verdict = judge(events, candidate)
    verdict.late = late
    return verdict


def fold_for(run: Run, rules: RuleSet) -> RunState:
    """The run folded as ``rules`` want it: which needles count, what a lamp check is. Raises RecordError."""
    return fold(run, run.policy or rules.policy, rules.judging)


def judge_state(state: RunState, rules: RuleSet, procedure: Procedure, *, candidate: bool = True) -> RunVerdict:
    """The verdict on a run that was folded before; the fold must suit the rules, as `fold_for` makes it.

    candidate : also look for chocks and call-outs; where only the vehicle's result is wanted that is time saved.
    """
    run = state.run
    unit = run.unit
    needles = unit.needles if state.policy == "both" else unit.needles[:1]
    limits = rules.limits_on(unit)
    case = JudgeContext(state, rules, unit, rules.judging, needles, limits, holding_of(unit, procedure, rules))
    required = procedure.required(run.unit)
    stages: list[StageVerdict] = []
    for stage in _in_order(required, case):
        verdicts = _stage_verdicts(stage, case)
        if verdicts or stage in required:
            stages += verdicts or [_without_attempt(stage, case)]
    coach = [finding for verdict in stages for finding in verdict.findings]
    if candidate:
        coach += candidate_findings(case, stages)
    critical, minor = grade(coach)
    limited = [stage for stage in required if stage in LIMITED_STAGES]
    return RunVerdict(
        rules=rules,
        state=state,
        overall=overall_of(stages, required),
        stages=stages,
        limited=sum(limits[stage] is not None for stage in limited),
        required=len(limited),
        coach=coach,
        critical=critical,
        minor=minor,
    )


_KNOBS = stages_of("knobs")


def _in_order(required: tuple[Stage, ...], case: JudgeContext) -> list[Stage]:
    """The required stages, then those that were done besides.

    A trailer's hold test falls away without a trailer, and knobs pulled by hand where none was to pop and none did.
    """
    done = case.state.attempts
    others = [stage for stage in STAGES if stage in done and stage not in required and applies(stage, case.unit)]
    return [*required, *(stage for stage in others if stage not in _KNOBS or any(a.popped for a in done[stage]))]


def _stage_verdicts(stage: Stage, case: JudgeContext) -> list[StageVerdict]:
    if kind_of(stage) == "refill":
        return [rebuild_verdict(case)]
    attempts = case.state.attempts.get(stage, [])
    verdicts: list[StageVerdict] = []
    failures = 0
    for index, attempt in enumerate(attempts):
        verdict = _attempt_verdict(stage, attempt, attempts[:index], case)
        if verdict.outcome == "fail":
            failures += 1
            if failures >= case.judging.third_failure:
                verdict.find("third_failure", failures=failures)
        verdicts.append(verdict)
    if verdicts:
        # only a valid attempt changes how a stage stands; without one it stands as its last
        valid = [verdict for verdict in verdicts if verdict.outcome in DECIDED]
        (valid or verdicts)[-1].stands = True
    return verdicts


def _without_attempt(stage: Stage, case: JudgeContext) -> StageVerdict:
    limit = case.limits.get(stage)
    no_rule = stage in LIMITED_STAGES and limit is None
    verdict = StageVerdict(stage, 0, "no_rule" if no_rule else "not_done", limit, stands=True)
    if limit is not None:
        verdict.bounds = apply_bounds(limit, case.unit, cut_out_psi(case, None))
    if kind_of(stage) == "warning" and case.state.lamp_checks and not no_rule:
        verdict.find("lamp_check_only")
    return verdict


def _attempt_verdict(stage: Stage, attempt: Attempt, earlier: list[Attempt], case: JudgeContext) -> StageVerdict:
    """One attempt, in the order of decision: no rule, void by state or retest, then what the stage's own judge says."""
    verdict = StageVerdict(stage, attempt.number, "not_done")
    kind = kind_of(stage)
    if stage in UNLIMITED_STAGES:
        (judge_rolling if kind == "roll" else judge_hold)(verdict, attempt, case)
        return verdict
    limit = verdict.limit = case.limits[stage]
    if limit is not None:
        verdict.bounds = apply_bounds(limit, case.unit, _cut_out_for(limit, stage, attempt, case))
    # findings are told whatever the outcome, so everything is looked at before the order of decision is applied
    _MEASURE_AND_JUDGE[kind](verdict, attempt, case)
    wrong = _STATE[kind](verdict, attempt, case) if kind in _STATE else []
    if stage in REFILLED_STAGES and retest_needs_refill(attempt, earlier):
        wrong.append("retest_without_refill")
    for code in wrong:
        verdict.void(code)
    if limit is None:
        verdict.outcome = "no_rule"
    if kind == "warning" and not attempt.marks and case.state.lamp_checks:
        verdict.find("lamp_check_only")
    if verdict.outcome not in DECIDED:
        verdict.withdraw_comparison()
    return verdict


def _cut_out_for(limit: Limit, stage: Stage, attempt: Attempt, case: JudgeContext) -> float | None:
    """ "The cut-out" for a bound that is a share of it; None for limits without one."""
    if not limit.capped:
        return None
    mark = deciding_warning(attempt) if kind_of(stage) == "warning" else None
    return cut_out_psi(case, mark.context if mark else None)


def _leak(verdict: StageVerdict, attempt: Attempt, case: JudgeContext) -> None:
    measure_leak(verdict, attempt, case)
    judge_leak(verdict, attempt, verdict.limit, case)


def _governor(verdict: StageVerdict, attempt: Attempt, case: JudgeContext) -> None:
    measure_governor(verdict, attempt, case)
    judge_governor(verdict, attempt, verdict.limit, case)


def _build_up(verdict: StageVerdict, attempt: Attempt, case: JudgeContext) -> None:
    climbs = measure_build_up(verdict, attempt, verdict.limit.window_psi if verdict.limit else None, case)
    judge_build_up(verdict, climbs, verdict.limit, case)


def _warning(verdict: StageVerdict, attempt: Attempt, case: JudgeContext) -> None:
    measure_warning(verdict, attempt, case)
    judge_warning(verdict, attempt, case)


def _knobs(verdict: StageVerdict, attempt: Attempt, case: JudgeContext) -> None:
    measure_knobs(verdict, attempt, case)
    judge_knobs(verdict, attempt, case)


_MEASURE_AND_JUDGE: dict[StepKind, Callable[[StageVerdict, Attempt, JudgeContext], None]] = {
    "climb": _build_up,
    "governor": _governor,
    "hold": _leak,
    "warning": _warning,
    "knobs": _knobs,
}
_STATE: dict[StepKind, Callable[[StageVerdict, Attempt, JudgeContext], list[str]]] = {
    "hold": leak_state,
    "warning": warning_state,
    "knobs": knobs_state,
}


def overall_of(stages: Sequence[StageVerdict], required: Sequence[Stage]) -> Overall:
    """The run's outcome from how its stages stand."""
    standing = {verdict.stage: verdict.outcome for verdict in stages if verdict.stands}
    if "fail" in standing.values():
        return "fail"
    all_passed = all(standing.get(stage) in ("pass", "no_rule") for stage in required)
    if all_passed and any(outcome == "pass" and stage in LIMITED_STAGES for stage, outcome in standing.items()):
        return "pass"
    return "incomplete"

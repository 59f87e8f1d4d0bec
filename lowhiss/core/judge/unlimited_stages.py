"""Stages without a limit in any rule set: refilled, held, stopped straight."""

from __future__ import annotations

from lowhiss.core.judge.common import JudgeContext
from lowhiss.core.judge.model import StageVerdict
from lowhiss.core.run import Attempt, RunState, counted_psi, lower_psi
from lowhiss.core.stages import stages_of

(_KNOBS,), (_REFILL,) = stages_of("knobs"), stages_of("refill")


def judge_hold(verdict: StageVerdict, attempt: Attempt, case: JudgeContext) -> None:
    """Passes when it did not move; too little air before it is named."""
    if not attempt.marks:
        return
    mark = attempt.marks[-1]
    verdict.measured = {"moved": mark.event.moved}
    verdict.outcome = "fail" if mark.event.moved else "pass"
    psi = lower_psi(mark.event, case.state.policy)
    psi = mark.context.last_reading_psi if psi is None else psi
    if psi is not None and psi < case.judging.hold_test_psi:
        verdict.find("low_pressure_hold_test", reading_psi=psi, wanted_psi=case.judging.hold_test_psi)


def judge_rolling(verdict: StageVerdict, attempt: Attempt, case: JudgeContext) -> None:
    """Passes when it stopped and did not pull."""
    if not attempt.marks:
        return
    event = attempt.marks[-1].event
    verdict.measured = {"stopped": event.stopped, "pulled": event.pulled}
    verdict.outcome = "pass" if event.stopped and not event.pulled else "fail"
    if event.speed_mph is not None:
        verdict.measured["speed_mph"] = event.speed_mph
        if event.speed_mph > case.judging.rolling_mph:
            verdict.find("too_fast", speed_mph=event.speed_mph, walking_mph=case.judging.rolling_mph)


def last_sprung(state: RunState) -> int | None:
    """Where in the run the last knob popped; a cut-out read after it is the refill. None when none has."""
    marks = [mark for attempt in state.attempts.get(_KNOBS, []) for mark in attempt.marks]
    return marks[-1].context.position if marks else None


def rebuild_verdict(case: JudgeContext) -> StageVerdict:
    """Passes when a cut-out was read after the spring-brake stage."""
    sprung = last_sprung(case.state)
    verdict = StageVerdict(_REFILL, 0, "not_done", stands=True)
    if sprung is None:
        return verdict
    refilled = [
        mark
        for mark in case.state.cut_outs
        if mark.context.position > sprung and counted_psi(mark.event, case.state.policy)
    ]
    if refilled:
        verdict.attempt, verdict.outcome = 1, "pass"
        verdict.measured = {"psi": lower_psi(refilled[-1].event, case.state.policy)}
    return verdict

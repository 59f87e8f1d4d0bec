"""The two stages reached by fanning the pedal: the low-air warning and the spring-brake knobs."""

from __future__ import annotations

from lowhiss.core.judge.common import (
    JudgeContext,
    compare,
    cut_in_psi,
    decide,
    knob_states,
    late_and_disagreeing,
    needle_psi,
    reading_uncertainty_of,
    single_gauge,
    unrecorded,
)
from lowhiss.core.judge.model import StageVerdict
from lowhiss.core.run import Attempt, Mark, higher_psi, lower_psi

_MISSING = {"lamp": "lamp_missing", "buzzer": "buzzer_missing"}


def deciding_warning(attempt: Attempt) -> Mark | None:
    """The mark at which lamp and buzzer were both on: the later of the two; one never mentioned counts as on."""
    if not attempt.marks:
        return None
    later = attempt.marks[0]
    for part in ("lamp", "buzzer"):
        on = next((mark for mark in attempt.marks if getattr(mark.event, part)), None)
        if on is not None and on.context.position > later.context.position:
            later = on
    return later


def measure_warning(verdict: StageVerdict, attempt: Attempt, case: JudgeContext) -> None:
    """The reading at which the warning was complete, and whether it came early."""
    mark = deciding_warning(attempt)
    if mark is None:
        return
    psi = lower_psi(mark.event, case.state.policy)
    verdict.measured = {
        part: _present(attempt, part) for part in ("lamp", "buzzer") if _present(attempt, part) is not None
    }
    late_and_disagreeing(verdict, [m.event for m in attempt.marks], case)
    if psi is None:
        return
    verdict.measured["psi"] = psi
    single_gauge(verdict, _needles_read(mark, case), case)
    cut_in = cut_in_psi(case, mark.context)
    if psi >= cut_in or psi > case.judging.early_warning_psi:
        verdict.find("early_warning", reading_psi=psi, cut_in_psi=cut_in)


def warning_state(verdict: StageVerdict, attempt: Attempt, _: JudgeContext) -> list[str]:
    """What makes it void: the engine ran, the key was off."""
    missing = [name for name in ("engine", "key") if any(getattr(m.context, name) is None for m in attempt.marks)]
    missing += [part for part in ("lamp", "buzzer") if attempt.marks and _present(attempt, part) is None]
    unrecorded(verdict, missing)
    wrong = []
    if any(mark.context.engine == "running" for mark in attempt.marks):
        wrong.append("engine_running")
    if any(mark.context.key == "off" for mark in attempt.marks):
        wrong.append("key_off")
    return wrong


def judge_warning(verdict: StageVerdict, attempt: Attempt, case: JudgeContext) -> None:
    """A missing lamp or buzzer fails before any number is looked at; then the lower needle against the limit."""
    absent = [part for part in ("lamp", "buzzer") if _present(attempt, part) is False]
    for part in absent:
        verdict.find(_MISSING[part])
    if absent:
        verdict.outcome = "fail"
        return
    psi = verdict.measured.get("psi")
    if psi is None:
        if attempt.marks:
            verdict.find("no_number")
        return
    if verdict.bounds:
        compared = compare(psi, verdict.bounds)
        decide(verdict, compared, reading_uncertainty_of(compared.bound, case), case.rules)


def _present(attempt: Attempt, part: str) -> bool | None:
    """True when seen or heard at any mark, False when only said to be absent, None when never mentioned."""
    said = [getattr(mark.event, part) for mark in attempt.marks]
    return True if True in said else False if False in said else None


def _needles_read(mark: Mark, case: JudgeContext) -> int:
    return sum(needle_psi(mark.event, needle) is not None for needle in case.needles)


# spring brakes


def _pops(attempt: Attempt) -> dict[str, Mark]:
    """Each knob's first move by itself; a knob pushed in again proves nothing new."""
    pops: dict[str, Mark] = {}
    for mark in attempt.marks:
        if mark.event.cause == "popped":
            pops.setdefault(mark.event.knob or "tractor", mark)
    return pops


def measure_knobs(verdict: StageVerdict, attempt: Attempt, case: JudgeContext) -> None:
    """Each knob's pressure: the higher needle, for the higher circuit holds the knobs."""
    pops = _pops(attempt)
    read = {knob: psi for knob, mark in pops.items() if (psi := higher_psi(mark.event, case.state.policy)) is not None}
    verdict.measured = {"knobs": {knob: {"psi": psi} for knob, psi in read.items()}} if read else {}
    late_and_disagreeing(verdict, [mark.event for mark in attempt.marks], case)
    if read:
        single_gauge(verdict, min(_needles_read(pops[knob], case) for knob in read), case)


def knobs_state(verdict: StageVerdict, attempt: Attempt, case: JudgeContext) -> list[str]:
    """What makes it void: the engine ran, or a knob was not in to begin with."""
    missing: list[str] = []
    wrong: list[str] = []
    popped: set[str] = set()
    for mark in attempt.marks:
        if mark.context.engine is None and "engine" not in missing:
            missing.append("engine")
        if mark.context.engine == "running":
            wrong.append("engine_running")
        for knob, state in knob_states(mark.context, case.unit).items():
            if state is None and f"{knob}_knob" not in missing and knob not in popped:
                missing.append(f"{knob}_knob")
            elif state == "out" and knob not in popped:
                wrong.append("knobs_not_released")
        popped.add(mark.event.knob or "tractor")
    unrecorded(verdict, missing)
    return wrong


def judge_knobs(verdict: StageVerdict, attempt: Attempt, case: JudgeContext) -> None:
    """Every knob inside its window, by itself; one outside fails, unless a hand had been at the knobs before."""
    pops = _pops(attempt)
    read = {knob: values["psi"] for knob, values in verdict.measured.get("knobs", {}).items()}
    compared = {knob: compare(psi, verdict.bounds) for knob, psi in read.items()} if verdict.bounds else {}
    by_hand = next((mark.context.position for mark in attempt.marks if mark.event.cause == "hand"), None)
    if pops and not read:
        verdict.find("no_number")
    elif pops and len(read) < len(case.unit.knobs):
        verdict.find("second_knob_missing")
    if by_hand is not None:
        verdict.find("knob_by_hand")
        compared = {knob: value for knob, value in compared.items() if pops[knob].context.position < by_hand}
    outside = any(not value.within for value in compared.values())
    if by_hand is not None and not outside:
        verdict.outcome = "void"
        return
    if compared and (outside or len(read) == len(case.unit.knobs)):
        knob = min(compared, key=lambda knob: (compared[knob].within, compared[knob].margin))
        verdict.measured |= {"psi": read[knob], "knob": knob}
        decide(verdict, compared[knob], reading_uncertainty_of(compared[knob].bound, case), case.rules)

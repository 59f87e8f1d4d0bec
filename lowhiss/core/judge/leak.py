"""The two leak-down stages: brakes released, and a full application held."""

from __future__ import annotations

import datetime as dt

from lowhiss.core.judge.common import (
    Case,
    compare,
    decide,
    knob_states,
    late_and_disagreeing,
    needle_psi,
    single_gauge,
    unrecorded,
)
from lowhiss.core.judge.model import StageVerdict
from lowhiss.core.record import Event
from lowhiss.core.rules import Limit
from lowhiss.core.run import Attempt, Mark
from lowhiss.core.uncertainty import drop_uncertainty
from lowhiss.core.vehicle import Needle

_EPSILON = 1e-9
"""Keeps times that are exact in decimal (60.5 s) on the right side in binary."""


def hold_marks(attempt: Attempt) -> tuple[Mark | None, Mark | None]:
    """The start and end marks of a hold; an end before the last start belongs to nothing."""
    start, end = attempt.last("start"), attempt.last("end")
    if end is not None and (start is None or end.context.position < start.context.position):
        end = None
    return start, end


def measure_leak(verdict: StageVerdict, attempt: Attempt, case: Case) -> None:
    """The loss on every needle that counts, the time it took and the wait before it."""
    start, end = hold_marks(attempt)
    if start is None:
        return
    if start.context.last_move_at_s is not None:
        verdict.measured["wait_s"] = round(start.event.at_s - start.context.last_move_at_s, 6)
    events = [start.event] if end is None else [start.event, end.event]
    late_and_disagreeing(verdict, events, case)
    if end is None:
        return
    verdict.measured["duration_s"] = duration_s = round(end.event.at_s - start.event.at_s, 6)
    read: dict[Needle, tuple[float, float]] = {}
    for needle in case.needles:
        first, last = needle_psi(start.event, needle), needle_psi(end.event, needle)
        if first is not None and last is not None:
            read[needle] = (first, last)
    if not read:
        return
    single_gauge(verdict, len(read), case)
    verdict.measured["needles"] = {name: {"start_psi": first, "end_psi": last} for name, (first, last) in read.items()}
    worst = max(read, key=lambda needle: read[needle][0] - read[needle][1])
    loss = max(round(read[worst][0] - read[worst][1], 1), 0.0)
    verdict.measured |= {
        "needle": worst,
        "start_psi": read[worst][0],
        "end_psi": read[worst][1],
        "drop_psi": loss,
    }
    if duration_s > 0:
        verdict.measured["rate_psi_per_min"] = round(loss / duration_s * 60, 2)


def leak_state(verdict: StageVerdict, attempt: Attempt, case: Case) -> None:
    """Engine off, key on, every knob in, pedal as the stage wants it, from the start mark until the end mark."""
    start, end = hold_marks(attempt)
    if start is None:
        return
    applied = verdict.stage == "leak_applied"
    context, missing = start.context, []
    wrong: list[str] = []
    if context.engine is None:
        missing.append("engine")
    elif context.engine == "running":
        wrong.append("engine_running")
    if context.key is None:
        missing.append("key")
    elif context.key == "off":
        verdict.find("key_off")
    for knob, state in knob_states(context, case.unit).items():
        if state is None:
            missing.append(f"{knob}_knob")
        elif state == "out":
            wrong.append("knobs_not_released")
    if context.pedal is None:
        missing.append("pedal")
    elif (context.pedal == "full") != applied:
        wrong.append("pedal_not_full" if applied else "pedal_down")
    for change in attempt.changes:
        # a change of state at the very end of a hold does not spoil it
        if end is not None and change.at_s >= end.event.at_s:
            break
        if change.type == "engine" and change.state == "running":
            wrong.append("engine_running")
        elif change.type == "key" and change.state == "off":
            verdict.find("key_off")
        elif change.type == "knob" and change.state == "out":
            wrong.append("knobs_not_released")
        elif change.type == "pedal" and (change.state == "full") != applied:
            wrong.append("pedal_not_full" if applied else "pedal_down")
    unrecorded(verdict, missing)
    for code in wrong:
        verdict.void(code)


def judge_leak(verdict: StageVerdict, attempt: Attempt, limit: Limit, case: Case) -> None:
    """The charge, a needle that rose, then the loss against the limit, and what the wait says about it."""
    start, end = hold_marks(attempt)
    needles = verdict.measured.get("needles")
    if start is None or end is None or not needles:
        if attempt.marks:
            verdict.find("no_number")
        return
    if not start.context.fresh_cut_out:
        verdict.find("no_fresh_cut_out")
    charge = min(psi for needle in case.needles if (psi := needle_psi(start.event, needle)) is not None)
    if charge < case.judging.charged_psi:
        verdict.void("not_charged", start_psi=charge, needed_psi=case.judging.charged_psi)
        return
    rose = max(round(read["end_psi"] - read["start_psi"], 1) for read in needles.values())
    if rose > case.judging.needle_rose_psi:
        verdict.void("end_above_start", rose_psi=rose)
        return
    if rose > 0:
        verdict.find("needle_rose", rose_psi=rose)
    _against_limit(verdict, verdict.measured["drop_psi"], verdict.measured["duration_s"], limit, case)
    if verdict.outcome in ("pass", "fail"):
        _about_the_wait(verdict, start, case)
        _about_the_clock(verdict, start.event, end.event, case)


def _against_limit(verdict: StageVerdict, loss: float, duration_s: float, limit: Limit, case: Case) -> None:
    hold_s = limit.hold_s or 0.0
    short_s = hold_s - duration_s
    uncertainty = drop_uncertainty(case.state.run.resolution_psi)
    judged = loss
    if short_s > case.judging.hold_short_s + _EPSILON and compare(loss, verdict.bounds).within:
        verdict.void("hold_short", short_s=round(short_s, 6), hold_s=hold_s)
        return
    if -short_s > case.judging.hold_over_s + _EPSILON:
        scale = hold_s / duration_s
        judged, uncertainty = loss * scale, uncertainty * scale
        verdict.measured["normalised_psi"] = round(judged, 6)
        verdict.find("hold_over", over_s=round(-short_s, 6), hold_s=hold_s)
    decide(verdict, compare(judged, verdict.bounds), uncertainty, case.rules)


def _about_the_wait(verdict: StageVerdict, start: Mark, case: Case) -> None:
    """What the wait before the clock says about the result: the first drop inside, settling unseen, tanks cold."""
    wait_s = verdict.measured.get("wait_s")
    if wait_s is None:
        return
    if wait_s < case.judging.clock_before_settle_s:
        if verdict.outcome == "fail":
            verdict.margin = verdict.uncertainty = None
            verdict.close_call = False
            verdict.void("clock_before_settle", wait_s=wait_s)
            return
        verdict.find("clock_before_settle", wait_s=wait_s)
    if not start.context.settled:
        verdict.find("settle_not_recorded")
    if wait_s < case.judging.short_wait_s and abs(verdict.margin or 0.0) < case.judging.short_wait_margin_psi:
        verdict.find("short_wait", wait_s=wait_s, advised_s=case.judging.short_wait_s)


def _about_the_clock(verdict: StageVerdict, start: Event, end: Event, case: Case) -> None:
    """The device's wall clock against its monotonic one over the hold, where both marks carry both."""
    if start.device != end.device or start.epoch != end.epoch:
        return
    first, last = _wall_s(start.wall), _wall_s(end.wall)
    if first is None or last is None:
        return
    disagree_s = abs((last - first) - (end.at_s - start.at_s))
    if disagree_s > case.judging.clock_disagree_s + _EPSILON:
        verdict.find("clock_uncertain", disagree_s=round(disagree_s, 3))


def _wall_s(wall: str | float | None) -> float | None:
    if wall is None or isinstance(wall, float | int):
        return wall
    try:
        return dt.datetime.fromisoformat(wall).timestamp()
    except ValueError:
        return None

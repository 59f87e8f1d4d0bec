"""The two leak-down stages: brakes released, and a full application held."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping

from lowhiss.core.judge.common import (
    JudgeContext,
    compare,
    decide,
    late_and_disagreeing,
    needle_psi,
    single_gauge,
    unrecorded,
)
from lowhiss.core.judge.model import StageVerdict
from lowhiss.core.record import Event
from lowhiss.core.rules import Limit
from lowhiss.core.run import Attempt, Context, Mark
from lowhiss.core.stages import STEP_TABLE
from lowhiss.core.stages.model import State
from lowhiss.core.uncertainty import drop_uncertainty
from lowhiss.core.vehicle import Knob, Needle

_EPSILON = 1e-9
"""Keeps times that are exact in decimal (60.5 s) on the right side in binary."""


def measure_leak(verdict: StageVerdict, attempt: Attempt, case: JudgeContext) -> None:
    """The loss on every needle that counts, the time it took and the wait before it."""
    start, end = attempt.hold
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


def leak_state(verdict: StageVerdict, attempt: Attempt, case: JudgeContext) -> list[str]:
    """What was wrong from the start mark until the end mark: engine off, knobs in, pedal as the stage wants it.

    Without an end only the start counts; a key that was off is no more than a finding.
    """
    start, end = attempt.hold
    if start is None:
        return []
    faults = _Faults(STEP_TABLE[verdict.stage].states, case.unit.knobs)
    for state, value in faults.states_of(start.context).items():
        faults.at_start(state, value)
    for change in attempt.changes:
        # a change of state at the very end of a hold does not spoil it
        if end is not None and change.at_s >= end.event.at_s:
            break
        faults.later(change, ended=end is not None)
    if faults.key_off:
        verdict.find("key_off")
    unrecorded(verdict, faults.unknown)
    return faults.wrong


class _Faults:
    """The states of a hold, looked at one by one; used once and thrown away."""

    def __init__(self, wanted: Mapping[State, str], knobs: tuple[Knob, ...]) -> None:
        self.wanted = wanted
        self.knobs = knobs
        self.unknown: list[str] = []
        self.wrong: list[str] = []
        self.key_off = False

    def states_of(self, context: Context) -> dict[str, str | None]:
        """Each state that the stage depends on, None where it was never recorded."""
        knobs = {f"{knob}_knob": context.tractor if knob == "tractor" else context.trailer for knob in self.knobs}
        return {"engine": context.engine, "key": context.key, **knobs, "pedal": context.pedal}

    def at_start(self, state: str, value: str | None) -> None:
        """How a state was when the clock started."""
        if value is None:
            self.unknown.append(state)
        elif not self.is_right(state, value):
            self.add(state)

    def later(self, change: Event, *, ended: bool) -> None:
        """A state recorded while the clock ran: one that never was before had been wrong until then."""
        state = f"{change.knob}_knob" if change.type == "knob" else change.type
        right = self.is_right(state, change.state or "")
        if state in self.unknown:
            if right or ended:
                self.unknown.remove(state)
                self.add(state)
        elif ended and not right:
            self.add(state)

    def is_right(self, state: str, value: str) -> bool:
        """Whether a state is as the stage wants it; a knob that this unit does not have cannot be wrong."""
        wanted: dict[str, str] = {name: state for name, state in self.wanted.items() if name != "knobs"}
        wanted |= {f"{knob}_knob": self.wanted["knobs"] for knob in self.knobs}
        return value == wanted.get(state, value)

    def add(self, state: str) -> None:
        """This state was wrong."""
        if state == "key":
            self.key_off = True
        elif state == "pedal":
            self.wrong.append("pedal_not_full" if self.wanted["pedal"] == "full" else "pedal_down")
        else:
            self.wrong.append("engine_running" if state == "engine" else "knobs_not_released")


def judge_leak(verdict: StageVerdict, attempt: Attempt, limit: Limit | None, case: JudgeContext) -> None:
    """The charge, a needle that rose, then the loss against the limit, and what the wait says about it.

    Without a limit only what can be told of the hold by itself is found.
    """
    start, end = attempt.hold
    needles = verdict.measured.get("needles")
    if start is not None and not start.context.fresh_cut_out:
        verdict.find("no_fresh_cut_out")
    if start is None or end is None or not needles:
        if attempt.marks:
            verdict.find("no_number")
        return
    _against_limit(verdict, verdict.measured["drop_psi"], verdict.measured["duration_s"], limit, case)
    charge = min(psi for needle in case.needles if (psi := needle_psi(start.event, needle)) is not None)
    rose = max(round(read["end_psi"] - read["start_psi"], 1) for read in needles.values())
    if rose > case.judging.needle_rose_psi:
        verdict.void("end_above_start", rose_psi=rose)
    elif rose > 0:
        verdict.find("needle_rose", rose_psi=rose)
    if charge < case.judging.charged_psi:
        verdict.void("not_charged", start_psi=charge, needed_psi=case.judging.charged_psi)
    _about_the_wait(verdict, start, case)
    _about_the_clock(verdict, start.event, end.event, case)


def _against_limit(
    verdict: StageVerdict, loss: float, duration_s: float, limit: Limit | None, case: JudgeContext
) -> None:
    if limit is None:
        return
    hold_s = limit.hold_s or 0.0
    short_s = hold_s - duration_s
    uncertainty = drop_uncertainty(case.state.run.resolution_psi)
    judged = loss
    if short_s > case.judging.hold_short_s + _EPSILON:
        verdict.find("hold_short", short_s=round(short_s, 6), hold_s=hold_s)
        if compare(loss, verdict.bounds).within:
            verdict.outcome = "void"
            return
    if -short_s > case.judging.hold_over_s + _EPSILON:
        scale = hold_s / duration_s
        judged, uncertainty = loss * scale, uncertainty * scale
        verdict.measured["normalised_psi"] = round(judged, 6)
        verdict.find("hold_over", over_s=round(-short_s, 6), hold_s=hold_s)
    decide(verdict, compare(judged, verdict.bounds), uncertainty, case.rules)


def _about_the_wait(verdict: StageVerdict, start: Mark, case: JudgeContext) -> None:
    """What the wait before the clock says about the result: the first drop inside, settling unseen, tanks cold."""
    wait_s = verdict.measured.get("wait_s")
    if wait_s is None:
        return
    if wait_s < case.judging.clock_before_settle_s:
        verdict.find("clock_before_settle", wait_s=wait_s)
        if verdict.outcome == "fail":
            verdict.outcome = "void"
    if not start.context.settled:
        verdict.find("settle_not_recorded")
    close = verdict.margin is not None and abs(verdict.margin) < case.judging.short_wait_margin_psi
    if wait_s < case.judging.short_wait_s and close:
        verdict.find("short_wait", wait_s=wait_s, advised_s=case.judging.short_wait_s)


def _about_the_clock(verdict: StageVerdict, start: Event, end: Event, case: JudgeContext) -> None:
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

"""Build-up: the time the needles take between two marks, by each needle's own two readings."""

from __future__ import annotations

from typing import NamedTuple

from lowhiss.core.calculators import build_time_s
from lowhiss.core.judge.common import JudgeContext, compare, decide, late_and_disagreeing, needle_psi, single_gauge
from lowhiss.core.judge.model import StageVerdict
from lowhiss.core.rules import Limit
from lowhiss.core.run import Attempt
from lowhiss.core.uncertainty import build_time_uncertainty_s
from lowhiss.core.vehicle import Needle


class Climb(NamedTuple):
    """One needle's way up: from ``lower_psi`` at 0 s to ``upper_psi`` at ``duration_s``."""

    lower_psi: float
    upper_psi: float
    duration_s: float

    def share_of(self, window: tuple[float, float]) -> float:
        """How much of the window the two readings cover, 0 to 1."""
        low, high = window
        return max(0.0, min(self.upper_psi, high) - max(self.lower_psi, low)) / (high - low)

    def time_over_s(self, window: tuple[float, float]) -> float:
        """The time over the window at the rate seen between the two readings [s]."""
        return build_time_s(self.lower_psi, self.upper_psi, self.duration_s, window)


def measure_build_up(
    verdict: StageVerdict, attempt: Attempt, window: tuple[float, float] | None, case: JudgeContext
) -> dict[Needle, Climb]:
    """Each counted needle's climb, from its last lower and its first upper reading."""
    climbs: dict[Needle, Climb] = {}
    for needle in case.needles:
        lowers = [
            (m.event.at_s, psi)
            for m in attempt.marks
            if m.event.point == "lower" and (psi := needle_psi(m.event, needle)) is not None
        ]
        uppers = [
            (m.event.at_s, psi)
            for m in attempt.marks
            if m.event.point == "upper" and (psi := needle_psi(m.event, needle)) is not None
        ]
        if not lowers or not uppers:
            continue
        lower_s, lower_psi = _nearest_below(lowers, window)
        upper_s, upper_psi = _nearest_above(uppers, window)
        climbs[needle] = Climb(lower_psi, upper_psi, round(upper_s - lower_s, 6))
    verdict.measured = {"needles": {needle: climb._asdict() for needle, climb in climbs.items()}}
    late_and_disagreeing(verdict, [mark.event for mark in attempt.marks], case)
    return climbs


def judge_build_up(verdict: StageVerdict, climbs: dict[Needle, Climb], limit: Limit | None, case: JudgeContext) -> None:
    """The slower needle's time over the window, against the limit."""
    if not climbs:
        verdict.find("no_number")
        return
    single_gauge(verdict, len(climbs), case)
    if limit is None:
        return
    window = limit.window_psi or (0.0, 1.0)
    enough = case.judging.window_covered_share - 1e-9
    covered = {needle: climb.share_of(window) for needle, climb in climbs.items()}
    through_psi = window[1] - case.judging.through_mark_psi - 1e-9
    counted = {
        needle: climb
        for needle, climb in climbs.items()
        # a needle that began high and is through leaves the other to be timed
        if covered[needle] >= enough or climb.lower_psi <= window[0] or climb.upper_psi < through_psi
    }
    if not any(share >= enough for share in covered.values()):
        counted = climbs
    least = min(counted, key=lambda needle: covered[needle])
    if covered[least] < enough or any(climb.duration_s <= 0 for climb in counted.values()):
        verdict.void("window_too_short", lower_psi=climbs[least].lower_psi, upper_psi=climbs[least].upper_psi)
        return
    slowest = max(counted, key=lambda needle: counted[needle].time_over_s(window))
    climb = counted[slowest]
    time_s = round(climb.time_over_s(window), 6)
    verdict.measured |= {
        "needle": slowest,
        "time_s": round(time_s, 2),
        "duration_s": climb.duration_s,
        "start_psi": climb.lower_psi,
        "end_psi": climb.upper_psi,
    }
    span_psi = climb.upper_psi - climb.lower_psi
    uncertainty = build_time_uncertainty_s(
        case.state.run.resolution_psi, span_psi, climb.duration_s, window[1] - window[0], case.judging.reaction_s
    )
    decide(verdict, compare(time_s, verdict.bounds), uncertainty, case.rules)


def _nearest_below(readings: list[tuple[float, float]], window: tuple[float, float] | None) -> tuple[float, float]:
    """The last reading not yet past the window's lower mark, else the first one."""
    below = [reading for reading in readings if window is None or reading[1] <= window[0]]
    return below[-1] if below else readings[0]


def _nearest_above(readings: list[tuple[float, float]], window: tuple[float, float] | None) -> tuple[float, float]:
    """The first reading at or past the window's upper mark, else the last one."""
    above = [reading for reading in readings if window is None or reading[1] >= window[1]]
    return above[0] if above else readings[-1]

"""Where to look first: hints for the mechanic from the differences between holds. Never a repair, never a verdict."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

from lowhiss.core.calculators import application_drop_psi
from lowhiss.core.judge.common import needle_psi
from lowhiss.core.judge.model import RunVerdict
from lowhiss.core.run import RunState, counted_psi
from lowhiss.core.stages import FILL_STAGE, kind_of, pedal_held, stages_of
from lowhiss.core.vehicle import Needle

_HOLDS = stages_of("hold")
_PEDAL_UP, _PEDAL_HELD = (next(s for s in _HOLDS if pedal_held(s) is held) for held in (False, True))


@dataclass(frozen=True, slots=True)
class HintLimits:
    """When a difference is worth a hint; their meaning stands in ``hints.toml``."""

    worse_psi_per_min: float
    still_psi_per_min: float
    one_needle_psi_per_min: float
    slow_build_share: float
    more_drop_share: float
    bad_leak_tests: float


class Hint(NamedTuple):
    """A place to look first; worded elsewhere from ``code`` and ``params``."""

    code: str
    params: dict[str, Any]


class Hold(NamedTuple):
    """One hold that was read at both ends, whatever it was judged.

    rates : the loss on each needle [psi/min].  tractor, trailer : whether that knob was in; None where unknown.
    """

    stage: str
    rates: dict[Needle, float]
    tractor: bool | None
    trailer: bool | None

    @property
    def worst_psi_per_min(self) -> float:
        """The greater of the needles' rates."""
        return max(self.rates.values())


def holds_of(state: RunState) -> list[Hold]:
    """Every hold of the run with both ends read, in order within its stage."""
    holds = []
    for stage in _HOLDS:
        for attempt in state.attempts.get(stage, []):
            start, end = attempt.hold
            if start is None or end is None or end.event.at_s <= start.event.at_s:
                continue
            minutes = (end.event.at_s - start.event.at_s) / 60
            rates: dict[Needle, float] = {}
            for needle in state.run.unit.needles:
                first, last = needle_psi(start.event, needle), needle_psi(end.event, needle)
                if first is not None and last is not None:
                    rates[needle] = (first - last) / minutes
            if rates:
                knobs = (start.context.tractor, start.context.trailer)
                holds.append(Hold(stage, rates, *(None if knob is None else knob == "in" for knob in knobs)))
    return holds


def hunt(verdicts: Sequence[RunVerdict], limits: HintLimits, required_ratio: float) -> list[Hint]:
    """Hints from one run or several of the same unit, each code once.

    required_ratio : reservoir ÷ chamber volume that a power unit must have, for the drop of one application.
    """
    holds = [hold for verdict in verdicts for hold in holds_of(verdict.state)]
    found = [
        *_by_stage(holds, limits),
        *_by_knob(holds, limits),
        *_by_needle(holds, limits),
        *(hint for verdict in verdicts for hint in _by_pressure(verdict, holds, limits, required_ratio)),
        *_by_count(verdicts, limits),
    ]
    return list({hint.code: hint for hint in reversed(found)}.values())[::-1]


def _with_knobs_in(holds: list[Hold], stage: str) -> list[Hold]:
    return [hold for hold in holds if hold.stage == stage and hold.tractor is not False and hold.trailer is not False]


def _worst(holds: list[Hold]) -> float:
    return max(hold.worst_psi_per_min for hold in holds)


def _by_stage(holds: list[Hold], limits: HintLimits) -> list[Hint]:
    released, applied = (_with_knobs_in(holds, stage) for stage in (_PEDAL_UP, _PEDAL_HELD))
    if not released or not applied or _worst(applied) - _worst(released) < limits.worse_psi_per_min:
        return []
    return [
        Hint(
            "downstream_of_foot_valve",
            {"applied_psi_per_min": _worst(applied), "released_psi_per_min": _worst(released)},
        )
    ]


def _by_knob(holds: list[Hold], limits: HintLimits) -> list[Hint]:
    """A loss with every knob in that is gone with one of them out."""
    hints = []
    for stage in _HOLDS:
        leaking = _with_knobs_in(holds, stage)
        for code, still in (
            ("trailer_side", [h for h in holds if h.stage == stage and h.trailer is False and h.tractor is not False]),
            ("spring_brake_side", [h for h in holds if h.stage == stage and h.tractor is False]),
        ):
            if not leaking or not still:
                continue
            gone = _worst(still) <= limits.still_psi_per_min
            if gone and _worst(leaking) - _worst(still) >= limits.worse_psi_per_min:
                hints.append(Hint(code, {"in_psi_per_min": _worst(leaking), "out_psi_per_min": _worst(still)}))
    return hints


def _by_needle(holds: list[Hold], limits: HintLimits) -> list[Hint]:
    for hold in holds:
        if len(hold.rates) == 2:
            falling = max(hold.rates, key=lambda needle: hold.rates[needle])
            other = min(hold.rates.values())
            if hold.rates[falling] - other >= limits.one_needle_psi_per_min and other <= limits.still_psi_per_min:
                code = "primary_circuit" if falling == "primary" else "secondary_circuit"
                return [Hint(code, {"falling_psi_per_min": hold.rates[falling], "other_psi_per_min": other})]
    return []


def _by_pressure(verdict: RunVerdict, holds: list[Hold], limits: HintLimits, required_ratio: float) -> list[Hint]:
    hints = []
    tight = bool(holds) and _worst(holds) <= limits.still_psi_per_min
    for stage in verdict.stages:
        if kind_of(stage.stage) == "climb" and "time_s" in stage.measured and stage.bounds and tight:
            most_s = min(bound.value for bound in stage.bounds)
            if stage.measured["time_s"] > limits.slow_build_share * most_s:
                hints.append(Hint("compressor", {"time_s": stage.measured["time_s"]}))
        if stage.stage == FILL_STAGE and any(finding.code == "gauges_disagree" for finding in stage.findings):
            hints.append(Hint("gauge_or_check_valve", {}))
    drop = _application(verdict.state)
    if drop is not None:
        before, fell = drop
        expected = application_drop_psi(before, required_ratio)
        if fell > limits.more_drop_share * expected:
            hints.append(Hint("water_in_tanks", {"drop_psi": fell, "expected_drop_psi": expected}))
    return hints


def _application(state: RunState) -> tuple[float, float] | None:
    """The pressure before a full application and what it took: from the end of one hold to the start of the next."""
    released = [m for a in state.attempts.get(_PEDAL_UP, []) if (m := a.hold[1]) is not None]
    applied = [m for a in state.attempts.get(_PEDAL_HELD, []) if (m := a.hold[0]) is not None]
    for before in released:
        for after in applied:
            strokes = [
                event
                for event in state.events
                if event.type == "pedal"
                and event.state == "full"
                and before.event.at_s <= event.at_s <= after.event.at_s
            ]
            first, second = counted_psi(before.event, state.policy), counted_psi(after.event, state.policy)
            if len(strokes) == 1 and first and second:
                return min(first), min(first) - min(second)
    return None


def _by_count(verdicts: Sequence[RunVerdict], limits: HintLimits) -> list[Hint]:
    bad = sum(stage.stage in _HOLDS and stage.outcome == "fail" for verdict in verdicts for stage in verdict.stages)
    return [Hint("drain_and_couplings", {"failures": bad})] if bad >= limits.bad_leak_tests else []

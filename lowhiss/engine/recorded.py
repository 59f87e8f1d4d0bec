"""A recording judged: the same judge over the stages that were found, at every end of what their numbers leave open."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from lowhiss import rulebook
from lowhiss.core.judge import RunVerdict
from lowhiss.core.procedure import Procedure
from lowhiss.core.record import HIGHEST_PSI, RUN_FORMAT, read_run
from lowhiss.core.rules import RuleSet
from lowhiss.core.stages import LIMITED_STAGES, STEP_TABLE, Stage
from lowhiss.core.vehicle import Unit
from lowhiss.engine.judge_record import judge_record, judged_by
from lowhiss.trace import Found, FoundStage, Recording, find_stages, put_where
from lowhiss.trace.bounds import Interval
from lowhiss.trace.candidates import FoundMark

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
    orders: Sequence[Procedure] | None = None,
) -> Recorded:
    """Find a test in a recording and judge it. Without an order of work the one that explains it best is taken.

    A stage whose interval lies inside its limit passes, outside it fails; one that is astride it is *not done*, with
    the finding ``astride_limit``. A hold of which the log doesn't tell whether the pedal was held, and a log without a
    test, are not judged.
    moved : by the place of a stage in the order, where a person put it [s].  orders : all that it may be, where none
    is named; the built-in ones. Raises CoreError.
    """
    orders = [procedure] if procedure is not None else _orders(unit, orders or rulebook.procedures())
    found = find_stages(recording, orders, rules, unit)
    if moved:
        found = put_where(recording, found, moved)
    record = record_of(found, rules, unit)
    return Recorded(found, record, judge_record(read_run(record), rules))


def _orders(unit: Unit, every: Sequence[Procedure]) -> Sequence[Procedure]:
    return [one for one in every if any(stage in LIMITED_STAGES for stage in one.stages(unit))]


def record_of(found: Found, rules: RuleSet, unit: Unit) -> dict[str, Any]:
    """The run record of what was found: marks without a person, each with the ends that it lies between."""
    stages = found.stages if found.is_test else ()
    told = [(stage, one) for place, (stage, one) in enumerate(stages) if place not in found.open]
    events = [event for stage, one in told if one is not None for event in _events(stage, one)]
    return {
        "format": RUN_FORMAT,
        "purpose": "rehearsal",
        **judged_by(rules, found.procedure, unit, max(found.step_psi, _FINEST_PSI)),
        "events": sorted(events, key=lambda one: one["at_s"]),
    }


def _events(stage: Stage, one: FoundStage) -> list[dict[str, Any]]:
    marked = STEP_TABLE[stage].marked_as or stage
    return [_event(marked, one, mark) for mark in one.marks]


def _event(stage: str, one: FoundStage, mark: FoundMark) -> dict[str, Any]:
    numbers = {f"{name}_psi": _ends(psi, HIGHEST_PSI, 2) for name, psi in mark.needles.items()}
    at_s = Interval(mark.at_s, mark.at_s, mark.at_s)
    if mark.point == "upper" and "time_s" in one.measured:
        time_s = one.measured["time_s"]
        at_s = Interval(one.from_s + time_s.value, one.from_s + time_s.low, one.from_s + time_s.high)
    known = {"at_s": _ends(at_s, math.inf, 3), **numbers}
    between = {name: [low, high] for name, (_, low, high) in known.items() if low < high}
    table: dict[str, Any] = {name: value for name, (value, _, _) in known.items()}
    table |= {"between": between} if between else {}
    if mark.point == "warning":
        return {**table, "type": "warning", "lamp": True, "buzzer": True}
    if mark.point in ("tractor", "trailer"):
        return {**table, "type": "knob", "knob": mark.point, "state": "out", "cause": "popped"}
    return {**table, "type": "reading", "stage": stage, "point": mark.point}


def _ends(one: Interval, highest: float, digits: int) -> tuple[float, float, float]:
    """The value and its two ends, as a record may hold them."""
    value, low, high = (round(min(max(end, 0.0), highest), digits) for end in (one.value, one.low, one.high))
    return value, min(low, value), max(high, value)


def found_table(found: Found) -> list[dict[str, Any]]:
    """What was found, stage by stage, as ``lowhiss trace --stages`` prints it."""
    return [
        {
            "stage": stage,
            "from_s": None if one is None else round(one.from_s, 2),
            "to_s": None if one is None else round(one.to_s, 2),
            "moved": place in found.moved,
            "open": place in found.open,
            "measured": {} if one is None else {name: figure.as_dict() for name, figure in one.measured.items()},
        }
        for place, (stage, one) in enumerate(found.stages)
    ]

"""The quantities that a unit's tests measure again and again, taken from kept figures of its runs."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any, NamedTuple

from lowhiss.core.judge import DECIDED
from lowhiss.core.rules import Limit, LimitUnit, RuleSet, apply_bounds
from lowhiss.core.stages import LIMITED_STAGES, STEP_TABLE, Stage, kind_of
from lowhiss.core.status.drift import Point, Window
from lowhiss.core.uncertainty import build_time_uncertainty_s, drop_uncertainty, reading_uncertainty
from lowhiss.core.vehicle import Knob, Unit

Measure = tuple[tuple[float, float] | None, float | None]
"""Over which window [psi] and which time [s] rules measure a quantity; None where neither has a say."""


class Quantity(NamedTuple):
    """One measured quantity of a unit; ``knob`` where each knob is one of its own."""

    stage: Stage
    knob: Knob | None = None

    @property
    def of_set(self) -> bool:
        """Whether it is the set's as coupled, and not the power unit's alone."""
        return STEP_TABLE[self.stage].accuses == "set" or self.knob == "trailer"


class TestedRun(NamedTuple):
    """A run that counts for the vehicle: when [days], its kept figures, the trailers it pulled in order, its rules."""

    run_id: str
    day: float
    figures: Mapping[str, Any]
    trailers: tuple[str, ...]
    rules: RuleSet


class Reading(NamedTuple):
    """What one run measured of a quantity. ``set`` : the trailers it pulled, in order.  over : as its rules measure."""

    run_id: str
    day: float
    value: float
    outcome: str
    set: tuple[str, ...]
    over: Measure


def quantities_of(unit: Unit) -> Iterator[Quantity]:
    """Every quantity that tests of this unit measure."""
    for stage in LIMITED_STAGES:
        if kind_of(stage) == "knobs":
            yield from (Quantity(stage, knob) for knob in unit.knobs)
        else:
            yield Quantity(stage)


def measured(quantity: Quantity, figures: Mapping[str, Any]) -> tuple[float, str] | None:
    """The value and the outcome in the kept figures of a run; None where it was not validly measured.

    Of a hold its loss over the rules' own time, of a build-up its time over the rules' own window.
    """
    stage = figures.get("stages", {}).get(quantity.stage)
    if stage is None or stage.get("outcome") not in DECIDED:
        return None
    kind = kind_of(quantity.stage)
    if kind == "knobs":
        value = stage.get("knobs", {}).get(quantity.knob, {}).get("psi")
    elif kind == "hold":
        value = stage.get("normalised_psi", stage.get("drop_psi"))
    else:
        value = stage.get("time_s" if kind == "climb" else "psi")
    return None if value is None else (float(value), str(stage["outcome"]))


def segment_of(quantity: Quantity, readings: Sequence[Reading], repaired_day: float | None = None) -> list[Point]:
    """The points since the last repair that touched the quantity and, where it is the set's, since that was changed."""
    kept: list[Point] = []
    for reading in reversed(readings):
        if quantity.of_set and reading.set != readings[-1].set:
            break
        if repaired_day is not None and reading.day < repaired_day:
            break
        kept.append(Point(reading.day, reading.value))
    return kept[::-1]


def window_of(quantity: Quantity, rules: RuleSet, unit: Unit, cut_out_psi: float | None) -> tuple[Limit | None, Window]:
    """The limit of a quantity for this unit, and what it must stay within; open where there is none."""
    limit = rules.limit_for(quantity.stage, unit)
    if limit is None:
        return None, Window(None, None)
    bounds = apply_bounds(limit, unit, cut_out_psi, cut_out_psi)
    floors = [bound.value for bound in bounds if bound.floor]
    ceilings = [bound.value for bound in bounds if not bound.floor]
    return limit, Window(max(floors, default=None), min(ceilings, default=None))


def error_of(quantity: Quantity, rules: RuleSet, limit: Limit | None, resolution_psi: float, value: float) -> float:
    """The expanded error of one reading of the quantity (k = 2), in its own unit."""
    kind = kind_of(quantity.stage)
    if kind == "hold":
        return drop_uncertainty(resolution_psi)
    if kind != "climb":
        return reading_uncertainty(resolution_psi)
    lower, upper = (limit.window_psi if limit else None) or (0.0, 1.0)
    span = upper - lower
    return build_time_uncertainty_s(resolution_psi, span, value, span, rules.judging.reaction_s)


def readings_of(quantity: Quantity, runs: Iterable[TestedRun], unit: Unit) -> list[Reading]:
    """What runs measured of a quantity of ``unit``, in order of time, each over its own rules' window and time."""
    found = []
    for run in runs:
        if (got := measured(quantity, run.figures)) is not None:
            over = _measure(run.rules.limit_for(quantity.stage, unit))
            found.append(Reading(run.run_id, run.day, *got, run.trailers, over))
    return found


def comparable(readings: Sequence[Reading], limit: Limit | None) -> list[Reading]:
    """Those measured as ``limit`` measures, without one as the latest was: 120 s lose more than 60 s."""
    over = _measure(limit) if limit or not readings else readings[-1].over
    return [reading for reading in readings if reading.over == over]


def unit_of_measure(quantity: Quantity) -> LimitUnit:
    """What a quantity is measured in: a build-up is a time, all else a pressure."""
    return "s" if kind_of(quantity.stage) == "climb" else "psi"


def _measure(limit: Limit | None) -> Measure:
    return (limit.window_psi, limit.hold_s) if limit else (None, None)

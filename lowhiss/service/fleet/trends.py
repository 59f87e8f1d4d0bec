"""How each measured quantity of a unit went from test to test, and whether it drifts."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from typing import get_args

from sqlalchemy import and_, select
from sqlalchemy.orm import Session

from lowhiss import rulebook
from lowhiss.core.record import COUNTING_PURPOSES
from lowhiss.core.rules import Limit, RuleSet, apply_bounds
from lowhiss.core.stages import FILL_STAGE, kind_of
from lowhiss.core.status import (
    Quantity,
    Reading,
    TestedRun,
    Trend,
    UnitPart,
    Window,
    comparable,
    error_of,
    quantities_of,
    readings_of,
    segment_of,
    trend_of,
    unit_of_measure,
    window_of,
)
from lowhiss.core.status.drift import State
from lowhiss.core.vehicle import Unit
from lowhiss.core.words import Words
from lowhiss.service.fleet.counted_runs import is_doubtful
from lowhiss.service.fleet.defects import folded_defects
from lowhiss.service.fleet.holds import acts_on, holds_ever_on
from lowhiss.service.fleet.rows import find_unit
from lowhiss.service.fleet.unit_rules import choose
from lowhiss.service.fleet.units import assembled
from lowhiss.service.rules.saved_rules import saved_rules
from lowhiss.store.engine import Store
from lowhiss.store.run_models import RunRow, VerdictRow

MAX_RUNS = 300
"""So many of a unit's latest tests are looked at: six years of weekly ones."""
_EPOCH = dt.datetime(2000, 1, 1, tzinfo=dt.UTC)


@dataclass(frozen=True, slots=True)
class UnitTrend:
    """One quantity of a unit: what was measured, when, against which limit, and how it goes on.

    text, limit_text : sentences for one reader.  points : readings in order of time, the last ``len(segment)`` of which
        the trend is taken from.  errors : of each reading, in the quantity's own unit.
    """

    quantity: Quantity
    unit: str
    readings: list[Reading]
    errors: list[float]
    segment: int
    window: Window
    limit_text: str
    trend: Trend
    text: str
    repairs: list[Repair]


@dataclass(frozen=True, slots=True)
class Repair:
    """A certified repair that touched a quantity: when, what was done, by whom."""

    at: dt.datetime
    did: str
    by: str


def trends_of(store: Store, unit_id: str, words: Words) -> list[UnitTrend]:
    """Each quantity that this unit's tests have measured, the drifting ones first. Raises NotFoundError."""
    with store.transaction() as session:
        row = find_unit(session, unit_id)
        listed = assembled(session, row)
        unit = listed.unit
        rules, _ = choose(session, listed.rules, None, unit)
        runs = _counted_runs(session, unit_id)
        resolution_psi = row.resolution_psi
        repairs = _repairs(session, unit_id)
    cut_outs = readings_of(Quantity(FILL_STAGE), runs, unit)
    cut_out_psi = cut_outs[-1].value if cut_outs else None
    trends = []
    for quantity in quantities_of(unit):
        limit, window = window_of(quantity, rules, unit, cut_out_psi)
        readings = comparable(readings_of(quantity, runs, unit), limit)
        if readings:
            touched = repairs.get(quantity.stage, [])
            trends.append(
                _trend(quantity, readings, touched, limit, window, rules, unit, resolution_psi, words, cut_out_psi)
            )
    return sorted(trends, key=_by_interest)


def readings_for(session: Session, unit_id: str, quantity: Quantity) -> tuple[list[Reading], Window, float]:
    """What a unit's tests measured of one quantity, within what, and the error of one reading. Raises NotFoundError."""
    row = find_unit(session, unit_id)
    listed = assembled(session, row)
    unit = listed.unit
    rules, _ = choose(session, listed.rules, None, unit)
    limit, window = window_of(quantity, rules, unit, None)
    readings = comparable(readings_of(quantity, _counted_runs(session, unit_id), unit), limit)
    value = readings[-1].value if readings else 0.0
    return readings, window, error_of(quantity, rules, limit, row.resolution_psi, value)


def _by_interest(one: UnitTrend) -> tuple[int, bool]:
    """The drifting first, and of those that stand alike the losses: they are what wears."""
    return get_args(State).index(one.trend.state), kind_of(one.quantity.stage) != "hold"


def _trend(
    quantity: Quantity,
    readings: list[Reading],
    repairs: list[Repair],
    limit: Limit | None,
    window: Window,
    rules: RuleSet,
    unit: Unit,
    resolution_psi: float,
    words: Words,
    cut_out_psi: float | None,
) -> UnitTrend:
    points = segment_of(quantity, readings, day_of(repairs[-1].at) if repairs else None)
    errors = [error_of(quantity, rules, limit, resolution_psi, reading.value) for reading in readings]
    trend = trend_of(points, window, errors[-1])
    measured_in = unit_of_measure(quantity)
    limit_text = words.limit(limit, apply_bounds(limit, unit, cut_out_psi, cut_out_psi)) if limit else ""
    text = words.trend(trend, measured_in)
    return UnitTrend(quantity, measured_in, readings, errors, len(points), window, limit_text, trend, text, repairs)


def _repairs(session: Session, unit_id: str) -> dict[str, list[Repair]]:
    """The unit's certified repairs by the stages that they touched, in order of time."""
    stages = {hold.id: {hold.stage} for hold in holds_ever_on(session, unit_id) if hold.stage}
    groups = rulebook.consequences().groups
    for defect in folded_defects(session, UnitPart("unit", unit_id)):
        if defect.group in groups:
            stages[defect.id] = set(groups[defect.group].recheck)
    found: dict[str, list[Repair]] = {}
    for act in acts_on(session, [unit_id], "repaired"):
        about = [*act.body.get("holds", ()), *act.body.get("defects", ())]
        touched = set(act.body.get("stages", ())).union(*(stages.get(one, set()) for one in about))
        for stage in touched:
            found.setdefault(stage, []).append(Repair(act.at, act.body["did"], act.by))
    return found


def _counted_runs(session: Session, unit_id: str) -> list[TestedRun]:
    """The unit's latest runs that count for the vehicle, in order of time, with their kept figures and trailers."""
    kept = and_(VerdictRow.run_id == RunRow.id, VerdictRow.rules_hash == RunRow.rules_hash)
    query = (
        select(RunRow.id, RunRow.started_at, RunRow.received_at, RunRow.unit, RunRow.rules_hash, VerdictRow.figures)
        .join(VerdictRow, kept)
        .where(RunRow.unit_id == unit_id, RunRow.purpose.in_(COUNTING_PURPOSES))
        .order_by(RunRow.started_at.desc(), RunRow.id.desc())
        .limit(MAX_RUNS)
    )
    return [
        TestedRun(
            row.id,
            day_of(row.started_at),
            row.figures,
            tuple(row.unit.get("trailers", ())),
            saved_rules(session, row.rules_hash),
        )
        for row in reversed(session.execute(query).all())
        if not is_doubtful(row.started_at, row.received_at)
    ]


def day_of(moment: dt.datetime) -> float:
    """A moment as days since a day that is the same for all."""
    return (moment - _EPOCH) / dt.timedelta(days=1)


def moment_of(day: float) -> dt.datetime:
    """The moment that a day stands for."""
    return _EPOCH + dt.timedelta(days=day)

"""How a person reads, from the tests that they drove: for trainers only."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from lowhiss.core.record import COUNTING_PURPOSES
from lowhiss.core.status import Bias, Quantity, bias_of, residual_of, segment_of, trend_of
from lowhiss.core.words import Words
from lowhiss.service.errors import NotFoundError
from lowhiss.service.fleet.trends import readings_for
from lowhiss.store.engine import Store
from lowhiss.store.people_models import PersonRow
from lowhiss.store.run_models import RunRow

MAX_RUNS, MAX_UNITS = 300, 60
"""So many of somebody's latest tests, on so many units, are looked at."""
_LOSS = Quantity("leak_applied")


@dataclass(frozen=True, slots=True)
class Reading:
    """How somebody reads the loss with the pedal held. ``bias``: None with too few tests."""

    bias: Bias | None
    text: str


def reading_of(store: Store, person_id: str, words: Words) -> Reading:
    """How somebody reads, against the lines of the vehicles that they tested. Raises NotFoundError."""
    with store.transaction() as session:
        person = session.get(PersonRow, person_id)
        if person is None:
            raise NotFoundError("person_unknown", "This person doesn't exist.", "person_id")
        bias = bias_of(_residuals(session, person.name))
    return Reading(bias, words.reading(bias))


def _residuals(session: Session, driver: str) -> list[float]:
    query = (
        select(RunRow.id, RunRow.unit_id)
        .where(RunRow.driver == driver, RunRow.purpose.in_(COUNTING_PURPOSES))
        .order_by(RunRow.started_at.desc())
        .limit(MAX_RUNS)
    )
    mine: dict[str, set[str]] = {}
    for run_id, unit_id in session.execute(query):
        mine.setdefault(unit_id, set()).add(run_id)
    found: list[float] = []
    for unit_id in list(mine)[:MAX_UNITS]:
        readings, window, error = readings_for(session, unit_id, _LOSS)
        points = segment_of(_LOSS, readings)
        if not points:
            continue
        trend = trend_of(points, window, error)
        for reading, point in zip(readings[-len(points) :], points, strict=True):
            residual = residual_of(point, points[-1].day, trend) if reading.run_id in mine[unit_id] else None
            if residual is not None:
                found.append(residual)
    return found

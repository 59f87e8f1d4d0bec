"""Which stages of a unit stand failed: every valid fail of a run that counts, until a later finished run passes it.

Kept as two moments for each unit and stage, so that neither a begun and abandoned test nor the order in which runs
arrive can wipe a fail away.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection
from dataclasses import dataclass
from typing import Any, Literal

from sqlalchemy import select
from sqlalchemy.orm import Session

from lowhiss.core.record import COUNTING_PURPOSES
from lowhiss.store.models import RunRow, UnitStageRow, VerdictRow

OFFLINE_FOR = dt.timedelta(days=14)
"""So long a device may be without contact: what comes later is taken too, but marked, and improves nothing."""

_Kind = Literal["failed", "passed"]
_KINDS: tuple[_Kind, ...] = ("failed", "passed")


@dataclass(frozen=True, slots=True)
class FailedStage:
    """A stage of a unit that stands failed: since when, and in which run."""

    stage: str
    since: dt.datetime
    run_id: str


def begun_doubtfully(run: RunRow) -> bool:
    """Whether a run is said to have begun longer ago than any device is promised to be without contact."""
    return is_doubtful(run.started_at, run.received_at)


def is_doubtful(started_at: dt.datetime, received_at: dt.datetime | None) -> bool:
    """The same of the two moments: when it is said to have begun, and when the server first heard of it."""
    return received_at is not None and received_at - started_at > OFFLINE_FOR


def failed_stages(session: Session, unit_ids: Collection[str] | None = None) -> dict[str, list[FailedStage]]:
    """What stands failed, by unit, the oldest first; of every unit where none are named."""
    fails = UnitStageRow.failed_at.is_not(None)
    query = select(UnitStageRow).where(fails).order_by(UnitStageRow.failed_at, UnitStageRow.stage)
    if unit_ids is not None:
        query = query.where(UnitStageRow.unit_id.in_(unit_ids))
    found: dict[str, list[FailedStage]] = {}
    for row in session.scalars(query):
        stands = row.passed_at is None or (row.failed_at is not None and row.passed_at < row.failed_at)
        if stands and row.failed_at is not None and row.failed_run_id is not None:
            found.setdefault(row.unit_id, []).append(FailedStage(row.stage, row.failed_at, row.failed_run_id))
    return found


def note_failed_stages(session: Session, run: RunRow, stages: dict[str, dict[str, Any]]) -> None:
    """Keep what a run's verdict says of its unit; ``stages`` holds each stage's outcome and moment."""
    if run.purpose not in COUNTING_PURPOSES:
        return
    query = select(UnitStageRow).where(UnitStageRow.unit_id == run.unit_id).order_by(UnitStageRow.stage)
    rows = {row.stage: row for row in session.scalars(query.with_for_update())}
    said = {stage: kind for stage, figures in stages.items() if (kind := _kind_of(run, figures)) is not None}
    for stage, kind in said.items():
        row = rows.get(stage)
        if row is None:
            row = UnitStageRow(unit_id=run.unit_id, stage=stage)
            session.add(row)
        at = _moment(run, stages[stage])
        before = getattr(row, f"{kind}_at")
        if before is None or at > before or getattr(row, f"{kind}_run_id") == run.id:
            _set(row, kind, at, run.id)
    # a mark that was taken back, or a late one that counts: this run no longer says what it said
    for stage, row in rows.items():
        for kind in _KINDS:
            if getattr(row, f"{kind}_run_id") == run.id and said.get(stage) != kind:
                _look_back(session, row, kind, run)


def _kind_of(run: RunRow, figures: dict[str, Any]) -> _Kind | None:
    if figures["outcome"] == "fail":
        return "failed"
    counts = run.ended_by == "finished" and not begun_doubtfully(run)
    return "passed" if figures["outcome"] == "pass" and counts else None


def _moment(run: RunRow, figures: dict[str, Any]) -> dt.datetime:
    return run.started_at + dt.timedelta(seconds=figures.get("at_s") or 0.0)


def _set(row: UnitStageRow, kind: _Kind, at: dt.datetime | None, run_id: str | None) -> None:
    setattr(row, f"{kind}_at", at)
    setattr(row, f"{kind}_run_id", run_id)


def _look_back(session: Session, row: UnitStageRow, kind: _Kind, without: RunRow) -> None:
    """The latest other run of the unit that says so."""
    query = (
        select(RunRow, VerdictRow.figures)
        .join(VerdictRow, (VerdictRow.run_id == RunRow.id) & (VerdictRow.rules_hash == RunRow.rules_hash))
        .where(RunRow.unit_id == row.unit_id, RunRow.id != without.id, RunRow.purpose.in_(COUNTING_PURPOSES))
        .order_by(RunRow.started_at.desc())
        .execution_options(yield_per=20)
    )
    for run, kept in session.execute(query):
        figures = kept["stages"].get(row.stage)
        if figures is not None and _kind_of(run, figures) == kind:
            _set(row, kind, _moment(run, figures), run.id)
            return
    _set(row, kind, None, None)

"""The log: runs as lists show them, from verdicts kept beside them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import or_, select
from sqlalchemy.orm import Session

from lowhiss.service.runs import RunHead, find_run, head_of, judge_row
from lowhiss.service.verdicts import is_current, keep_verdict
from lowhiss.store.engine import Store
from lowhiss.store.models import RunRow, UnitRow, VerdictRow

LOG_PAGE = 50
_MOST_GOING_ON = 200
"""Tests that are under way at one time, in a yard far larger than any."""


@dataclass(frozen=True, slots=True)
class LogLine:
    """A run as the log lists it."""

    head: RunHead
    outcome: str
    close_call: bool
    figures: dict[str, Any]


def log_page(store: Store, search: str = "", outcome: str | None = None, before: str | None = None) -> list[LogLine]:
    """Runs, the latest first, a page at a time.

    search : part of a unit's or driver's name.  outcome : the log's word for a run.  before : the id of the run
    after which the page goes on. Raises NotFoundError when that run is unknown.
    """
    query = (
        select(RunRow, VerdictRow)
        .join(UnitRow, UnitRow.id == RunRow.unit_id)
        .outerjoin(VerdictRow, (VerdictRow.run_id == RunRow.id) & (VerdictRow.rules_hash == RunRow.rules_hash))
        .order_by(RunRow.started_at.desc(), RunRow.id.desc())
        .limit(LOG_PAGE)
    )
    for word in search.split()[:8]:
        query = query.where(
            or_(UnitRow.name.contains(word, autoescape=True), RunRow.driver.contains(word, autoescape=True))
        )
    if outcome == "close_call":
        query = query.where(VerdictRow.close_call)
    elif outcome is not None:
        query = query.where(VerdictRow.outcome == outcome)
    with store.transaction() as session:
        if outcome is not None:
            _judge_what_goes_on(session)
        if before is not None:
            last = find_run(session, before)
            query = query.where(
                or_(
                    RunRow.started_at < last.started_at,
                    (RunRow.started_at == last.started_at) & (RunRow.id < last.id),
                )
            )
        return [_log_line(session, run, kept) for run, kept in session.execute(query)]


def latest_runs(store: Store) -> dict[str, LogLine]:
    """Each unit's latest run, by unit id."""
    with store.transaction() as session:
        latest: dict[str, LogLine] = {}
        for unit_id in session.scalars(select(UnitRow.id)):
            run = session.scalar(
                select(RunRow).where(RunRow.unit_id == unit_id).order_by(RunRow.started_at.desc()).limit(1)
            )
            if run is not None:
                latest[unit_id] = _log_line(session, run, session.get(VerdictRow, (run.id, run.rules_hash)))
        return latest


def _judge_what_goes_on(session: Session) -> None:
    """Verdicts of runs that have grown since they were judged last, so that they can be asked for by outcome."""
    stale = (
        select(RunRow)
        .outerjoin(VerdictRow, (VerdictRow.run_id == RunRow.id) & (VerdictRow.rules_hash == RunRow.rules_hash))
        .where(or_(VerdictRow.last_seq.is_(None), VerdictRow.last_seq != RunRow.last_seq))
        .order_by(RunRow.started_at.desc())
        .limit(_MOST_GOING_ON)
    )
    for run in session.scalars(stale).all():
        keep_verdict(session, run, judge_row(session, run))
    session.flush()


def _log_line(session: Session, run: RunRow, kept: VerdictRow | None) -> LogLine:
    if kept is None or not is_current(kept, run):
        keep_verdict(session, run, judge_row(session, run))
        session.flush()
        kept = session.get_one(VerdictRow, (run.id, run.rules_hash))
    return LogLine(head_of(session, run), kept.outcome, kept.close_call, kept.figures)

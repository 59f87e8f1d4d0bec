"""The log: runs as lists show them, from verdicts kept beside them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import ColumnElement, and_, false, or_, select, union_all
from sqlalchemy.orm import Session

from lowhiss.service.runs.rows import RunHead, find_run, head_of, judge_row
from lowhiss.service.runs.verdicts import is_current, keep_verdict
from lowhiss.store.engine import Store
from lowhiss.store.models import RunRow, UnitRow, VerdictRow

LOG_PAGE = 50
_LAST_TESTS = 12
_MAX_GOING_ON = 200
"""Tests that are under way at one time, in a yard far larger than any."""
_FEW = 40
"""So few units and drivers are looked through one by one; of more than these, the latest runs soon show enough."""
_MAX_WORDS = 8


@dataclass(frozen=True, slots=True)
class LogLine:
    """A run as the log lists it. ``differs``: a newer core judges it otherwise, and nobody has looked yet."""

    head: RunHead
    outcome: str
    close_call: bool
    figures: dict[str, Any]
    differs: bool


@dataclass(frozen=True, slots=True)
class Latest:
    """A unit's latest run as the yard shows it."""

    run_id: str
    started_at: Any
    driver: str
    outcome: str
    close_call: bool
    figures: dict[str, Any]


def log_page(store: Store, search: str = "", outcome: str | None = None, before: str | None = None) -> list[LogLine]:
    """Runs, the latest first, a page at a time.

    search : part of a unit's or driver's name.  outcome : the log's word for a run.  before : the id of the run
    after which the page goes on. Raises NotFoundError when that run is unknown.
    """
    with store.transaction() as session:
        if outcome is not None:
            judge_what_goes_on(session)
        conditions = _came_out(outcome)
        if before is not None:
            last = find_run(session, before)
            # said twice, because the database reads along the index only by the first
            conditions.append(RunRow.started_at <= last.started_at)
            conditions.append(or_(RunRow.started_at < last.started_at, RunRow.id < last.id))
        ids = [row.id for row in session.execute(_page(session, search.split()[:_MAX_WORDS], conditions))]
        lines = {run.id: _log_line(session, run, kept) for run, kept in session.execute(_with_verdicts(ids))}
        return [lines[run_id] for run_id in ids]


def _came_out(outcome: str | None) -> list[ColumnElement[bool]]:
    if outcome == "close_call":
        return [RunRow.close_call.is_(True)]
    return [] if outcome is None else [RunRow.outcome == outcome]


def narrowed(session: Session, search: str, outcome: str | None) -> list[ColumnElement[bool]]:
    """The log's conditions for part of a unit's or driver's name, and its word for a run."""
    wanted = [_matches(session, word) for word in search.split()[:_MAX_WORDS]]
    found = [or_(RunRow.unit_id.in_(units), RunRow.driver.in_(drivers)) for units, drivers in wanted]
    return [*_came_out(outcome), *found]


def _page(session: Session, words: Sequence[str], conditions: list[ColumnElement[bool]]) -> Any:
    """The ids of one page. Ids alone, read along an index: a join would make the database sort every run there is."""
    latest = (RunRow.started_at.desc(), RunRow.id.desc())
    wanted = [_matches(session, word) for word in words]
    if any(not units and not drivers for units, drivers in wanted):
        return select(RunRow.id).where(false())
    found = [or_(RunRow.unit_id.in_(units), RunRow.driver.in_(drivers)) for units, drivers in wanted]
    narrow = min(wanted, key=lambda match: len(match[0]) + len(match[1]), default=((), ()))
    each = [RunRow.unit_id == unit for unit in narrow[0]] + [RunRow.driver == driver for driver in narrow[1]]
    if not each or len(each) > _FEW:
        return select(RunRow.id).where(*conditions, *found).order_by(*latest).limit(LOG_PAGE)
    parts = [
        select(RunRow.id, RunRow.started_at).where(one, *conditions, *found).order_by(*latest).limit(LOG_PAGE)
        for one in each
    ]
    if len(parts) == 1:
        return parts[0]
    # each unit's and driver's own latest runs stand in an index: a page of each is enough for the page of all
    together = union_all(*(part.subquery().select() for part in parts)).subquery()
    order = (together.c.started_at.desc(), together.c.id.desc())
    return select(together.c.id).group_by(together.c.id, together.c.started_at).order_by(*order).limit(LOG_PAGE)


def _matches(session: Session, word: str) -> tuple[list[str], list[str]]:
    """The units and the drivers whose names hold a word."""
    units = session.scalars(select(UnitRow.id).where(UnitRow.name.contains(word, autoescape=True))).all()
    # every driver's name once, by hopping along the index
    drivers = session.scalars(select(RunRow.driver).group_by(RunRow.driver)).all()
    folded = word.casefold()
    return list(units), [name for name in drivers if folded in name.casefold()]


def _with_verdicts(ids: Sequence[str]) -> Any:
    kept = and_(VerdictRow.run_id == RunRow.id, VerdictRow.rules_hash == RunRow.rules_hash)
    return select(RunRow, VerdictRow).outerjoin(VerdictRow, kept).where(RunRow.id.in_(ids))


def latest_runs(session: Session) -> dict[str, Latest]:
    """Each unit's latest run, by unit id: one question, answered along the index of each unit's runs."""
    latest = (
        select(RunRow.id)
        .where(RunRow.unit_id == UnitRow.id)
        .order_by(RunRow.started_at.desc(), RunRow.id.desc())
        .limit(1)
        .correlate(UnitRow)
        .scalar_subquery()
    )
    each = select(latest.label("id")).select_from(UnitRow).subquery()
    kept = and_(VerdictRow.run_id == RunRow.id, VerdictRow.rules_hash == RunRow.rules_hash)
    columns = (RunRow.unit_id, RunRow.id, VerdictRow.last_seq, VerdictRow.core_version, VerdictRow.outcome)
    query = select(*columns).join(each, each.c.id == RunRow.id).join(VerdictRow, kept)
    if len(_KNOWN) > _MAX_KNOWN:
        _KNOWN.clear()
    asked: dict[str, tuple[Any, ...]] = {str(row.id): tuple(row) for row in session.execute(query)}
    _look_up(session, {run_id: state for run_id, state in asked.items() if _state_of(run_id) != state})
    return {state[0]: _KNOWN[run_id][1] for run_id, state in asked.items()}


_KNOWN: dict[str, tuple[tuple[Any, ...], Latest]] = {}
"""Latest runs as they were looked up last: a yard is looked at far more often than a run grows."""
_MAX_KNOWN = 20_000


def _state_of(run_id: str) -> tuple[Any, ...] | None:
    known = _KNOWN.get(run_id)
    return known[0] if known is not None else None


def _look_up(session: Session, asked: dict[str, tuple[Any, ...]]) -> None:
    kept = and_(VerdictRow.run_id == RunRow.id, VerdictRow.rules_hash == RunRow.rules_hash)
    columns = (RunRow.id, RunRow.started_at, RunRow.driver, VerdictRow.outcome, VerdictRow.close_call)
    query = select(*columns, VerdictRow.figures).join(VerdictRow, kept).where(RunRow.id.in_(asked))
    for row in session.execute(query) if asked else ():
        _KNOWN[row.id] = asked[row.id], Latest(*row)


def last_tests(store: Store, unit_id: str) -> list[Latest]:
    """A unit's last tests, the oldest first, as the yard shows its latest."""
    kept = and_(VerdictRow.run_id == RunRow.id, VerdictRow.rules_hash == RunRow.rules_hash)
    columns = (RunRow.id, RunRow.started_at, RunRow.driver, VerdictRow.outcome, VerdictRow.close_call)
    query = (
        select(*columns, VerdictRow.figures)
        .join(VerdictRow, kept)
        .where(RunRow.unit_id == unit_id)
        .order_by(RunRow.started_at.desc())
        .limit(_LAST_TESTS)
    )
    with store.transaction() as session:
        return [Latest(*row) for row in reversed(session.execute(query).all())]


def yard(store: Store) -> dict[str, Latest]:
    """Each unit's latest run, by unit id, once what goes on is judged."""
    with store.transaction() as session:
        judge_what_goes_on(session)
        return latest_runs(session)


def judge_what_goes_on(session: Session) -> None:
    """Verdicts of runs that have grown since they were judged last: a fail shows at once, whoever looks."""
    stale = select(RunRow).where(RunRow.stale).order_by(RunRow.started_at.desc()).limit(_MAX_GOING_ON)
    for run in session.scalars(stale).all():
        keep_verdict(session, run, judge_row(session, run))
    session.flush()


def _log_line(session: Session, run: RunRow, kept: VerdictRow | None) -> LogLine:
    if kept is None or not is_current(kept, run):
        kept = keep_verdict(session, run, judge_row(session, run))
        session.flush()
    return LogLine(head_of(session, run), kept.outcome, kept.close_call, kept.figures, kept.differs is not None)

"""The log: runs as lists show them, from verdicts kept beside them."""

from __future__ import annotations

import threading
from collections.abc import Sequence
from dataclasses import dataclass
from time import monotonic
from typing import Annotated, Any, Literal, Self
from weakref import WeakKeyDictionary

from pydantic import AwareDatetime, BaseModel, Field, model_validator
from sqlalchemy import ColumnElement, and_, false, func, or_, select, true, union_all
from sqlalchemy.orm import Session, aliased, defer

from lowhiss.core.fields import UUID_PATTERN
from lowhiss.core.findings import FINDINGS
from lowhiss.core.names import name_key
from lowhiss.core.record import Purpose
from lowhiss.service.runs.facts import finding_key, quantity_keys
from lowhiss.service.runs.rows import RunHead, find_run, head_of, judge_row
from lowhiss.service.runs.run_search import Conditions, named, one_by_one
from lowhiss.service.runs.verdicts import is_current, save_verdict
from lowhiss.store.engine import Store
from lowhiss.store.finding_models import RunFactRow, RunPersonRow
from lowhiss.store.fleet_models import RunTrailerRow, UnitRow
from lowhiss.store.installation_models import RuleSetRow
from lowhiss.store.people_models import PersonRow
from lowhiss.store.run_models import RunRow, VerdictRow

LOG_PAGE = 50
_LAST_TESTS = 12
LogOutcome = Literal["pass", "fail", "void", "incomplete", "close_call"]
_Id = Annotated[str, Field(pattern=UUID_PATTERN)]
_MAX_GOING_ON = 200
"""Tests that are under way at one time, in a yard far larger than any."""


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


class Wanted(BaseModel):
    """Which runs, as it is asked over HTTP and kept with a job; whatever is left out is any.

    search : parts of a unit's or driver's name.  outcome : the log's word for a run.  unit, trailer : an id.
    driver, purpose : exactly.  person : anybody who drove, watched, began, joined or signed, however their name is
    written.  rules : the name of a rule set.  since, until : the first moment, and the first left out.
    quantity : what was measured, as `facts` calls it, with ``at_least`` and ``at_most``.  finding : its code.
    Whatever is yes or no is a column of the run: only such.
    """

    search: Annotated[str, Field(max_length=100)] = ""
    outcome: LogOutcome | None = None
    unit: _Id | None = None
    trailer: _Id | None = None
    driver: Annotated[str, Field(max_length=80)] | None = None
    person: Annotated[str, Field(max_length=80)] | None = None
    purpose: Purpose | None = None
    rules: Annotated[str, Field(max_length=60)] | None = None
    since: AwareDatetime | None = None
    until: AwareDatetime | None = None
    quantity: Annotated[str, Field(max_length=60)] | None = None
    at_least: Annotated[float, Field(ge=-1e6, le=1e6)] | None = None
    at_most: Annotated[float, Field(ge=-1e6, le=1e6)] | None = None
    finding: Annotated[str, Field(max_length=50)] | None = None
    sealed: bool = False
    recorded: bool = False

    @model_validator(mode="after")
    def known(self) -> Self:
        """A quantity and a finding that there are."""
        if self.quantity is not None and self.quantity not in quantity_keys():
            raise ValueError(f"quantity: {self.quantity!r} doesn't exist; choose one of {', '.join(quantity_keys())}")
        if self.finding is not None and self.finding not in FINDINGS:
            raise ValueError(f"finding is {self.finding!r}, which isn't a finding code")
        return self


ANY = Wanted()
_FLAGS = tuple(name for name, of in Wanted.model_fields.items() if of.annotation is bool)
MOST_COUNTED = 1000
"""More than so many are not counted: nobody reads them, and the whole log would be."""


def log_page(store: Store, wanted: Wanted = ANY, before: str | None = None) -> list[LogLine]:
    """Runs, the latest first, a page at a time. before : the id of the run after which the page goes on.

    Raises NotFoundError when that run is unknown.
    """
    if wanted.outcome is not None:
        judge_open_runs(store)
    with store.transaction() as session:
        last = find_run(session, before) if before is not None else None
        return _lines(session, list(session.scalars(_chosen(session, wanted, last, LOG_PAGE))))


def log_lines(store: Store, ids: Sequence[str]) -> list[LogLine]:
    """These runs as lists show them, in this order; one that is not there is left out."""
    with store.transaction() as session:
        return _lines(session, ids)


def _lines(session: Session, ids: Sequence[str]) -> list[LogLine]:
    found = session.execute(_with_verdicts(ids))
    lines = {run.id: _log_line(session, run, kept, procedure) for run, kept, procedure in found}
    return [lines[run_id] for run_id in ids if run_id in lines]


def people_found(store: Store) -> list[str]:
    """The names that runs may be found by: everybody who may sign in, and whoever drove; at most so many."""
    with store.transaction() as session:
        accounts = session.scalars(select(PersonRow.name).order_by(PersonRow.name).limit(_MOST_NAMES)).all()
        # every driver's name once, by hopping along the index
        drivers = session.scalars(select(RunRow.driver).group_by(RunRow.driver).limit(_MOST_NAMES)).all()
    return sorted({name for name in (*accounts, *drivers) if name})[:_MOST_NAMES]


_MOST_NAMES = 2_000


def log_count(store: Store, wanted: Wanted) -> int:
    """How many there are, at most one more than `MOST_COUNTED`."""
    with store.transaction() as session:
        return len(session.scalars(_chosen(session, wanted, None, MOST_COUNTED + 1)).all())


def ids_of(session: Session, wanted: Wanted, last: RunRow | None, most: int) -> list[str]:
    """The ids of so many runs after ``last``, the latest first."""
    return list(session.scalars(_chosen(session, wanted, last, most)))


def _came_out(outcome: str | None) -> list[ColumnElement[bool]]:
    if outcome == "close_call":
        return [RunRow.close_call == true()]  # "IS TRUE" would read no index
    return [] if outcome is None else [RunRow.outcome == outcome]


def narrowed(session: Session, search: str, outcome: str | None) -> list[ColumnElement[bool]]:
    """The log's conditions for part of a unit's or driver's name, and its word for a run."""
    return [*_came_out(outcome), *(condition for word in named(session, search) for condition in word.of_any())]


def _chosen(session: Session, wanted: Wanted, last: RunRow | None, most: int) -> Any:
    """The ids of so many runs. Ids alone, read along an index: a join would make the database sort every run."""
    words = named(session, wanted.search)
    if any(len(word) == 0 for word in words):
        return select(RunRow.id).where(false())
    alone = _conditions(session, wanted)
    conditions = [*alone, *(condition for word in words for condition in word.of_any())]
    facts = _facts_of(wanted)
    if facts and wanted.unit is None and wanted.driver is None and wanted.person is None:
        return _by_facts(session, facts, conditions, last, most)
    # of one unit or person there are few: each of their runs is looked at
    having: Conditions = [
        select(RunFactRow.run_id).where(RunFactRow.run_id == RunRow.id, *_is(RunFactRow, *fact)).exists()
        for fact in facts
    ]
    if wanted.person is not None:
        return _by_person(wanted.person, [*conditions, *having], last, most)
    having += _after(RunRow.started_at, RunRow.id, last)
    each = one_by_one(words)
    latest = (RunRow.started_at.desc(), RunRow.id.desc())
    if not each:
        return select(RunRow.id).where(*conditions, *having).order_by(*latest).limit(most)
    page = select(RunRow.id, RunRow.started_at).where(*alone, *having).order_by(*latest).limit(most)
    parts = [page.where(*one) for one in each]
    if len(parts) == 1:
        return parts[0]
    # each unit's and driver's own latest runs stand in an index: a page of each is enough for the page of all
    together = union_all(*parts).subquery()
    order = (together.c.started_at.desc(), together.c.id.desc())
    return select(together.c.id).group_by(together.c.id, together.c.started_at).order_by(*order).limit(most)


def _by_person(person: str, conditions: list[ColumnElement[bool]], last: RunRow | None, most: int) -> Any:
    """Read along one person's runs, in the order of time."""
    row = RunPersonRow
    query = select(row.run_id).prefix_with("STRAIGHT_JOIN").select_from(row).join(RunRow, RunRow.id == row.run_id)
    query = query.where(row.name_key == name_key(person), *conditions, *_after(row.started_at, row.run_id, last))
    return query.order_by(row.started_at.desc(), row.run_id.desc()).limit(most)


def _conditions(session: Session, wanted: Wanted) -> list[ColumnElement[bool]]:
    conditions = _came_out(wanted.outcome)
    exactly = {"unit_id": wanted.unit, "driver": wanted.driver, "purpose": wanted.purpose}
    conditions += [getattr(RunRow, name) == value for name, value in exactly.items() if value is not None]
    if wanted.trailer is not None:
        with_it = select(RunTrailerRow.run_id).where(RunTrailerRow.trailer_id == wanted.trailer)
        conditions.append(RunRow.id.in_(with_it))
    if wanted.rules is not None:
        # the versions of a set are few: their hashes are asked for first, so that the index of each is read
        hashes = session.scalars(select(RuleSetRow.hash).where(RuleSetRow.name == wanted.rules)).all()
        conditions.append(RunRow.rules_hash.in_(hashes))
    if wanted.since is not None:
        conditions.append(RunRow.started_at >= wanted.since)
    if wanted.until is not None:
        conditions.append(RunRow.started_at < wanted.until)
    conditions += [getattr(RunRow, flag) == true() for flag in _FLAGS if getattr(wanted, flag)]
    return conditions


Fact = tuple[str, float | None, float | None]


def _facts_of(wanted: Wanted) -> list[Fact]:
    """What is asked of a run's numbers and findings; the rarer first: it leads."""
    facts: list[Fact] = [(finding_key(wanted.finding), None, None)] if wanted.finding is not None else []
    if wanted.quantity is not None:
        facts.append((wanted.quantity, wanted.at_least, wanted.at_most))
    return facts


_RARE = 2_000
"""So few runs of a number are sorted; more are soon found in the order of time."""


def _by_facts(
    session: Session, facts: list[Fact], conditions: list[ColumnElement[bool]], last: RunRow | None, most: int
) -> Any:
    """Read along the index of the first fact, by time or, where it is rare, by its number."""
    rows = [aliased(RunFactRow) for _ in facts]
    first = rows[0]
    query = select(first.run_id).prefix_with("STRAIGHT_JOIN").select_from(first)
    some = select(RunFactRow.run_id).where(*_is(RunFactRow, *facts[0])).limit(_RARE + 1).subquery()
    if (session.scalar(select(func.count()).select_from(some)) or 0) <= _RARE:
        query = query.with_hint(first, "FORCE INDEX (ix_run_fact_what_value)")
    for other in rows[1:]:
        query = query.join(other, other.run_id == first.run_id)
    query = query.join(RunRow, RunRow.id == first.run_id)
    for row, fact in zip(rows, facts, strict=True):
        query = query.where(*_is(row, *fact))
    query = query.where(*conditions, *_after(first.started_at, first.run_id, last))
    return query.order_by(first.started_at.desc(), first.run_id.desc()).limit(most)


def _is(row: Any, what: str, low: float | None, high: float | None) -> list[ColumnElement[bool]]:
    """The fact of this name, between these bounds."""
    bounds = [row.value >= low] if low is not None else []
    return [row.what == what, *bounds, *([row.value <= high] if high is not None else [])]


def _after(started_at: Any, run_id: Any, last: RunRow | None) -> list[ColumnElement[bool]]:
    if last is None:
        return []
    # said twice, because the database reads along the index only by the first
    return [started_at <= last.started_at, or_(started_at < last.started_at, run_id < last.id)]


def _with_verdicts(ids: Sequence[str]) -> Any:
    kept = and_(VerdictRow.run_id == RunRow.id, VerdictRow.rules_hash == RunRow.rules_hash)
    # the whole order of work is long, and a list shows its name
    procedure = func.json_value(RunRow.procedure, "$.id")
    lighter = (defer(RunRow.procedure), defer(RunRow.begun))
    query = select(RunRow, VerdictRow, procedure).outerjoin(VerdictRow, kept).options(*lighter)
    return query.where(RunRow.id.in_(ids))


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
    judge_open_runs(store)
    with store.transaction() as session:
        return latest_runs(session)


def length_of(store: Store, run_id: str) -> tuple[int, bool]:
    """How many marks a run has, and whether it has grown since it was judged; (0, False) where there is none."""
    with store.transaction() as session:
        row = session.execute(select(RunRow.last_seq, RunRow.stale).where(RunRow.id == run_id)).first()
        return (row.last_seq, row.stale) if row is not None else (0, False)


def long_open_runs(store: Store, marks: int) -> list[tuple[str, int]]:
    """Runs of more marks than these that have grown since they were judged, with how many they have."""
    query = select(RunRow.id, RunRow.last_seq).where(RunRow.stale, RunRow.last_seq > marks)
    with store.transaction() as session:
        return [(row.id, row.last_seq) for row in session.execute(query.limit(_MAX_GOING_ON))]


def judge_one(store: Store, run_id: str) -> None:
    """Judge one run that has grown."""
    with store.transaction() as session:
        run = session.get(RunRow, run_id)
        if run is not None and run.stale:
            save_verdict(session, run, judge_row(session, run))


_JUDGING = threading.Lock()
_JUDGED_FROM: WeakKeyDictionary[Store, float] = WeakKeyDictionary()
"""When the last judging of all open runs began that is over."""


def judge_open_runs(store: Store) -> None:
    """Judge what has grown since it was judged last: a fail shows at once, whoever asks how a vehicle stands.

    One thread does it for all that ask meanwhile, and a run at a time: a mark of that run waits for no more than that.
    """
    asked = monotonic()
    with _JUDGING:
        if _JUDGED_FROM.get(store, 0.0) > asked:
            return
        began = monotonic()
        stale = select(RunRow.id).where(RunRow.stale).order_by(RunRow.started_at.desc()).limit(_MAX_GOING_ON)
        with store.transaction() as session:
            run_ids = session.scalars(stale).all()
        for run_id in run_ids:
            judge_one(store, run_id)
        _JUDGED_FROM[store] = began


def _log_line(session: Session, run: RunRow, kept: VerdictRow | None, procedure: str) -> LogLine:
    if kept is None or not is_current(kept, run):
        kept = save_verdict(session, run, judge_row(session, run))
        session.flush()
    head = head_of(session, run, procedure=procedure)
    return LogLine(head, kept.outcome, kept.close_call, kept.figures, kept.differs is not None)

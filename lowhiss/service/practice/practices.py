"""Practices: kept as their devices drive them, read back, and joined by a trainer. One transaction each."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from typing import Any

from sqlalchemy import or_, select
from sqlalchemy.orm import Session, defer

from lowhiss.core.errors import CoreError
from lowhiss.core.practice import read_tried
from lowhiss.core.practice.lesson import PRACTICE_FORMAT
from lowhiss.core.words import Words
from lowhiss.engine.debrief_words import debrief_text
from lowhiss.engine.judge_record import rules_in_record
from lowhiss.engine.practice import read_choice
from lowhiss.engine.simulation import spec_of_table
from lowhiss.service.errors import ConflictError, NotFoundError, RefusedError
from lowhiss.service.fleet.rows import couplings_of, find_unit
from lowhiss.service.fleet.unit_rules import choose
from lowhiss.service.fleet.units import assembled
from lowhiss.service.inspections import lifecycle as inspections
from lowhiss.service.people import guess_limits, secrets
from lowhiss.service.people.signin import ForbiddenError, Person
from lowhiss.service.practice.classmates import may_see, trainees_of
from lowhiss.service.runs.participants import CODE_LASTS, OVERSEERS
from lowhiss.store.engine import Store
from lowhiss.store.fleet_models import TrailerRow
from lowhiss.store.people_models import PersonRow
from lowhiss.store.practice_models import PracticeRow, PracticeTrainerRow

_LISTED = 60


@dataclass(frozen=True, slots=True)
class PracticeHead:
    """What a list shows of a practice."""

    id: str
    person: str
    mine: bool
    title: str
    began_at: dt.datetime
    seconds: float
    ended: bool
    outcome: str | None
    faulty: bool | None
    summary: dict[str, Any] | None
    counts: bool | None
    """Whether the server could drive it again from its log; None until it has tried."""


@dataclass(frozen=True, slots=True)
class PracticeSaved:
    """A practice whole: its head, the record it can be driven again from, and what was found after it."""

    head: PracticeHead
    record: dict[str, Any]
    after: dict[str, Any] | None


@dataclass(frozen=True, slots=True)
class Joined:
    """What a code was for: one of the three."""

    inspection_id: str | None = None
    run_id: str | None = None
    practice_id: str | None = None


def save(
    store: Store,
    practice_id: str,
    by: Person,
    title: str,
    began_at: dt.datetime,
    record: dict[str, Any],
    after: dict[str, Any] | None,
) -> PracticeHead:
    """Keep a practice as far as it has come. Sent again it is kept once; it only grows, and not after its end.

    after : what its device found; nobody's progress hangs on it until the server has driven the log again.

    Raises CoreError for a record that cannot be read, ConflictError where another state is kept already.
    """
    ticks = _checked(record)
    if after is not None:
        _readable(after)
    now = dt.datetime.now(dt.UTC)
    with store.transaction() as session:
        row = session.get(PracticeRow, practice_id, with_for_update=True)
        if row is None:
            row = PracticeRow(id=practice_id, person_id=by.id, title=title, began_at=began_at, received_at=now)
            row.ticks, row.ended, row.record, row.core = 0, False, {}, ""
            session.add(row)
        elif row.person_id != by.id:
            raise ForbiddenError(
                "not_your_practice", "practice_id: this practice belongs to somebody else.", "practice_id"
            )
        elif row.ended:
            if row.record != record or after is None:
                raise ConflictError("practice_over", "record: this practice has ended and can't be changed.", "record")
            return _head(row, by.name, by)
        elif ticks < row.ticks:
            raise ConflictError(
                "practice_shorter", "record: a longer record of this practice is already saved.", "record"
            )
        elif row.record and not _continues(record, row.record):
            problem = "record: this differs from the saved record. A saved practice can only grow."
            raise ConflictError("practice_rewritten", problem, "record")
        row.ticks, row.record, row.received_at = ticks, record, now
        row.core = str(record.get("core", ""))[:64]
        if after is not None:
            row.ended, row.after = True, after
            row.outcome = str(after.get("outcome", ""))[:20] or None
            row.faulty = bool(after.get("faults"))
        session.flush()
        return _head(row, by.name, by)


def _continues(record: dict[str, Any], kept: dict[str, Any]) -> bool:
    """Whether a record is the kept one with more behind it: like every log, a practice only grows."""
    before = kept["controls"]
    return bool(record["choice"] == kept["choice"] and record["controls"][: len(before)] == before)


def _checked(record: dict[str, Any]) -> int:
    """How far the record has come. Raises CoreError or RefusedError naming what is wrong with it."""
    if record.get("format") != PRACTICE_FORMAT:
        raise RefusedError("practice_format", f"record.format: must be {PRACTICE_FORMAT}.", "record.format")
    choice, ticks, controls = record.get("choice"), record.get("ticks"), record.get("controls")
    if not isinstance(choice, dict):
        raise RefusedError("practice_choice", "record.choice: must be a table.", "record.choice")
    read_choice(choice)
    if isinstance(ticks, bool) or not isinstance(ticks, int) or ticks < 0:
        raise RefusedError("practice_ticks", "record.ticks: must be a whole number, 0 or more.", "record.ticks")
    if not isinstance(controls, list):
        raise RefusedError("practice_controls", "record.controls: must be a list.", "record.controls")
    return ticks


def _readable(after: dict[str, Any]) -> None:
    """Raises CoreError or RefusedError where what was found after a practice cannot be told to anybody."""
    if not isinstance(after.get("faults"), list) or not isinstance(after.get("run"), dict):
        raise RefusedError("practice_after", "after: must contain the run and its faults.", "after")
    try:
        debrief_text(after, Words("en"))
        summary = summary_of(after)
        if summary is not None:
            read_tried({**summary, "at": "2000-01-01T00:00:00+00:00"})
    except CoreError:
        raise
    except (KeyError, TypeError, ValueError, AttributeError, IndexError) as broken:
        problem = "after.debrief: doesn't match this release. Reload the page and send it again."
        raise RefusedError("practice_after", problem, "after.debrief") from broken


def summary_of(after: dict[str, Any]) -> dict[str, Any] | None:
    """What progress hangs on; None for a practice of an earlier release."""
    debrief = after.get("debrief")
    return debrief.get("summary") if isinstance(debrief, dict) else None


def listed(store: Store, by: Person, everybody: bool) -> list[PracticeHead]:
    """The latest practices of whoever asks; with ``everybody`` of a trainer's trainees too, of all for a manager."""
    with store.transaction() as session:
        heads = defer(PracticeRow.record), defer(PracticeRow.after)  # a hundred times what a list shows
        found = select(PracticeRow, PersonRow.name).join(PersonRow, PersonRow.id == PracticeRow.person_id)
        found = found.options(*heads)
        if not (everybody and by.role == "manager"):
            mine = PracticeRow.person_id == by.id
            found = found.where(or_(mine, PracticeRow.person_id.in_(trainees_of(by))) if everybody else mine)
        found = found.order_by(PracticeRow.began_at.desc()).limit(_LISTED)
        return [_head(row, name, by) for row, name in session.execute(found)]


def read(store: Store, practice_id: str, by: Person, words: Words) -> PracticeSaved:
    """A practice of one's own, of a trainee, of one that a trainer joined, or any for a manager, in the reader's words.

    Raises NotFoundError, ForbiddenError.
    """
    with store.transaction() as session:
        row = _found(session, practice_id)
        if not may_see(session, by, row.person_id) and not _joined(session, row, by):
            raise ForbiddenError(
                "not_your_practice", "practice_id: this practice belongs to somebody else.", "practice_id"
            )
        name = session.get_one(PersonRow, row.person_id).name
        return PracticeSaved(_head(row, name, by), row.record, row.after and debrief_text(row.after, words))


def make_code(store: Store, practice_id: str, by: Person) -> tuple[str, dt.datetime]:
    """A code by which a trainer joins this practice, and until when; the one before it is void.

    Raises NotFoundError, ForbiddenError.
    """
    moment = dt.datetime.now(dt.UTC)
    with store.transaction() as session:
        row = _found(session, practice_id)
        if row.person_id != by.id:
            raise ForbiddenError(
                "not_your_practice", "practice_id: this practice belongs to somebody else.", "practice_id"
            )
        code = secrets.new_short_code()
        row.code_hash, row.code_made_at = secrets.code_hash(code), moment
    return code, moment + CODE_LASTS


def join(store: Store, code: str, by: Person) -> Joined:
    """Join whatever a code is for: a practice as its trainer, an inspection as a helper, an air test as a watcher.

    Raises SlowDownError, RefusedError, ForbiddenError.
    """
    trying = f"join {by.id}"
    moment = dt.datetime.now(dt.UTC)
    with store.transaction() as session:
        guess_limits.check(session, trying, None)
        row = session.scalar(select(PracticeRow).where(PracticeRow.code_hash == secrets.code_hash(code)))
        if row is not None and row.code_made_at is not None and moment - row.code_made_at <= CODE_LASTS:
            if by.role not in OVERSEERS:
                raise ForbiddenError("trainers_only", "code: only a trainer or manager may join a practice.", "code")
            if row.person_id != by.id:
                session.merge(PracticeTrainerRow(practice_id=row.id, person_id=by.id, joined_at=moment))
            return Joined(practice_id=row.id)
    joined = inspections.join(store, code, by)
    return Joined(inspection_id=joined.inspection_id, run_id=joined.run_id)


def part_in(store: Store, practice_id: str, by: Person) -> str:
    """``drive`` for who practises, ``train`` for a trainer who joined. Raises NotFoundError, ForbiddenError."""
    with store.transaction() as session:
        row = _found(session, practice_id)
        if row.person_id == by.id:
            return "drive"
        if by.role in OVERSEERS and session.get(PracticeTrainerRow, (practice_id, by.id)) is not None:
            return "train"
    raise ForbiddenError("join_first", "practice_id: join this practice with its code first.", "practice_id")


def vehicle_of(store: Store, unit_id: str) -> dict[str, Any]:
    """A unit as it is coupled now, as a practice takes it: its specification and its trailers', and how it is tested.

    Raises NotFoundError, and CoreError naming what is missing to simulate it.
    """
    with store.transaction() as session:
        row = find_unit(session, unit_id)
        coupled = couplings_of(session, unit_id).get(unit_id, [])
        trailers = [session.get_one(TrailerRow, trailer_id) for trailer_id, _ in coupled]
        vehicle = {"power": dict(row.facts), "trailers": [dict(one.facts) for one in trailers]}
        listed = assembled(session, row)
        rules, procedure = choose(session, listed.rules, listed.order_under(None), listed.unit)
    spec_of_table(vehicle)
    return {
        "vehicle": vehicle,
        "rules": rules_in_record(rules),
        "procedure": procedure.as_dict(),
        "resolution_psi": listed.resolution_psi,
    }


def _joined(session: Session, row: PracticeRow, by: Person) -> bool:
    return by.role in OVERSEERS and session.get(PracticeTrainerRow, (row.id, by.id)) is not None


def _found(session: Session, practice_id: str) -> PracticeRow:
    row = session.get(PracticeRow, practice_id)
    if row is None:
        raise NotFoundError("practice_unknown", "practice_id: this practice doesn't exist.", "practice_id")
    return row


def _head(row: PracticeRow, person: str, by: Person) -> PracticeHead:
    return PracticeHead(
        id=row.id,
        person=person,
        mine=row.person_id == by.id,
        title=row.title,
        began_at=row.began_at,
        seconds=row.ticks / 100,
        ended=row.ended,
        outcome=row.outcome,
        faulty=row.faulty,
        summary=row.summary,
        counts=row.driven_again,
    )

"""Inspections: begun once for the set of the day, joined by a helper, read back and judged. One transaction each."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from typing import Any

from sqlalchemy import or_, select
from sqlalchemy.orm import Session

from lowhiss import rulebook
from lowhiss.core.errors import RuleError
from lowhiss.core.inspections import (
    INSPECTION_FORMAT,
    Inspection,
    InspectionSet,
    WalkOrder,
    read_inspection,
    set_table,
    walk_orders_for,
)
from lowhiss.core.names import seen_of
from lowhiss.core.words import Words
from lowhiss.engine.clocks import Instant, map_begun, seconds_ago
from lowhiss.engine.inspections import Rules, script_of, state_of, state_table
from lowhiss.engine.judge_record import rules_in_record
from lowhiss.service.errors import ConflictError, NotFoundError, RefusedError
from lowhiss.service.fleet.counted_runs import OFFLINE_FOR
from lowhiss.service.fleet.rows import find_unit
from lowhiss.service.fleet.unit_rules import Given, choose
from lowhiss.service.fleet.units import assembled
from lowhiss.service.inspections.rows import (
    InspectionHead,
    figures_of,
    find_inspection,
    head_of,
    head_table,
    judge_row,
    known_on,
    known_tables,
    part_in,
    record_of,
    record_table,
    set_of,
)
from lowhiss.service.marks.kinds import INSPECTIONS, clock_of, load_marks
from lowhiss.service.marks.model import SavedMark
from lowhiss.service.people import guess_limits, secrets
from lowhiss.service.people.signin import ForbiddenError, Person
from lowhiss.service.rules.editions import rules_named
from lowhiss.service.rules.saved_rules import save_rules
from lowhiss.service.runs import participants
from lowhiss.store.engine import Store
from lowhiss.store.fleet_models import UnitRow
from lowhiss.store.inspection_models import InspectionCodeRow, InspectionMemberRow, InspectionRow
from lowhiss.store.people_models import PersonRow
from lowhiss.store.run_models import RunRow

_LISTED = 40


@dataclass(frozen=True, slots=True)
class Start:
    """What an inspection may begin with: its record without marks, the orders that fit, and the script of one."""

    record: dict[str, Any]
    ways: list[WalkOrder]
    script: dict[str, Any]


@dataclass(frozen=True, slots=True)
class InspectionBeginning:
    """What begins an inspection; the device makes the id, so that sending it twice begins one inspection."""

    id: str
    unit_id: str
    way: str
    rules: str | None
    purpose: str
    driver: str
    begun: Instant
    mirrored: bool = False
    run_id: str | None = None
    rules_hash: str | None = None


def start_of(store: Store, unit_id: str, way: str | None, rules: str | None, purpose: str, words: Words) -> Start:
    """What an inspection of this unit would begin with now. Raises NotFoundError, RefusedError naming the field."""
    with store.transaction() as session:
        unit = find_unit(session, unit_id)
        usual = set_of(session, unit)
        fitting = walk_orders_for(rulebook.inspections(), usual)
        chosen = way or _usual_order(fitting)
        record = _record(session, unit, usual, chosen, rules, purpose)
    read = _readable(record)
    return Start(record, fitting, script_of(read, words))


def _usual_order(fitting: list[WalkOrder]) -> str:
    """The way that is offered first: the short daily one where there is one."""
    return next((way.id for way in fitting if way.glance), fitting[0].id)


def _record(
    session: Session,
    unit: UnitRow,
    usual: InspectionSet,
    way: str,
    rules: str | None,
    purpose: str,
    rules_hash: str | None = None,
) -> dict[str, Any]:
    listed = assembled(session, unit)
    chosen, _ = choose(session, rules or listed.rules, None, listed.unit, Given(rules_hash))
    return {
        "format": INSPECTION_FORMAT,
        "purpose": purpose,
        "unit": set_table(usual),
        "rules": rules_in_record(chosen),
        "way": way,
        "mirrored": False,
        "known": known_tables(known_on(session, usual)),
        "marks": [],
    }


def _readable(record: dict[str, Any]) -> Inspection:
    if record["way"] not in rulebook.inspections().ways:
        raise RefusedError("way_unknown", "way: this inspection order doesn't exist.", "way")
    return read_inspection(record, rulebook.inspections())


def begin_inspection(
    store: Store, start: InspectionBeginning, sent: Instant, by: Person, device: str | None
) -> InspectionHead:
    """Begin an inspection, or find the same one again.

    Raises NotFoundError, RefusedError, or ConflictError for an id that is another inspection's.
    """
    received_at = dt.datetime.now(dt.UTC)
    begun = {"device": start.begun.device, "epoch": start.begun.epoch, "mono_s": start.begun.mono_s}
    device_hash = secrets.token_hash(device) if device else None
    with store.transaction() as session:
        known = session.get(InspectionRow, start.id)
        if known is not None:
            part = part_in(session, known, by, device_hash)
            if known.begun != begun or known.unit_id != start.unit_id or part not in ("lead", "send"):
                raise ConflictError(
                    "inspection_id_used", "id: another inspection already has this id. Start a new one.", "id"
                )
            return _head(session, known, by, device_hash)
        unit = find_unit(session, start.unit_id)
        if unit.retired_at is not None:
            raise RefusedError("unit_retired", "This unit is archived. Choose another one.", "unit_id")
        if start.run_id is not None and session.get(RunRow, start.run_id) is None:
            raise NotFoundError("run_unknown", "This test doesn't exist.", "run_id")
        usual = set_of(session, unit)
        record = _record(session, unit, usual, start.way, start.rules, start.purpose, start.rules_hash)
        readable = _readable(record)
        if readable.own_rules is not None:
            save_rules(session, readable.own_rules)
        state = state_of(readable)
        ago = min(seconds_ago(start.begun, sent), OFFLINE_FOR.total_seconds())
        row = InspectionRow(
            id=start.id,
            unit_id=unit.id,
            unit=record["unit"],
            run_id=start.run_id,
            rules=readable.rules,
            rules_hash=readable.own_rules.content_hash if readable.own_rules else None,
            way=start.way,
            mirrored=start.mirrored,
            purpose=start.purpose,
            driver=seen_of(start.driver) or by.name,
            known=record["known"],
            started_at=received_at - dt.timedelta(seconds=ago),
            begun=begun,
            person_id=by.id,
            device_hash=device_hash,
            last_seq=0,
            received_at=received_at,
            figures=figures_of(state),
            defects={},
            demo=False,
        )
        session.add(row)
        session.flush()
        session.add(clock_of(INSPECTIONS, row.id, start.begun, map_begun(start.begun.mono_s)))
        return _head(session, row, by, device_hash)


def _head(
    session: Session, row: InspectionRow, by: Person | None = None, device_hash: str | None = None
) -> InspectionHead:
    begun_by = session.scalar(select(PersonRow.name).where(PersonRow.id == row.person_id)) or row.driver
    helping = (
        select(PersonRow.name)
        .join(InspectionMemberRow, InspectionMemberRow.person_id == PersonRow.id)
        .where(InspectionMemberRow.inspection_id == row.id)
        .order_by(InspectionMemberRow.joined_at)
    )
    part = part_in(session, row, by, device_hash) if by is not None else None
    return head_of(row, begun_by, list(session.scalars(helping)), part)


def inspection_head(
    store: Store, inspection_id: str, by: Person, device: str | None
) -> tuple[InspectionHead, dict[str, Any]]:
    """What stands beside an inspection's marks, and its record without them. Raises NotFoundError."""
    with store.transaction() as session:
        row = find_inspection(session, inspection_id)
        return _head(session, row, by, secrets.token_hash(device) if device else None), head_table(session, row)


def inspections_of(
    store: Store, by: Person, *, unit_id: str | None = None, run_id: str | None = None, going_on: bool = False
) -> list[InspectionHead]:
    """Inspections of a unit or beside an air test, or the open ones that this person may resume; the latest first."""
    query = select(InspectionRow).order_by(InspectionRow.started_at.desc()).limit(_LISTED)
    if unit_id is not None:
        query = query.where(InspectionRow.unit_id == unit_id)
    if run_id is not None:
        query = query.where(InspectionRow.run_id == run_id)
    if going_on:
        since = dt.datetime.now(dt.UTC) - OFFLINE_FOR
        query = query.where(
            InspectionRow.ended_at.is_(None), InspectionRow.started_at > since, InspectionRow.demo.is_(False)
        )
        if by.role not in participants.OVERSEERS:
            joined = select(InspectionMemberRow.inspection_id).where(InspectionMemberRow.person_id == by.id)
            query = query.where(or_(InspectionRow.person_id == by.id, InspectionRow.id.in_(joined)))
    with store.transaction() as session:
        return [_head(session, row, by) for row in session.scalars(query)]


def marks_after(store: Store, inspection_id: str, after: int) -> list[SavedMark]:
    """The inspection's marks with a sequence number above ``after``, in order. Raises NotFoundError."""
    with store.transaction() as session:
        return load_marks(session, INSPECTIONS, inspection_id, after)


def script(store: Store, inspection_id: str, words: Words) -> dict[str, Any]:
    """What a device needs to lead this inspection from here on. Raises NotFoundError."""
    with store.transaction() as session:
        record = record_of(session, find_inspection(session, inspection_id))
    return script_of(record, words)


def state(store: Store, inspection_id: str, words: Words, rules: str = "") -> dict[str, Any]:
    """How the inspection stands, worded for a reader; under another rule set where one is named.

    Raises NotFoundError, RefusedError.
    """
    with store.transaction() as session:
        row = find_inspection(session, inspection_id)
        under: Rules = _other_rules(session, row, rules) if rules else ""
        record, judged = judge_row(session, row, under)
    return state_table(record, judged, words, under)


def _other_rules(session: Session, row: InspectionRow, name: str) -> Rules:
    if name == row.rules:
        return ""
    try:
        return rules_named(session, name, dt.datetime.now(dt.UTC))
    except RuleError as error:
        raise RefusedError("choice_unknown", f"{error}.", error.field) from error


def open_record(store: Store, inspection_id: str) -> dict[str, Any]:
    """The inspection as an open record. Raises NotFoundError."""
    with store.transaction() as session:
        return record_table(session, find_inspection(session, inspection_id))


def linked_records(store: Store, run_id: str) -> list[dict[str, Any]]:
    """The open records of the inspections that were done beside an air test, in the order in which they began."""
    with store.transaction() as session:
        query = select(InspectionRow).where(InspectionRow.run_id == run_id).order_by(InspectionRow.started_at)
        return [record_table(session, row) for row in session.scalars(query)]


def make_code(store: Store, inspection_id: str, by: Person, device: str | None) -> tuple[str, dt.datetime]:
    """A code by which somebody may help, and until when; the one before it is void.

    Raises NotFoundError, ForbiddenError.
    """
    moment = dt.datetime.now(dt.UTC)
    with store.transaction() as session:
        row = find_inspection(session, inspection_id, lock=True)
        if part_in(session, row, by, secrets.token_hash(device) if device else None) != "lead":
            raise ForbiddenError(
                "not_your_inspection", "Only the person leading this inspection may let somebody join.", "inspection_id"
            )
        code = secrets.new_short_code()
        session.merge(InspectionCodeRow(inspection_id=inspection_id, code_hash=secrets.code_hash(code), made_at=moment))
    return code, moment + participants.CODE_LASTS


@dataclass(frozen=True, slots=True)
class Joined:
    """What a code was for: an inspection to help in, or an air test to watch."""

    inspection_id: str | None = None
    run_id: str | None = None


def join(store: Store, code: str, by: Person) -> Joined:
    """Join whatever a code is for: an inspection as a helper, an air test as a watcher. Joining twice is joining once.

    Raises SlowDownError, RefusedError.
    """
    trying = f"join {by.id}"
    moment = dt.datetime.now(dt.UTC)
    with store.transaction() as session:
        guess_limits.check(session, trying, None)
        kept = session.scalar(select(InspectionCodeRow).where(InspectionCodeRow.code_hash == secrets.code_hash(code)))
        if kept is not None and moment - kept.made_at <= participants.CODE_LASTS:
            row = session.get_one(InspectionRow, kept.inspection_id)
            if row.person_id != by.id:
                session.merge(InspectionMemberRow(inspection_id=row.id, person_id=by.id, joined_at=moment))
            return Joined(inspection_id=row.id)
    return Joined(run_id=participants.join(store, code, by))

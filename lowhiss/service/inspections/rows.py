"""An inspection as it lies in its rows: the set of the day, its head, put together as a record, and judged."""

from __future__ import annotations

import datetime as dt
from dataclasses import asdict, dataclass
from typing import Any, Literal

from sqlalchemy import select
from sqlalchemy.orm import Session

from lowhiss import rulebook
from lowhiss.core.errors import RecordError
from lowhiss.core.fields import Fields
from lowhiss.core.inspections import (
    INSPECTION_FORMAT,
    Inspection,
    InspectionSet,
    InspectionState,
    Known,
    Look,
    RunMark,
    Vehicle,
    read_inspection,
    read_look,
)
from lowhiss.core.run import withdrawn_ids
from lowhiss.core.status import CONSEQUENCES
from lowhiss.engine.inspections import Rules, run_marks, state_of
from lowhiss.service.errors import NotFoundError
from lowhiss.service.fleet.defects import open_defects
from lowhiss.service.fleet.units import assembled
from lowhiss.service.people.authors import Author
from lowhiss.service.people.signin import Person
from lowhiss.service.rules.saved_rules import saved_rules
from lowhiss.service.runs.participants import OVERSEERS
from lowhiss.service.runs.rows import event_rows
from lowhiss.store.fleet_models import TrailerRow, UnitRow
from lowhiss.store.inspection_models import InspectionMarkRow, InspectionMemberRow, InspectionRow
from lowhiss.store.run_models import RunRow

InspectionPart = Literal["lead", "help", "oversee", "send"]
"""``lead``: began it. ``help``: joined by code. ``oversee``: a trainer or manager; notes. ``send``: the same device."""


@dataclass(frozen=True, slots=True)
class InspectionHead:
    """What stands beside an inspection's marks. ``figures``: what lists show of it."""

    id: str
    unit_id: str
    unit_name: str
    kind: str
    trailers: list[str]
    run_id: str | None
    rules: str
    way: str
    mirrored: bool
    purpose: str
    driver: str
    started_at: dt.datetime
    last_seq: int
    ended_by: str | None
    figures: dict[str, Any]
    begun_by: str
    helpers: list[str]
    part: InspectionPart | None = None


def set_of(session: Session, unit: UnitRow) -> InspectionSet:
    """The set as it is coupled now, with everything that inspections have asked of it."""
    listed = assembled(session, unit)
    trailers = [session.get_one(TrailerRow, trailer_id) for trailer_id in listed.trailer_ids]
    return InspectionSet(
        kind=listed.unit.kind,
        power=Vehicle(unit.name, look_of(unit.look), unit.id),
        trailers=tuple(Vehicle(row.name, look_of(row.look), row.id) for row in trailers),
        circuits=listed.unit.circuits,
        gearbox=listed.power.gearbox,
        build_year=listed.power.build_year,
    )


def look_of(table: dict[str, Any] | None) -> Look:
    """What inspections have asked of a vehicle, from its row; nothing where it was kept by words no longer known."""
    if table is None:
        return Look()
    try:
        return read_look(Fields(table, "look", RecordError), rulebook.inspections())
    except RecordError:
        return Look()


def known_on(session: Session, usual: InspectionSet) -> list[Known]:
    """The open defects of the set that an inspection has found at a place; each stands first at its own."""
    vehicles = [usual.power, *usual.trailers]
    found = open_defects(session, [vehicle.id for vehicle in vehicles])
    items = rulebook.inspections().items
    return [
        Known(defect.id, defect.item, _here(defect.place, number), defect.what, defect.rated, defect.wrong)
        for number, vehicle in enumerate(vehicles)
        for defect in found.get(vehicle.id, [])
        if defect.item in items and defect.place and defect.certified_at is None
    ]


def _here(place: str, number: int) -> str:
    """A place of a trailer as it is in the set of today: it may have been another's first trailer then."""
    code, dot, rest = place.partition(".")
    if number and code[:1] == "L":
        code = f"L{number}"
    return code + dot + rest


def find_inspection(session: Session, inspection_id: str, *, lock: bool = False) -> InspectionRow:
    """The inspection's row. Raises NotFoundError."""
    row = session.get(InspectionRow, inspection_id, with_for_update=lock)
    if row is None:
        raise NotFoundError("inspection_unknown", "This inspection doesn't exist.", "inspection_id")
    return row


def part_in(
    session: Session, row: InspectionRow, by: Person | Author, device_hash: str | None
) -> InspectionPart | None:
    """The part that somebody takes in an inspection, None when none."""
    if row.person_id == by.id:
        return "lead"
    if session.get(InspectionMemberRow, (row.id, by.id)) is not None:
        return "help"
    if by.role in OVERSEERS:
        return "oversee"
    return "send" if device_hash is not None and row.device_hash == device_hash else None


def mark_rows(session: Session, inspection_id: str, after: int = 0) -> list[InspectionMarkRow]:
    """The inspection's marks above a sequence number, in order."""
    query = select(InspectionMarkRow).where(
        InspectionMarkRow.inspection_id == inspection_id, InspectionMarkRow.seq > after
    )
    return list(session.scalars(query.order_by(InspectionMarkRow.seq)))


def record_table(session: Session, row: InspectionRow) -> dict[str, Any]:
    """The round as an open record, ``low-hiss-round/1``."""
    marks = [
        {
            "at_s": round(mark.at_s, 3),
            **mark.body,
            "id": mark.id,
            "by": mark.author,
            "device": mark.device,
            "epoch": mark.epoch,
            "seq": mark.seq,
            "wall": mark.wall.isoformat(),
            **({"after_end": True} if mark.after_end else {}),
        }
        for mark in mark_rows(session, row.id)
    ]
    return {**head_table(session, row), "marks": marks}


def head_table(session: Session, row: InspectionRow) -> dict[str, Any]:
    """The record without its marks: what a device begins with."""
    rules = saved_rules(session, row.rules_hash).as_dict() if row.rules_hash else row.rules
    table: dict[str, Any] = {
        "format": INSPECTION_FORMAT,
        "id": row.id,
        "started_at": row.started_at.isoformat(),
        "purpose": row.purpose,
        "unit": row.unit,
        "rules": rules,
        "way": row.way,
        "mirrored": row.mirrored,
        "known": row.known,
        "people": {"driver": row.driver},
        "marks": [],
    }
    return {**table, "run": row.run_id} if row.run_id else table


def known_tables(known: list[Known]) -> list[dict[str, Any]]:
    """Known defects as plain values."""
    return [{**asdict(one), "wrong": list(one.wrong)} for one in known]


def record_of(session: Session, row: InspectionRow) -> Inspection:
    return read_inspection(record_table(session, row), rulebook.inspections())


def marks_of_run(session: Session, row: InspectionRow) -> list[RunMark]:
    """The marks of the air test beside which an inspection is done, at the inspection's time."""
    run = session.get(RunRow, row.run_id) if row.run_id else None
    if run is None:
        return []
    offset_s = (run.started_at - row.started_at).total_seconds()
    rows = event_rows(session, run.id)
    withdrawn = withdrawn_ids([(row.id, row.body.get("event")) for row in rows if row.type == "withdrawn"])
    events = [event for event in rows if event.id not in withdrawn]
    ordered = sorted(events, key=lambda event: (event.at_s, event.seq))
    return run_marks([{**event.body, "at_s": event.at_s} for event in ordered], offset_s)


def judge_row(session: Session, row: InspectionRow, rules: Rules = "") -> tuple[Inspection, InspectionState]:
    """The inspection's record and how it stands, under its own rule set or another."""
    record = record_of(session, row)
    return record, state_of(record, rules, marks_of_run(session, row))


def figures_of(state: InspectionState) -> dict[str, Any]:
    """What lists show of an inspection."""
    return {
        "of": len(state.items),
        "left": len(state.left),
        "complete": state.complete,
        "clear": state.clear,
        "worst": state.worst,
        "blocks": state.blocks,
        "blocking": [{"key": one.ask.key, "blocks": one.blocks} for one in state.items if one.counts and one.blocks],
        "not_right": sum(one.counts for one in state.items),
        "took_s": round(state.took_s, 1),
        "while_filling": state.while_filling,
    }


def listed_figures(saved: dict[str, Any]) -> dict[str, Any]:
    """Saved figures, with what an older version did not save: there, what meant *stay* stopped all that moves."""
    stays = saved.get("worst") == CONSEQUENCES[0]
    blocking = [{"key": "", "blocks": "roll"}] if stays else []
    return {"blocks": "roll" if stays else None, "blocking": blocking, **saved}


def head_of(
    row: InspectionRow, begun_by: str = "", helpers: list[str] | None = None, part: InspectionPart | None = None
) -> InspectionHead:
    """What stands beside the inspection's marks."""
    usual = row.unit
    return InspectionHead(
        id=row.id,
        unit_id=row.unit_id,
        unit_name=usual["name"],
        kind=usual["kind"],
        trailers=[one["name"] for one in usual["trailers"]],
        run_id=row.run_id,
        rules=row.rules,
        way=row.way,
        mirrored=row.mirrored,
        purpose=row.purpose,
        driver=row.driver,
        started_at=row.started_at,
        last_seq=row.last_seq,
        ended_by=row.ended_by,
        figures=listed_figures(row.figures),
        begun_by=begun_by,
        helpers=helpers or [],
        part=part,
    )

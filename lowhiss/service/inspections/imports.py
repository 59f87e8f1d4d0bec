"""Taking an open inspection record into the log, as one transaction."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy.orm import Session

from lowhiss import rulebook
from lowhiss.core.inspections import END_MARKS, INSPECTION_FORMAT, read_inspection, set_table
from lowhiss.service.fleet.rows import find_unit
from lowhiss.service.fleet.units import assembled
from lowhiss.service.inspections.consequences import Following
from lowhiss.service.inspections.rows import figures_of, judge_row, known_on, known_tables, set_of
from lowhiss.service.rules.saved_rules import save_rules
from lowhiss.store.inspection_models import InspectionMarkRow, InspectionRow

_BESIDE = frozenset({"at_s", "id", "by", "device", "epoch", "seq", "wall", "after_end"})


def record_for(session: Session, unit_id: str, way: str, purpose: str, driver: str) -> dict[str, Any]:
    """The head of an inspection of a unit as it is coupled now, without marks. Raises NotFoundError."""
    unit = find_unit(session, unit_id)
    usual = set_of(session, unit)
    return {
        "format": INSPECTION_FORMAT,
        "purpose": purpose,
        "unit": set_table(usual),
        "rules": assembled(session, unit).rules,
        "way": way,
        "known": known_tables(known_on(session, usual)),
        "people": {"driver": driver},
        "marks": [],
    }


def import_inspection(
    session: Session, record: dict[str, Any], unit_id: str, person_id: str, *, demo: bool = False
) -> str:
    """Keep an inspection record as an inspection of the unit, with what follows from it; returns its id.

    The record needs ``id`` and ``started_at``.  Raises CoreError for a malformed record, NotFoundError for the unit.
    """
    read = read_inspection(record, rulebook.inspections())
    find_unit(session, unit_id)
    if read.own_rules is not None:
        save_rules(session, read.own_rules)
    started_at = dt.datetime.fromisoformat(str(read.started_at))
    driver = dict(read.people).get("driver", "")
    ended = next((mark for mark in read.marks if mark.type in END_MARKS), None)
    row = InspectionRow(
        id=read.id,
        unit_id=unit_id,
        unit=record["unit"],
        run_id=None,
        rules=read.rules,
        rules_hash=read.own_rules.content_hash if read.own_rules else None,
        way=read.way,
        mirrored=read.mirrored,
        purpose=read.purpose,
        driver=driver,
        known=record.get("known", []),
        started_at=started_at,
        begun={"device": "record", "epoch": read.id, "mono_s": 0.0},
        person_id=person_id,
        last_seq=len(record["marks"]),
        received_at=started_at,
        ended_at=started_at + dt.timedelta(seconds=ended.at_s) if ended else None,
        ended_by=ended.type if ended else None,
        figures={},
        defects={},
        demo=demo,
    )
    session.add(row)
    session.flush()
    for place, mark in enumerate(record["marks"], 1):
        at = started_at + dt.timedelta(seconds=mark["at_s"])
        session.add(
            InspectionMarkRow(
                inspection_id=row.id,
                seq=place,
                id=mark["id"],
                type=mark["type"],
                device=mark.get("device", "record"),
                epoch=read.id,
                device_seq=place,
                mono_s=mark["at_s"],
                wall=at,
                at_s=mark["at_s"],
                author=mark.get("by") or driver,
                author_id=person_id,
                body={key: value for key, value in mark.items() if key not in _BESIDE},
                received_at=at,
            )
        )
    session.flush()
    kept, state = judge_row(session, row)
    row.figures = figures_of(state)
    Following(session, row, kept, state).follow(kept.marks)
    session.flush()
    return row.id

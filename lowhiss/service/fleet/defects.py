"""Defects as they lie in their rows: folded by the core from the acts on a part and the tests after them."""

from __future__ import annotations

import datetime as dt
from typing import Any, cast

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from lowhiss import rulebook
from lowhiss.core.stages import STAGES
from lowhiss.core.status import Defect, Rating, UnitPart, defects_of
from lowhiss.service.fleet.holds import acts_on, tested_sets
from lowhiss.service.fleet.rows import couplings_of
from lowhiss.service.fleet.unit_rules import defaults_of
from lowhiss.service.fleet.units import listed_unit
from lowhiss.service.rules.editions import inspection_tables
from lowhiss.store.fleet_models import CouplingRow, OpenDefectRow, RunTrailerRow, UnitRow
from lowhiss.store.run_models import RunRow


def folded_defects(session: Session, part: UnitPart) -> list[Defect]:
    """Every defect that was ever reported of a part, the oldest first."""
    acts = acts_on(session, [part.id])
    seen = [act.at for act in acts if act.type == "defect_seen"]
    if not seen:
        return []
    # only what was mended asks for tests after it
    repaired = [act.at for act in acts if act.type in ("repaired", "defect_fixed")]
    if part.kind == "unit":
        which: Any = RunRow.unit_id == part.id
    else:
        which = RunRow.id.in_(select(RunTrailerRow.run_id).where(RunTrailerRow.trailer_id == part.id))
    tests = tested_sets(session, which, min(repaired) - dt.timedelta(days=1)) if repaired else []
    return defects_of(part, acts, tests, inspection_tables(session).consequences, rules_for(session, part))


def rules_for(session: Session, part: UnitPart) -> str:
    """The rule set whose consequences hold for a part: a trailer's are those of the unit that pulls it."""
    unit = part.id
    if part.kind == "trailer":
        unit = session.scalar(select(CouplingRow.unit_id).where(CouplingRow.trailer_id == part.id)) or ""
    row = session.get(UnitRow, unit)
    if row is None:
        return rulebook.rule_set_ids()[0]
    return listed_unit(row, couplings_of(session, row.id).get(row.id, []), defaults_of(session)).rules


def refold_defects(session: Session, part: UnitPart) -> list[Defect]:
    """Fold the defects of a part anew, and keep those that are not closed, or not read by a driver since."""
    defects = folded_defects(session, part)
    kept = [defect for defect in defects if not defect.teaching and (not defect.closed or defect.unread)]
    open_ones = [_record(defect) for defect in kept]
    row = session.get(OpenDefectRow, part.id)
    if not open_ones:
        session.execute(delete(OpenDefectRow).where(OpenDefectRow.part_id == part.id))
    elif row is None:
        session.add(OpenDefectRow(part_id=part.id, part_kind=part.kind, body=open_ones))
    else:
        row.body = open_ones
    session.flush()
    return defects


def open_defects(session: Session, part_ids: list[str] | None = None) -> dict[str, list[Defect]]:
    """The defects that are not closed or not read yet, by part; of every part where none are named."""
    query = select(OpenDefectRow)
    if part_ids is not None:
        query = query.where(OpenDefectRow.part_id.in_(part_ids))
    return {
        row.part_id: [_defect(UnitPart(cast(Any, row.part_kind), row.part_id), one) for one in row.body]
        for row in session.scalars(query)
    }


def _record(defect: Defect) -> dict[str, Any]:
    return {
        "id": defect.id,
        "seen_at": defect.seen_at.isoformat(),
        "by": defect.by,
        "group": defect.group,
        "finding": defect.finding,
        "what": defect.what,
        "where": defect.where,
        "run": defect.run_id,
        "item": defect.item,
        "place": defect.place,
        "round": defect.inspection_id,
        "wrong": list(defect.wrong),
        "measured": list(defect.measured) if defect.measured else None,
        "ratings": [[one.at.isoformat(), one.by, one.consequence, one.reason] for one in defect.ratings],
        "state": defect.state,
        "taken_by": defect.taken_by,
        "certified_at": defect.certified_at.isoformat() if defect.certified_at else None,
        "certified_by": defect.certified_by,
        "said": defect.said,
        "recheck": list(defect.recheck),
        "recheck_item": defect.recheck_item,
        "trip_over_at": defect.trip_over_at.isoformat() if defect.trip_over_at else None,
        "acknowledged": [[by, at.isoformat()] for by, at in defect.acknowledged],
    }


def _defect(part: UnitPart, body: dict[str, Any]) -> Defect:
    def moment(key: str) -> dt.datetime | None:
        return dt.datetime.fromisoformat(body[key]) if body[key] else None

    return Defect(
        id=body["id"],
        part=part,
        seen_at=dt.datetime.fromisoformat(body["seen_at"]),
        by=body["by"],
        group=body["group"],
        finding=body["finding"],
        what=body["what"],
        where=body["where"],
        run_id=body["run"],
        item=body.get("item", ""),
        place=body.get("place", ""),
        inspection_id=body.get("round", ""),
        wrong=tuple(body.get("wrong", ())),
        measured=(body["measured"][0], body["measured"][1]) if body.get("measured") else None,
        teaching=False,
        ratings=tuple(Rating(dt.datetime.fromisoformat(at), *rest) for at, *rest in body["ratings"]),
        state=body["state"],
        taken_by=body["taken_by"],
        certified_at=moment("certified_at"),
        certified_by=body["certified_by"],
        said=body["said"],
        recheck=tuple(stage for stage in STAGES if stage in body["recheck"]),
        recheck_item=bool(body.get("recheck_item")),
        trip_over_at=moment("trip_over_at"),
        acknowledged=tuple((by, dt.datetime.fromisoformat(at)) for by, at in body["acknowledged"]),
    )

"""What a seal covers: every row that a report was made from, column by column, as plain values."""

from __future__ import annotations

import datetime as dt
import hashlib
from collections.abc import Iterable, Mapping
from typing import Any

from sqlalchemy import ColumnElement, or_, select, tuple_
from sqlalchemy.orm import Session

from lowhiss.core.judge import RunVerdict
from lowhiss.core.words import Words, verdict_record
from lowhiss.service.inspections.rows import record_table
from lowhiss.service.rules.saved_rules import saved_rules
from lowhiss.service.runs.rows import judge_row, record_of
from lowhiss.service.runs.verdicts import core_version
from lowhiss.store.base import Base
from lowhiss.store.fleet_models import ActRow, PhotoFileRow, PhotoRow, RunTrailerRow
from lowhiss.store.inspection_models import InspectionMarkRow, InspectionRow
from lowhiss.store.installation_models import RuleSetRow
from lowhiss.store.learning_models import ExaminationRow
from lowhiss.store.run_models import ClockRow, EventRow, RunRow, TracePartRow, VerdictRow
from lowhiss.store.seal_models import SignatureRow

GROWS: dict[type[Base], frozenset[str]] = {
    RunRow: frozenset({"last_seq", "outcome", "close_call", "stale", "sealed"}),
    VerdictRow: frozenset(
        {"last_seq", "core_version", "overall", "outcome", "close_call", "figures", "differs", "looked"}
    ),
    InspectionRow: frozenset({"last_seq", "figures", "defects", "ended_at", "ended_by", "received_at"}),
    RuleSetRow: frozenset({"kept_at"}),
}
"""Columns of covered rows that go on changing after a report is sealed; what they say is held against its result."""
_PLAIN = Words("en", "psi")


def sealed_content(session: Session, run: RunRow) -> dict[str, Any]:
    """Everything of a seal that is about its run, as it stands now."""
    verdict = judge_row(session, run)
    inspections = session.scalars(
        select(InspectionRow).where(InspectionRow.run_id == run.id).order_by(InspectionRow.started_at)
    ).all()
    upto = {"event": run.last_seq, **{row.id: row.last_seq for row in inspections}}
    kept = saved_rows(session, run, upto)
    return {
        "run": run.id,
        "upto": upto,
        "record": plain({**record_of(session, run), "rounds": [record_table(session, row) for row in inspections]}),
        "rules": plain(saved_rules(session, run.rules_hash).as_dict()),
        "verdict": plain(verdict_record(verdict, _PLAIN)),
        "result": result_of(session, run, verdict),
        "core": core_version(),
        "photographs": sorted({one["hash"] for one in kept["photo"]}),
        "rows": kept,
    }


def result_of(session: Session, run: RunRow, verdict: RunVerdict) -> dict[str, Any]:
    """How the run came out: as it is listed, and as its marks are judged."""
    row = session.get(VerdictRow, (run.id, run.rules_hash))
    if row is None:
        return {"outcome": run.outcome, "close_call": run.close_call, "judged": verdict.headline, "kept": None}
    kept = {
        "overall": row.overall,
        "outcome": row.outcome,
        "close_call": row.close_call,
        "figures": plain(row.figures),
    }
    return {"outcome": run.outcome, "close_call": run.close_call, "judged": verdict.headline, "kept": kept}


def saved_rows(session: Session, run: RunRow, upto: Mapping[str, int]) -> dict[str, list[dict[str, Any]]]:
    """Every covered row, by its table. upto : the last mark that counts, of the run (``event``) and each inspection."""
    inspections = [inspection_id for inspection_id in upto if inspection_id != "event"]
    events = _dumped(session, EventRow, EventRow.run_id == run.id, EventRow.seq <= upto["event"])
    pages = {(event["device"], event["epoch"]) for event in events}
    begun = run.begun
    pages.add((begun.get("device", ""), begun.get("epoch", "")))
    marks = [
        mark
        for inspection_id in inspections
        for mark in _dumped(
            session,
            InspectionMarkRow,
            InspectionMarkRow.inspection_id == inspection_id,
            InspectionMarkRow.seq <= upto[inspection_id],
        )
    ]
    acts = _acts(session, run, inspections)
    photos = _dumped(session, PhotoRow, PhotoRow.act_id.in_([act["id"] for act in acts])) if acts else []
    files = {photo["hash"] for photo in photos}
    return {
        "run": _dumped(session, RunRow, RunRow.id == run.id),
        "event": events,
        "clock": _dumped(
            session, ClockRow, ClockRow.run_id == run.id, tuple_(ClockRow.device, ClockRow.epoch).in_(sorted(pages))
        ),
        "run_trailer": _dumped(session, RunTrailerRow, RunTrailerRow.run_id == run.id),
        "trace_part": _dumped(session, TracePartRow, TracePartRow.run_id == run.id),
        "verdict": _dumped(session, VerdictRow, VerdictRow.run_id == run.id, VerdictRow.rules_hash == run.rules_hash),
        "rule_set": _dumped(session, RuleSetRow, RuleSetRow.hash == run.rules_hash),
        "round": _dumped(session, InspectionRow, InspectionRow.id.in_(inspections)) if inspections else [],
        "round_mark": marks,
        "act": acts,
        "photo": photos,
        "photo_file": _dumped(session, PhotoFileRow, PhotoFileRow.hash.in_(sorted(files))) if files else [],
        "examination": _dumped(session, ExaminationRow, ExaminationRow.run_id == run.id),
        "signature": _dumped(session, SignatureRow, SignatureRow.run_id == run.id),
    }


def _acts(session: Session, run: RunRow, inspections: Iterable[str]) -> list[dict[str, Any]]:
    """What was reported in this run or its inspections."""
    trailers = session.scalars(select(RunTrailerRow.trailer_id).where(RunTrailerRow.run_id == run.id))
    of = {run.id, *inspections}
    part = or_(*(ActRow.part_id == one for one in (run.unit_id, *trailers)))
    found = _dumped(session, ActRow, part, ActRow.received_at >= run.started_at - _EARLIER)
    return [act for act in found if {act["body"].get("run"), act["body"].get("round")} & of]


_EARLIER = dt.timedelta(days=1)
"""An inspection beside a test is begun before it."""


_SEALED_AS = {"inspection_id": "round_id"}
"""What was sealed keeps its names: a column that was renamed since is covered under the one it had."""


def _dumped(session: Session, model: type[Base], *conditions: ColumnElement[bool]) -> list[dict[str, Any]]:
    """Rows as plain values, in order of their key; asked of the table itself, not of what this session knows."""
    table = model.__table__
    left_out = GROWS.get(model, frozenset())
    columns = [column for column in table.columns if column.name not in left_out]
    query = select(*columns).where(*conditions).order_by(*(one for one in table.columns if one.primary_key))
    return [
        {_SEALED_AS.get(column.name, column.name): plain(value) for column, value in zip(columns, row, strict=True)}
        for row in session.execute(query)
    ]


def plain(value: Any) -> Any:
    """A value as JSON has it: instants as text, bytes and long texts by their hash."""
    if isinstance(value, dt.datetime):
        return value.isoformat()
    if isinstance(value, bytes):
        return hashlib.sha256(value).hexdigest()
    if isinstance(value, str) and len(value) > _LONG:
        return f"sha256:{hashlib.sha256(value.encode()).hexdigest()}"
    if isinstance(value, dict):
        return {str(key): plain(one) for key, one in value.items()}
    if isinstance(value, list | tuple):
        return [plain(one) for one in value]
    return value


_LONG = 20_000

"""The trace desk: a recording is read and kept by its hash, and judged as often as somebody moves a boundary."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from sqlalchemy import func, select
from sqlalchemy.orm import Session, defer

from lowhiss import rulebook
from lowhiss.core.errors import CoreError
from lowhiss.core.procedure import Procedure
from lowhiss.core.rules import RuleSet
from lowhiss.core.trace_thinning import stretches
from lowhiss.core.vehicle import UNIT_KINDS, Unit
from lowhiss.core.words import Words, verdict_record
from lowhiss.engine.judge_record import hints_for
from lowhiss.engine.recorded import Recorded, found_table, judge_recording
from lowhiss.engine.simulation import spec_named
from lowhiss.exchange.recordings import Read
from lowhiss.sandbox.recordings import read_upload
from lowhiss.service.errors import NotFoundError, RefusedError
from lowhiss.service.fleet.rows import find_unit
from lowhiss.service.fleet.units import assembled
from lowhiss.service.people.signin import Person
from lowhiss.service.rules.editions import procedure_named, procedures_now, rules_named
from lowhiss.service.runs.run_feeds import feed_text, marks_compared
from lowhiss.service.traces.samples import packed, unpacked
from lowhiss.store.engine import Store
from lowhiss.store.people_models import PersonRow
from lowhiss.store.trace_models import RecordingPartRow, RecordingRow
from lowhiss.trace import Recording, find_sessions
from lowhiss.trace import Session as Stretch
from lowhiss.trace.recording import COARSE_PSI

_LISTED = 50
_MOST_SAVED = 15 * 1024 * 1024
_MOST_SESSIONS = 500


@dataclass(frozen=True, slots=True)
class SavedRecording:
    """A recording as a list shows it. ``settled``: of how many of its sessions somebody said what they are."""

    id: str
    name: str
    format: str
    columns: dict[str, str]
    sent_by: str
    sent_at: dt.datetime
    began_at: dt.datetime | None
    sessions: int
    settled: int
    run_id: str | None


@dataclass(frozen=True, slots=True)
class JudgeRequest:
    """How a recording is to be judged.

    unit_id : a unit of the yard, as it is coupled now; else ``kind``.  rules : by the unit's own where None.
    session : from 1.  moved : by the place of a stage, where somebody put it.
    """

    kind: str
    rules: str | None
    procedure: str | None
    session: int
    moved: Mapping[int, tuple[float, float]]
    unit_id: str | None = None


@dataclass(frozen=True, slots=True)
class Judged:
    """A stretch of a recording, judged. guessed : nobody named its order of work."""

    row: RecordingRow
    whole: Recording
    sessions: Sequence[Stretch]
    span: Stretch
    part: Recording
    unit: Unit
    rules: RuleSet
    found: Recorded
    guessed: bool


def save(
    store: Store, by: Person, name: str, data: bytes, chosen: Mapping[str, str]
) -> tuple[SavedRecording, list[str]]:
    """Read a file and keep its samples; the same file again is the same recording. Also what its columns are called.

    Raises CoreError, RefusedError.
    """
    read = read_upload(name, data, chosen)
    return save_read(store, by, name, read), list(read.names)


def save_feed(store: Store, by: Person, run_id: str) -> SavedRecording:
    """A test's own live feed as a recording. Raises NotFoundError, RefusedError where it had none."""
    name, text = feed_text(store, run_id)
    if not text:
        raise RefusedError("no_feed", "run_id: this test has no live feed.", "run_id")
    return save_read(store, by, name, read_upload(name, text), run_id)


def save_read(store: Store, by: Person, name: str, read: Read, run_id: str | None = None) -> SavedRecording:
    """Keep what was read of a file. Raises RefusedError."""
    samples = packed(read.recording)
    if len(samples) > _MOST_SAVED:
        raise RefusedError(
            "recording_long", "file: this recording is too long. Cut it to the days that matter.", "file"
        )
    sessions = len(find_sessions(read.recording))
    with store.transaction() as session:
        row = save_row(session, by.id, name, read.format, read.sha256, dict(read.columns), samples)
        row.began_at, row.sessions, row.run_id = read.recording.began_at, sessions, run_id or row.run_id
        session.flush()
        return _listed(session, select(RecordingRow).where(RecordingRow.sha256 == row.sha256))[0]


def save_row(
    session: Session, by_id: str, name: str, format_name: str, sha256: str, columns: dict[str, str], samples: bytes
) -> RecordingRow:
    """The row of a recording, new or as it is kept already."""
    row = session.get(RecordingRow, sha256, with_for_update=True)
    if row is None:
        row = RecordingRow(sha256=sha256, sent_by=by_id, sent_at=dt.datetime.now(dt.UTC))
        session.add(row)
    row.name, row.format, row.columns, row.samples = name[:120], format_name, columns, samples
    return row


def listed(store: Store) -> list[SavedRecording]:
    with store.transaction() as session:
        return _listed(session, select(RecordingRow).order_by(RecordingRow.sent_at.desc()).limit(_LISTED))


def one(store: Store, recording_id: str) -> SavedRecording:
    """One recording. Raises NotFoundError."""
    with store.transaction() as session:
        find_recording(session, recording_id)
        return _listed(session, select(RecordingRow).where(RecordingRow.sha256 == recording_id))[0]


def _listed(session: Session, query: Any) -> list[SavedRecording]:
    rows = session.scalars(query.options(defer(RecordingRow.samples))).all()
    ids = [row.sha256 for row in rows]
    parts = select(RecordingPartRow.sha256, func.count()).where(RecordingPartRow.sha256.in_(ids))
    settled = {row[0]: row[1] for row in session.execute(parts.group_by(RecordingPartRow.sha256))}
    people = select(PersonRow.id, PersonRow.name).where(PersonRow.id.in_({row.sent_by for row in rows}))
    names = {row.id: row.name for row in session.execute(people)}
    return [
        SavedRecording(
            id=row.sha256,
            name=row.name,
            format=row.format,
            columns=row.columns,
            sent_by=names[row.sent_by],
            sent_at=row.sent_at,
            began_at=row.began_at,
            sessions=row.sessions,
            settled=settled.get(row.sha256, 0),
            run_id=row.run_id,
        )
        for row in rows
    ]


def judge(store: Store, recording_id: str, asked: JudgeRequest, words: Words) -> dict[str, Any]:
    """A recording's stages, thinned needles and verdict. Raises NotFoundError, RefusedError, CoreError."""
    with store.transaction() as session:
        judged = judged_part(session, recording_id, asked)
        sessions = _sessions_table(session, judged)
    found = judged.found.found
    marks = marks_compared(store, judged.row.run_id) if judged.row.run_id else []
    return {
        "from_s": judged.span.from_s,
        "to_s": judged.span.to_s,
        "sessions": sessions,
        "procedure": found.procedure.id,
        "rules": judged.rules.id,
        "step_psi": round(found.step_psi, 3) if found.step_psi >= COARSE_PSI else 0.0,
        "stages": found_table(found),
        "needles": _needles(judged.part),
        "whole": _needles(judged.whole) if len(sessions) > 1 else [],
        "marks": marks,
        "verdict": verdict_record(judged.found.verdict, words, hints_for([judged.found.verdict])),
    }


def judged_part(session: Session, recording_id: str, asked: JudgeRequest) -> Judged:
    """A stretch of a recording, judged as it was asked. Raises NotFoundError, RefusedError, CoreError."""
    row = find_recording(session, recording_id)
    whole = unpacked(row.samples)
    sessions = find_sessions(whole)
    span = span_of(sessions, asked.session)
    part = whole.between(span.from_s, span.to_s)
    unit, rules, named, orders = tested_as(session, asked)
    found = judge_recording(part, rules, unit, named, asked.moved, orders)
    return Judged(row, whole, sessions, span, part, unit, rules, found, named is None)


def find_recording(session: Session, recording_id: str) -> RecordingRow:
    """Its row. Raises NotFoundError."""
    row = session.get(RecordingRow, recording_id)
    if row is None:
        raise NotFoundError("recording_unknown", "recording_id: this recording doesn't exist.", "recording_id")
    return row


def span_of(sessions: Sequence[Stretch], place: int) -> Stretch:
    """A session by its place from 1. Raises RefusedError."""
    if not 1 <= place <= len(sessions):
        raise RefusedError("session_unknown", f"session: this recording has {len(sessions)}.", "session")
    return sessions[place - 1]


def tested_as(session: Session, asked: JudgeRequest) -> tuple[Unit, RuleSet, Procedure | None, list[Procedure]]:
    """The vehicle, the rules, the order that was named, and every order that it may be.

    Raises NotFoundError, RefusedError.
    """
    now = dt.datetime.now(dt.UTC)
    rules = asked.rules
    if asked.unit_id is not None:
        known = assembled(session, find_unit(session, asked.unit_id))
        unit, rules = known.unit, rules or known.rules
    elif asked.kind in UNIT_KINDS:
        unit = spec_named(asked.kind).unit
    else:
        raise RefusedError(
            "kind_unknown", f"kind: {asked.kind[:40]!r} doesn't exist; choose one of {', '.join(UNIT_KINDS)}.", "kind"
        )
    try:
        chosen = rules_named(session, rules or rulebook.rule_set_ids()[0], now)
        named = procedure_named(session, asked.procedure, now) if asked.procedure else None
    except CoreError as error:
        raise RefusedError("choice_unknown", f"{error}.", error.field) from error
    return unit, chosen, named, procedures_now(session, now)


def parts_of(session: Session, recording_id: str) -> list[RecordingPartRow]:
    """What somebody said that stretches of a recording are."""
    return list(session.scalars(select(RecordingPartRow).where(RecordingPartRow.sha256 == recording_id)))


def part_at(parts: Sequence[RecordingPartRow], span: Stretch) -> RecordingPartRow | None:
    """What was said of the stretch that holds the middle of this one."""
    middle = (span.from_s + span.to_s) / 2
    return next((one for one in parts if one.from_s <= middle <= one.to_s), None)


def _sessions_table(session: Session, judged: Judged) -> list[dict[str, Any]]:
    parts = parts_of(session, judged.row.sha256)
    table = []
    for span in judged.sessions[:_MOST_SESSIONS]:
        said = part_at(parts, span)
        state = "open" if said is None else "run" if said.run_id else "no_test"
        began_at = judged.whole.began_at or judged.row.began_at
        table.append(
            {
                "from_s": span.from_s,
                "to_s": span.to_s,
                "began_at": None if began_at is None else began_at + dt.timedelta(seconds=span.from_s),
                "state": state,
                "run_id": said.run_id if said else None,
            }
        )
    return table


def _needles(part: Recording) -> list[dict[str, Any]]:
    frames = (
        {"at_s": at_s, **{f"{name}_psi": float(psi[n]) for name, psi in part.needles.items() if np.isfinite(psi[n])}}
        for n, at_s in enumerate(part.t_s.tolist())
    )
    drawn = stretches(frames, float(part.t_s[0]), float(part.t_s[-1]))
    return [
        {"needle": one.needle, "at_s": [round(at, 2) for at in one.at_s], "psi": [round(psi, 2) for psi in one.psi]}
        for one in drawn
    ]

"""The trace desk: a recording is read and kept by its hash, and judged as often as somebody moves a boundary."""

from __future__ import annotations

import datetime as dt
import functools
import io
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import defer

from lowhiss import rulebook
from lowhiss.core.trace_thinning import stretches
from lowhiss.core.vehicle import UNIT_KINDS
from lowhiss.core.words import Words, verdict_record
from lowhiss.engine.judging import hints_for
from lowhiss.engine.recorded import found_table, judge_recording
from lowhiss.engine.simulating import spec_named
from lowhiss.exchange.recordings import read_bytes
from lowhiss.service.errors import NotFoundError, RefusedError
from lowhiss.service.people.signin import Person
from lowhiss.store.engine import Store
from lowhiss.store.models import PersonRow
from lowhiss.store.trace_models import RecordingRow
from lowhiss.trace import Recording, find_sessions
from lowhiss.trace.recording import COARSE_PSI, GRID_HZ, grid_of

_LISTED = 50
_MOST_KEPT = 15 * 1024 * 1024


@dataclass(frozen=True, slots=True)
class Kept:
    """A recording as a list shows it."""

    id: str
    name: str
    format: str
    columns: dict[str, str]
    sent_by: str
    sent_at: dt.datetime


@dataclass(frozen=True, slots=True)
class Asked:
    """How a recording is to be judged. session : from 1.  moved : by the place of a stage, where somebody put it."""

    kind: str
    rules: str
    procedure: str | None
    session: int
    moved: Mapping[int, tuple[float, float]]


def keep(store: Store, by: Person, name: str, data: bytes, chosen: Mapping[str, str]) -> Kept:
    """Read a file and keep its samples; the same file again is the same recording. Raises CoreError, RefusedError."""
    read = read_bytes(name, data, chosen)
    samples = _packed(read.recording)
    if len(samples) > _MOST_KEPT:
        raise RefusedError(
            "recording_long", "file: is too long to be kept whole: cut it to the days that matter.", "file"
        )
    with store.transaction() as session:
        row = session.get(RecordingRow, read.sha256, with_for_update=True)
        if row is None:
            row = RecordingRow(sha256=read.sha256, sent_by=by.id, sent_at=dt.datetime.now(dt.UTC))
            session.add(row)
        row.name, row.format, row.columns, row.samples = name[:120], read.format, dict(read.columns), samples
        session.flush()
        return _kept(row, session.get_one(PersonRow, row.sent_by).name)


def listed(store: Store) -> list[Kept]:
    """The latest recordings."""
    found = select(RecordingRow, PersonRow.name).join(PersonRow, PersonRow.id == RecordingRow.sent_by)
    found = found.options(defer(RecordingRow.samples)).order_by(RecordingRow.sent_at.desc()).limit(_LISTED)
    with store.transaction() as session:
        return [_kept(row, name) for row, name in session.execute(found)]


def judge(store: Store, recording_id: str, asked: Asked, words: Words) -> dict[str, Any]:
    """A recording's stages, thinned needles and verdict. Raises NotFoundError, RefusedError, CoreError."""
    if asked.kind not in UNIT_KINDS:
        raise RefusedError("kind_unknown", f"kind: is {asked.kind[:40]!r}; there are {', '.join(UNIT_KINDS)}.", "kind")
    with store.transaction() as session:
        row = session.get(RecordingRow, recording_id)
        if row is None:
            raise NotFoundError("recording_unknown", "recording_id: there is no such recording.", "recording_id")
        whole = _unpacked(row.samples)
    sessions = find_sessions(whole)
    if not 1 <= asked.session <= len(sessions):
        raise RefusedError("session_unknown", f"session: there are {len(sessions)}.", "session")
    span = sessions[asked.session - 1]
    part = whole.between(span.from_s, span.to_s)
    procedure = rulebook.procedure(asked.procedure) if asked.procedure else None
    judged = judge_recording(part, rulebook.rule_set(asked.rules), spec_named(asked.kind).unit, procedure, asked.moved)
    step_psi = judged.found.step_psi
    return {
        "from_s": span.from_s,
        "to_s": span.to_s,
        "sessions": len(sessions),
        "procedure": judged.found.procedure.id,
        "step_psi": round(step_psi, 3) if step_psi >= COARSE_PSI else 0.0,
        "stages": found_table(judged.found),
        "needles": _needles(part),
        "verdict": verdict_record(judged.verdict, words, hints_for([judged.verdict])),
    }


def _needles(part: Recording) -> list[dict[str, Any]]:
    frames = (
        {"at_s": at_s, **{f"{name}_psi": float(psi[n]) for name, psi in part.needles.items()}}
        for n, at_s in enumerate(part.t_s.tolist())
    )
    drawn = stretches(frames, float(part.t_s[0]), float(part.t_s[-1]))
    return [
        {"needle": one.needle, "at_s": [round(at, 2) for at in one.at_s], "psi": [round(psi, 2) for psi in one.psi]}
        for one in drawn
    ]


def _packed(recording: Recording) -> bytes:
    """As it came, or ten a second where it came finer: what is coarse must stay as its sender told it."""
    if float(np.median(np.diff(recording.t_s))) < 1 / GRID_HZ:
        grid = grid_of(recording)
        t_s, needles, flags = grid.t_s[grid.known], grid.needles, grid.flags
        needles, flags = ({name: one[grid.known] for name, one in of.items()} for of in (needles, flags))
    else:
        t_s, needles, flags = recording.t_s, recording.needles, recording.flags
    arrays = {f"n_{name}": psi.astype(np.float32) for name, psi in needles.items()}
    arrays |= {f"f_{name}": flag.astype(np.int8) for name, flag in flags.items()}
    out = io.BytesIO()
    np.savez_compressed(out, allow_pickle=False, t_s=t_s, **arrays)
    return out.getvalue()


@functools.lru_cache(maxsize=8)
def _unpacked(samples: bytes) -> Recording:
    """The arrays of a recording; the latest few stay at hand, so that a moved boundary is measured at once."""
    with np.load(io.BytesIO(samples)) as arrays:
        of = {name: np.asarray(arrays[name], np.float64) for name in arrays.files}
    return Recording(
        of["t_s"],
        {name.removeprefix("n_"): one for name, one in of.items() if name.startswith("n_")},
        {name.removeprefix("f_"): one for name, one in of.items() if name.startswith("f_")},
    )


def _kept(row: RecordingRow, name: str) -> Kept:
    return Kept(row.sha256, row.name, row.format, row.columns, name, row.sent_at)

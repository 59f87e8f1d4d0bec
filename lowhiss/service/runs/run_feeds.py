"""Live pressure feeds: a token for one unit, and the trace kept with the run that is under way."""

from __future__ import annotations

import datetime as dt
import json
import math
import re
from collections.abc import Iterator, Sequence
from typing import Any

from sqlalchemy import func, select, tuple_
from sqlalchemy.orm import Session

from lowhiss.core.trace_thinning import Stretch, stretches
from lowhiss.core.vehicle import Unit
from lowhiss.engine.feed_comparison import as_tables, compare_marks
from lowhiss.service.errors import RefusedError
from lowhiss.service.fleet.rows import find_unit
from lowhiss.service.fleet.units import assembled
from lowhiss.service.people import secrets
from lowhiss.service.runs.rows import find_run, record_of
from lowhiss.store.engine import Store
from lowhiss.store.fleet_models import UnitRow
from lowhiss.store.run_models import FeedTokenRow, RunRow, TracePartRow

_UNDER_WAY = dt.timedelta(hours=4)
"""A run that began longer ago is not what a feed shows now."""


def make_feed_token(store: Store, unit_id: str) -> str:
    """A token by which one sender may feed this unit; the one before it is void. Raises NotFoundError."""
    token = secrets.new_token()
    with store.transaction() as session:
        find_unit(session, unit_id)
        session.merge(
            FeedTokenRow(unit_id=unit_id, token_hash=secrets.token_hash(token), made_at=dt.datetime.now(dt.UTC))
        )
    return token


def fed_unit(store: Store, token: str) -> tuple[str, Unit] | None:
    """The unit that a token feeds, as it is coupled now; None for a token that is not known."""
    with store.transaction() as session:
        kept = session.scalar(select(FeedTokenRow).where(FeedTokenRow.token_hash == secrets.token_hash(token)))
        if kept is None:
            return None
        return kept.unit_id, assembled(session, find_unit(session, kept.unit_id)).unit


def save_frames(store: Store, unit_id: str, began_at: dt.datetime, frames: Sequence[dict[str, Any]]) -> bool:
    """Keep frames with the unit's run that is under way; without one they are not kept. Whether they were."""
    with store.transaction() as session:
        # by our own clock: the sender's may have jumped
        run_id = _under_way(session, unit_id, dt.datetime.now(dt.UTC))
        if run_id is None:
            return False
        lines = "\n".join(json.dumps(frame, separators=(",", ":")) for frame in frames)
        session.add(TracePartRow(run_id=run_id, began_at=began_at, frames=lines))
        return True


_PARTS_AT_ONCE = 8
_SENDER_S = re.compile(r'"t_s":([0-9.eE+-]+)')


def trace_parts(store: Store, run_id: str) -> Iterator[list[str]]:
    """The feed's frames that were kept with a run, in order, some at a time, each as the JSON text of one frame.

    Every frame has ``at_s``, the run's time, put before what its sender said. A long trace is never held whole.
    Raises NotFoundError.
    """
    with store.transaction() as session:
        started_at = find_run(session, run_id).started_at
    after: tuple[dt.datetime, int] | None = None
    while True:
        query = select(TracePartRow).where(TracePartRow.run_id == run_id)
        if after is not None:
            query = query.where(tuple_(TracePartRow.began_at, TracePartRow.id) > after)
        query = query.order_by(TracePartRow.began_at, TracePartRow.id).limit(_PARTS_AT_ONCE)
        with store.transaction() as session:
            parts = session.scalars(query).all()
        if not parts:
            return
        after = (parts[-1].began_at, parts[-1].id)
        for part in parts:
            lines = part.frames.splitlines()
            offset_s = (part.began_at - started_at).total_seconds() - _sender_s(lines[0])
            yield [f'{{"at_s":{round(_sender_s(line) + offset_s, 3)},{line[1:]}' for line in lines]


def _sender_s(line: str) -> float:
    found = _SENDER_S.search(line)
    assert found is not None, "frames are kept with their sender's time"
    return float(found[1])


def needles_of(store: Store, run_id: str) -> list[Stretch]:
    """What the needles showed over a run, for a chart: its kept trace in stretches. Raises NotFoundError."""
    with store.transaction() as session:
        started_at = find_run(session, run_id).started_at
        ends = select(func.min(TracePartRow.began_at), func.max(TracePartRow.began_at))
        row = session.execute(ends.where(TracePartRow.run_id == run_id)).one()
    first: dt.datetime | None = row[0]
    last: dt.datetime | None = row[1]
    if first is None or last is None:
        return []
    frames = (json.loads(line) for lines in trace_parts(store, run_id) for line in lines)
    return stretches(frames, (first - started_at).total_seconds(), (last - started_at).total_seconds())


_MOST_TEXT = 64 * 1024 * 1024


def feed_text(store: Store, run_id: str) -> tuple[str, bytes]:
    """A run's kept trace as one file of lines, and what it may be called. Raises NotFoundError, RefusedError."""
    with store.transaction() as session:
        run = find_run(session, run_id)
        name = f"{run.unit['name']} {run.started_at:%Y-%m-%d %H-%M}.jsonl"
    text = bytearray()
    for lines in trace_parts(store, run_id):
        text += ("\n".join(lines) + "\n").encode()
        if len(text) > _MOST_TEXT:
            raise RefusedError("feed_long", "run_id: this feed is too long to be shown as a whole.", "run_id")
    return name, bytes(text)


_CLOSEST_S = 0.05
"""Frames nearer than this say nothing more about when a mark was late."""


def marks_compared(store: Store, run_id: str) -> list[dict[str, Any]]:
    """Each mark of a run, compared with what its feed showed; empty where there was none. Raises NotFoundError."""
    with store.transaction() as session:
        record = record_of(session, find_run(session, run_id))
    return as_tables(compare_marks(record, _thinned(trace_parts(store, run_id))))


def _thinned(parts: Iterator[list[str]]) -> Iterator[dict[str, Any]]:
    latest = -math.inf
    for lines in parts:
        for line in lines:
            frame = json.loads(line)
            if frame["at_s"] - latest >= _CLOSEST_S:
                latest = frame["at_s"]
                yield frame


def token_holds(store: Store, unit_id: str, token: str) -> bool:
    """Whether a sender's token is still the unit's: one that was voided feeds nothing more."""
    with store.transaction() as session:
        kept = session.get(FeedTokenRow, unit_id)
        return kept is not None and kept.token_hash == secrets.token_hash(token)


def unit_exists(store: Store, unit_id: str) -> bool:
    """Whether there is such a unit."""
    with store.transaction() as session:
        return session.get(UnitRow, unit_id) is not None


def _under_way(session: Session, unit_id: str, moment: dt.datetime) -> str | None:
    query = (
        select(RunRow.id)
        .where(RunRow.unit_id == unit_id, RunRow.started_at > moment - _UNDER_WAY, RunRow.ended_at.is_(None))
        .order_by(RunRow.started_at.desc())
        .limit(1)
    )
    return session.scalar(query)

"""Live pressure feeds: a token for one unit, and the trace kept with the run that is under way."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Sequence
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from lowhiss.core.needles import Stretch, stretches
from lowhiss.core.vehicle import Unit
from lowhiss.service import secrets
from lowhiss.service.runs import find_run
from lowhiss.service.units import assembled, find_unit
from lowhiss.store.engine import Store
from lowhiss.store.models import EventRow, FeedTokenRow, RunRow, TracePartRow

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


def keep_frames(store: Store, unit_id: str, began_at: dt.datetime, frames: Sequence[dict[str, Any]]) -> bool:
    """Keep frames with the unit's run that is under way; without one they are not kept. Whether they were."""
    with store.transaction() as session:
        # by our own clock: the sender's may have jumped
        run_id = _under_way(session, unit_id, dt.datetime.now(dt.UTC))
        if run_id is None:
            return False
        lines = "\n".join(json.dumps(frame, separators=(",", ":")) for frame in frames)
        session.add(TracePartRow(run_id=run_id, began_at=began_at, frames=lines))
        return True


def trace_of(store: Store, run_id: str) -> list[dict[str, Any]]:
    """The feed's frames that were kept with a run, in order, with ``at_s``, the run's time. Raises NotFoundError."""
    with store.transaction() as session:
        run = find_run(session, run_id)
        parts = session.scalars(
            select(TracePartRow).where(TracePartRow.run_id == run_id).order_by(TracePartRow.began_at, TracePartRow.id)
        )
        found: list[dict[str, Any]] = []
        for part in parts:
            frames = [json.loads(line) for line in part.frames.splitlines()]
            offset_s = (part.began_at - run.started_at).total_seconds() - frames[0]["t_s"]
            found += [{"at_s": round(frame["t_s"] + offset_s, 3), **frame} for frame in frames]
        return found


def needles_of(store: Store, run_id: str) -> list[Stretch]:
    """What the needles showed over a run, for a chart: its kept trace in stretches. Raises NotFoundError."""
    return stretches(trace_of(store, run_id))


def _under_way(session: Session, unit_id: str, moment: dt.datetime) -> str | None:
    ended = select(EventRow.run_id).where(EventRow.run_id == RunRow.id, EventRow.type.in_(("finished", "abandoned")))
    query = (
        select(RunRow.id)
        .where(RunRow.unit_id == unit_id, RunRow.started_at > moment - _UNDER_WAY, ~ended.exists())
        .order_by(RunRow.started_at.desc())
        .limit(1)
    )
    return session.scalar(query)

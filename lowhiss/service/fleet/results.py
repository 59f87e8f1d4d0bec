"""What a run's verdict leaves with its vehicle: which stages failed, when its parts were tested last, and holds.

Kept so that neither a begun and abandoned test nor the order in which runs arrive can wipe a fail away.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Mapping
from typing import Any, cast

from sqlalchemy import delete, func, or_, select
from sqlalchemy.orm import Session

from lowhiss.core.record import COUNTING_PURPOSES
from lowhiss.core.standing import Part, PartKind
from lowhiss.service.fleet.counting import counts
from lowhiss.service.fleet.defecting import refold_defects
from lowhiss.service.fleet.holding import holds_on, refold
from lowhiss.store.fleet_models import (
    FailRow,
    HoldPartRow,
    HoldRow,
    OpenDefectRow,
    PartTestRow,
    RunTrailerRow,
    TrailerRow,
)
from lowhiss.store.run_models import RunRow


def note_trailers(session: Session, run_id: str, trailer_ids: Iterable[str]) -> None:
    """Keep which trailers take part in a run."""
    session.add_all(RunTrailerRow(run_id=run_id, trailer_id=trailer) for trailer in dict.fromkeys(trailer_ids))


def trailers_named(session: Session, names: Iterable[str]) -> list[str]:
    """The ids of the trailers that are known by these names."""
    return list(session.scalars(select(TrailerRow.id).where(TrailerRow.name.in_(list(names)))))


def parts_of(session: Session, run: RunRow) -> tuple[Part, ...]:
    """The power unit of a run, then its trailers."""
    trailers = session.scalars(select(RunTrailerRow.trailer_id).where(RunTrailerRow.run_id == run.id))
    return (Part("unit", run.unit_id), *(Part("trailer", trailer) for trailer in trailers))


def other_rules_wanted(session: Session, run: RunRow, stages: Mapping[str, Mapping[str, Any]]) -> set[str]:
    """The rule sets, by hash, under which a run is to be judged too, because stages of it failed under them before."""
    if not counts(run):
        return set()
    open_holds = holds_on(session, [part.id for part in parts_of(session, run)])
    wanted = {fail.rules for hold in open_holds if hold.stage in stages for fail in hold.fails}
    return wanted - {run.rules_hash}


def note_result(session: Session, run: RunRow, stages: Mapping[str, Mapping[str, Any]]) -> None:
    """Keep what a run's verdict says of its parts; ``stages`` holds each stage's outcome and moment."""
    if run.purpose not in COUNTING_PURPOSES:
        return
    touched = _note_fails(session, run, {stage for stage, figures in stages.items() if figures["outcome"] == "fail"})
    if run.ended_at is not None:
        parts = parts_of(session, run)
        for part in sorted(parts):
            _note_test(session, part, run)
        touched |= _holders(session, run, parts)
        session.flush()
        for part in parts:
            if session.get(OpenDefectRow, part.id) is not None:
                refold_defects(session, part)
    session.flush()
    for unit in sorted(touched):
        refold(session, unit)


def _note_fails(session: Session, run: RunRow, failed: set[str]) -> set[Part]:
    known = set(session.scalars(select(FailRow.stage).where(FailRow.run_id == run.id)))
    session.execute(delete(FailRow).where(FailRow.run_id == run.id, FailRow.stage.in_(known - failed)))
    session.add_all(FailRow(run_id=run.id, stage=stage, unit_id=run.unit_id) for stage in sorted(failed - known))
    return {Part("unit", run.unit_id)} if known | failed else set()


def _note_test(session: Session, part: Part, run: RunRow) -> None:
    row = session.get(PartTestRow, part.id, with_for_update=True)
    tested, passed = counts(run), counts(run) and run.outcome == "pass"
    at = run.started_at + dt.timedelta(seconds=run.ended_at_s or 0.0)
    if row is None:
        if tested:
            passing = {"passed_at": at, "passed_run_id": run.id} if passed else {}
            session.add(PartTestRow(part_id=part.id, tested_at=at, **passing))
        return
    if tested and at > row.tested_at:
        row.tested_at = at
    if passed and (row.passed_at is None or at > row.passed_at):
        row.passed_at, row.passed_run_id = at, run.id
    elif not passed and row.passed_run_id == run.id:
        row.passed_at, row.passed_run_id = _last_pass(session, part)


def _last_pass(session: Session, part: Part) -> tuple[dt.datetime | None, str | None]:
    """When this part last passed, and in which run; asked only when a pass is no longer one."""
    query = select(RunRow).where(RunRow.purpose.in_(COUNTING_PURPOSES), RunRow.outcome == "pass")
    if part.kind == "unit":
        query = query.where(RunRow.unit_id == part.id)
    else:
        query = query.join(RunTrailerRow, RunTrailerRow.run_id == RunRow.id).where(RunTrailerRow.trailer_id == part.id)
    for run in session.scalars(query.order_by(RunRow.started_at.desc()).execution_options(yield_per=20)):
        if counts(run):
            return run.started_at + dt.timedelta(seconds=run.ended_at_s or 0.0), run.id
    return None, None


def _holders(session: Session, run: RunRow, parts: tuple[Part, ...]) -> set[Part]:
    """Whose holds this run may change: those on its parts that are open, or were lifted after it began."""
    after = or_(HoldRow.lifted_at.is_(None), HoldRow.lifted_at >= run.started_at)
    query = (
        select(HoldRow.owner_kind, HoldRow.owner_id)
        .join(HoldPartRow, HoldPartRow.hold_id == HoldRow.id)
        .where(HoldPartRow.part_id.in_([part.id for part in parts]), HoldRow.stage.is_not(None), after)
        .distinct()
    )
    return {Part(cast(PartKind, kind), owner) for kind, owner in session.execute(query)}


def fold_all(session: Session) -> int:
    """Fold the holds of every unit that ever failed anew; how many there were."""
    units = list(session.scalars(select(func.distinct(FailRow.unit_id))))
    for unit in units:
        refold(session, Part("unit", unit))
    return len(units)

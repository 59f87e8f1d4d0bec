"""What a run's verdict leaves with its vehicle: which stages failed, when its parts were tested last, and holds.

Kept so that neither a begun and abandoned test nor the order in which runs arrive can wipe a fail away.
"""

from __future__ import annotations

import datetime as dt
import itertools
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, cast

from sqlalchemy import and_, func, or_, select
from sqlalchemy.orm import Session

from lowhiss import rulebook
from lowhiss.core.procedure import read_procedure
from lowhiss.core.record import COUNTING_PURPOSES
from lowhiss.core.stages import LIMITED_STAGES
from lowhiss.core.status import PartKind, UnitPart, improves, stricter_policy
from lowhiss.service.errors import RefusedError
from lowhiss.service.fleet.counted_runs import counts
from lowhiss.service.fleet.defects import refold_defects
from lowhiss.service.fleet.holds import holds_on, refold
from lowhiss.service.fleet.unit_rules import choose, defaults_of
from lowhiss.service.fleet.units import listed_unit, unit_of
from lowhiss.service.rules.saved_rules import saved_rules
from lowhiss.store.fleet_models import (
    FailRow,
    HoldPartRow,
    HoldRow,
    OpenDefectRow,
    PartTestRow,
    RunTrailerRow,
    TrailerRow,
    UnitRow,
)
from lowhiss.store.run_models import RunRow, VerdictRow


def note_trailers(session: Session, run_id: str, trailer_ids: Iterable[str]) -> None:
    """Keep which trailers take part in a run."""
    session.add_all(RunTrailerRow(run_id=run_id, trailer_id=trailer) for trailer in dict.fromkeys(trailer_ids))


def trailers_named(session: Session, names: Iterable[str]) -> list[str]:
    """The ids of the trailers that are known by these names."""
    return list(session.scalars(select(TrailerRow.id).where(TrailerRow.name.in_(list(names)))))


def parts_of(session: Session, run: RunRow) -> tuple[UnitPart, ...]:
    """The power unit of a run, then its trailers."""
    trailers = session.scalars(select(RunTrailerRow.trailer_id).where(RunTrailerRow.run_id == run.id))
    return (UnitPart("unit", run.unit_id), *(UnitPart("trailer", trailer) for trailer in trailers))


def other_rules_wanted(session: Session, run: RunRow, stages: Mapping[str, Mapping[str, Any]]) -> set[str]:
    """The rule sets, by hash, under which a run is to be judged too, because stages of it failed under them before."""
    if not counts(run):
        return set()
    open_holds = holds_on(session, [part.id for part in parts_of(session, run)])
    wanted = {fail.rules for hold in open_holds if hold.stage in stages for fail in hold.fails}
    return wanted - {run.rules_hash}


@dataclass(frozen=True, slots=True)
class Shown:
    """A failed attempt at a stage that somebody was shown, with its figures."""

    stage: str
    attempt: int
    figures: Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class Result:
    """What a verdict says of the vehicle.

    stages : the figures of each stage as it stands.  attempts : the outcome of every attempt, by stage, in order.
    shown : failed attempts that a device showed.  changed : whose mark came last, when, and its type.
    """

    stages: Mapping[str, Mapping[str, Any]]
    attempts: Mapping[str, Sequence[str]]
    shown: Sequence[Shown] = ()
    changed: Mapping[str, str] = field(default_factory=dict)

    def failed(self, stage: str, attempt: int) -> bool:
        """Whether this attempt is judged failed now."""
        tries = self.attempts.get(stage, ())
        return attempt <= len(tries) and tries[attempt - 1] == "fail"

    def passed_later(self, stage: str, attempt: int) -> bool:
        """Whether a later attempt at the stage passed."""
        return "pass" in self.attempts.get(stage, ())[attempt:]


def note_result(session: Session, run: RunRow, result: Result) -> None:
    """Keep what a run's verdict says of its parts."""
    if run.purpose not in COUNTING_PURPOSES:
        return
    touched = _note_fails(session, run, result)
    if run.ended_at is not None:
        parts = parts_of(session, run)
        whole = counts(run) and _improves(session, run, result)
        for part in sorted(parts):
            _note_test(session, part, run, passed=whole)
        touched |= _holders(session, run, parts)
        session.flush()
        for part in parts:
            if session.get(OpenDefectRow, part.id) is not None:
                refold_defects(session, part)
    session.flush()
    for unit in sorted(touched):
        refold(session, unit)


_PAGE = 20
_MOST_LATER = 50


def later_runs_of(session: Session, run: RunRow) -> list[RunRow]:
    """Finished runs that count, of any part of this one, begun after it and judged by other rules; the earliest first.

    They may have come in before: under the rules of this one they may have passed what failed in it.
    """
    trailers = [part.id for part in parts_of(session, run) if part.kind == "trailer"]
    of_unit = select(RunRow).where(RunRow.unit_id == run.unit_id)
    # each by an index of its own: asked together, every later run of the fleet would be read
    of_trailers = select(RunRow).join(RunTrailerRow, RunTrailerRow.run_id == RunRow.id)
    queries = [of_unit, of_trailers.where(RunTrailerRow.trailer_id.in_(trailers)).distinct()][: 1 + bool(trailers)]
    later = (
        RunRow.started_at > run.started_at,
        RunRow.rules_hash != run.rules_hash,
        RunRow.purpose.in_(COUNTING_PURPOSES),
        RunRow.ended_by == "finished",
    )
    found = {
        one.id: one
        for query in queries
        for one in session.scalars(query.where(*later).order_by(RunRow.started_at).limit(_MOST_LATER))
    }
    ordered = sorted(found.values(), key=lambda one: one.started_at)
    return [one for one in ordered[:_MOST_LATER] if counts(one)]


def _note_fails(session: Session, run: RunRow, result: Result) -> set[UnitPart]:
    """Keep which stages stand failed. A fail that was kept was shown: it goes only where the stage was tried again and
    passed; one that vanished otherwise is contested."""
    known = {row.stage: row for row in session.scalars(select(FailRow).where(FailRow.run_id == run.id))}
    failed = {stage: figures for stage, figures in result.stages.items() if figures["outcome"] == "fail"}
    seen = {one.stage: one for one in result.shown if one.stage not in known}
    for stage in sorted(known.keys() | failed.keys() | seen.keys()):
        row = known.get(stage)
        if stage in failed:
            row = row or FailRow(run_id=run.id, stage=stage, unit_id=run.unit_id)
            tries = result.attempts.get(stage, ())
            row.attempt = max((n for n, outcome in enumerate(tries, 1) if outcome == "fail"), default=1)
            row.figures, row.contested = dict(failed[stage]), None
            session.add(row)
        elif row is not None:
            if result.failed(stage, row.attempt) or result.passed_later(stage, row.attempt):
                session.delete(row)
            elif row.contested is None:
                row.contested = dict(result.changed)
        elif not (result.failed(stage, seen[stage].attempt) or result.passed_later(stage, seen[stage].attempt)):
            one = seen[stage]
            session.add(
                FailRow(
                    run_id=run.id,
                    stage=stage,
                    unit_id=run.unit_id,
                    attempt=one.attempt,
                    figures=dict(one.figures),
                    contested=dict(result.changed),
                )
            )
    session.flush()
    return {UnitPart("unit", run.unit_id)} if known or failed or seen else set()


def _improves(session: Session, run: RunRow, result: Result) -> bool:
    """Whether a finished run is a pass by the rules and order of its unit as it was coupled then."""
    unit = unit_of(run.unit)
    row = session.get_one(UnitRow, run.unit_id)
    listed = listed_unit(row, [], defaults_of(session))
    try:
        own, order = choose(session, listed.rules, listed.procedure, unit)
    except RefusedError:  # its own were retired: what it was tested by is all there is
        own, order = saved_rules(session, run.rules_hash), read_procedure(run.procedure)
    rules = saved_rules(session, run.rules_hash)
    if not stricter_policy(run.setup.get("policy") or rules.policy, own.policy):
        return False
    outcomes = {stage: figures["outcome"] for stage, figures in result.stages.items()}
    if "fail" in outcomes.values():
        return False
    cut_out_psi = rulebook.judging().default_cut_out_psi
    required = [stage for stage in order.required(unit) if stage in LIMITED_STAGES]
    return improves(outcomes, required, rules, own, unit, cut_out_psi)


def _note_test(session: Session, part: UnitPart, run: RunRow, *, passed: bool) -> None:
    row = session.get(PartTestRow, part.id, with_for_update=True)
    tested = counts(run)
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


def _last_pass(session: Session, part: UnitPart) -> tuple[dt.datetime | None, str | None]:
    """When this part last passed, and in which run; asked only when a pass is no longer one."""
    query = select(RunRow, VerdictRow.figures).join(
        VerdictRow, and_(VerdictRow.run_id == RunRow.id, VerdictRow.rules_hash == RunRow.rules_hash)
    )
    query = query.where(RunRow.purpose.in_(COUNTING_PURPOSES), RunRow.outcome.in_(("pass", "incomplete", "void")))
    if part.kind == "unit":
        query = query.where(RunRow.unit_id == part.id)
    else:
        query = query.join(RunTrailerRow, RunTrailerRow.run_id == RunRow.id).where(RunTrailerRow.trailer_id == part.id)
    query = query.order_by(RunRow.started_at.desc(), RunRow.id)
    for start in itertools.count(0, _PAGE):
        rows = session.execute(query.limit(_PAGE).offset(start)).all()
        for run, figures in rows:
            if counts(run) and _improves(session, run, Result(figures["stages"], {})):
                return run.started_at + dt.timedelta(seconds=run.ended_at_s or 0.0), run.id
        if len(rows) < _PAGE:
            break
    return None, None


def _holders(session: Session, run: RunRow, parts: tuple[UnitPart, ...]) -> set[UnitPart]:
    """Whose holds this run may change: those on its parts that are open, or were lifted after it began."""
    after = or_(HoldRow.lifted_at.is_(None), HoldRow.lifted_at >= run.started_at)
    query = (
        select(HoldRow.owner_kind, HoldRow.owner_id)
        .join(HoldPartRow, HoldPartRow.hold_id == HoldRow.id)
        .where(HoldPartRow.part_id.in_([part.id for part in parts]), HoldRow.stage.is_not(None), after)
        .distinct()
    )
    return {UnitPart(cast(PartKind, kind), owner) for kind, owner in session.execute(query)}


def fold_all(session: Session) -> int:
    """Fold the holds of every unit that ever failed anew; how many there were."""
    units = list(session.scalars(select(func.distinct(FailRow.unit_id))))
    for unit in units:
        refold(session, UnitPart("unit", unit))
    return len(units)

"""Holds as they lie in their rows: folded by the core from runs and acts, kept so that a whole yard is one question."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection, Sequence
from typing import Any, cast

from sqlalchemy import and_, delete, or_, select
from sqlalchemy.orm import Session

from lowhiss.core.record import COUNTING_PURPOSES
from lowhiss.core.stages import Stage
from lowhiss.core.status import Act, Cleared, Fail, Hold, HoldPolicy, Lifted, TestedSet, UnitPart, holds_of
from lowhiss.service.fleet.counted_runs import counts, is_reported
from lowhiss.store.fleet_models import ActRow, FailRow, HoldPartRow, HoldRow, RunTrailerRow, TrailerRow, UnitRow
from lowhiss.store.installation_models import SettingRow
from lowhiss.store.run_models import RunRow, VerdictRow

_SINCE = "holds_since"


def policy_of(session: Session) -> HoldPolicy:
    """The fleet's say in what lifts a hold."""
    row = session.get(SettingRow, _SINCE)
    return HoldPolicy(since=dt.datetime.fromisoformat(row.value)) if row is not None else HoldPolicy()


def acts_on(session: Session, part_ids: Collection[str], *types: str) -> list[Act]:
    """The acts on these parts, in order of time; only those of ``types`` where some are named."""
    query = select(ActRow).where(ActRow.part_id.in_(part_ids)).order_by(ActRow.at, ActRow.id)
    if types:
        query = query.where(ActRow.type.in_(types))
    return [act_of(row) for row in session.scalars(query)]


def act_of(row: ActRow) -> Act:
    """The act that lies in a row."""
    return Act(
        row.id, cast(Any, row.type), UnitPart(cast(Any, row.part_kind), row.part_id), row.at, row.author, row.body
    )


def refold(session: Session, owner: UnitPart) -> None:
    """Fold the holds of one part anew from its runs and acts, and keep them.

    Whoever else folds the same part waits: a fold of half of what there is would be kept over a whole one.
    """
    row: type[UnitRow | TrailerRow] = UnitRow if owner.kind == "unit" else TrailerRow
    session.execute(select(row.id).where(row.id == owner.id).with_for_update())
    tests, parts = _tests(session, owner)
    # a hold that no fail opens any more still is what somebody released or repaired: their acts lie on its parts
    acts = acts_on(session, parts, "hold_placed", "hold_released", "hold_struck_out", "repaired")
    others = _judged_otherwise(session, tests)

    def passes(test: TestedSet, stage: Stage, rules: str) -> bool:
        return others.get((test.run_id, rules), {}).get(stage, {}).get("outcome") == "pass"

    holds = holds_of(owner, tests, acts, policy_of(session), passes)
    _save(session, owner, holds)


def _tests(session: Session, owner: UnitPart) -> tuple[list[TestedSet], set[str]]:
    """Every run that a hold of this part can hang on, and the ids of all parts that failed with it."""
    if owner.kind == "trailer":
        return [], {owner.id}
    failed = list(session.scalars(select(FailRow.run_id).where(FailRow.unit_id == owner.id)))
    if not failed:
        return [], {owner.id}
    first = min(session.scalars(select(RunRow.started_at).where(RunRow.id.in_(failed))))
    trailers = set(session.scalars(select(RunTrailerRow.trailer_id).where(RunTrailerRow.run_id.in_(failed))))
    with_them = select(RunTrailerRow.run_id).where(RunTrailerRow.trailer_id.in_(trailers))
    mine = RunRow.unit_id == owner.id
    which = or_(mine, RunRow.id.in_(with_them)) if trailers else mine
    return tested_sets(session, which, first), {owner.id, *trailers}


def tested_sets(session: Session, which: Any, since: dt.datetime) -> list[TestedSet]:
    """The runs that count for a vehicle, of those that ``which`` names, begun at ``since`` or later."""
    kept = and_(VerdictRow.run_id == RunRow.id, VerdictRow.rules_hash == RunRow.rules_hash)
    query = (
        select(RunRow, VerdictRow.figures)
        .join(VerdictRow, kept)
        .where(which, RunRow.started_at >= since, RunRow.purpose.in_(COUNTING_PURPOSES))
    )
    found = session.execute(query).all()
    trailers: dict[str, list[str]] = {}
    ids = [run.id for run, _ in found]
    for run_id, trailer in session.execute(
        select(RunTrailerRow.run_id, RunTrailerRow.trailer_id).where(RunTrailerRow.run_id.in_(ids))
    ):
        trailers.setdefault(run_id, []).append(trailer)
    shown: dict[str, dict[str, dict[str, Any]]] = {}
    for row in session.scalars(select(FailRow).where(FailRow.run_id.in_(ids), FailRow.contested.is_not(None))):
        shown.setdefault(row.run_id, {})[row.stage] = {**(row.figures or {}), "contested": row.contested}
    return [
        _tested_set(run, {**figures["stages"], **shown.get(run.id, {})}, trailers.get(run.id, ()))
        for run, figures in found
    ]


def _tested_set(run: RunRow, stages: dict[str, dict[str, Any]], trailers: Sequence[str]) -> TestedSet:
    parts = (UnitPart("unit", run.unit_id), *(UnitPart("trailer", trailer) for trailer in sorted(trailers)))
    decision = run.decision
    dismissed = None
    if decision is not None and not decision["accept"]:
        dismissed = Lifted(_at(decision["at"]), "dismissed", run.id, decision["by"], decision["reason"])
    reported = (run.origin or "?") if is_reported(run) else ""
    return TestedSet(
        run.id, parts, run.started_at, run.rules_hash, stages, counts(run), reported=reported, dismissed=dismissed
    )


def _judged_otherwise(session: Session, tests: list[TestedSet]) -> dict[tuple[str, str], dict[str, dict[str, Any]]]:
    """What other rule sets than their own say of these runs, as far as that was asked."""
    own = {test.run_id: test.rules for test in tests}
    hashes = set(own.values())
    if len(hashes) < 2:
        return {}
    query = select(VerdictRow.run_id, VerdictRow.rules_hash, VerdictRow.figures).where(VerdictRow.run_id.in_(own))
    return {(row.run_id, row.rules_hash): row.figures["stages"] for row in session.execute(query)}


def _save(session: Session, owner: UnitPart, holds: list[Hold]) -> None:
    known = {row.id: row for row in session.scalars(select(HoldRow).where(HoldRow.owner_id == owner.id))}
    gone = known.keys() - {hold.id for hold in holds}
    if gone:
        session.execute(delete(HoldRow).where(HoldRow.id.in_(gone)))
    for hold in holds:
        body, row = _record(hold), known.get(hold.id)
        if row is not None and row.body == body:
            continue
        if row is None:
            row = HoldRow(id=hold.id, owner_kind=owner.kind, owner_id=owner.id, stage=hold.stage)
            session.add(row)
        row.opened_at, row.body = hold.opened_at, body
        row.lifted_at = hold.lifted.at if hold.lifted else None
        session.flush()
        session.execute(delete(HoldPartRow).where(HoldPartRow.hold_id == hold.id))
        held = set(hold.held)
        session.add_all(
            HoldPartRow(hold_id=hold.id, part_id=part.id, part_kind=part.kind, held=part in held) for part in hold.parts
        )
    session.flush()


def holds_on(session: Session, part_ids: Collection[str]) -> list[Hold]:
    """The open holds that hold any of these parts, the oldest first."""
    query = (
        select(HoldRow)
        .join(HoldPartRow, HoldPartRow.hold_id == HoldRow.id)
        .where(HoldPartRow.part_id.in_(part_ids), HoldPartRow.held)
        .order_by(HoldRow.opened_at)
        .distinct()
    )
    return [hold_of(row) for row in session.scalars(query)]


def holds_ever_on(session: Session, part_id: str) -> list[Hold]:
    """Every hold that accuses or has accused a part, the oldest first."""
    query = (
        select(HoldRow)
        .join(HoldPartRow, HoldPartRow.hold_id == HoldRow.id)
        .where(HoldPartRow.part_id == part_id)
        .order_by(HoldRow.opened_at)
    )
    return [hold_of(row) for row in session.scalars(query)]


def open_holds(session: Session) -> list[Hold]:
    """Every open hold of the fleet, the oldest first."""
    query = select(HoldRow).where(HoldRow.lifted_at.is_(None)).order_by(HoldRow.opened_at, HoldRow.id)
    return [hold_of(row) for row in session.scalars(query)]


def hold_of(row: HoldRow) -> Hold:
    """The hold that lies in a row."""
    body = row.body
    lifted = body["lifted"]
    return Hold(
        id=row.id,
        stage=cast("Stage | None", row.stage),
        opened_at=row.opened_at,
        parts=tuple(UnitPart(*part) for part in body["parts"]),
        fails=tuple(
            Fail(one["run"], _at(one["at"]), one["rules"], one["figures"], one.get("reported", ""))
            for one in body["fails"]
        ),
        by=body["by"],
        reason=body["reason"],
        cleared=tuple(Cleared(UnitPart(*one["part"]), one["run"], _at(one["at"])) for one in body["cleared"]),
        repaired_at=_at(body["repaired_at"]) if body["repaired_at"] else None,
        lifted=None
        if lifted is None
        else Lifted(_at(lifted["at"]), lifted["how"], lifted["run"], lifted["by"], lifted["reason"]),
        from_before=body["from_before"],
    )


def _record(hold: Hold) -> dict[str, Any]:
    lifted = hold.lifted
    return {
        "parts": [list(part) for part in hold.parts],
        "fails": [
            {
                "run": one.run_id,
                "at": one.at.isoformat(),
                "rules": one.rules,
                "figures": dict(one.figures),
                "reported": one.reported,
            }
            for one in hold.fails
        ],
        "by": hold.by,
        "reason": hold.reason,
        "cleared": [{"part": list(one.part), "run": one.run_id, "at": one.at.isoformat()} for one in hold.cleared],
        "repaired_at": hold.repaired_at.isoformat() if hold.repaired_at else None,
        "lifted": None
        if lifted is None
        else {
            "at": lifted.at.isoformat(),
            "how": lifted.how,
            "run": lifted.run_id,
            "by": lifted.by,
            "reason": lifted.reason,
        },
        "from_before": hold.from_before,
    }


def _at(text: str) -> dt.datetime:
    return dt.datetime.fromisoformat(text)

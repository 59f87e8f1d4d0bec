"""Runs: begun once, grown event by event, judged from what stands. Each public function is one transaction."""

from __future__ import annotations

import dataclasses
import datetime as dt
from dataclasses import asdict, dataclass
from typing import Any

from sqlalchemy import func, or_, select

from lowhiss.core.findings import FINDINGS
from lowhiss.core.judge import RunVerdict, judge_run
from lowhiss.core.names import seen_of
from lowhiss.core.procedure import read_procedure
from lowhiss.core.vehicle import unit_table
from lowhiss.core.words import Words, verdict_record
from lowhiss.engine.clocks import Instant, map_begun, seconds_ago
from lowhiss.engine.judge_record import report_of
from lowhiss.service.errors import ConflictError, NotFoundError, RefusedError
from lowhiss.service.fleet.results import note_trailers
from lowhiss.service.fleet.rows import find_unit
from lowhiss.service.fleet.unit_rules import Given, choose
from lowhiss.service.fleet.unit_status import did_to_holds
from lowhiss.service.fleet.units import assembled
from lowhiss.service.marks.kinds import RUNS, clock_of, load_marks
from lowhiss.service.marks.model import SavedMark
from lowhiss.service.people.secrets import token_hash
from lowhiss.service.people.signin import Person
from lowhiss.service.rules.editions import rule_sets_now
from lowhiss.service.rules.saved_rules import save_rules
from lowhiss.service.runs.participants import OVERSEERS, note_people, part_of
from lowhiss.service.runs.rows import (
    RunHead,
    Setup,
    find_run,
    head_of,
    judge_row,
    record_of,
    run_of,
)
from lowhiss.service.runs.verdicts import accept_newer, core_version, save_verdict
from lowhiss.store.engine import Store
from lowhiss.store.run_models import MemberRow, RunRow, VerdictRow

OPEN_FOR = dt.timedelta(days=14)
"""A run that was left open longer ago is nobody's to go on with: its vehicle has long been driven since."""
MAX_OPEN_OF_ONE = 20
"""So many open runs of one person are listed: nobody's forgotten ones hide the others'."""


@dataclass(frozen=True, slots=True)
class Beginning:
    """What begins a run; the device makes the id, so that sending it twice begins one run.

    given : the versions of rules and order that it is led by.
    """

    id: str
    unit_id: str
    procedure: str | None
    rules: str | None
    purpose: str
    driver: str
    begun: Instant
    setup: Setup = dataclasses.field(default_factory=Setup)
    given: Given = dataclasses.field(default_factory=Given)


@dataclass(frozen=True, slots=True)
class Report:
    """A run judged: its head, its verdict record, its air column and every event that was made.

    outcome : the result that counts.  at_end : as it stood when the end was received, None while the run goes on.
    differs : what a newer core says of the same marks, until somebody has looked.
    did : what the result did to holds, as sentences.  proposals : what of it may be a defect.
    """

    head: RunHead
    outcome: str
    verdict: dict[str, Any]
    column: dict[str, Any]
    timeline: dict[str, Any]
    events: list[dict[str, Any]]
    at_end: dict[str, Any] | None
    differs: dict[str, Any] | None
    looked: dict[str, Any] | None
    did: list[str]
    proposals: list[Proposal]


@dataclass(frozen=True, slots=True)
class Proposal:
    """A finding that may be a defect. ``group``: the group of parts, empty for none in particular."""

    finding: str
    group: str
    text: str


def begin_run(store: Store, start: Beginning, sent: Instant, by: Person, device: str | None = None) -> RunHead:
    """Begin a run, or find the same one again.

    Raises NotFoundError, RefusedError, or ConflictError for an id that is another run's.
    """
    received_at = dt.datetime.now(dt.UTC)
    begun = {"device": start.begun.device, "epoch": start.begun.epoch, "mono_s": start.begun.mono_s}
    with store.transaction() as session:
        known = session.get(RunRow, start.id)
        if known is not None:
            part = part_of(session, known, by.id, by.role, device)
            if known.begun != begun or known.unit_id != start.unit_id or part not in ("lead", "send"):
                raise ConflictError("run_id_used", "id: another test already has this id. Start a new one.", "id")
            return head_of(session, known, part)
        unit = find_unit(session, start.unit_id)
        if unit.retired_at is not None:
            raise RefusedError("unit_retired", "This unit is archived. Choose another one.", "unit_id")
        listed = assembled(session, unit)
        together = listed.unit
        order = start.procedure or listed.order_under(start.rules)
        rules, procedure = choose(session, start.rules or listed.rules, order, together, start.given)
        save_rules(session, rules)
        run = RunRow(
            id=start.id,
            unit_id=unit.id,
            unit=unit_table(together),
            rules_hash=rules.content_hash,
            procedure=procedure.as_dict(),
            purpose=start.purpose,
            driver=seen_of(start.driver) or by.name,
            setup=asdict(start.setup),
            resolution_psi=unit.resolution_psi,
            started_at=received_at - dt.timedelta(seconds=seconds_ago(start.begun, sent)),
            received_at=received_at,
            begun=begun,
            person_id=by.id,
            device_hash=token_hash(device) if device else None,
            last_seq=0,
            demo=False,
        )
        session.add(run)
        session.flush()
        note_trailers(session, run.id, listed.trailer_ids)
        note_people(session, run, run.driver, start.setup.watcher, by.name)
        mapping = map_begun(start.begun.mono_s)
        session.add(clock_of(RUNS, run.id, start.begun, mapping))
        save_verdict(session, run, judge_row(session, run))
        return head_of(session, run, "lead")


def run_head(store: Store, run_id: str, by: Person, device: str | None) -> RunHead:
    """What stands beside the run's events, and the asker's part in it. Raises NotFoundError."""
    with store.transaction() as session:
        run = find_run(session, run_id)
        return head_of(session, run, part_of(session, run, by.id, by.role, device))


def open_runs(store: Store, by: Person, now: dt.datetime) -> list[RunHead]:
    """Runs of the last days that nobody brought to an end and that this person may go on with, the latest first.

    Trainers and managers see everybody's: they may take one over.
    """
    going_on = RunRow.ended_at.is_(None) & (RunRow.started_at > now - OPEN_FOR) & RunRow.demo.is_(False)
    place = func.row_number().over(partition_by=RunRow.person_id, order_by=RunRow.started_at.desc()).label("place")
    open_ = select(RunRow.id, place).where(going_on)
    if by.role not in OVERSEERS:
        joined = select(MemberRow.run_id).where(MemberRow.person_id == by.id)
        open_ = open_.where(or_(RunRow.person_id == by.id, RunRow.id.in_(joined)))
    chosen = open_.subquery()
    query = select(RunRow).join(chosen, chosen.c.id == RunRow.id).where(chosen.c.place <= MAX_OPEN_OF_ONE)
    with store.transaction() as session:
        rows = session.scalars(query.order_by(RunRow.started_at.desc())).all()
        parts = [(run, part_of(session, run, by.id, by.role, None)) for run in rows]
        return [head_of(session, run, part) for run, part in parts if part is not None]


def events_after(store: Store, run_id: str, after: int) -> list[SavedMark]:
    """The run's events with a sequence number above ``after``, in order. Raises NotFoundError."""
    with store.transaction() as session:
        return load_marks(session, RUNS, run_id, after)


def report(store: Store, run_id: str, words: Words) -> Report:
    """The run judged under its own rule set, worded for one reader. Raises NotFoundError."""
    with store.transaction() as session:
        run = find_run(session, run_id)
        record = record_of(session, run)
        verdict = judge_row(session, run)
        kept = session.get(VerdictRow, (run.id, run.rules_hash))
        if kept is None or kept.last_seq != run.last_seq or kept.core_version != core_version():
            kept = save_verdict(session, run, verdict)
        told = report_of(verdict, words) | ({"outcome": kept.outcome} if run.ended_at is not None else {})
        return Report(
            head=head_of(session, run),
            events=record["events"],
            at_end=kept.at_end,
            differs=kept.differs,
            looked=kept.looked,
            did=did_to_holds(session, run, list(kept.figures["stages"]), words),
            proposals=_proposals(verdict, words),
            **told,
        )


def _proposals(verdict: RunVerdict, words: Words) -> list[Proposal]:
    found = {
        finding.code: Proposal(finding.code, group, words.finding(finding, stage.limit))
        for stage in verdict.stages
        for finding in stage.findings
        if (group := FINDINGS[finding.code].proposes) is not None
    }
    return list(found.values())


def look_at_result(store: Store, run_id: str, by: Person, why: str) -> None:
    """A manager has looked at what a newer core says of an ended run: that counts from here on.

    Raises NotFoundError, RefusedError where nothing differs.
    """
    with store.transaction() as session:
        run = session.scalar(select(RunRow).where(RunRow.id == run_id).with_for_update())
        if run is None:
            raise NotFoundError("run_unknown", "This test doesn't exist.", "run_id")
        kept = session.get(VerdictRow, (run.id, run.rules_hash))
        if kept is None or kept.differs is None:
            raise RefusedError("nothing_differs", "There is only one result; nothing to review.", "run_id")
        at = dt.datetime.now(dt.UTC).isoformat()
        accept_newer(
            session, kept, run, judge_row(session, run), {"by": by.name, "at": at, "why": why, "kept": kept.differs}
        )


def decide_reported(store: Store, by: Person, run_id: str, *, accept: bool, reason: str) -> None:
    """A manager decides whether a run from elsewhere counts for its vehicle; decided once.

    Raises NotFoundError, RefusedError, ConflictError.
    """
    if not reason.strip():
        raise RefusedError("reason_missing", "reason: give a reason in a few words.", "reason")
    with store.transaction() as session:
        run = session.get(RunRow, run_id, with_for_update=True)
        if run is None:
            raise NotFoundError("run_unknown", "This test doesn't exist.", "run_id")
        if run.imported is None:
            raise RefusedError("not_reported", "This test was made here; there is nothing to decide.", "run_id")
        if run.decision is not None:
            raise ConflictError("decided_already", f"{run.decision['by']} has already decided this.", "run_id")
        at = dt.datetime.now(dt.UTC).isoformat()
        run.decision = {"accept": accept, "by": by.name, "at": at, "reason": reason.strip()}
        session.flush()
        save_verdict(session, run, judge_row(session, run))


def judge_ended_again(store: Store, limit: int = 50) -> int:
    """After an upgrade: look at some ended runs that an older core judged; how many there were."""
    with store.transaction() as session:
        query = (
            select(RunRow)
            .join(VerdictRow, (VerdictRow.run_id == RunRow.id) & (VerdictRow.rules_hash == RunRow.rules_hash))
            .where(VerdictRow.core_version != core_version(), RunRow.ended_at.is_not(None))
            .limit(limit)
        )
        rows = session.scalars(query).all()
        for run in rows:
            save_verdict(session, run, judge_row(session, run))
        return len(rows)


def by_all_rule_sets(store: Store, run_id: str, words: Words) -> list[dict[str, Any]]:
    """The run judged under each rule set in force, as verdict records in the order of the rule sets.

    Raises NotFoundError.
    """
    with store.transaction() as session:
        run = find_run(session, run_id)
        record, procedure = run_of(session, run), read_procedure(run.procedure)
        verdicts = [judge_run(record, rules, procedure) for rules in rule_sets_now(session, dt.datetime.now(dt.UTC))]
        return [{**verdict_record(v, words, []), "title": v.rules.title, "outcome": v.headline} for v in verdicts]


def open_record(store: Store, run_id: str) -> dict[str, Any]:
    """The run as an open run record, ``low-hiss-run/1``. Raises NotFoundError."""
    with store.transaction() as session:
        return record_of(session, find_run(session, run_id))

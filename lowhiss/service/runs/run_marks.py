"""Receive the marks of a run: who may make which, and the verdict that follows from them."""

from __future__ import annotations

import math
from typing import Any, cast

from sqlalchemy import bindparam, func, select
from sqlalchemy.orm import Session, load_only

from lowhiss.core.names import name_key
from lowhiss.core.record import END_TYPES, EVENT_KINDS, READABLE_TYPES, read_event
from lowhiss.engine.clocks import WALL_CLOCK_ERROR_S, Instant
from lowhiss.service.errors import NotFoundError
from lowhiss.service.fleet.units import unit_of
from lowhiss.service.marks.kinds import RUNS
from lowhiss.service.marks.model import Received, SentMark
from lowhiss.service.marks.receiver import NewMark, ReadMark, Receiver
from lowhiss.service.people.authors import Author, Authors
from lowhiss.service.people.signin import ForbiddenError, Person
from lowhiss.service.runs.participants import OVERSEERS, Part, is_grant, overseer_may, part_of, watcher_may
from lowhiss.service.runs.rows import judge_row
from lowhiss.service.runs.verdicts import save_verdict
from lowhiss.store.engine import Store
from lowhiss.store.run_models import EventRow, RunRow

MAX_JUDGED_HERE = 600
"""A run of more marks is judged when somebody asks for it, in a process of its own."""
MAX_EVENTS_OF_WATCHER = 1_000
"""A watcher's flood leaves room for whoever leads."""


def add_events(
    store: Store, run_id: str, sent: Instant, events: list[SentMark], by: Person, device: str | None = None
) -> Received:
    """Append a batch to a run, and judge it where it had ended.

    Raises NotFoundError, and ForbiddenError where nothing in it is of anybody who takes part.
    When this returns, what it accepted is committed.
    """
    with store.transaction() as session:
        run = session.scalar(_RUN, {"run_id": run_id})
        if run is None:
            raise NotFoundError("run_unknown", "This test doesn't exist.", "run_id")
        authors = _Authors(session, run, by, device)
        if authors.part(authors.sender) in (None, "send") and not authors.others_among(events):
            raise ForbiddenError("not_your_run", "Only people who started or joined this test may add to it.", "run_id")
        receiver = _RunReceiver(session, run, sent, authors, events)
        received = receiver.receive()
        if receiver.rows:
            run.stale = True
            # while a test goes on, only whoever looks wants it judged; a long one is judged beside this process
            if run.ended_at is not None and run.last_seq <= MAX_JUDGED_HERE:
                session.flush()
                save_verdict(session, run, judge_row(session, run))
        return received


_RUN = select(RunRow).options(
    load_only(
        RunRow.unit, RunRow.person_id, RunRow.device_hash, RunRow.started_at, RunRow.last_seq, RunRow.stale,
        RunRow.ended_at, RunRow.ended_by, RunRow.ended_at_s,
    )
).where(RunRow.id == bindparam("run_id")).with_for_update()  # fmt: skip
"""Of a run only what a mark needs: every column costs time on its way."""


class _Authors(Authors):
    """Who may have marked what in a run, and the part that they take in it."""

    def __init__(self, session: Session, run: RunRow, by: Person, device: str | None) -> None:
        super().__init__(session, by, device)
        self.run = run
        self._parts: dict[str, Part | None] = {}

    def part(self, author: Author) -> Part | None:
        """The part that somebody takes in the run."""
        if author.id not in self._parts:
            self._parts[author.id] = part_of(self.session, self.run, author.id, author.role, self.device)
        return self._parts[author.id]

    def others_among(self, events: list[SentMark]) -> bool:
        """Whether a batch brings marks of somebody else who was signed in on this device and takes part."""
        keys = {name_key(event.author) for event in events} - {name_key(self.sender.name)}
        return any(
            self.part(author) in ("lead", "watch", "oversee")
            for key in keys
            for author, *_ in self.present().get(key, [])
        )


class _RunReceiver(Receiver):
    kind = RUNS

    def __init__(self, session: Session, run: RunRow, sent: Instant, authors: _Authors, events: list[SentMark]) -> None:
        super().__init__(session, run, sent, authors, events)
        self.run, self.parts = run, authors
        self.unit = unit_of(run.unit)

    def read(self, table: dict[str, Any]) -> ReadMark:
        event = read_event(table, 0, self.unit)
        columns = {"primary_psi": event.primary_psi, "secondary_psi": event.secondary_psi}
        return ReadMark(event.type, event, event.event or "", columns)

    def refusal(self, new: NewMark) -> tuple[str, str] | None:
        kind, target, author, body = new.type, cast(EventRow | None, new.target), new.author, new.sent.body
        confirms = kind == "late_confirmed"
        refers = confirms or kind in ("withdrawn", "valued")
        if refers and (target is None or (kind == "valued" and target.type not in READABLE_TYPES)):
            return "target_unknown", "The mark that this refers to isn't part of this test."
        if refers and target is not None and target.type == "shown":
            return "shown_stays", "A result that was shown can't be withdrawn. Withdraw the mark it came from instead."
        part = self.parts.part(author)
        if part in (None, "send"):
            return "not_your_run", "Only people who started or joined this test may add to it."
        if confirms and author.id != self.authors.sender.id:
            return "sign_in_yourself", f"{author.name} must sign in to decide this; nobody can send it for them."
        if confirms and author.role not in OVERSEERS:
            return "trainer_needed", "Only a trainer or manager may confirm marks that arrived after the end."
        if part == "lead" and is_grant(body):
            return "examiner_only", "Only the examiner may allow a repeat. Ask them."
        if part == "oversee" and not overseer_may(body, target):
            return "not_your_run", "Take over this test first to make marks in it."
        if part == "watch" and not confirms:
            if not watcher_may(body, target, author.id, self.valued()):
                return "watcher_may_not", "Only the person leading the test may make this mark."
            if self.run.last_seq >= MAX_EVENTS_OF_WATCHER and self.has_many_by(author):
                return "log_full", f"An observer can make up to {MAX_EVENTS_OF_WATCHER} marks in a test."
        ended_at_s = math.inf if self.run.ended_at_s is None else self.run.ended_at_s
        if not EVENT_KINDS[kind].taken_closed and new.at_s > ended_at_s + WALL_CLOCK_ERROR_S:
            return "run_ended", "The test had already ended when this mark was made."
        return None

    def follow_up(self, new: NewMark) -> None:
        was_open = self.run.ended_at is None
        super().follow_up(new)
        if was_open and self.run.ended_at is not None:
            self.run.ended_at_s = new.at_s
        elif new.type == "withdrawn" and not self.after_end and new.target and new.target.type in END_TYPES:
            self.run.ended_at = self.run.ended_by = self.run.ended_at_s = None  # taken back in the same breath

    def valued(self) -> set[str]:
        """Ids of the marks that were given a number later, in what is kept and in this batch."""
        kept = select(EventRow.body).where(EventRow.run_id == self.run.id, EventRow.type == "valued")
        new = (row.body for row in self.known.values() if row.type == "valued")
        return {str(body.get("event")) for body in (*self.session.scalars(kept), *new)}

    def has_many_by(self, author: Author) -> bool:
        """Whether somebody has made as many marks as a watcher may."""
        query = select(func.count()).where(EventRow.run_id == self.run.id, EventRow.author_id == author.id)
        return (self.session.scalar(query) or 0) >= MAX_EVENTS_OF_WATCHER

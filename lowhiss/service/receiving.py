"""Receiving what devices strike: each event is accepted once, recognised when it is resent, or set aside in sight."""

from __future__ import annotations

import datetime as dt
import math
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import or_, select
from sqlalchemy.orm import Session

from lowhiss.core.errors import CoreError
from lowhiss.core.record import read_event
from lowhiss.core.rules import canonical_json
from lowhiss.core.run import READABLE
from lowhiss.service.clocks import WALL_CLOCK_ERROR_S, Instant, Mapping, map_epoch
from lowhiss.service.errors import NotFoundError
from lowhiss.service.parts import Part, part_of, watcher_may
from lowhiss.service.runs import clock_row, judge_row
from lowhiss.service.signin import ForbiddenError, Person
from lowhiss.service.units import unit_of
from lowhiss.service.verdicts import keep_verdict
from lowhiss.store.engine import Store
from lowhiss.store.models import ClockRow, EventRow, RunRow

_ENDS = ("finished", "abandoned")
_AFTER_THE_END = frozenset({"note", "valued", "withdrawn"})
"""What may still be struck when the run is over; whatever was struck before its end may come at any time."""
MAX_EVENTS_OF_RUN = 5_000
"""Far above what any test needs; a run that grows past it is a fault or a flood."""


@dataclass(frozen=True, slots=True)
class Struck:
    """One event as a device sends it: its identity and clocks, and ``body``, the fields of its type."""

    id: str
    seq: int
    at: Instant
    author: str
    body: dict[str, Any]


@dataclass(frozen=True, slots=True)
class SetAside:
    """An event that could not be applied, and why."""

    id: str
    code: str
    sentence: str


@dataclass(slots=True)
class Received:
    """What became of a batch: each event's sequence number within the run, or why it was set aside."""

    last_seq: int = 0
    accepted: dict[str, int] = field(default_factory=dict)
    set_aside: list[SetAside] = field(default_factory=list)


def add_events(
    store: Store, run_id: str, sent: Instant, events: list[Struck], by: Person, device: str | None = None
) -> Received:
    """Append a batch. Each event is accepted, found again, or set aside with the reason; none blocks the next.

    Raises NotFoundError, ForbiddenError. When this returns, what it accepted is committed.
    """
    received_at = dt.datetime.now(dt.UTC)
    with store.transaction() as session:
        run = session.scalar(select(RunRow).where(RunRow.id == run_id).with_for_update())
        if run is None:
            raise NotFoundError("run_unknown", "There is no such run.", "run_id")
        part = part_of(session, run, by, device)
        if part is None:
            raise ForbiddenError("not_your_run", "Only who began this run or joined it may add to it.", "run_id")
        adding = _Adding(session, run, sent, received_at, by, part, events)
        for event in events:
            adding.take(event)
        # while a test goes on, only whoever looks wants it judged
        if adding.grown and adding.ended_at_s() < math.inf:
            session.flush()
            keep_verdict(session, run, judge_row(session, run))
        adding.received.last_seq = run.last_seq
        return adding.received


class _Adding:
    """One batch being appended under its run's row lock; used once and thrown away."""

    def __init__(
        self,
        session: Session,
        run: RunRow,
        sent: Instant,
        received_at: dt.datetime,
        by: Person,
        part: Part,
        events: list[Struck],
    ) -> None:
        self.session, self.run, self.sent, self.received_at, self.by = session, run, sent, received_at, by
        self.watches = part == "watch"
        self.unit = unit_of(run.unit)
        self.received = Received()
        self.known = self.named(events)
        """Of the run's events those that this batch brings or refers to, those that ended it, and the new ones."""
        clocks = session.scalars(select(ClockRow).where(ClockRow.run_id == run.id))
        self.clocks = {(row.device, row.epoch): Mapping(row.offset_s, row.error_s) for row in clocks}
        self.grown = False

    def take(self, event: Struck) -> None:
        """Accept one event, recognise it, or set it aside."""
        known = self.known.get(event.id)
        if known is not None:
            if _same(known, event):
                self.received.accepted[event.id] = known.seq
            else:
                self.aside(event, "id_conflict", "Another mark with other content already has this id.")
        elif self.run.last_seq >= MAX_EVENTS_OF_RUN:
            self.aside(
                event, "run_full", f"The run already holds {MAX_EVENTS_OF_RUN} marks; finish it and begin another."
            )
        else:
            self.append(event)

    def append(self, event: Struck) -> None:
        """Check a new event and give it its place."""
        if taken := sorted({"at_s", "id", "seq"} & event.body.keys()):
            self.aside(event, "event_malformed", f"{taken[0]} is set by the server and cannot be sent.")
            return
        mapping = self.mapping(event.at)
        at_s = mapping.at_s(event.at.mono_s)
        try:
            checked = read_event({"at_s": at_s, "id": event.id, **event.body}, 0, self.unit)
        except CoreError as error:
            name = error.field.removeprefix("events[0]").removeprefix(".") or "event"
            self.aside(event, "event_malformed", f"{name} {error.problem}.")
            return
        target = self.known.get(checked.event or "")
        if checked.type in ("withdrawn", "valued") and (
            target is None or (checked.type == "valued" and target.type not in READABLE)
        ):
            self.aside(event, "target_unknown", "The mark that this refers to is not part of the run.")
            return
        if self.watches and not watcher_may(event.body, target, self.by, self.referred_to("valued")):
            self.aside(event, "watcher_may_not", "Only who leads the test may strike this: tell them.")
            return
        if checked.type not in _AFTER_THE_END and at_s > self.ended_at_s() + WALL_CLOCK_ERROR_S:
            self.aside(event, "run_ended", "The test had already ended when this was struck.")
            return
        self.run.last_seq += 1
        row = EventRow(
            run_id=self.run.id,
            seq=self.run.last_seq,
            id=event.id,
            type=checked.type,
            device=event.at.device,
            epoch=event.at.epoch,
            device_seq=event.seq,
            mono_s=event.at.mono_s,
            wall=event.at.wall,
            at_s=at_s,
            author=event.author or self.by.name,
            sent_by=self.by.id,
            primary_psi=checked.primary_psi,
            secondary_psi=checked.secondary_psi,
            body=event.body,
            received_at=self.received_at,
        )
        self.session.add(row)
        self.known[event.id] = row
        self.received.accepted[event.id] = row.seq
        self.grown = True

    def named(self, events: list[Struck]) -> dict[str, EventRow]:
        """The kept events that matter to a batch: a long run is not read whole for each of its marks."""
        names = {event.id for event in events} | {str(event.body.get("event")) for event in events}
        matters = or_(EventRow.id.in_(names), EventRow.type.in_(_ENDS))
        query = select(EventRow).where(EventRow.run_id == self.run.id, matters)
        return {row.id: row for row in self.session.scalars(query)}

    def referred_to(self, kind: str) -> set[str]:
        """Ids of the marks that an event of this type refers to, in what is kept and in this batch."""
        kept = select(EventRow.body).where(EventRow.run_id == self.run.id, EventRow.type == kind)
        new = (row.body for row in self.known.values() if row.type == kind)
        return {str(body.get("event")) for body in (*self.session.scalars(kept), *new)}

    def ended_at_s(self) -> float:
        """When the run was brought to its end, as far as that stands; without an end, never."""
        ends = [row for row in self.known.values() if row.type in _ENDS]
        gone = self.referred_to("withdrawn") if ends else set()
        return min((row.at_s for row in ends if row.id not in gone), default=math.inf)

    def mapping(self, at: Instant) -> Mapping:
        """The epoch's mapping, made and kept at its first event."""
        key = (at.device, at.epoch)
        if key not in self.clocks:
            self.clocks[key] = map_epoch(at, self.sent, self.received_at, self.run.started_at)
            self.session.add(clock_row(self.run.id, at, self.clocks[key]))
        return self.clocks[key]

    def aside(self, event: Struck, code: str, sentence: str) -> None:
        """Tell the device to keep this one in sight."""
        self.received.set_aside.append(SetAside(event.id, code, sentence))


def _same(row: EventRow, event: Struck) -> bool:
    """Whether a resent event is the one already kept; the server's own additions do not count."""
    return (
        row.device == event.at.device
        and row.epoch == event.at.epoch
        and row.device_seq == event.seq
        and row.mono_s == event.at.mono_s
        and row.wall == event.at.wall
        and row.author == (event.author or row.author)
        and canonical_json(row.body) == canonical_json(event.body)
    )

"""Receiving what devices strike: each event is accepted once, recognised when it is resent, or set aside in sight."""

from __future__ import annotations

import datetime as dt
import math
from dataclasses import dataclass, field
from functools import partial
from typing import Any

from sqlalchemy import bindparam, func, insert, select, tuple_
from sqlalchemy.orm import Session, load_only

from lowhiss.core.errors import CoreError
from lowhiss.core.names import name_key
from lowhiss.core.record import END_TYPES, EVENT_KINDS, READABLE_TYPES, read_event
from lowhiss.core.rules import canonical_json
from lowhiss.engine.clocks import WALL_CLOCK_ERROR_S, Instant, Mapping, map_epoch
from lowhiss.service.errors import NotFoundError
from lowhiss.service.fleet.units import unit_of
from lowhiss.service.people.authors import Author, Authors
from lowhiss.service.people.proofs import Proof, signed_text
from lowhiss.service.people.signin import ForbiddenError, Person
from lowhiss.service.runs.participants import OVERSEERS, Part, is_grant, overseer_may, part_of, watcher_may
from lowhiss.service.runs.rows import clock_row, judge_row
from lowhiss.service.runs.verdicts import keep_verdict
from lowhiss.store.engine import Store
from lowhiss.store.run_models import ClockRow, EventRow, RunRow

_SERVERS_OWN = frozenset({"at_s", "id", "seq", "after_end", "sent_by", "received"})
MAX_EVENTS_OF_RUN = 5_000
"""Far above what any test needs; a run that grows past it is a fault or a flood."""
MAX_JUDGED_HERE = 600
"""A run of more marks is judged when somebody asks for it, in a process of its own."""
MAX_EVENTS_OF_WATCHER = 1_000
"""A watcher's flood leaves room for whoever leads."""
MAX_CLOCKS_OF_RUN = 200
"""Page lives of devices in one run."""
_KNOWN_CLOCKS: dict[tuple[str, str, str], Mapping] = {}
_MAX_KNOWN_CLOCKS = 10_000


@dataclass(frozen=True, slots=True)
class Struck:
    """One event as a device sends it: its identity and clocks, and ``body``, the fields of its type.

    proof : its author's signature, made when it was struck.
    """

    id: str
    seq: int
    at: Instant
    author: str
    body: dict[str, Any]
    proof: Proof | None = None

    def signed(self, log: str) -> bytes:
        """What its author signed. log : the id of the run or inspection. Raises ValueError."""
        return signed_text(log, self.id, self.at, self.author, self.body)


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

    Raises NotFoundError, and ForbiddenError where nothing in it is of anybody who takes part.
    When this returns, what it accepted is committed.
    """
    received_at = dt.datetime.now(dt.UTC)
    with store.transaction() as session:
        run = session.scalar(_RUN, {"run_id": run_id})
        if run is None:
            raise NotFoundError("run_unknown", "There is no such run.", "run_id")
        authors = _Authors(session, run, by, device)
        if authors.part(authors.sender) in (None, "send") and not authors.others_among(events):
            raise ForbiddenError("not_your_run", "Only who began this run or joined it may add to it.", "run_id")
        adding = _Adding(session, run, sent, received_at, authors, events)
        for event in events:
            adding.take(event)
        if adding.rows:
            session.connection().execute(_INSERT, adding.rows)
            run.stale = True
            # while a test goes on, only whoever looks wants it judged; a long one is judged beside this process
            if run.ended_at is not None and run.last_seq <= MAX_JUDGED_HERE:
                session.flush()
                keep_verdict(session, run, judge_row(session, run))
        adding.received.last_seq = run.last_seq
        return adding.received


_RUN = select(RunRow).options(
    load_only(
        RunRow.unit, RunRow.person_id, RunRow.device_hash, RunRow.started_at, RunRow.last_seq, RunRow.stale,
        RunRow.ended_at, RunRow.ended_by, RunRow.ended_at_s,
    )
).where(RunRow.id == bindparam("run_id")).with_for_update()  # fmt: skip
"""Of a run only what a mark needs: every column costs time on its way."""


_INSERT = insert(EventRow)  # past the mapper: a mark needs none of what it does
_KNOWN = select(EventRow.id).where(
    EventRow.run_id == bindparam("run_id"), EventRow.id.in_(bindparam("names", expanding=True))
)


class _Authors(Authors):
    """Who may have struck what in a run, and the part that they take in it."""

    def __init__(self, session: Session, run: RunRow, by: Person, device: str | None) -> None:
        super().__init__(session, by, device)
        self.run = run
        self._parts: dict[str, Part | None] = {}

    def part(self, author: Author) -> Part | None:
        """The part that somebody takes in the run."""
        if author.id not in self._parts:
            self._parts[author.id] = part_of(self.session, self.run, author.id, author.role, self.device)
        return self._parts[author.id]

    def others_among(self, events: list[Struck]) -> bool:
        """Whether a batch brings marks of somebody else who was signed in on this device and takes part."""
        keys = {name_key(event.author) for event in events} - {name_key(self.sender.name)}
        return any(
            self.part(author) in ("lead", "watch", "oversee")
            for key in keys
            for author, *_ in self.present().get(key, [])
        )


class _Adding:
    """One batch being appended under its run's row lock; used once and thrown away."""

    def __init__(
        self,
        session: Session,
        run: RunRow,
        sent: Instant,
        received_at: dt.datetime,
        authors: _Authors,
        events: list[Struck],
    ) -> None:
        self.session, self.run, self.sent, self.received_at, self.authors = session, run, sent, received_at, authors
        self.unit = unit_of(run.unit)
        self.received = Received()
        self.after_end = run.ended_at is not None
        self.known = self.named(events)
        """Of the run's events those that this batch brings or refers to, and the new ones."""
        self.clocks = self.clocks_of({(event.at.device, event.at.epoch) for event in events})
        self.rows: list[dict[str, Any]] = []
        """What is to be kept, in order."""

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
        if taken := sorted(_SERVERS_OWN & event.body.keys()):
            self.aside(event, "event_malformed", f"{taken[0]} is set by the server and cannot be sent.")
            return
        new_clock = (event.at.device, event.at.epoch) not in self.clocks
        mapping = self.mapping(event.at)
        at_s = mapping.at_s(event.at.mono_s)
        try:
            checked = read_event({"at_s": at_s, "id": event.id, **event.body}, 0, self.unit)
            canonical_json([event.author, event.body]).encode()
        except CoreError as error:
            name = error.field.removeprefix("events[0]").removeprefix(".") or "event"
            self.aside(event, "event_malformed", f"{name} {error.problem}.")
            return
        except UnicodeEncodeError:
            self.aside(event, "event_malformed", "It holds half a character, which cannot be kept.")
            return
        if checked.type in END_TYPES:
            at_s = max(at_s, self.latest_at_s())  # an end dated back would cut off what was struck before it came
        struck_at = self.run.started_at + dt.timedelta(seconds=at_s)
        author, claimed = self.authors.of(event.author, struck_at, event.proof, partial(event.signed, self.run.id))
        target = self.known.get(checked.event or "")
        if refusal := self.refusal(event, checked.type, at_s, author, target, new_clock):
            self.aside(event, *refusal)
            return
        if new_clock:
            self.session.add(clock_row(self.run.id, event.at, mapping))
            self.clocks[event.at.device, event.at.epoch] = mapping
        self.run.last_seq += 1
        row = {
            "run_id": self.run.id,
            "seq": self.run.last_seq,
            "id": event.id,
            "type": checked.type,
            "device": event.at.device,
            "epoch": event.at.epoch,
            "device_seq": event.seq,
            "mono_s": event.at.mono_s,
            "wall": event.at.wall,
            "at_s": at_s,
            "author": author.name,
            "author_id": author.id,
            "claimed": claimed,
            "after_end": self.after_end,
            "sent_by": self.authors.sender.id,
            "primary_psi": checked.primary_psi,
            "secondary_psi": checked.secondary_psi,
            "body": event.body,
            "proof": event.proof.as_dict() if event.proof is not None else None,
            "received_at": self.received_at,
        }
        self.rows.append(row)
        self.known[event.id] = EventRow(**row)
        self.received.accepted[event.id] = self.run.last_seq
        self.end(checked.type, at_s, target)

    def refusal(
        self, event: Struck, kind: str, at_s: float, author: Author, target: EventRow | None, new_clock: bool
    ) -> tuple[str, str] | None:
        """Why an event that is well formed cannot be kept; None where it can."""
        confirms = kind == "late_confirmed"
        refers = confirms or kind in ("withdrawn", "valued")
        if refers and (target is None or (kind == "valued" and target.type not in READABLE_TYPES)):
            return "target_unknown", "The mark that this refers to is not part of the run."
        if refers and target is not None and target.type == "shown":
            return "shown_stays", "A result that was shown stays: take back the mark it came from instead."
        part = self.authors.part(author)
        if part in (None, "send"):
            return "not_your_run", "Only who began this run or joined it may add to it."
        if confirms and author.id != self.authors.sender.id:
            return "sign_in_yourself", f"{author.name} decides this when signed in: nobody sends it for them."
        if confirms and author.role not in OVERSEERS:
            return "trainer_needed", "Only a trainer or a manager may confirm what came after the end."
        if part == "lead" and is_grant(event.body):
            return "examiner_only", "Only the examiner may let a part be done over: ask them."
        if part == "oversee" and not overseer_may(event.body, target):
            return "not_your_run", "Take the lead of this test first: then its marks are yours to make."
        if part == "watch" and not confirms:
            if not watcher_may(event.body, target, author.id, self.referred_to("valued")):
                return "watcher_may_not", "Only who leads the test may strike this: tell them."
            if self.run.last_seq >= MAX_EVENTS_OF_WATCHER and self.many_by(author):
                return "run_full", f"A watcher makes at most {MAX_EVENTS_OF_WATCHER} marks in a test."
        ended_at_s = math.inf if self.run.ended_at_s is None else self.run.ended_at_s
        if not EVENT_KINDS[kind].taken_closed and at_s > ended_at_s + WALL_CLOCK_ERROR_S:
            return "run_ended", "The test had already ended when this was struck."
        if new_clock and self.many_clocks():
            return "too_many_clocks", f"The run has seen {MAX_CLOCKS_OF_RUN} page lives; finish it and begin another."
        return None

    def end(self, kind: str, at_s: float, target: EventRow | None) -> None:
        """A run ends with the first end that is received; taken back in the same breath it goes on."""
        if kind in END_TYPES and self.run.ended_at is None:
            self.run.ended_at, self.run.ended_by, self.run.ended_at_s = self.received_at, kind, at_s
        elif kind == "withdrawn" and not self.after_end and target is not None and target.type in END_TYPES:
            self.run.ended_at = self.run.ended_by = self.run.ended_at_s = None

    def named(self, events: list[Struck]) -> dict[str, EventRow]:
        """The kept events that matter to a batch: a long run is not read whole for each of its marks."""
        named = [name for event in events for name in (event.id, event.body.get("event"))]
        # a name that is no plain text is none of ours
        names = {name for name in named if isinstance(name, str) and name.isascii()}
        given = {"run_id": self.run.id, "names": list(names)}
        # nearly always none is known yet: the whole rows are asked for only where one is
        if not self.session.scalars(_KNOWN, given).all():
            return {}
        here = (EventRow.run_id == self.run.id, EventRow.id.in_(names))
        return {row.id: row for row in self.session.scalars(select(EventRow).where(*here))}

    def clocks_of(self, keys: set[tuple[str, str]]) -> dict[tuple[str, str], Mapping]:
        """The mappings of these page lives, as far as they were made; one that was kept never changes."""
        run_id = self.run.id
        found = {key: known for key in keys if (known := _KNOWN_CLOCKS.get((run_id, *key))) is not None}
        missing = keys - found.keys()
        if missing:
            query = select(ClockRow).where(
                ClockRow.run_id == run_id, tuple_(ClockRow.device, ClockRow.epoch).in_(missing)
            )
            for row in self.session.scalars(query):
                found[row.device, row.epoch] = Mapping(row.offset_s, row.error_s)
                if len(_KNOWN_CLOCKS) >= _MAX_KNOWN_CLOCKS:
                    _KNOWN_CLOCKS.clear()
                _KNOWN_CLOCKS[run_id, row.device, row.epoch] = found[row.device, row.epoch]
        return found

    def referred_to(self, kind: str) -> set[str]:
        """Ids of the marks that an event of this type refers to, in what is kept and in this batch."""
        kept = select(EventRow.body).where(EventRow.run_id == self.run.id, EventRow.type == kind)
        new = (row.body for row in self.known.values() if row.type == kind)
        return {str(body.get("event")) for body in (*self.session.scalars(kept), *new)}

    def latest_at_s(self) -> float:
        """The run's time of the latest mark it has [s]."""
        kept = self.session.scalar(select(func.max(EventRow.at_s)).where(EventRow.run_id == self.run.id))
        return max([float(kept or 0.0), *(float(row["at_s"]) for row in self.rows)])

    def many_by(self, author: Author) -> bool:
        """Whether somebody has made as many marks as a watcher may."""
        query = select(func.count()).where(EventRow.run_id == self.run.id, EventRow.author_id == author.id)
        return (self.session.scalar(query) or 0) >= MAX_EVENTS_OF_WATCHER

    def many_clocks(self) -> bool:
        """Whether the run has seen as many page lives as it may."""
        query = select(func.count()).select_from(ClockRow).where(ClockRow.run_id == self.run.id)
        return (self.session.scalar(query) or 0) >= MAX_CLOCKS_OF_RUN

    def mapping(self, at: Instant) -> Mapping:
        """The epoch's mapping; kept with the first of its events that is."""
        known = self.clocks.get((at.device, at.epoch))
        return known or map_epoch(at, self.sent, self.received_at, self.run.started_at)

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
        and name_key(event.author) in ("", name_key(row.author), name_key(row.claimed or ""))
        and canonical_json(row.body) == canonical_json(event.body)
    )

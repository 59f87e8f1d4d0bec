"""Receiving the marks of a round: each is kept once, found again when it is resent, or set aside in sight."""

from __future__ import annotations

import datetime as dt
from functools import partial

from sqlalchemy import select
from sqlalchemy.orm import Session

from lowhiss import rulebook
from lowhiss.core.errors import CoreError
from lowhiss.core.names import name_key
from lowhiss.core.rounds import END_MARKS, MAX_MARKS, Mark, read_mark
from lowhiss.core.rules import canonical_json
from lowhiss.engine.clocks import Instant, map_epoch
from lowhiss.service.people import secrets
from lowhiss.service.people.authors import Author, Authors
from lowhiss.service.people.signin import ForbiddenError, Person
from lowhiss.service.rounds.following import Following
from lowhiss.service.rounds.rows import RoundPart, figures_of, find_round, judge_row, part_in, record_of
from lowhiss.service.runs.receiving import Received, SetAside, Struck
from lowhiss.store.engine import Store
from lowhiss.store.round_models import RoundMarkRow, RoundRow

HELPERS_MAY = ("answer", "said", "note")
"""What somebody may mark who joined by a code: never what commands the driver."""
_SERVERS_OWN = frozenset({"at_s", "id", "seq", "after_end", "sent_by", "received", "by", "device"})


def add_marks(
    store: Store, round_id: str, sent: Instant, marks: list[Struck], by: Person, device: str | None = None
) -> Received:
    """Append a batch, and let follow what follows from it: defects, what was asked of the unit, the end.

    Each mark is accepted, found again, or set aside with the reason; none blocks the next.  Raises NotFoundError, and
    ForbiddenError for who takes no part.  When this returns, what it accepted is committed.
    """
    with store.transaction() as session:
        row = find_round(session, round_id, lock=True)
        part = part_in(session, row, by, secrets.token_hash(device) if device else None)
        if part is None:
            raise ForbiddenError("not_your_round", "Only who began this round or joined it may add to it.", "round_id")
        adding = _Adding(session, row, sent, Authors(session, by, device), part)
        for mark in marks:
            adding.take(mark)
        adding.finish()
        return adding.received


class _Adding:
    """One batch being appended under its round's row lock; used once and thrown away."""

    def __init__(self, session: Session, row: RoundRow, sent: Instant, authors: Authors, part: RoundPart) -> None:
        self.session, self.row, self.sent, self.authors, self.part = session, row, sent, authors, part
        self.received_at = dt.datetime.now(dt.UTC)
        self.received = Received()
        self.after_end = row.ended_at is not None
        self.usual = record_of(session, row).set
        self.offsets: dict[tuple[str, str], float] = {}
        self.new: list[tuple[Mark, RoundMarkRow]] = []

    def take(self, struck: Struck) -> None:
        """Accept one mark, recognise it, or set it aside."""
        known = self.session.scalar(
            select(RoundMarkRow).where(RoundMarkRow.round_id == self.row.id, RoundMarkRow.id == struck.id)
        )
        if known is not None:
            if _same(known, struck):
                self.received.accepted[struck.id] = known.seq
            else:
                self.aside(struck, "id_conflict", "Another mark with other content already has this id.")
        elif self.row.last_seq >= MAX_MARKS:
            self.aside(struck, "round_full", f"The round already holds {MAX_MARKS} marks; finish it and begin another.")
        else:
            self.append(struck)

    def append(self, struck: Struck) -> None:
        """Check a new mark and give it its place."""
        if taken := sorted(_SERVERS_OWN & struck.body.keys()):
            self.aside(struck, "mark_malformed", f"{taken[0]} is set by the server and cannot be sent.")
            return
        at_s = self.at_s(struck.at)
        try:
            mark = read_mark({"at_s": at_s, "id": struck.id, **struck.body}, 0, rulebook.rounds(), self.usual)
            canonical_json([struck.author, struck.body]).encode()
        except CoreError as error:
            name = error.field.removeprefix("marks[0]").removeprefix(".") or "mark"
            self.aside(struck, "mark_malformed", f"{name} {error.problem}.")
            return
        except UnicodeEncodeError:
            self.aside(struck, "mark_malformed", "It holds half a character, which cannot be kept.")
            return
        made_at = self.row.started_at + dt.timedelta(seconds=at_s)
        author, claimed = self.authors.of(struck.author, made_at, struck.proof, partial(struck.signed, self.row.id))
        if not self.may(mark.type, author):
            self.aside(struck, "helper_may_not", "Only who leads the round may mark this: tell them.")
            return
        self.row.last_seq += 1
        kept = RoundMarkRow(
            round_id=self.row.id,
            seq=self.row.last_seq,
            id=struck.id,
            type=mark.type,
            device=struck.at.device,
            epoch=struck.at.epoch,
            device_seq=struck.seq,
            mono_s=struck.at.mono_s,
            wall=struck.at.wall,
            at_s=at_s,
            author=author.name,
            author_id=author.id,
            claimed=claimed,
            after_end=self.after_end,
            sent_by=self.authors.sender.id,
            body=struck.body,
            proof=struck.proof.as_dict() if struck.proof is not None else None,
            received_at=self.received_at,
        )
        self.session.add(kept)
        self.session.flush()
        self.new.append((mark, kept))
        self.received.accepted[struck.id] = self.row.last_seq
        if mark.type in END_MARKS and self.row.ended_at is None:
            self.row.ended_at, self.row.ended_by = self.received_at, mark.type

    def may(self, kind: str, author: Author) -> bool:
        """Whether the part of whoever made it lets them mark this; who has none only sends on what others made."""
        sends = author.id == self.authors.sender.id
        part = self.part if sends else part_in(self.session, self.row, author, None)
        if part == "oversee":
            return kind == "note"
        return part == "lead" or (part == "help" and kind in HELPERS_MAY)

    def at_s(self, at: Instant) -> float:
        """The round's time of a moment [s]: every mark of one page life is mapped as its first one was."""
        key = (at.device, at.epoch)
        if key not in self.offsets:
            query = select(RoundMarkRow.at_s, RoundMarkRow.mono_s).where(
                RoundMarkRow.round_id == self.row.id, RoundMarkRow.device == key[0], RoundMarkRow.epoch == key[1]
            )
            first = self.session.execute(query.order_by(RoundMarkRow.seq).limit(1)).first()
            begun = self.row.begun
            if first is not None and first.at_s > 0:
                self.offsets[key] = first.at_s - first.mono_s
            elif key == (begun["device"], begun["epoch"]):
                self.offsets[key] = -float(begun["mono_s"])
            else:
                self.offsets[key] = map_epoch(at, self.sent, self.received_at, self.row.started_at).offset_s
        return max(0.0, round(at.mono_s + self.offsets[key], 6))

    def finish(self) -> None:
        """What follows from the whole batch."""
        self.received.last_seq = self.row.last_seq
        if not self.new:
            return
        record, state = judge_row(self.session, self.row)
        self.row.figures = figures_of(state)
        Following(self.session, self.row, record, state).follow([mark for mark, _ in self.new])

    def aside(self, struck: Struck, code: str, sentence: str) -> None:
        """Tell the device to keep this one in sight."""
        self.received.set_aside.append(SetAside(struck.id, code, sentence))


def _same(row: RoundMarkRow, struck: Struck) -> bool:
    """Whether a resent mark is the one already kept; the server's own additions do not count."""
    return (
        (row.device, row.epoch) == (struck.at.device, struck.at.epoch)
        and row.mono_s == struck.at.mono_s
        and name_key(struck.author) in ("", name_key(row.author), name_key(row.claimed or ""))
        and canonical_json(row.body) == canonical_json(struck.body)
    )

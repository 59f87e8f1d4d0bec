"""Receive marks for any kind of log: each is kept once, found again when it is sent again, or set aside with a reason.

A kind of log is a subclass of `Receiver`: it reads a mark's own fields, says who may make it, and what follows from a
batch. Identity, proof, clocks, order, resending and ends are the same for all and stand here only.
"""

from __future__ import annotations

import datetime as dt
from abc import ABC, abstractmethod
from dataclasses import dataclass, field
from functools import partial
from typing import Any, ClassVar

from sqlalchemy import func, insert, select, tuple_
from sqlalchemy.orm import Session

from lowhiss.core.errors import CoreError
from lowhiss.core.rules import canonical_json
from lowhiss.engine.clocks import Instant, Mapping, map_epoch
from lowhiss.service.marks.kinds import LogKind, clock_of
from lowhiss.service.marks.model import SERVER_FIELDS, Received, SentMark, SetAside, is_same
from lowhiss.service.people.authors import Author, Authors
from lowhiss.store.mark_models import LogColumns, MarkColumns

MALFORMED = "mark_malformed"
MAX_CLOCKS = 200
"""Page lives of devices in one log."""
_KNOWN_CLOCKS: dict[tuple[str, str, str], Mapping] = {}
_MAX_KNOWN_CLOCKS = 10_000


@dataclass(frozen=True, slots=True)
class ReadMark:
    """A mark whose fields were read. checked : as the core has it.  refers_to : the id of another mark it is about."""

    type: str
    checked: Any
    refers_to: str = ""
    columns: dict[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class NewMark:
    """A well-formed mark that the log does not have yet. at_s : the log's time [s].  target : the mark it is about."""

    sent: SentMark
    read: ReadMark
    at_s: float
    author: Author
    target: MarkColumns | None

    @property
    def type(self) -> str:
        return self.read.type


class Receiver(ABC):
    """One batch being appended under its log's row lock; used once and thrown away."""

    kind: ClassVar[LogKind]

    def __init__(
        self, session: Session, log: LogColumns, sent: Instant, authors: Authors, marks: list[SentMark]
    ) -> None:
        self.session, self.log, self.sent, self.authors, self.sent_marks = session, log, sent, authors, marks
        self.received_at = dt.datetime.now(dt.UTC)
        self.received = Received()
        self.after_end = log.ended_at is not None
        self.known = self._load_named()
        """Of the log's marks those that this batch brings or refers to, and the new ones."""
        self.clocks = self._load_clocks()
        self.rows: list[dict[str, Any]] = []
        """The new marks as rows, in order."""

    @abstractmethod
    def read(self, table: dict[str, Any]) -> ReadMark:
        """Check the fields of a mark's type. Raises CoreError."""

    @abstractmethod
    def refusal(self, new: NewMark) -> tuple[str, str] | None:
        """Why a mark cannot be kept, as code and sentence; None where it can."""

    def follow_up(self, new: NewMark) -> None:
        """Let follow what follows from a kept mark: the first end that is received ends the log."""
        if new.type in self.kind.ends and self.log.ended_at is None:
            self.log.ended_at, self.log.ended_by = self.received_at, new.type

    def receive(self) -> Received:
        """Take the whole batch and write what is new. None of its marks blocks the next."""
        for mark in self.sent_marks:
            self._take(mark)
        if self.rows:
            self.session.connection().execute(insert(self.kind.marks), self.rows)
        self.received.last_seq = self.log.last_seq
        return self.received

    def _take(self, mark: SentMark) -> None:
        known = self.known.get(mark.id)
        if known is not None:
            if is_same(known, mark):
                self.received.accepted[mark.id] = known.seq
            else:
                self.set_aside(mark, "id_conflict", "id: another mark with different content already has this id.")
        elif self.log.last_seq >= self.kind.max_marks:
            name, most = self.kind.name, self.kind.max_marks
            sentence = f"The {name} already has {most} marks. Finish it and start another."
            self.set_aside(mark, "log_full", sentence)
        else:
            self._append(mark)

    def _append(self, mark: SentMark) -> None:
        if taken := sorted(SERVER_FIELDS & mark.body.keys()):
            self.set_aside(mark, MALFORMED, f"{taken[0]} is set by the server and can't be sent.")
            return
        key = (mark.at.device, mark.at.epoch)
        mapping = self.clocks.get(key) or map_epoch(mark.at, self.sent, self.received_at, self.log.started_at)
        at_s = mapping.at_s(mark.at.mono_s)
        try:
            read = self.read({"at_s": at_s, "id": mark.id, **mark.body})
            canonical_json([mark.author, mark.body]).encode()
        except CoreError as error:
            name = error.field.removeprefix(f"{self.kind.prefix}[0]").removeprefix(".") or "mark"
            self.set_aside(mark, MALFORMED, f"{name} {error.problem}.")
            return
        except UnicodeEncodeError:
            self.set_aside(mark, MALFORMED, "The text contains a broken character. Type it again.")
            return
        if read.type in self.kind.ends:
            at_s = max(at_s, self._latest_at_s())  # an end dated back would cut off what was marked before it came
        made_at = self.log.started_at + dt.timedelta(seconds=at_s)
        author, claimed = self.authors.of(mark.author, made_at, mark.proof, partial(mark.signed, self.log.id))
        new = NewMark(mark, read, at_s, author, self.known.get(read.refers_to))
        if refused := self.refusal(new):
            self.set_aside(mark, *refused)
            return
        if key not in self.clocks:
            if self._has_many_clocks():
                sentence = (
                    f"The {self.kind.name} was opened on too many pages ({MAX_CLOCKS}). Finish it and start another."
                )
                self.set_aside(mark, "too_many_clocks", sentence)
                return
            self.session.add(clock_of(self.kind, self.log.id, mark.at, mapping))
            self.clocks[key] = mapping
        self._save(new, claimed)
        self.follow_up(new)

    def _save(self, new: NewMark, claimed: str | None) -> None:
        mark = new.sent
        self.log.last_seq += 1
        row = {
            self.kind.marks_of.key: self.log.id,
            "seq": self.log.last_seq,
            "id": mark.id,
            "type": new.type,
            "device": mark.at.device,
            "epoch": mark.at.epoch,
            "device_seq": mark.seq,
            "mono_s": mark.at.mono_s,
            "wall": mark.at.wall,
            "at_s": new.at_s,
            "author": new.author.name,
            "author_id": new.author.id,
            "claimed": claimed,
            "after_end": self.after_end,
            "sent_by": self.authors.sender.id,
            "body": mark.body,
            "proof": mark.proof.as_dict() if mark.proof is not None else None,
            "received_at": self.received_at,
            **new.read.columns,
        }
        self.rows.append(row)
        self.known[mark.id] = self.kind.marks(**row)
        self.received.accepted[mark.id] = self.log.last_seq

    def _load_named(self) -> dict[str, MarkColumns]:
        """Load the kept marks that matter to a batch: a long log is not read whole for each of its marks."""
        named = [name for mark in self.sent_marks for name in (mark.id, mark.body.get("event"))]
        # a name that is no plain text is none of ours
        names = {name for name in named if isinstance(name, str) and name.isascii()}
        here = (self.kind.marks_of == self.log.id, self.kind.marks.id.in_(names))
        # nearly always none is known yet: the whole rows are asked for only where one is
        if not self.session.scalars(select(self.kind.marks.id).where(*here)).all():
            return {}
        return {row.id: row for row in self.session.scalars(select(self.kind.marks).where(*here))}

    def _load_clocks(self) -> dict[tuple[str, str], Mapping]:
        """Load the mappings of the batch's page lives, as far as they were made; one that was kept never changes."""
        log_id, clocks = self.log.id, self.kind.clocks
        keys = {(mark.at.device, mark.at.epoch) for mark in self.sent_marks}
        found = {key: known for key in keys if (known := _KNOWN_CLOCKS.get((log_id, *key))) is not None}
        if missing := keys - found.keys():
            here = tuple_(clocks.device, clocks.epoch).in_(missing)
            for row in self.session.scalars(select(clocks).where(self.kind.clocks_of == log_id, here)):
                found[row.device, row.epoch] = Mapping(row.offset_s, row.error_s)
                if len(_KNOWN_CLOCKS) >= _MAX_KNOWN_CLOCKS:
                    _KNOWN_CLOCKS.clear()
                _KNOWN_CLOCKS[log_id, row.device, row.epoch] = found[row.device, row.epoch]
        return found

    def _latest_at_s(self) -> float:
        """The log's time of the latest mark it has [s]."""
        kept = self.session.scalar(select(func.max(self.kind.marks.at_s)).where(self.kind.marks_of == self.log.id))
        return max([float(kept or 0.0), *(float(row["at_s"]) for row in self.rows)])

    def _has_many_clocks(self) -> bool:
        query = select(func.count()).select_from(self.kind.clocks).where(self.kind.clocks_of == self.log.id)
        return (self.session.scalar(query) or 0) >= MAX_CLOCKS

    def set_aside(self, mark: SentMark, code: str, sentence: str) -> None:
        """Tell the device to keep this one in sight."""
        self.received.set_aside.append(SetAside(mark.id, code, sentence))

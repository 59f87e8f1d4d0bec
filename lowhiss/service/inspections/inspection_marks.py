"""Receive the marks of an inspection: who may make which, and the defects that follow from them."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from lowhiss import rulebook
from lowhiss.core.inspections import Mark, read_mark
from lowhiss.engine.clocks import Instant
from lowhiss.service.inspections.consequences import Following
from lowhiss.service.inspections.rows import InspectionPart, figures_of, find_inspection, judge_row, part_in, record_of
from lowhiss.service.marks.kinds import INSPECTIONS
from lowhiss.service.marks.model import Received, SentMark
from lowhiss.service.marks.receiver import NewMark, ReadMark, Receiver
from lowhiss.service.people import secrets
from lowhiss.service.people.authors import Author, Authors
from lowhiss.service.people.signin import ForbiddenError, Person
from lowhiss.store.engine import Store
from lowhiss.store.inspection_models import InspectionRow

HELPERS_MAY = ("answer", "said", "note")
"""What somebody may mark who joined by a code: never what commands the driver."""


def add_marks(
    store: Store, inspection_id: str, sent: Instant, marks: list[SentMark], by: Person, device: str | None = None
) -> Received:
    """Append a batch, and let follow what follows from it: defects, what was asked of the unit, the end.

    Raises NotFoundError, and ForbiddenError for who takes no part.  When this returns, what it accepted is committed.
    """
    with store.transaction() as session:
        row = find_inspection(session, inspection_id, lock=True)
        part = part_in(session, row, by, secrets.token_hash(device) if device else None)
        if part is None:
            raise ForbiddenError(
                "not_your_inspection",
                "Only people who started or joined this inspection may add to it.",
                "inspection_id",
            )
        receiver = _InspectionReceiver(session, row, sent, Authors(session, by, device), marks, part)
        received = receiver.receive()
        if receiver.new:
            record, state = judge_row(session, row)
            row.figures = figures_of(state)
            Following(session, row, record, state).follow(receiver.new)
        return received


class _InspectionReceiver(Receiver):
    kind = INSPECTIONS

    def __init__(
        self,
        session: Session,
        row: InspectionRow,
        sent: Instant,
        authors: Authors,
        marks: list[SentMark],
        part: InspectionPart,
    ) -> None:
        super().__init__(session, row, sent, authors, marks)
        self.row, self.part = row, part
        self.usual = record_of(session, row).set
        self.new: list[Mark] = []

    def read(self, table: dict[str, Any]) -> ReadMark:
        mark = read_mark(table, 0, rulebook.inspections(), self.usual)
        return ReadMark(mark.type, mark)

    def refusal(self, new: NewMark) -> tuple[str, str] | None:
        if not self.may(new.type, new.author):
            return "helper_may_not", "Only the person leading the inspection may mark this."
        return None

    def follow_up(self, new: NewMark) -> None:
        super().follow_up(new)
        self.new.append(new.read.checked)

    def may(self, kind: str, author: Author) -> bool:
        """Whether the part of whoever made it lets them mark this; who has none only sends on what others made."""
        sends = author.id == self.authors.sender.id
        part = self.part if sends else part_in(self.session, self.row, author, None)
        if part == "oversee":
            return kind == "note"
        return part == "lead" or (part == "help" and kind in HELPERS_MAY)

"""The table of the kinds of log: where each keeps its head, its marks and its clocks, and what ends it."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import InstrumentedAttribute, Session

from lowhiss.core.inspections import END_MARKS, MAX_MARKS
from lowhiss.core.record import END_TYPES
from lowhiss.engine.clocks import Instant, Mapping
from lowhiss.service.errors import NotFoundError
from lowhiss.service.marks.model import SavedMark, saved_mark
from lowhiss.store.inspection_models import InspectionClockRow, InspectionMarkRow, InspectionRow
from lowhiss.store.mark_models import ClockColumns, LogColumns, MarkColumns
from lowhiss.store.people_models import PersonRow
from lowhiss.store.run_models import ClockRow, EventRow, RunRow


@dataclass(frozen=True, slots=True)
class LogKind:
    """A kind of log.

    id : its name in addresses and on the bus.  name : as people call one.
    prefix : how the path of a field names its list of marks.
    logs : the table of its heads.  marks, marks_of : of its marks, and the column that names their log.
    clocks, clocks_of : the same of its clocks.
    max_marks : far above what any log needs; one that grows past it is a fault or a flood.
    ends : the types of marks that end it.
    """

    id: str
    name: str
    prefix: str
    logs: type[LogColumns]
    marks: type[MarkColumns]
    marks_of: InstrumentedAttribute[str]
    clocks: type[ClockColumns]
    clocks_of: InstrumentedAttribute[str]
    max_marks: int
    ends: tuple[str, ...]


RUNS = LogKind(
    id="run",
    name="test",
    prefix="events",
    logs=RunRow,
    marks=EventRow,
    marks_of=EventRow.run_id,
    clocks=ClockRow,
    clocks_of=ClockRow.run_id,
    max_marks=5_000,
    ends=tuple(END_TYPES),
)
INSPECTIONS = LogKind(
    id="inspection",
    name="inspection",
    prefix="marks",
    logs=InspectionRow,
    marks=InspectionMarkRow,
    marks_of=InspectionMarkRow.inspection_id,
    clocks=InspectionClockRow,
    clocks_of=InspectionClockRow.inspection_id,
    max_marks=MAX_MARKS,
    ends=END_MARKS,
)
KINDS = {kind.id: kind for kind in (RUNS, INSPECTIONS)}


def clock_of(kind: LogKind, log_id: str, at: Instant, mapping: Mapping) -> ClockColumns:
    """The row that keeps the mapping of a page life in a log of this kind."""
    row = kind.clocks()
    setattr(row, kind.clocks_of.key, log_id)
    row.device, row.epoch, row.offset_s, row.error_s = at.device, at.epoch, mapping.offset_s, mapping.error_s
    return row


def load_marks(session: Session, kind: LogKind, log_id: str, after: int) -> list[SavedMark]:
    """The marks of a log with a sequence number above ``after``, in order. Raises NotFoundError."""
    if session.get(kind.logs, log_id) is None:
        raise not_found(kind)
    senders = select(kind.marks.sent_by).where(kind.marks_of == log_id).distinct()
    named = session.execute(select(PersonRow.id, PersonRow.name).where(PersonRow.id.in_(senders)))
    names = {row.id: row.name for row in named}
    query = select(kind.marks).where(kind.marks_of == log_id, kind.marks.seq > after).order_by(kind.marks.seq)
    return [saved_mark(row, names.get(row.sent_by or "", "")) for row in session.scalars(query)]


def not_found(kind: LogKind) -> NotFoundError:
    """The refusal of a log that does not exist."""
    return NotFoundError(f"{kind.id}_unknown", f"This {kind.name} doesn't exist.", f"{kind.id}_id")

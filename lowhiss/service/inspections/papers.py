"""Papers: until when each is good, as somebody entered it, and which of them run out."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from typing import Literal, cast

from sqlalchemy import select
from sqlalchemy.orm import Session

from lowhiss import rulebook
from lowhiss.core.fields import Language
from lowhiss.core.inspections import Paper
from lowhiss.core.inspections.papers import PAPER_STATUSES, PaperStatus, paper_status
from lowhiss.exchange.status_files import LastDay
from lowhiss.service.errors import NotFoundError, RefusedError
from lowhiss.service.fleet.rows import couplings_of, find_trailer, find_unit
from lowhiss.service.fleet.units import assembled
from lowhiss.service.history import note_change
from lowhiss.service.people.signin import ForbiddenError, Person
from lowhiss.service.rules.editions import inspection_tables
from lowhiss.store.engine import Store
from lowhiss.store.fleet_models import UnitRow
from lowhiss.store.inspection_models import PaperRow
from lowhiss.store.people_models import PersonRow

HolderKind = Literal["unit", "trailer", "person"]
_OF: dict[HolderKind, tuple[str, ...]] = {
    "unit": ("unit", "each", "set"),
    "trailer": ("each",),
    "person": ("driver",),
}
"""Whose papers are kept with whom."""
_KEEPERS = ("workshop", "manager")


@dataclass(frozen=True, slots=True)
class Holder:
    """Whose papers they are."""

    kind: HolderKind
    id: str
    name: str


@dataclass(frozen=True, slots=True)
class SavedPaper:
    """A paper of somebody or something, and how it stands today."""

    holder: Holder
    paper: Paper
    name: str
    match: str
    until: dt.date | None
    number: str
    status: PaperStatus
    by: str


def papers_of_unit(store: Store, unit_id: str, language: Language, today: dt.date, by: Person) -> list[SavedPaper]:
    """Every paper of the set as it is coupled today, and of whoever asks; the worst first. Raises NotFoundError."""
    with store.transaction() as session:
        unit = find_unit(session, unit_id)
        trailers = couplings_of(session, unit_id).get(unit_id, [])
        holders = [Holder("unit", unit.id, unit.name), Holder("person", by.id, by.name)]
        holders += [Holder("trailer", trailer_id, name) for trailer_id, name in trailers]
        found = [kept for holder in holders for kept in _of(session, holder, _region(session, unit), language, today)]
    return sorted(found, key=lambda one: PAPER_STATUSES.index(one.status))


def _region(session: Session, unit: UnitRow) -> str:
    """Where a unit drives, by the rule set that judges it."""
    return inspection_tables(session).book.region((assembled(session, unit).rules,))


def _of(session: Session, holder: Holder, region: str, language: Language, today: dt.date) -> list[SavedPaper]:
    book = rulebook.inspections()
    rows = {row.paper: row for row in session.scalars(select(PaperRow).where(PaperRow.holder_id == holder.id))}
    found = []
    for paper in book.papers.values():
        if paper.of not in _OF[holder.kind] or region not in paper.regions:
            continue
        row = rows.get(paper.id)
        until = row.until if row else None
        match = paper.match[language] if paper.match else ""
        status = paper_status(paper, until, today, book.warn_days)
        number, said_by = (row.number, row.by_name) if row else ("", "")
        found.append(SavedPaper(holder, paper, paper.name[language], match, until, number, status, said_by))
    return found


def set_paper(
    store: Store, by: Person, kind: HolderKind, holder_id: str, paper: str, until: dt.date | None, number: str
) -> None:
    """Enter until when a paper is good, and its number. Raises NotFoundError, RefusedError, ForbiddenError."""
    known = rulebook.inspections().papers.get(paper)
    if known is None or known.of not in _OF[kind]:
        raise RefusedError("paper_unknown", "paper: this document doesn't exist here.", "paper")
    if until is not None and not known.dated:
        raise RefusedError("paper_undated", "until: this document has no date. Leave it empty.", "until")
    if by.role not in _KEEPERS and not (kind == "person" and holder_id == by.id):
        raise ForbiddenError("not_your_paper", "Only the workshop or a manager may edit this document.", "holder_id")
    with store.transaction() as session:
        _find(session, kind, holder_id)
        before = session.get(PaperRow, (holder_id, paper))
        was = before.until.isoformat() if before and before.until else None
        session.merge(
            PaperRow(
                holder_id=holder_id,
                paper=paper,
                holder_kind=kind,
                until=until,
                number=number.strip(),
                by_name=by.name,
                at=dt.datetime.now(dt.UTC),
            )
        )
        now = until.isoformat() if until else None
        if now != was:
            note_change(session, kind, holder_id, by.name, {known.name["en"]: [was, now]})


def _find(session: Session, kind: HolderKind, holder_id: str) -> None:
    if kind == "unit":
        find_unit(session, holder_id)
    elif kind == "trailer":
        find_trailer(session, holder_id)
    elif session.get(PersonRow, holder_id) is None:
        raise NotFoundError("person_unknown", "This person doesn't exist.", "holder_id")


def dated_papers(store: Store, language: Language) -> list[LastDay]:
    """Every paper of a unit or trailer in use with its last day."""
    book = rulebook.inspections().papers
    with store.transaction() as session:
        rows = session.scalars(select(PaperRow).where(PaperRow.until.is_not(None)).order_by(PaperRow.until)).all()
        found = []
        for row in rows:
            name = _name_in_use(session, cast(HolderKind, row.holder_kind), row.holder_id)
            if name and row.paper in book and row.until is not None:
                title = f"{name}: {book[row.paper].name[language]}"
                found.append(LastDay(f"{row.holder_id}-{row.paper}", title, row.until))
    return found


def _name_in_use(session: Session, kind: HolderKind, holder_id: str) -> str:
    """The name of a unit or trailer in use; people's papers are nobody else's calendar."""
    if kind == "person":
        return ""
    row = find_unit(session, holder_id) if kind == "unit" else find_trailer(session, holder_id)
    return row.name if row.retired_at is None else ""

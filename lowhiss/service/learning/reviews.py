"""Answers to cards: kept as their devices wrote them, once each, and read back. One transaction each."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import select

from lowhiss.service.people.signin import Person
from lowhiss.store.engine import Store
from lowhiss.store.learning_models import CardReviewRow


@dataclass(frozen=True, slots=True)
class Answer:
    """One answer to a card. rating : 1 again to 4 easy.  way : own tick or typed."""

    id: str
    card: str
    rating: int
    level: int
    way: str
    findings: tuple[str, ...]
    at: dt.datetime
    took_ms: int
    device: str
    seq: int


def save(store: Store, by: Person, answers: Sequence[Answer]) -> int:
    """Keep answers; those that are kept already are not kept again. Returns how many were new."""
    with store.transaction() as session:
        ids = [one.id for one in answers]
        known = set(session.scalars(select(CardReviewRow.id).where(CardReviewRow.id.in_(ids)).with_for_update()))
        fresh = {one.id: one for one in answers if one.id not in known}
        now = dt.datetime.now(dt.UTC)
        session.add_all(
            CardReviewRow(
                id=one.id,
                person_id=by.id,
                card=one.card,
                rating=one.rating,
                level=one.level,
                way=one.way,
                findings=list(one.findings),
                at=one.at,
                took_ms=one.took_ms,
                device=one.device,
                seq=one.seq,
                received_at=now,
            )
            for one in fresh.values()
        )
        return len(fresh)


def listed(store: Store, by: Person) -> list[Answer]:
    """One's own answers, the first first."""
    with store.transaction() as session:
        found = select(CardReviewRow).where(CardReviewRow.person_id == by.id).order_by(CardReviewRow.at)
        return [
            Answer(
                row.id,
                row.card,
                row.rating,
                row.level,
                row.way,
                tuple(row.findings),
                row.at,
                row.took_ms,
                row.device,
                row.seq,
            )
            for row in session.scalars(found)
        ]

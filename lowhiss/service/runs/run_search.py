"""What a search by parts of names comes to: for each word the units and the drivers whose names hold it."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import ColumnElement, or_, select
from sqlalchemy.orm import Session

from lowhiss.store.fleet_models import UnitRow
from lowhiss.store.run_models import RunRow

FEW = 40
"""So few units and drivers are looked through one by one; of more than these, the latest runs soon show enough."""
_MAX_WORDS = 8

Conditions = list[ColumnElement[bool]]


@dataclass(frozen=True, slots=True)
class Named:
    """One word: the units, by id, and the drivers that it names. everybody : it stands in every driver's name.

    Of many units only so many are known that they are seen to be many.
    """

    word: str
    units: list[str]
    drivers: list[str]
    everybody: bool

    def __len__(self) -> int:
        return len(self.units) + len(self.drivers)

    def of_any(self) -> Conditions:
        """What makes a run one of those that the word names."""
        if self.everybody:
            return []
        return [or_(self._of_its_units(), RunRow.driver.in_(self.drivers))]

    def of_unit(self, unit_id: str) -> Conditions:
        """The filters, for runs of this unit only."""
        if self.everybody or unit_id in self.units:
            return []
        return self.of_any() if self._many else [RunRow.driver.in_(self.drivers)]

    def of_driver(self, driver: str) -> Conditions:
        """The filters, for runs of this driver only."""
        return [] if driver in self.drivers else [self._of_its_units()]

    @property
    def _many(self) -> bool:
        return len(self.units) > FEW

    def _of_its_units(self) -> ColumnElement[bool]:
        if not self._many:
            return RunRow.unit_id.in_(self.units)
        # a thousand ids cost more to say than the few names that a page of runs looks up
        name = select(UnitRow.name).where(UnitRow.id == RunRow.unit_id).correlate(RunRow).scalar_subquery()
        return name.contains(self.word, autoescape=True)


def named(session: Session, search: str) -> list[Named]:
    """Each word of a search, at most eight; one that names nothing has length 0."""
    words = search.split()[:_MAX_WORDS]
    # every driver's name once, by hopping along the index
    drivers = session.scalars(select(RunRow.driver).group_by(RunRow.driver)).all() if words else []
    found = []
    for word in words:
        holding = select(UnitRow.id).where(UnitRow.name.contains(word, autoescape=True))
        units = session.scalars(holding.limit(FEW + 1)).all()
        folded = word.casefold()
        meant = [name for name in drivers if folded in name.casefold()]
        found.append(Named(word, list(units), meant, everybody=len(meant) == len(drivers)))
    return found


def one_by_one(words: list[Named]) -> list[Conditions]:
    """The conditions of each unit and each driver of the word that names fewest; none where these are many."""
    narrow = min(words, key=len, default=None)
    if narrow is None or len(narrow) > FEW:
        return []
    others = [one for one in words if one is not narrow]
    each = [[RunRow.unit_id == one, *(c for other in others for c in other.of_unit(one))] for one in narrow.units]
    each += [[RunRow.driver == one, *(c for other in others for c in other.of_driver(one))] for one in narrow.drivers]
    return each

"""Limits of the inspection, resolved for one place of one unit, and a measured number held against them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from lowhiss.core.inspections.model import Finding, InspectionBook, LimitRow, Measure, Measured, School, Text
from lowhiss.core.inspections.plan import Ask
from lowhiss.core.inspections.vehicle import InspectionSet, fact_of, figure_of

_SAME = 1e-9
"""Bounds are inclusive; binary fractions of what was set on a tape are not held against it."""


@dataclass(frozen=True, slots=True)
class Bound:
    """A limit as it holds at one place: numbers in ``unit``, both inclusive, or a look.

    own : whether the bound is the maker's figure.  words : what must be seen, or how the bound is said.
    """

    unit: Measured
    at_least: float | None
    at_most: float | None
    seen: bool
    own: bool
    school: School | None
    notice: tuple[float, Finding] | None
    words: Text | None
    urgent: bool
    source: str
    standing: str

    def holds(self, value: float) -> bool:
        """Whether a number is inside, the bounds included."""
        low_enough = self.at_most is None or value <= self.at_most + _SAME
        return low_enough and (self.at_least is None or value >= self.at_least - _SAME)

    def notices(self, value: float) -> list[Finding]:
        """What is to be said of a number that is right."""
        found: list[Finding] = []
        if self.notice is not None and value < self.notice[0] - _SAME:
            found.append(self.notice[1])
        school = self.school
        if school is not None and school.below is not None and value < (school.at_least or 0.0) - _SAME:
            found.append(school.below)
        return found


def measure_of(book: InspectionBook, ask: Ask) -> Measure | None:
    """What is measured at a place; None where nothing is, or where the fact of the measure is not fitted."""
    name = ask.item.measure
    if not name:
        return None
    axle = ask.place.axle
    if name == "hub_oil" and axle is not None and not ask.part.axles[axle - 1].hub_oil:
        return None
    return book.measures[name]


def bounds_at(
    book: InspectionBook, usual: InspectionSet, ask: Ask, rules: Sequence[str], today: Mapping[str, bool]
) -> list[Bound]:
    """Every limit that holds for an ask, one a unit of measure. Empty: the number is kept and never judged.

    rules : the rule set's id and those it comes from; the first that has a row decides.
    """
    measure = measure_of(book, ask)
    if measure is None:
        return []
    rows = [row for row in book.limits if row.measure == measure.id and (not row.axles or ask.role in row.axles)]
    for name in rules:
        mine = [row for row in rows if name in row.rules]
        if mine:
            return [_resolved(book, usual, ask, measure, row, today) for row in mine]
    return []


def _resolved(
    book: InspectionBook, usual: InspectionSet, ask: Ask, measure: Measure, row: LimitRow, today: Mapping[str, bool]
) -> Bound:
    number = ask.vehicle
    low, high, seen, own = row.at_least, row.at_most, row.seen, False
    if row.table:
        high = _limit_in(book, usual, row, number, today)
    if high is not None and row.scaled_by:
        high *= (figure_of(usual, row.scaled_by, 0) or row.scaled_from) / row.scaled_from
    if row.with_fact is not None and fact_of(usual, book.facts[row.with_fact[0]], 0, today):
        low = row.with_fact[1]
    axle = ask.place.axle
    if row.disc_at_least is not None and axle is not None and ask.part.axles[axle - 1].disc:
        low = row.disc_at_least
    figure = figure_of(usual, row.own, number) if row.own else None
    if figure is not None:
        low, high, seen, own = (None, figure, False, True) if low is None and not seen else (figure, None, False, True)
    notice = row.notice if not own else None
    school = row.school if not own else None
    if measure.double and figure_of(usual, measure.double, 0) == 24:
        low, high = _twice(low), _twice(high)
        notice = (2 * notice[0], notice[1]) if notice else None
        school = School(_twice(school.at_least), _twice(school.at_most), school.below) if school else None
    words = row.words if not own else None
    unit = row.unit or measure.unit
    return Bound(unit, low, high, seen, own, school, notice, words, row.urgent, row.source, row.standing)


def _twice(value: float | None) -> float | None:
    return None if value is None else 2 * value


def _limit_in(
    book: InspectionBook, usual: InspectionSet, row: LimitRow, number: int, today: Mapping[str, bool]
) -> float:
    """The bound of a table by the figure next below, such as that of the wheel; the first where it is smaller."""
    figure = figure_of(usual, row.looked_up, number) or row.otherwise
    _, plain, with_fact = max((one for one in row.table if one[0] <= figure), default=row.table[0])
    so = bool(row.fact) and fact_of(usual, book.facts[row.fact], 0, today)
    return with_fact if so else plain


def needs_number(measure: Measure | None, bounds: Sequence[Bound]) -> bool:
    """Whether it is right only with a number."""
    return measure is not None and measure.tape is not None and any(not one.seen for one in bounds)

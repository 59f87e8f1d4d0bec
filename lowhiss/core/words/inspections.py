"""The inspection in words: places, quantities, limits, spoken sentences and findings, for one reader."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import cast

from lowhiss.core.inspections import (
    Ask,
    Bound,
    Finding,
    InspectionBook,
    InspectionSet,
    Text,
    bound_in,
    measure_of,
    vehicle_of,
)
from lowhiss.core.inspections.model import Condition, Measure, Measured, School
from lowhiss.core.status import Defect, Group
from lowhiss.core.words.figures import plain
from lowhiss.core.words.render import Words

_SIXTEENTHS = 16
_SIGNS: dict[Measured, str] = {"s": "s", "F": "°F", "V": "V", "rpm": "rpm", "rating": "B:C"}
_CLOSE: dict[Measured, str] = {"in32": "/32 in", "deg": "°"}
"""Signs that stand at the number itself."""
_AND = {"en": " and ", "es": " y "}
_BOUNDS = {
    "en": {"least": "at least {low}", "most": "{high} or less", "between": "{low} to {high}", "none": "none"},
    "es": {"least": "al menos {low}", "most": "{high} o menos", "between": "{low} a {high}", "none": "ninguna"},
}
_OWN = {"en": "{limit}, this unit's own", "es": "{limit}, la propia de esta unidad"}
_IS = {"s": "is", "p": "are"}
_THEY = {"s": "it", "p": "they"}


def fraction(value: float) -> str:
    """A length in inches as a tape shows it, in sixteenths at most.

    >>> fraction(1.75), fraction(0.0625), fraction(3)
    ('1 3/4', '1/16', '3')
    """
    whole, rest = divmod(round(value * _SIXTEENTHS), _SIXTEENTHS)
    if not rest:
        return str(whole)
    bottom = _SIXTEENTHS
    while rest % 2 == 0:
        rest, bottom = rest // 2, bottom // 2
    return f"{whole} {rest}/{bottom}" if whole else f"{rest}/{bottom}"


@dataclass(frozen=True, slots=True)
class InspectionWords:
    """What an inspection says to one reader, from the book's own words."""

    book: InspectionBook
    words: Words

    def of(self, text: Text) -> str:
        """A text of the book in the reader's language."""
        return text[self.words.language]

    def where(self, ask: Ask, usual: InspectionSet) -> str:
        """Where something is, such as *axle 2, left, outer*; with the trailer's name where there are several parts."""
        places = self.book.places
        place, part = ask.place, ask.part
        found = []
        if part.on in ("dolly", "coupling") and len(usual.trailers) > 1:
            found.append(self.of(places[part.on]).format(number=part.number))
        elif part.on == "trailer":
            found.append(part.name or f"{part.number}")
        if place.axle is not None:
            found.append(self.of(places["axle"]).format(number=place.axle))
        found += [self.of(places[one]) for one in (place.side, place.wheel, place.needle) if one]
        return ", ".join(found)

    def vehicle(self, ask: Ask, usual: InspectionSet) -> str:
        """The name of the vehicle that a defect of it is pinned to."""
        return vehicle_of(usual, ask.vehicle).name

    def amount(self, value: float, unit: Measured) -> str:
        """A number without its unit, as it stands on a tape."""
        if unit == "psi":
            return self.words.figures.reading(value)
        if unit == "share" and value < 1:
            return fraction(value)
        return fraction(value) if unit == "in" else plain(value, 1)

    def quantity(self, value: float, unit: Measured) -> str:
        """A number with its unit."""
        text = self.amount(value, unit)
        if unit == "psi":
            return f"{text} {self.words.figures.label}"
        sign = self.sign(unit)
        return f"{text}{'' if unit in _CLOSE else ' '}{sign}" if sign else text

    def sign(self, unit: Measured) -> str:
        """The sign that a number of this unit carries, as the rule book keeps it; empty for a count."""
        signs: dict[Measured, str] = {"psi": "psi", "in": "in", **_CLOSE, **_SIGNS}
        return signs.get(unit, "")

    def label(self, unit: Measured) -> str:
        """The sign of a unit, beside a tape."""
        if unit == "psi":
            return self.words.figures.label
        return {"in32": "/32 in", "in": "in", "deg": "°"}.get(unit, _SIGNS.get(unit, ""))

    def limit(self, bound: Bound) -> str:
        """A limit in words, such as *2 in or less*."""
        if bound.seen and bound.words is not None:
            return self.of(bound.words)
        text = self._between(bound.at_least, bound.at_most, bound.unit)
        if bound.words is not None:
            high = bound.at_least if bound.at_most is None else bound.at_most
            return self.of(bound.words).format(bound=self._one(bound, high))
        return _OWN[self.words.language].format(limit=text) if bound.own else text

    def _one(self, bound: Bound, value: float | None) -> str:
        if value is None:
            return ""
        if bound.at_most is not None:
            return self._between(None, value, bound.unit)
        return self.quantity(value, bound.unit)

    def _between(self, low: float | None, high: float | None, unit: Measured) -> str:
        said = _BOUNDS[self.words.language]
        if low is None and high is None:
            return ""
        if high is None:
            return said["least"].format(low=self.quantity(low or 0.0, unit))
        if low is None:
            return (
                said["none"] if high == 0 and unit == "count" else said["most"].format(high=self.quantity(high, unit))
            )
        return said["between"].format(low=self.amount(low, unit), high=self.quantity(high, unit))

    def school(self, school: School | None, unit: Measured) -> str:
        """What the school says beside its limit; empty where it says nothing."""
        return self._between(school.at_least, school.at_most, unit) if school is not None else ""

    def source(self, bound: Bound) -> str:
        """Where a limit is from, with how far it can be trusted."""
        memory = {"en": "from memory", "es": "de memoria"}[self.words.language]
        return f"{bound.source} ({memory})" if bound.standing == "from_memory" else bound.source

    def say(self, ask: Ask, bounds: Sequence[Bound], value: float | None = None, unit: Measured | None = None) -> str:
        """The sentence that is spoken: the book's own, or made from part and conditions."""
        item, language = ask.item, self.words.language
        measure = measure_of(self.book, ask)
        reading, limit = "…", "…"
        if measure is not None:
            wanted = unit or measure.unit
            bound = bound_in(bounds, wanted) or (bounds[0] if bounds else None)
            limit = self.limit(bound) if bound is not None else limit
            reading = self.quantity(value, wanted) if value is not None else reading
        if item.say is not None:
            return self.of(item.say).replace("{reading}", reading).replace("{limit}", limit)
        checks = [name for name in item.check if name != "within" or measure is not None]
        conditions = [self.book.conditions[name] for name in checks]
        if language == "es":
            said = [one.said[f"es_{item.gn}"] for one in conditions]
            text = f"{item.name['es']}: {_listed(said, _AND['es'])}." if said else f"{item.name['es']}."
        else:
            text = self._made(item.name["en"], item.gn[1], conditions)
        return text.replace("{reading}", reading).replace("{limit}", limit)

    def _made(self, name: str, number: str, conditions: Sequence[Condition]) -> str:
        plain_ones = [one.said["en"] for one in conditions if not one.verb]
        verbs = [one.verb[f"en_{number}"] for one in conditions if one.verb]
        said = f" {_IS[number]} {_listed(plain_ones, _AND['en'])}" if plain_ones else ""
        does = _listed(verbs, _AND["en"]) if verbs else ""
        if said and does:
            return f"{name}{said}, and {_THEY[number]} {does}."
        return f"{name}{said or ' ' + does}." if said or does else f"{name}."

    def finding(self, code: Finding, ask: Ask | None = None, bounds: Sequence[Bound] = ()) -> str:
        """A finding as a sentence."""
        text = self.of(self.book.findings[code].name)
        bound = bounds[0] if bounds else None
        if bound is None or ask is None:
            return text
        usual = self.quantity(bound.notice[0], bound.unit) if bound.notice is not None else ""
        return text.format(figure=usual, usual=usual, school=self.school(bound.school, bound.unit))

    def not_so(self, ask: Ask, wrong: Sequence[str], value: float | None, unit: Measured | None) -> str:
        """What is not right, in few words: the part, where, and which of its conditions."""
        conditions = [self.of(self.book.conditions[name].not_so) for name in wrong if name in self._sayable]
        measure = measure_of(self.book, ask)
        if value is not None and measure is not None:
            conditions.append(self.quantity(value, unit or measure.unit))
        said = "; ".join(conditions)
        name = self.of(ask.item.name)
        return f"{name}: {said}" if said else name

    def defect(self, defect: Defect) -> str:
        """A defect that an inspection found: the part, which of its conditions, the number, and where."""
        conditions = [self.of(self.book.conditions[name].not_so) for name in defect.wrong if name in self._sayable]
        if defect.measured is not None:
            conditions.append(self.quantity(defect.measured[0], cast(Measured, defect.measured[1])))
        name = self.of(self.book.items[defect.item].name)
        said = f"{name}: {'; '.join(conditions)}" if conditions else name
        where = ", ".join(self._place(code) for code in defect.place.split(".")[1:])
        return f"{said} ({where})" if where else said

    @property
    def _sayable(self) -> set[str]:
        """Conditions with words of their own: a number says itself."""
        return {name for name in self.book.conditions if "{" not in self.book.conditions[name].said["en"]}

    def _place(self, code: str) -> str:
        """One step of a place in words."""
        if code.startswith("axle"):
            return self.of(self.book.places["axle"]).format(number=code.removeprefix("axle"))
        return self.of(self.book.places[code]) if code in self.book.places else code

    def report_part(self, group: Group | None, rules: Sequence[str]) -> str:
        """Where a defect stands in the report that a driver must make: its part, or the item of the schedule."""
        if group is None:
            return ""
        if self.book.region(rules) == "canada":
            return f"NSC 13: {group.schedule}" if group.schedule else ""
        return self.of(self.book.reports[group.report].name) if group.report else ""

    def measure(self, measure: Measure) -> str:
        """The name of what is measured."""
        return self.of(measure.name)


def _listed(said: Sequence[str], last: str) -> str:
    """*a, b and c*."""
    return said[0] if len(said) == 1 else ", ".join(said[:-1]) + last + said[-1]

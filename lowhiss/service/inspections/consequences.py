"""What follows from an inspection: defects of what is not right, what was said of the unit, and its completion."""

from __future__ import annotations

import datetime as dt
import uuid
from collections.abc import Sequence
from typing import Any

from sqlalchemy.orm import Session

from lowhiss import rulebook
from lowhiss.core.inspections import (
    Inspection,
    InspectionState,
    Judged,
    Look,
    Mark,
    look_table,
    measure_of,
    number_of,
    vehicle_of,
)
from lowhiss.core.record import COUNTING_PURPOSES
from lowhiss.core.status import CONSEQUENCES, UnitPart
from lowhiss.core.words import Words
from lowhiss.core.words.inspections import InspectionWords
from lowhiss.service.fleet.acts import save_act
from lowhiss.service.fleet.defects import open_defects
from lowhiss.service.fleet.rows import find_trailer, find_unit
from lowhiss.service.history import differences, note_change
from lowhiss.service.inspections.rows import look_of, mark_rows
from lowhiss.store.fleet_models import ActRow
from lowhiss.store.inspection_models import InspectionMarkRow, InspectionRow
from lowhiss.store.people_models import PersonRow

_INSPECTIONS = uuid.UUID("5f0c4b1e-7d0a-4c36-9a55-0f9d0a3f6c11")
"""Names the acts that an inspection makes by itself, so that the same one is never made twice."""


class Following:
    """What follows from a batch of marks, in the transaction that keeps them."""

    def __init__(self, session: Session, row: InspectionRow, record: Inspection, state: InspectionState) -> None:
        self.session, self.row, self.record, self.state = session, row, record, state
        self.words = InspectionWords(rulebook.inspections(), Words())
        self.kept = {mark.id: mark for mark in mark_rows(session, row.id)}

    def follow(self, new: Sequence[Mark]) -> None:
        """Let follow what these marks lead to."""
        for mark in new:
            if mark.type in ("fact", "figure", "axles"):
                self.said(mark)
        touched = {name for mark in new if mark.type == "answer" for name in mark.asks}
        for one in self.state.items:
            if one.ask.key in touched:
                self.answered(one)
        if any(mark.type == "finished" for mark in new) and self.state.complete:
            self.completed(next(mark for mark in new if mark.type == "finished"))

    def said(self, mark: Mark) -> None:
        """Keep with the unit or trailer what was said of it; what holds for a day only stays with the inspection."""
        book = rulebook.inspections()
        number = number_of(mark.part, self.record.set)
        if number is None or (mark.type == "fact" and book.facts[mark.what].of == "today"):
            return
        vehicle = vehicle_of(self.record.set, number)
        row: Any = (find_trailer if number else find_unit)(self.session, vehicle.id, lock=True)
        before = look_of(row.look)
        after = vehicle_of(self.state.set, number).look
        facts = {name: so for name, so in after.facts.items() if book.facts[name].of != "today"}
        kept = Look(after.axles, {**before.facts, **facts}, {**before.figures, **after.figures})
        row.look = look_table(kept)
        subject = "trailer" if number else "unit"
        changed = differences(_flat(look_table(before)), _flat(row.look))
        note_change(self.session, subject, vehicle.id, self.author(mark).author, changed)

    def answered(self, one: Judged) -> None:
        """The defect of what is not right, once; put right on the spot, it is closed by whoever may."""
        mark, key = one.mark, one.ask.key
        if mark is None or one.ask.item.group == "act":
            return
        known = self.row.defects.get(key)
        if one.counts and one.answer != "still" and one.consequence is not None:
            if known is None:
                self.report(one, mark)
            else:
                self.raised(one, mark, known)
        elif one.outcome == "right":
            self.found_right(one, mark)
        elif one.outcome == "fixed" and known is not None and not known.get("fixed"):
            self.act(
                self.name(key, "fixed"),
                "defect_fixed",
                one,
                mark,
                {"defect": known["act"], "did": mark.text, "round": self.row.id},
            )
            self.row.defects = {**self.row.defects, key: {**known, "fixed": True}}

    def found_right(self, one: Judged, mark: Mark) -> None:
        """What was mended since, and whose item had to be looked at again, has been."""
        part = self.part(one.ask.vehicle)
        place = one.ask.place.code.partition(".")[2]  # a trailer may have been another's first one then
        for defect in open_defects(self.session, [part.id]).get(part.id, []):
            here = (defect.item, defect.place.partition(".")[2]) == (one.ask.item.id, place)
            if defect.recheck_item and here:
                body = {"defect": defect.id, "round": self.row.id}
                self.act(self.name(one.ask.key, f"again {defect.id}"), "rechecked", one, mark, body)

    def report(self, one: Judged, mark: Mark) -> None:
        """Report what is not right as a defect of the part that it is pinned to."""
        act_id = self.device_named(mark) or self.name(one.ask.key, "seen")
        group = one.ask.item.group if one.ask.item.group in rulebook.consequences().groups else None
        measure = measure_of(rulebook.inspections(), one.ask)
        body = {
            "group": group,
            "what": mark.text or self.papers(mark),
            "wrong": list(one.wrong),
            "value": mark.value,
            "measure": (mark.unit or measure.unit) if measure is not None and mark.value is not None else None,
            "run": self.row.run_id,
            "round": self.row.id,
            "item": one.ask.item.id,
            "place": one.ask.place.code,
            "asked": [name for name in mark.yes if name in rulebook.consequences().questions],
            "consequence": None if group else one.consequence,
        }
        self.act(act_id, "defect_seen", one, mark, {key: value for key, value in body.items() if value is not None})
        entry = {"act": act_id, "means": one.consequence, "by": self.author(mark).author}
        self.row.defects = {**self.row.defects, one.ask.key: entry}

    def papers(self, mark: Mark) -> str:
        """The papers that are not right, by their names; empty where none was meant."""
        papers = rulebook.inspections().papers
        return ", ".join(papers[name].name["en"] for name in mark.yes if name in papers)

    def raised(self, one: Judged, mark: Mark, known: dict[str, Any]) -> None:
        """What turns out to be worse than it was reported is rated so; never milder."""
        if one.consequence is None or CONSEQUENCES.index(one.consequence) >= CONSEQUENCES.index(known["means"]):
            return
        body = {
            "defect": known["act"],
            "consequence": one.consequence,
            "reason": self.words.not_so(one.ask, one.wrong, mark.value, mark.unit)[:300],
        }
        self.act(self.name(one.ask.key, mark.id), "defect_rated", one, mark, body)
        self.row.defects = {**self.row.defects, one.ask.key: {**known, "means": one.consequence}}

    def completed(self, mark: Mark) -> None:
        """A complete inspection ends the one trip of what was known before it."""
        if self.row.purpose not in COUNTING_PURPOSES:
            return
        kept = self.author(mark)
        for number in range(len(self.record.set.trailers) + 1):
            part = self.part(number)
            self.keep(self.name(part.id, "done"), "round_done", part, kept, {"round": self.row.id})

    def device_named(self, mark: Mark) -> str:
        """The id that the device gave the defect, so that its photographs find it; empty where another has it."""
        given = mark.defect
        return given if given and self.session.get(ActRow, given) is None else ""

    def part(self, number: int) -> UnitPart:
        """The unit (0) or trailer as the fleet knows it."""
        return UnitPart("trailer" if number else "unit", vehicle_of(self.record.set, number).id)

    def act(self, act_id: str, kind: str, one: Judged, mark: Mark, body: dict[str, Any]) -> None:
        """Keep an act on the part that the item is pinned to, by whoever marked it."""
        self.keep(act_id, kind, self.part(one.ask.vehicle), self.author(mark), body)

    def keep(self, act_id: str, kind: str, part: UnitPart, mark: InspectionMarkRow, body: dict[str, Any]) -> None:
        """Keep an act once."""
        if self.session.get(ActRow, act_id) is not None:
            return
        person = self.session.get_one(PersonRow, mark.author_id)
        at = self.row.started_at + dt.timedelta(seconds=mark.at_s)
        save_act(self.session, act_id, kind, part, at, person.id, mark.author, person.role, body)

    def author(self, mark: Mark) -> InspectionMarkRow:
        """The mark as it is kept, with its author."""
        return self.kept[mark.id]

    def name(self, *of: str) -> str:
        """The id of an act that this inspection makes by itself."""
        return str(uuid.uuid5(_INSPECTIONS, "/".join((self.row.id, *of))))


def _flat(look: dict[str, Any]) -> dict[str, Any]:
    axles = {"axles": ", ".join(axle["role"] for axle in look["axles"])} if "axles" in look else {}
    return {**look["facts"], **look["figures"], **axles}

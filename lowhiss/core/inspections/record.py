"""The open round record, ``low-hiss-round/1``: who looked at what of which set, mark by mark; read and checked."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from lowhiss.core.errors import RecordError
from lowhiss.core.fields import Fields, describe
from lowhiss.core.inspections.model import ANSWERS, Answer, InspectionBook, Measured
from lowhiss.core.inspections.vehicle import Axle, InspectionSet, Look, number_of, read_look, read_set
from lowhiss.core.record import Purpose
from lowhiss.core.rules import RuleSet, read_rule_set
from lowhiss.core.status import Consequence

INSPECTION_FORMAT = "low-hiss-round/1"
MAX_MARKS = 5_000
MAX_ASKS = 120
"""One touch answers at most a block; a mark that names more is no touch."""
MAX_WORDS = 300
_END = ("finished", "abandoned")


@dataclass(frozen=True, slots=True)
class Mark:
    """One mark of an inspection, checked. Fields that its type does not have are empty.

    place : index in the record.  at_s : [s] since the inspection began.  asks : the items it is about, by their names.
    value, unit : a number as it was measured.  defect : the id that its device gave the defect of it.
     wrong : the conditions that are not so.  yes : questions that are so.
    """

    place: int
    at_s: float
    type: str
    id: str = ""
    asks: tuple[str, ...] = ()
    answer: Answer | None = None
    value: float | None = None
    unit: Measured | None = None
    wrong: tuple[str, ...] = ()
    yes: tuple[str, ...] = ()
    why: str = ""
    text: str = ""
    teaching: bool = False
    so: bool | None = None
    what: str = ""
    part: str = ""
    axles: tuple[Axle, ...] | None = None
    defect: str = ""
    by: str = ""
    device: str = ""
    seq: int = 0
    after_end: bool = False

    @property
    def order(self) -> tuple[float, int, int]:
        """Where it stands among the others."""
        return (self.at_s, self.seq, self.place)


@dataclass(frozen=True, slots=True)
class Known:
    """A defect that was known before the inspection, at its place. ``id``: the fleet's own."""

    id: str
    item: str
    place: str
    what: str
    consequence: Consequence
    wrong: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Inspection:
    """An inspection as recorded. ``run``: the air test beside which it was done.

    rules : the name of its rule set.  own_rules : that set itself, where the record carries it whole.
    """

    set: InspectionSet
    marks: tuple[Mark, ...]
    id: str = ""
    started_at: str | None = None
    purpose: Purpose = "dispatch"
    rules: str = ""
    way: str = "path"
    mirrored: bool = False
    run: str = ""
    known: tuple[Known, ...] = ()
    people: tuple[tuple[str, str], ...] = ()
    own_rules: RuleSet | None = None


def read_inspection(table: object, book: InspectionBook) -> Inspection:
    """Read an inspection record from its plain values. Raises RecordError naming the mark's index and the field."""
    fields = Fields(table, "", RecordError)
    given = fields.raw("format")
    if given != INSPECTION_FORMAT:
        raise RecordError(
            "format", f"must be {INSPECTION_FORMAT}, not {describe(given)}: this is not an inspection record"
        )
    usual = read_set(fields.table("unit"), book)
    way = fields.text("way", "path")
    if way not in book.ways:
        raise fields.refuse("way", f"{way[:60]!r} isn't an inspection order; choose one of {', '.join(book.ways)}")
    if usual.kind not in book.ways[way].kinds:
        raise fields.refuse("way", f"{way!r} isn't an inspection order for a {usual.kind}")
    given_rules = fields.raw("rules")
    own_rules = read_rule_set(given_rules) if isinstance(given_rules, dict) else None
    found = Inspection(
        set=usual,
        marks=read_marks(fields.raw("marks"), book, usual),
        id=fields.text("id", ""),
        started_at=fields.text("started_at", None),
        purpose=fields.choice("purpose", Purpose, "dispatch"),
        rules=own_rules.id if own_rules else fields.text("rules", ""),
        way=way,
        mirrored=fields.flag("mirrored", False),
        run=fields.text("run", ""),
        known=tuple(_known(one, book) for one in fields.tables("known")),
        people=_people(fields),
        own_rules=own_rules,
    )
    fields.done()
    return found


def _people(fields: Fields) -> tuple[tuple[str, str], ...]:
    given = fields.raw("people")
    if given is None:
        return ()
    if not isinstance(given, dict) or not all(isinstance(name, str) for name in given.values()):
        raise fields.refuse("people", "must be a table of parts and names")
    return tuple((str(part), name) for part, name in given.items())


def _known(fields: Fields, book: InspectionBook) -> Known:
    known = Known(
        fields.text("id", ""),
        fields.text("item"),
        fields.text("place", ""),
        fields.text("what", ""),
        fields.choice("consequence", Consequence, "note"),
        tuple(name for name in fields.texts("wrong") if name in book.conditions),
    )
    fields.done()
    if known.item not in book.items:
        raise fields.refuse("item", f"{known.item[:60]!r} isn't an item of the inspection")
    return known


def read_marks(given: object, book: InspectionBook, usual: InspectionSet) -> tuple[Mark, ...]:
    """The marks of a record. Raises RecordError naming the mark's index and the field."""
    if not isinstance(given, list):
        raise RecordError("marks", f"must be a list of marks, not {describe(given)}")
    if len(given) > MAX_MARKS:
        raise RecordError("marks", f"are {len(given)}; the maximum is {MAX_MARKS}")
    marks = [read_mark(one, index, book, usual) for index, one in enumerate(given)]
    return tuple(sorted(marks, key=lambda mark: mark.order))


def read_mark(table: object, index: int, book: InspectionBook, usual: InspectionSet) -> Mark:
    """One mark from plain values. Raises RecordError naming ``marks[index]`` and the field."""
    fields = Fields(table, f"marks[{index}]", RecordError)
    kind = fields.text("type")
    if kind not in MARK_TYPES:
        raise fields.refuse(
            "type", f"{kind[:40]!r} isn't a mark of an inspection; choose one of {', '.join(MARK_TYPES)}"
        )
    shared: dict[str, Any] = {
        "place": index,
        "at_s": fields.number("at_s"),
        "type": kind,
        "id": fields.text("id", ""),
        "by": fields.text("by", ""),
        "device": fields.text("device", ""),
        "seq": int(fields.number("seq", 0.0, low=0, high=1e15)),
        "after_end": fields.flag("after_end", False),
    }
    for name in ("epoch", "wall", "received", "sent_by", "late", "mono_s"):
        fields.raw(name)
    own = MARK_TYPES[kind](fields, book, usual)
    fields.done()
    return Mark(**shared, **own)


def _asks(fields: Fields, book: InspectionBook) -> tuple[str, ...]:
    asks = fields.texts("asks")
    if not asks:
        raise fields.refuse("asks", "is empty: name the item, such as tire_tread@P.axle1.left")
    if len(asks) > MAX_ASKS:
        raise fields.refuse("asks", f"names {len(asks)} items; one touch answers at most {MAX_ASKS}")
    for name in asks:
        item, at, place = name.partition("@")
        if item not in book.items or not at or not place or len(name) > 80:
            raise fields.refuse("asks", f"{name[:60]!r} isn't an item with a place")
    if len(set(asks)) != len(asks):
        raise fields.refuse("asks", "names an item twice")
    return asks


def _id(fields: Fields, key: str) -> str:
    name = fields.text(key, "")
    if len(name) > 36 or not name.isascii():
        raise fields.refuse(key, "must be an id of at most 36 plain characters")
    return name


def _words(fields: Fields, key: str, needed: bool = False) -> str:
    text = (fields.text(key) if needed else fields.text(key, "")).strip()
    if needed and not text:
        raise fields.refuse(key, "is empty: say it in a few words")
    if len(text) > MAX_WORDS:
        raise fields.refuse(key, f"is {len(text)} characters long; the maximum is {MAX_WORDS}")
    return text


def _answer(fields: Fields, book: InspectionBook, _: InspectionSet) -> dict[str, Any]:
    asks = _asks(fields, book)
    kind = fields.text("answer")
    answer = next((one for one in ANSWERS if one == kind), None)
    if answer is None or answer == "from_run":
        raise fields.refuse("answer", f"{kind[:40]!r} isn't an answer; choose one of {', '.join(ANSWERS)}")
    value = fields.number("value", None, low=-1_000, high=10_000)
    unit = fields.choice("unit", Measured, None)
    wrong, yes = fields.texts("wrong"), fields.texts("yes")
    why = fields.text("why", "")
    if value is not None and len(asks) > 1:
        raise fields.refuse("value", "belongs to one item: what is measured is answered by its own touch")
    if answer in ("not_right", "fixed"):
        item = book.items[asks[0].partition("@")[0]]
        if len(asks) > 1:
            raise fields.refuse("asks", "must name one item: what is not right is said of it alone")
        if unknown := [word for word in wrong if word not in item.check]:
            raise fields.refuse(
                "wrong", f"{unknown[0][:40]!r} is none of its conditions; they are {', '.join(item.check)}"
            )
    elif wrong:
        raise fields.refuse("wrong", "goes with what is not right")
    if unknown := [name for name in yes if name not in book.questions and name not in book.papers]:
        raise fields.refuse("yes", f"{unknown[0][:40]!r} isn't a question or document")
    if answer == "not_reached" and why not in book.unseen:
        raise fields.refuse("why", f"is missing: say why; one of {', '.join(book.unseen)}")
    return {
        "asks": asks,
        "answer": answer,
        "value": value,
        "unit": unit,
        "wrong": wrong,
        "yes": yes,
        "why": why,
        "text": _words(fields, "text"),
        "teaching": fields.flag("teaching", False),
        "defect": _id(fields, "defect"),
    }


def _unit_facts(fields: Fields, book: InspectionBook, _: InspectionSet) -> dict[str, Any]:
    return {"asks": _asks(fields, book), "so": not fields.flag("wrong", False)}


def _part(fields: Fields, usual: InspectionSet) -> str:
    code = fields.text("part", "P")
    if number_of(code, usual) is None:
        raise fields.refuse("part", f"{code[:20]!r} is no part of this set: P is the power unit, L1 the first trailer")
    return code


def _fact(fields: Fields, book: InspectionBook, usual: InspectionSet) -> dict[str, Any]:
    name = fields.text("fact")
    if name not in book.facts:
        raise fields.refuse("fact", f"{name[:40]!r} is no fact of a unit that is known here")
    return {"part": _part(fields, usual), "what": name, "so": fields.flag("so", False)}


def _figure(fields: Fields, book: InspectionBook, usual: InspectionSet) -> dict[str, Any]:
    name = fields.text("figure")
    if name not in book.figures:
        raise fields.refuse("figure", f"{name[:40]!r} is no figure of a unit that is known here")
    one = book.figures[name]
    return {"part": _part(fields, usual), "what": name, "value": fields.number("value", low=one.low, high=one.high)}


def _axles(fields: Fields, book: InspectionBook, usual: InspectionSet) -> dict[str, Any]:
    part = _part(fields, usual)
    look: Look = read_look(Fields({"axles": fields.raw("axles")}, fields.at, RecordError), book)
    if look.axles is None:
        raise fields.refuse("axles", "is missing: name each axle with its role")
    return {"part": part, "axles": look.axles}


def _state(fields: Fields, book: InspectionBook, _: InspectionSet) -> dict[str, Any]:
    name = fields.text("first")
    if name not in book.firsts:
        raise fields.refuse("first", f"{name[:40]!r} is nothing that must be true first")
    return {"what": name, "so": fields.flag("so", True)}


def _called(fields: Fields, book: InspectionBook, _: InspectionSet) -> dict[str, Any]:
    name = fields.text("call")
    if name and name not in {call.id for call in book.calls}:
        raise fields.refuse("call", f"{name[:40]!r} is no call of the light check")
    return {"what": name}


def _brought(fields: Fields, book: InspectionBook, _: InspectionSet) -> dict[str, Any]:
    name = fields.text("what")
    if name not in {one.id for one in book.bring_back}:
        raise fields.refuse("what", f"{name[:40]!r} is nothing that is brought back")
    return {"what": name}


def _put(fields: Fields, book: InspectionBook, _: InspectionSet) -> dict[str, Any]:
    name = fields.text("what")
    if name not in {one.after_mark for one in book.bring_back if one.after_mark}:
        raise fields.refuse("what", f"{name[:40]!r} is nothing that is put somewhere")
    return {"what": name}


def _note(fields: Fields, _: InspectionBook, __: InspectionSet) -> dict[str, Any]:
    return {"text": _words(fields, "text", needed=True)}


def _finished(_: Fields, __: InspectionBook, ___: InspectionSet) -> dict[str, Any]:
    return {}


def _abandoned(fields: Fields, _: InspectionBook, __: InspectionSet) -> dict[str, Any]:
    return {"why": _words(fields, "why")}


MARK_TYPES: Mapping[str, Any] = {
    "answer": _answer,
    "said": _unit_facts,
    "fact": _fact,
    "figure": _figure,
    "axles": _axles,
    "state": _state,
    "called": _called,
    "put": _put,
    "brought": _brought,
    "note": _note,
    "finished": _finished,
    "abandoned": _abandoned,
}
"""What a mark of each type carries beside its clocks and its author."""
END_MARKS = tuple(name for name in MARK_TYPES if name in _END)

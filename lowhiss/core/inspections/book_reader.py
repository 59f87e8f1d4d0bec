"""Read the tables of the inspection, from plain values to a checked book; every word that is used must be known."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import Any, Protocol, TypeVar, get_args

from lowhiss.core.errors import RuleError
from lowhiss.core.fields import Fields, Language, both_languages, choices_text
from lowhiss.core.inspections.model import (
    ANSWERS,
    FINDINGS,
    AxleFact,
    BringBack,
    Call,
    Condition,
    Fact,
    FactOf,
    Figure,
    Fill,
    Filling,
    Finding,
    First,
    FromRun,
    GenderNumber,
    InspectionBook,
    Item,
    Letter,
    LimitRow,
    Measure,
    Measured,
    Method,
    Named,
    On,
    Paper,
    PaperOf,
    Position,
    Quick,
    Repeat,
    Role,
    School,
    Standing,
    StateFromRun,
    Stop,
    Tape,
    WalkOrder,
    Where,
)
from lowhiss.core.status import Consequence, Group, Question
from lowhiss.core.vehicle import UNIT_KINDS, PowerKind, UnitKind


class _HasId(Protocol):
    @property
    def id(self) -> str: ...


REGIONS = ("us", "canada")
INSPECTION_TABLES = ("vocabulary", "limits", "ways", "papers")
"""The tables of the inspection beside its items."""
_Entry = TypeVar("_Entry", bound=_HasId)
_GN = get_args(GenderNumber)


def read_inspection_book(
    tables: Mapping[str, Any],
    items: Iterable[tuple[str, Any]],
    groups: Mapping[str, Group],
    questions: Mapping[str, Question],
) -> InspectionBook:
    """The book of the inspection from its tables.

    tables : those of INSPECTION_TABLES by name.
    items : name and content of each file of items, in order.  Raises RuleError naming file, entry and field.
    """
    words, bounds, way, paper = (Fields(tables[name], name, RuleError) for name in INSPECTION_TABLES)
    conditions = _by_id(words, "condition", _condition)
    firsts = _by_id(words, "first", _first)
    facts = _by_id(words, "fact", _fact)
    figures = _by_id(words, "figure", _figure)
    answers, known, still_open = _answers(words)
    findings = _by_id(words, "finding", _named_with_source)
    _all_there(words, "answer", answers, ANSWERS)
    _all_there(words, "finding", findings, FINDINGS)
    measures = _by_id(bounds, "measure", _measure)
    zones = _by_id(way, "zone", _named)
    read = _Items(conditions, firsts, facts, measures, zones, groups)
    found: dict[str, Item] = {}
    for name, table in items:
        fields = Fields(table, name, RuleError)
        fields.number("order", 1_000)
        for one in fields.tables("item"):
            item = read.item(one)
            if item.id in found:
                raise one.refuse("id", f"{item.id!r} stands in the tables twice")
            found[item.id] = item
        fields.done()
    lights = way.table("lights")
    book = InspectionBook(
        conditions=conditions,
        firsts=firsts,
        facts=facts,
        figures=figures,
        answers=answers,
        known=known,
        open=still_open,
        unseen=_by_id(words, "unseen", _named),
        findings=findings,
        bring_back=tuple(_bring_back(one, zones) for one in words.tables("bring_back")),
        reports=_reports(words, groups),
        zones=zones,
        places=_places(way.table("places")),
        measures=measures,
        limits=tuple(_limit(one, measures, facts, figures) for one in bounds.tables("limit")),
        items=found,
        paths=_paths(way, zones),
        ways=_by_id(way, "way", lambda one: _walk_order(one, zones, found)),
        calls=tuple(_call(one, found) for one in way.tables("call")),
        call_needs=_known(lights, "needs", firsts),
        call_within_s=lights.number("answer_within_s", low=1, high=600),
        methods=_by_id(way, "method", _method),
        from_run=tuple(_from_run(one, found) for one in way.tables("from_run")),
        states=tuple(_state(one, firsts) for one in way.tables("state_from_run")),
        filling=_filling(way.table("filling"), found),
        quick=_quick(way.table("quick")),
        groups=groups,
        questions=questions,
        papers=_by_id(paper, "paper", lambda one: _paper(one, facts)),
        warn_days=int(paper.number("warn_days", low=1, high=365)),
        region_of=_region_of(paper),
        usual_axles=_usual_axles(words.table("usual_axles")),
        usual_axle=_usual_axle(words.table("usual_axle")),
    )
    bounds.raw("applied_stroke")
    lights.done()
    for fields in (words, bounds, way, paper):
        fields.done()
    return book


def _by_id(fields: Fields, key: str, read: Callable[[Fields], _Entry]) -> dict[str, _Entry]:
    found: dict[str, _Entry] = {}
    for one in fields.tables(key):
        entry = read(one)
        one.done()
        if entry.id in found:
            raise one.refuse("id", f"{entry.id!r} stands in the table twice")
        found[entry.id] = entry
    return found


def _all_there(fields: Fields, key: str, found: Mapping[str, Any], needed: tuple[str, ...]) -> None:
    if set(found) != set(needed):
        raise fields.refuse(key, f"must be exactly {choices_text(needed)}")


def _known(fields: Fields, key: str, among: Iterable[str]) -> tuple[str, ...]:
    given = fields.texts(key)
    if unknown := [name for name in given if name.removeprefix("not:") not in among]:
        raise fields.refuse(key, f"{unknown[0]!r} isn't a word here; known are {choices_text(list(among))}")
    return given


def _one_known(fields: Fields, key: str, among: Iterable[str], default: str | None = None) -> str:
    name = fields.text(key) if default is None else fields.text(key, default)
    if name != default and name not in among:
        raise fields.refuse(key, f"{name!r} isn't a word here; known are {choices_text(list(among))}")
    return name


def _choices(fields: Fields, key: str, kind: Any) -> tuple[Any, ...]:
    return _known(fields, key, get_args(kind))


def _text_or_none(fields: Fields, key: str) -> dict[Language, str] | None:
    return both_languages(fields, key) if fields.has(key) else None


def _condition(fields: Fields) -> Condition:
    said = fields.table("said")
    spoken = {key: said.text(key) for key in ("en", *(f"es_{gn}" for gn in _GN))}
    said.done()
    verb = fields.table("verb", {})
    verbs = {key: verb.text(key) for key in ("en_s", "en_p") if verb.has(key)}
    verb.done()
    return Condition(
        fields.text("id"),
        both_languages(fields, "label"),
        spoken,
        verbs,
        both_languages(fields, "means"),
        both_languages(fields, "not_so"),
    )


def _first(fields: Fields) -> First:
    return First(
        fields.text("id"),
        both_languages(fields, "name"),
        fields.number("least_psi", None, low=0, high=150),
        fields.text("opposite", ""),
    )


def _fact(fields: Fields) -> Fact:
    fields.text("source", "")
    year = fields.number("built_since", None, low=1930, high=2100)
    return Fact(
        fields.text("id"),
        fields.choice("of", FactOf),
        both_languages(fields, "ask"),
        fields.flag("assumed", False) if fields.has("assumed") else None,
        None if year is None else int(year),
    )


def _figure(fields: Fields) -> Figure:
    return Figure(
        fields.text("id"),
        both_languages(fields, "name"),
        fields.choice("unit", Measured),
        fields.number("low"),
        fields.number("high"),
    )


def _named(fields: Fields) -> Named:
    return Named(fields.text("id"), both_languages(fields, "name"))


def _named_with_source(fields: Fields) -> Named:
    fields.text("source", "")
    return _named(fields)


def _reports(words: Fields, groups: Mapping[str, Group]) -> dict[str, Named]:
    found = _by_id(words, "report", _named)
    if unknown := {group.report for group in groups.values()} - {"", *found}:
        raise words.refuse("report", f"{min(unknown)!r} has no words")
    return found


def _answers(words: Fields) -> tuple[dict[str, Named], frozenset[str], frozenset[str]]:
    closes: dict[str, bool] = {}
    known: set[str] = set()

    def read(fields: Fields) -> Named:
        entry = _named(fields)
        closes[entry.id] = fields.flag("closes", True)
        if fields.flag("known", False):
            known.add(entry.id)
        return entry

    found: dict[str, Named] = _by_id(words, "answer", read)
    return found, frozenset(known), frozenset(name for name, is_closed in closes.items() if not is_closed)


def _tape(fields: Fields, key: str) -> Tape | None:
    if not fields.has(key):
        return None
    table = fields.table(key)
    tape = Tape(table.number("from"), table.number("to"), table.number("step", low=0.001), table.number("start"))
    table.done()
    if not tape.start_at <= tape.stands <= tape.end_at:
        raise fields.refuse(key, "must begin before it ends, and stand between")
    return tape


def _measure(fields: Fields) -> Measure:
    measure = Measure(
        id=fields.text("id"),
        name=both_languages(fields, "name"),
        unit=fields.choice("unit", Measured),
        tape=_tape(fields, "tape"),
        also=fields.choice("also", Measured, None),
        tape_also=_tape(fields, "tape_also"),
        double=fields.text("double", ""),
        none=_text_or_none(fields, "none"),
    )
    if (measure.tape is None) != (measure.unit == "seen"):
        raise fields.refuse("tape", "is needed by a number, and by nothing that is only looked at")
    return measure


def _limit(
    fields: Fields, measures: Mapping[str, Measure], facts: Mapping[str, Fact], figures: Mapping[str, Figure]
) -> LimitRow:
    measure = _one_known(fields, "measure", measures)
    row = LimitRow(
        measure=measure,
        unit=fields.choice("unit", Measured, None),
        rules=fields.texts("rules"),
        axles=_choices(fields, "axles", Role),
        at_least=fields.number("at_least", None),
        at_most=fields.number("at_most", None),
        seen=fields.flag("seen", False),
        own=_one_known(fields, "own", figures, ""),
        school=_school(fields),
        notice=_notice(fields),
        scaled_by=_one_known(fields, "scaled_by", figures, ""),
        scaled_from=fields.number("scaled_from", 1.0, low=0.001),
        looked_up=_one_known(fields, "looked_up", figures, ""),
        otherwise=fields.number("otherwise", 0.0),
        fact=_one_known(fields, "fact", facts, ""),
        table=tuple(_table_row(one) for one in fields.tables("table")),
        with_fact=_with_fact(fields, facts),
        disc_at_least=fields.number("disc_at_least", None),
        words=_text_or_none(fields, "words"),
        urgent=fields.flag("urgent", False),
        source=fields.text("source"),
        standing=fields.choice("standing", Standing),
    )
    fields.done()
    if not row.rules:
        raise fields.refuse("rules", "is missing: name the rule sets for which this holds")
    numbered = row.at_least is not None or row.at_most is not None or bool(row.table)
    if row.seen == numbered:
        raise fields.refuse("at_most", "is missing: a limit is a number, or a look (seen = true)")
    if numbered and measures[measure].unit == "seen":
        raise fields.refuse("measure", f"{measure!r} has no unit, so it can have no number as a limit")
    if row.seen and row.words is None:
        raise fields.refuse("words", "is missing: say what must be seen")
    return row


def _school(fields: Fields) -> School | None:
    if not fields.has("school"):
        return None
    table = fields.table("school")
    school = School(table.number("at_least", None), table.number("at_most", None), table.choice("below", Finding, None))
    table.done()
    return school


def _notice(fields: Fields) -> tuple[float, Finding] | None:
    if not fields.has("notice"):
        return None
    table = fields.table("notice")
    notice = (table.number("below"), table.choice("code", Finding))
    table.done()
    return notice


def _table_row(fields: Fields) -> tuple[float, float, float]:
    row = (fields.number("at"), fields.number("at_most"), fields.number("with_fact"))
    fields.done()
    return row


def _with_fact(fields: Fields, facts: Mapping[str, Fact]) -> tuple[str, float] | None:
    if not fields.has("with_fact"):
        return None
    table = fields.table("with_fact")
    row = (_one_known(table, "fact", facts), table.number("at_least"))
    table.done()
    return row


class _Items:
    def __init__(
        self,
        conditions: Mapping[str, Condition],
        firsts: Mapping[str, First],
        facts: Mapping[str, Fact],
        measures: Mapping[str, Measure],
        zones: Mapping[str, Named],
        groups: Mapping[str, Group],
    ) -> None:
        self.conditions, self.firsts, self.facts = conditions, firsts, facts
        self.measures, self.zones, self.groups = measures, zones, groups

    def item(self, fields: Fields) -> Item:
        """One item, every word of it known."""
        axles = fields.table("axles", {})
        item = Item(
            id=fields.text("id"),
            zone=_one_known(fields, "zone", self.zones),
            trailer_zone=_one_known(fields, "trailer_zone", self.zones, ""),
            name=both_languages(fields, "name"),
            gn=fields.choice("gn", GenderNumber),
            kinds=_kinds(fields),
            on=_choices(fields, "on", On),
            where=fields.choice("where", Where, "each"),
            fitted=_known(fields, "fitted", self.facts),
            axles={role: axles.choice(role, AxleFact) for role in get_args(Role) if axles.has(role)},
            block=fields.text("block", ""),
            own=fields.flag("own", False),
            glance=fields.flag("glance", False),
            check=_known(fields, "check", self.conditions),
            measure=_one_known(fields, "measure", self.measures, ""),
            first=_known(fields, "first", self.firsts),
            fill=fields.choice("fill", Fill, "never"),
            seconds=fields.number("seconds", low=0.5, high=600),
            repeat=fields.choice("repeat", Repeat),
            group=fields.text("group"),
            letters=_choices(fields, "in", Letter),
            by_reference=fields.flag("by_reference", True),
            color=fields.text("color", ""),
            place=fields.text("place", ""),
            number=fields.text("number", ""),
            say=_text_or_none(fields, "say"),
            note=fields.text("note", ""),
        )
        axles.done()
        fields.done()
        if item.group not in self.groups and item.group not in _WITHOUT_CONSEQUENCE:
            raise fields.refuse("group", f"{item.group!r} isn't a group of the consequences")
        if not item.on:
            raise fields.refuse("on", "is missing: say what a defect is pinned to")
        if item.repeat in ("axle", "end", "tire") and not item.axles:
            raise fields.refuse("axles", "is missing: say on which axles it is")
        return item


_WITHOUT_CONSEQUENCE = ("act", "paper")
"""An act is the candidate's, never the unit's; papers have a table of their own."""


def _kinds(fields: Fields) -> tuple[UnitKind, ...]:
    given = fields.raw("kinds")
    if given == "all":
        return UNIT_KINDS
    return _choices(fields, "kinds", UnitKind)


def _stop(fields: Fields, zones: Mapping[str, Named], roles: tuple[str, ...]) -> Stop:
    stop = Stop(
        id=fields.text("id"),
        name=both_languages(fields, "name") if fields.has("name") else {"en": "", "es": ""},
        zones=_known(fields, "zones", zones),
        axles=_known(fields, "axles", roles),
        side=fields.text("side", ""),
    )
    fields.done()
    return stop


def _paths(fields: Fields, zones: Mapping[str, Named]) -> dict[UnitKind, tuple[Stop, ...]]:
    found: dict[UnitKind, tuple[Stop, ...]] = {}
    for one in fields.tables("path"):
        stops = tuple(_stop(stop, zones, (*get_args(Role), "dolly")) for stop in one.tables("stops"))
        for kind in _choices(one, "kinds", UnitKind):
            found[kind] = stops
        one.done()
    if set(found) != set(UNIT_KINDS):
        raise fields.refuse("path", f"must have an order for every vehicle type: {choices_text(UNIT_KINDS)}")
    return found


def _walk_order(fields: Fields, zones: Mapping[str, Named], items: Mapping[str, Item]) -> WalkOrder:
    first = fields.table("first", {})
    stops = list(fields.raw("first") or {})
    return WalkOrder(
        id=fields.text("id"),
        name=both_languages(fields, "name"),
        kinds=_kinds(fields),
        letters=_choices(fields, "letters", Letter),
        only=_known(fields, "only", items),
        first={name: _known(first, name, items) for name in stops},
        stops=tuple(_stop(stop, zones, get_args(Role)) for stop in fields.tables("stops")),
        glance=fields.flag("glance", False),
        blocks=fields.flag("blocks", False),
    )


def _call(fields: Fields, items: Mapping[str, Item]) -> Call:
    call = Call(
        fields.text("id"),
        fields.choice("position", Position),
        both_languages(fields, "say"),
        fields.texts("lamps"),
        fields.number("wait_s", low=0, high=60),
    )
    fields.done()
    if unknown := [lamp for lamp in call.lamps if lamp.split(".")[0] not in items]:
        raise fields.refuse("lamps", f"{unknown[0]!r} isn't an item")
    return call


def _method(fields: Fields) -> Method:
    return Method(
        fields.text("id"), both_languages(fields, "name"), _text_or_none(fields, "how"), fields.text("opens", "")
    )


def _mark(fields: Fields, key: str) -> dict[str, str]:
    table = fields.raw(key)
    if not isinstance(table, dict) or "type" not in table:
        raise fields.refuse(key, "must be a mark with its type")
    return {str(name): str(value) for name, value in table.items()}


def _from_run(fields: Fields, items: Mapping[str, Item]) -> FromRun:
    row = FromRun(_mark(fields, "mark"), fields.text("with", ""), _known(fields, "items", items))
    fields.done()
    return row


def _state(fields: Fields, firsts: Mapping[str, First]) -> StateFromRun:
    off = _mark(fields, "off") if fields.has("off") else None
    row = StateFromRun(_one_known(fields, "first", firsts), _mark(fields, "on"), off)
    fields.raw("off")
    fields.done()
    return row


def _bring_back(fields: Fields, zones: Mapping[str, Named]) -> BringBack:
    row = BringBack(
        fields.text("id"),
        both_languages(fields, "name"),
        fields.texts("after"),
        _one_known(fields, "after_zone", zones, ""),
        fields.text("after_mark", ""),
    )
    fields.done()
    return row


def _places(fields: Fields) -> dict[str, dict[Language, str]]:
    keys = ("left", "right", "outer", "inner", "primary", "secondary", "axle", "dolly", "coupling", "person")
    places = {key: both_languages(fields, key) for key in keys}
    fields.done()
    return places


def _filling(fields: Fields, items: Mapping[str, Item]) -> Filling:
    after = fields.table("short_after_s")
    filling = Filling(
        fields.number("quiet_psi", low=0, high=60),
        fields.number("quiet_s", low=0, high=120),
        fields.number("short_s", low=1, high=60),
        after.number("first", low=0, high=900),
        after.number("refill", low=0, high=900),
        fields.texts("order"),
    )
    after.done()
    fields.done()
    if unknown := [name for name in filling.order if name.split(".")[0] not in items]:
        raise fields.refuse("order", f"{unknown[0]!r} isn't an item")
    return filling


def _quick(fields: Fields) -> Quick:
    quick = Quick(
        int(fields.number("items", low=1, high=20)),
        fields.number("within_s", low=0, high=60),
        fields.number("wheel_end_s", low=0, high=60),
    )
    fields.done()
    return quick


def _region_of(fields: Fields) -> dict[str, str]:
    given = fields.raw("region_of")
    if not isinstance(given, dict) or not set(given.values()) <= set(REGIONS) or not given:
        raise fields.refuse("region_of", f"must name a region for each rule set: {choices_text(REGIONS)}")
    return {str(name): str(region) for name, region in given.items()}


def _paper(fields: Fields, facts: Mapping[str, Fact]) -> Paper:
    months = fields.number("months", None, low=1, high=120)
    return Paper(
        id=fields.text("id"),
        name=both_languages(fields, "name"),
        regions=fields.texts("regions"),
        of=fields.choice("of", PaperOf),
        dated=fields.flag("dated", False),
        months=None if months is None else int(months),
        match=_text_or_none(fields, "match"),
        fitted=_known(fields, "fitted", facts),
        otherwise=fields.choice("otherwise", Consequence),
        source=fields.text("source"),
    )


def _usual_axles(fields: Fields) -> dict[str, tuple[Role, ...]]:
    found = {name: _choices(fields, name, Role) for name in (*get_args(PowerKind), "trailer", "dolly")}
    fields.done()
    return found


def _usual_axle(fields: Fields) -> dict[str, dict[str, bool]]:
    found: dict[str, dict[str, bool]] = {}
    for role in get_args(Role):
        axle = fields.table(role)
        found[role] = {flag: axle.flag(flag, False) for flag in ("air_susp", "disc", "dual", "hub_oil", "lift")}
        axle.done()
    fields.done()
    return found

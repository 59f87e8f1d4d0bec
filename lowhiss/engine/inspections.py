"""Inspections for a screen: what a device needs to lead one, and its state; the same on server and device."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Mapping, Sequence
from hashlib import sha256
from typing import Any, NamedTuple

from lowhiss import rulebook
from lowhiss.core.inspections import (
    Ask,
    Bound,
    Inspection,
    InspectionState,
    Judged,
    Known,
    RunMark,
    bounds_at,
    judge_inspection,
    measure_of,
    vehicle_of,
)
from lowhiss.core.record import Run
from lowhiss.core.rules import RuleSet
from lowhiss.core.run import standing_events
from lowhiss.core.status import CONSEQUENCES
from lowhiss.core.words import Words
from lowhiss.core.words.inspections import InspectionWords
from lowhiss.engine.editor.overlay import InspectionTables, chain_of, tables_under

SCRIPT_FORMAT = "low-hiss-round-script/1"
STATE_FORMAT = "low-hiss-round-state/1"


Rules = str | RuleSet
"""A built-in rule set by its name, or a fleet's own whole; an empty name is the inspection's own."""


class RulesInForce(NamedTuple):
    """By what an inspection is judged: a rule set's name and those it comes from, and the tables that hold under it."""

    chain: tuple[str, ...]
    tables: InspectionTables


def rules_in_force(record: Inspection, rules: Rules = "") -> RulesInForce:
    """By what an inspection is judged: ``rules``, else its own set, else the default. An unknown name stands alone."""
    chosen = rules or record.own_rules or record.rules or rulebook.rule_set_ids()[0]
    if isinstance(chosen, RuleSet):
        return RulesInForce(chain_of(chosen), tables_under([chosen]))
    known = chosen in rulebook.rule_set_ids()
    return RulesInForce(chain_of(rulebook.rule_set(chosen)) if known else (chosen,), tables_under(()))


def state_of(record: Inspection, rules: Rules = "", run: Sequence[RunMark] = ()) -> InspectionState:
    """An inspection as it stands under its own rule set, or under ``rules``."""
    school = rules_in_force(record, rules)
    return judge_inspection(school.tables.book, school.tables.consequences, record, school.chain, run)


def run_marks(events: Sequence[Mapping[str, Any]], offset_s: float = 0.0) -> list[RunMark]:
    """Events of an air test's record, at the inspection's time: its own plus ``offset_s``."""
    return [RunMark(float(one["at_s"]) + offset_s, one) for one in events]


def linked_marks(run: Run, record: Inspection) -> list[RunMark]:
    """The marks of an air test that stand, at the time of an inspection that was done beside it."""
    offset_s = 0.0
    if run.started_at and record.started_at:
        began, inspection_began = (dt.datetime.fromisoformat(one) for one in (run.started_at, record.started_at))
        offset_s = (began - inspection_began).total_seconds()
    standing, _, _ = standing_events(run.events)
    given = [{key: value for key, value in event._asdict().items() if value is not None} for event in standing]
    return run_marks(given, offset_s)


def script_of(record: Inspection, words: Words, rules: Rules = "") -> dict[str, Any]:
    """What a device needs to lead an inspection without contact, in one reader's language and unit."""
    return _Script(record, state_of(record, rules), rules_in_force(record, rules), words).table()


class _Script:
    def __init__(self, record: Inspection, state: InspectionState, school: RulesInForce, words: Words) -> None:
        self.record, self.state, self.rules = record, state, school.chain
        self.book, self.table_of = school.tables.book, school.tables.consequences
        self.said = InspectionWords(self.book, words)

    def table(self) -> dict[str, Any]:
        said, book, planned = self.said, self.book, self.state.plan
        used = {ask.stop for ask in planned.asks} | {one.stop for one in planned.wanted}
        keys = [ask.key for ask in planned.asks]
        table = {
            "format": SCRIPT_FORMAT,
            "way": {
                "id": planned.way.id,
                "name": said.of(planned.way.name),
                "blocks": planned.way.blocks,
                "glance": planned.way.glance,
            },
            "rules": self.rules[0],
            "rules_hash": self.record.own_rules.content_hash if self.record.own_rules else None,
            "figure": self.figure(),
            "stations": [
                {"id": one.id, "name": self.station_name(one.stop.name, one.number), "side": one.stop.side}
                for one in planned.stations
                if one.id in used
            ],
            "firsts": [
                {"id": one.id, "name": said.of(one.name), "opposite": one.opposite} for one in book.firsts.values()
            ],
            "answers": _named(said, book.answers),
            "unseen": _named(said, book.unseen),
            "conditions": [
                {"id": one.id, "label": said.of(one.label), "means": said.of(one.means), "not_so": said.of(one.not_so)}
                for one in book.conditions.values()
            ],
            "items": {name: self.item(name) for name in dict.fromkeys(ask.item.id for ask in planned.asks)},
            "asks": [self.ask(ask) for ask in planned.asks],
            "wanted": self.wanted(),
            "calls": [
                {
                    "id": call.id,
                    "position": call.position,
                    "say": said.of(call.say),
                    "wait_s": call.wait_s,
                    "answer_within_s": book.call_within_s,
                    "asks": [key for key in keys if _called(key, call.lamps)],
                }
                for call in book.calls
            ],
            "methods": [
                {
                    "id": one.id,
                    "name": said.of(one.name),
                    "how": said.of(one.how) if one.how else "",
                    "opens": one.opens,
                }
                for one in book.methods.values()
            ],
            "filling": self.filling(keys),
            "from_run": [
                {
                    "mark": dict(row.mark),
                    "needs": row.needs,
                    "asks": [ask.key for ask in planned.asks if ask.item.id in row.items],
                }
                for row in book.from_run
            ],
            "states": [
                {"first": row.first, "on": dict(row.on), "off": dict(row.off) if row.off else None}
                for row in book.states
            ],
            "bring_back": [{"id": one.id, "name": said.of(one.name)} for one in book.bring_back],
        }
        text = json.dumps(table, sort_keys=True, ensure_ascii=False)
        return {**table, "hash": sha256(text.encode()).hexdigest()[:16]}

    def station_name(self, name: Mapping[Any, str], number: int) -> str:
        """The stop's name; with the trailer's where there are several."""
        text = self.said.of(name)
        if number and len(self.state.set.trailers) > 1:
            return f"{text} · {vehicle_of(self.state.set, number).name}"
        return text

    def figure(self) -> list[dict[str, Any]]:
        """What the figure of the set is drawn from, front to back."""
        return [
            {
                "code": part.code,
                "on": part.on,
                "name": part.name,
                "kind": self.state.set.power_kind if part.on == "unit" else part.on,
                "axles": [{"role": axle.role, "dual": axle.dual, "lift": axle.lift} for axle in part.axles],
            }
            for part in self.state.plan.parts
            if part.on in ("unit", "dolly", "trailer")
        ]

    def item(self, name: str) -> dict[str, Any]:
        """What is the same of an item at each of its places."""
        item = self.book.items[name]
        group = self.table_of.groups.get(item.group)
        means = self.table_of.means(item.group, self.rules[0], (), self.rules[1:]) if group else None
        asked = self.table_of.asked(item.group, self.rules[0], self.rules[1:])
        yes = [
            {
                "id": one.id,
                "ask": self.said.of(one.ask),
                "to": self.table_of.means(item.group, self.rules[0], (one.id,), self.rules[1:]),
                "blocks": self.table_of.blocks(item.group, self.rules[0], (one.id,), self.rules[1:]),
            }
            for one in asked
        ]
        if item.group == "paper":
            means = "finish"
            region = self.book.region(self.rules)
            yes = [
                {"id": one.id, "ask": self.said.of(one.name), "to": one.otherwise, "blocks": "leave"}
                for one in self.book.papers.values()
                if region in one.regions
            ]
        return {
            "name": self.said.of(item.name),
            "zone": self.said.of(self.book.zones[item.zone].name),
            "checks": list(item.check),
            "first": list(item.first),
            "block": item.block,
            "glance": item.glance,
            "own": item.own,
            "fill": item.fill,
            "group": item.group,
            "fixable": group is None or group.fixable,
            "means": means,
            "blocks": "leave" if item.group == "paper" else self.table_of.blocks(item.group, self.rules[0]),
            "questions": yes,
            "by_reference": item.by_reference or self.record.purpose != "dispatch",
            "color": item.color,
        }

    def ask(self, ask: Ask) -> dict[str, Any]:
        """One item at one place."""
        bounds = bounds_at(self.book, self.state.set, ask, self.rules, self.state.today)
        known = next((one for one in self.record.known if (one.item, one.place) == (ask.item.id, ask.place.code)), None)
        return {
            "key": ask.key,
            "item": ask.item.id,
            "station": ask.stop,
            "where": self.said.where(ask, self.state.set),
            "vehicle": ask.vehicle,
            "axle": ask.place.axle,
            "part": ask.place.part,
            "side": ask.place.side,
            "end": ask.end,
            "seconds": ask.seconds,
            "measures": self.measures(ask, bounds),
            "say": self.said.say(ask, bounds),
            "known": {"what": self.known(ask, known), "consequence": known.consequence} if known else None,
        }

    def known(self, ask: Ask, known: Known) -> str:
        """A defect that was known before, in few words."""
        found = self.said.not_so(ask, known.wrong, None, None)
        return f"{found}; {known.what}" if known.what else found

    def measures(self, ask: Ask, bounds: Sequence[Bound]) -> list[dict[str, Any]]:
        """What is measured there, one a unit of measure; what is only looked at has no tape."""
        measure = measure_of(self.book, ask)
        if measure is None:
            return []
        found = []
        for unit, tape in ((measure.unit, measure.tape), (measure.also, measure.tape_also)):
            if unit is None:
                continue
            bound = next((one for one in bounds if one.unit == unit), None)
            seen = bound is not None and bound.seen
            found.append(
                {
                    "name": self.said.measure(measure),
                    "unit": unit,
                    "label": self.said.label(unit),
                    "limit": self.said.limit(bound) if bound else "",
                    "school": self.said.school(bound.school, unit) if bound else "",
                    "source": self.said.source(bound) if bound else "",
                    "tape": None
                    if tape is None or seen
                    else {
                        "from": tape.start_at,
                        "to": tape.end_at,
                        "step": tape.step,
                        "start": tape.stands,
                        "low": bound.at_least if bound else None,
                        "high": bound.at_most if bound else None,
                    },
                    "urgent": bool(bound and bound.urgent),
                }
            )
        return found

    def wanted(self) -> list[dict[str, Any]]:
        """The facts that nobody knows yet, as questions."""
        found = []
        for one in self.state.plan.wanted:
            number = int(one.part[1:]) if one.part.startswith("L") else 0
            found.append(
                {
                    "fact": one.fact.id,
                    "part": one.part,
                    "of": vehicle_of(self.state.set, number).name,
                    "ask": self.said.of(one.fact.ask),
                    "station": one.stop,
                }
            )
        return found

    def filling(self, keys: Sequence[str]) -> dict[str, Any]:
        """What may be done while the air builds, in order."""
        filling = self.book.filling
        order = [key for name in filling.order for key in keys if _called(key, (name,))]
        return {
            "quiet_psi": filling.quiet_psi,
            "quiet_s": filling.quiet_s,
            "short_s": filling.short_s,
            "short_after_first_s": filling.short_after_first_s,
            "short_after_refill_s": filling.short_after_refill_s,
            "order": list(dict.fromkeys(order)),
        }


def _named(said: InspectionWords, entries: Mapping[str, Any]) -> list[dict[str, str]]:
    return [{"id": one.id, "name": said.of(one.name)} for one in entries.values()]


def _called(key: str, names: Sequence[str]) -> bool:
    """Whether an ask is one of items that may be named with a side, such as ``mirror_view.left``."""
    item, _, place = key.partition("@")
    sides = place.split(".")
    return any(item == one.split(".")[0] and all(side in sides for side in one.split(".")[1:]) for one in names)


def state_table(record: Inspection, state: InspectionState, words: Words, rules: Rules = "") -> dict[str, Any]:
    """How an inspection stands, for a screen: each item that has an answer or a finding, and the whole."""
    school = rules_in_force(record, rules)
    said = InspectionWords(school.tables.book, words)
    judged = [_item(one, state, school, said) for one in state.items if one.mark or one.findings]
    return {
        "format": STATE_FORMAT,
        "rules": school.chain[0],
        "of": len(state.items),
        "left": len(state.left),
        "wanted": len(state.plan.wanted),
        "complete": state.complete,
        "clear": state.clear,
        "worst": state.worst,
        "blocks": state.blocks,
        "ended": state.ended.type if state.ended else None,
        "items": judged,
        "findings": [
            {"code": code, "text": said.finding(code), "about": list(about)} for code, about in state.findings
        ],
        "bring_back": [{"id": one.id, "name": said.of(one.name)} for one in state.bring_back],
        "call": state.call,
        "states": dict(state.states),
        "while_filling": state.while_filling,
        "took_s": round(state.took_s, 1),
    }


def _item(one: Judged, state: InspectionState, school: RulesInForce, said: InspectionWords) -> dict[str, Any]:
    book, mark = school.tables.book, one.mark
    bounds = bounds_at(book, state.set, one.ask, school.chain, state.today)
    measure = measure_of(book, one.ask)
    value = mark.value if mark else None
    unit = (mark.unit if mark else None) or (measure.unit if measure else None)
    shown = said.quantity(value, unit) if value is not None and unit is not None else ""
    return {
        "key": one.ask.key,
        "name": said.of(one.ask.item.name),
        "where": said.where(one.ask, state.set),
        "vehicle": one.ask.vehicle,
        "group": one.ask.item.group,
        "report": said.report_part(school.tables.consequences.groups.get(one.ask.item.group), school.chain),
        "outcome": one.outcome,
        "answer": one.answer,
        "value": value,
        "unit": unit,
        "shown": shown,
        "limit": said.limit(bounds[0]) if bounds and value is not None else "",
        "wrong": list(one.wrong),
        "not_so": said.not_so(one.ask, one.wrong, value, unit) if one.outcome in ("not_right", "fixed") else "",
        "why": mark.why if mark else "",
        "note": mark.text if mark else "",
        "by": mark.by if mark else "",
        "device": mark.device if mark else "",
        "at_s": mark.at_s if mark else None,
        "mark": mark.id if mark else "",
        "teaching": bool(mark and mark.teaching),
        "findings": [{"code": code, "text": said.finding(code, one.ask, bounds), "about": []} for code in one.findings],
        "consequence": one.consequence,
        "blocks": one.blocks,
        "said": one.said,
        "say": said.say(one.ask, bounds, value, unit),
    }


def exit_code(state: InspectionState) -> int:
    """What a shell is told: 1 something stays, 2 something is open, 0 neither."""
    if state.worst == CONSEQUENCES[0]:
        return 1
    return 0 if state.complete else 2


def inspection_text(record: Inspection, state: InspectionState, words: Words, rules: Rules = "") -> str:
    """A report to read: what is not right first, then what was not looked at, then the rest counted."""
    table = state_table(record, state, words, rules)
    said = InspectionWords(rulebook.inspections(), words)
    lines = [f"{said.of(state.plan.way.name)} · {state.set.power.name} · {table['rules']}"]
    lines.append(f"{table['of'] - table['left']}/{table['of']}")
    for one in table["items"]:
        if one["outcome"] == "not_right":
            where = f" ({one['where']})" if one["where"] else ""
            lines.append(f"- {one['not_so']}{where}: {words.consequence(one['consequence'] or 'note')}")
        lines += [f"  {one['name']}, {one['where']}: {finding['text']}" for finding in one["findings"]]
    lines += [f"! {finding['text']}" for finding in table["findings"]]
    return "\n".join(lines)

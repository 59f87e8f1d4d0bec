"""What an inspection says: the outcome of each item, what is left, what follows from what is not right. Pure."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal, get_args

from lowhiss.core.inspections.limits import Bound, bounds_at, measure_of, needs_number
from lowhiss.core.inspections.model import Answer, BringBack, Finding, InspectionBook, Measured
from lowhiss.core.inspections.plan import Ask, Plan, plan
from lowhiss.core.inspections.record import END_MARKS, Inspection, Known, Mark
from lowhiss.core.inspections.vehicle import InspectionSet, number_of, with_facts
from lowhiss.core.status import BLOCKS, CONSEQUENCES, Blocks, Consequence, Consequences

Outcome = Literal["not_right", "open", "unmeasured", "speech", "unseen", "fixed", "absent", "right"]
"""The worst first. ``unmeasured``: seen only; ``speech``: said as before; ``unseen``: could not be looked at."""
OUTCOMES: tuple[Outcome, ...] = get_args(Outcome)
_OF_ANSWER: dict[Answer, Outcome] = {
    "right": "right",
    "not_right": "not_right",
    "fixed": "fixed",
    "seen_not_measured": "unmeasured",
    "by_reference": "speech",
    "not_reached": "unseen",
    "not_fitted": "absent",
    "later": "open",
    "from_run": "right",
    "still": "not_right",
    "worse": "not_right",
    "gone": "right",
}
BRAKE_BLOCK = "brake"
_FIFTH = 5
"""The share of defective brakes at which the whole set stays is one in so many."""


@dataclass(frozen=True, slots=True)
class Judged:
    """What stands of one item at one place.

    mark : the answer that stands; None while there is none.  findings : what is to be said of it.
    consequence : what it means, of what is not right.  said : whether it was named; None where nobody watched.
    blocks : what it stops, where it means *stay*.
    """

    ask: Ask
    outcome: Outcome
    mark: Mark | None = None
    answer: Answer | None = None
    findings: tuple[Finding, ...] = ()
    wrong: tuple[str, ...] = ()
    consequence: Consequence | None = None
    said: bool | None = None
    known: Known | None = None
    blocks: Blocks | None = None

    @property
    def counts(self) -> bool:
        """Whether a defect follows: it is not right, and was not set up for teaching."""
        return self.outcome == "not_right" and not (self.mark is not None and self.mark.teaching)


@dataclass(frozen=True, slots=True)
class InspectionState:
    """An inspection as it stands.

    set : the set with everything that was said of it.  today : facts of the day.  states : what is true now of what
    must be true first.  findings : those of the whole, with the items they are about.  while_filling : how many
    answers came while air built.  took_s : from the first answer to the last [s].
    """

    set: InspectionSet
    today: Mapping[str, bool]
    plan: Plan
    items: tuple[Judged, ...]
    states: Mapping[str, bool]
    ended: Mark | None
    findings: tuple[tuple[Finding, tuple[str, ...]], ...]
    bring_back: tuple[BringBack, ...]
    call: str
    while_filling: int
    took_s: float

    @property
    def left(self) -> list[Judged]:
        """What is still to be looked at."""
        return [one for one in self.items if one.outcome == "open"]

    @property
    def complete(self) -> bool:
        """Whether nothing that is asked is open, and no fact that decides about an item is unknown."""
        return not self.left and not self.plan.wanted

    @property
    def clear(self) -> bool:
        """Whether it is complete and nothing is not right."""
        return self.complete and not any(one.counts for one in self.items)

    @property
    def worst(self) -> Consequence | None:
        """What the gravest of what is not right means."""
        found = [one.consequence for one in self.items if one.counts and one.consequence is not None]
        return min(found, key=CONSEQUENCES.index) if found else None

    @property
    def blocks(self) -> Blocks | None:
        """What is stopped by what is not right: the worst of all that means *stay*."""
        found = [one.blocks for one in self.items if one.counts and one.blocks is not None]
        return min(found, key=BLOCKS.index) if found else None


@dataclass(frozen=True, slots=True)
class RunMark:
    """A mark of the air test beside which an inspection is done, at the inspection's time [s]."""

    at_s: float
    body: Mapping[str, Any]


@dataclass(slots=True)
class _Timeline:
    """What was true when, of what must be true first."""

    changes: dict[str, list[tuple[float, bool]]] = field(default_factory=lambda: defaultdict(list))

    def at(self, first: str, at_s: float) -> bool:
        """Whether it was so then."""
        so = False
        for when, value in self.changes[first]:
            if when <= at_s:
                so = value
        return so


def judge_inspection(
    book: InspectionBook,
    table: Consequences,
    record: Inspection,
    rules: Sequence[str],
    run: Sequence[RunMark] = (),
) -> InspectionState:
    """The inspection as it stands under a rule set.

    rules : the rule set's id and those it comes from.  run : the marks of the air test beside it, in order of time.
    """
    usual, today = _facts_of(record)
    planned = plan(book, usual, book.ways[record.way], today, record.mirrored)
    ended = next((mark for mark in record.marks if mark.type in END_MARKS), None)
    states = _timeline(book, record, run)
    judging = _Judging(book, table, record, usual, today, tuple(rules), states, ended)
    answered = _answers_by_ask(record.marks, _from_run(book, planned, run))
    quick = _too_quick(book, planned, record.marks)
    items = tuple(judging.item(ask, answered.get(ask.key, []), quick) for ask in planned.asks)
    last = max((mark.at_s for mark in record.marks), default=0.0)
    answers = [mark.at_s for mark in record.marks if mark.type == "answer"]
    called = [mark.what for mark in record.marks if mark.type == "called"]
    return InspectionState(
        set=usual,
        today=today,
        plan=planned,
        items=items,
        states={name: states.at(name, last) for name in book.firsts},
        ended=ended,
        findings=tuple(_of_inspection(items, ended, judging.left_out())),
        bring_back=tuple(judging.left_out()),
        call=called[-1] if called else "",
        while_filling=_while_filling(record.marks, run),
        took_s=max(answers) - min(answers) if answers else 0.0,
    )


def _facts_of(record: Inspection) -> tuple[InspectionSet, dict[str, bool]]:
    """The set after every fact, figure and axle that was said in the inspection, and the facts of the day."""
    usual, today = record.set, {}
    for mark in record.marks:
        number = number_of(mark.part, usual) if mark.part else None
        if number is None:
            continue
        if mark.type == "fact":
            today[mark.what] = bool(mark.so)
            usual = with_facts(usual, number, facts={mark.what: bool(mark.so)})
        elif mark.type == "figure" and mark.value is not None:
            usual = with_facts(usual, number, figures={mark.what: mark.value})
        elif mark.type == "axles" and mark.axles is not None:
            usual = with_facts(usual, number, axles=mark.axles)
    return usual, today


def _timeline(book: InspectionBook, record: Inspection, run: Sequence[RunMark]) -> _Timeline:
    states = _Timeline()
    found: list[tuple[float, str, bool]] = [
        (mark.at_s, mark.what, bool(mark.so)) for mark in record.marks if mark.type == "state"
    ]
    found += [
        (at_s, book.firsts[first].opposite, False) for at_s, first, so in found if so and book.firsts[first].opposite
    ]
    for row in book.states:
        for one in run:
            if _is(one.body, row.on):
                found.append((one.at_s, row.first, True))
            elif row.off is not None and _is(one.body, row.off):
                found.append((one.at_s, row.first, False))
    for at_s, first, so in sorted(found):
        states.changes[first].append((at_s, so))
    return states


def _is(body: Mapping[str, Any], mark: Mapping[str, str]) -> bool:
    return all(body.get(name) == value for name, value in mark.items())


def _from_run(book: InspectionBook, planned: Plan, run: Sequence[RunMark]) -> list[Mark]:
    """The answers that the air test gives: one a mark and item, at every place of it."""
    found = []
    for row in book.from_run:
        for one in run:
            if _is(one.body, row.mark) and (not row.needs or one.body.get(row.needs) is not None):
                asks = tuple(ask.key for ask in planned.asks if ask.item.id in row.items)
                found.append(Mark(-1, one.at_s, "answer", asks=asks, answer="from_run"))
                break
    return found


def _answers_by_ask(marks: Sequence[Mark], from_run: Iterable[Mark]) -> dict[str, list[Mark]]:
    found: dict[str, list[Mark]] = defaultdict(list)
    for mark in sorted([*marks, *from_run], key=lambda one: one.order):
        if mark.type in ("answer", "said"):
            for name in mark.asks:
                found[name].append(mark)
    return found


class _Judging:
    def __init__(
        self,
        book: InspectionBook,
        table: Consequences,
        record: Inspection,
        usual: InspectionSet,
        today: Mapping[str, bool],
        rules: tuple[str, ...],
        states: _Timeline,
        ended: Mark | None,
    ) -> None:
        self.book, self.table, self.record, self.usual = book, table, record, usual
        self.today, self.rules, self.states, self.ended = today, rules, states, ended
        self.watched = any(mark.type == "said" for mark in record.marks)
        self.known = {(one.item, one.place): one for one in record.known}

    def item(self, ask: Ask, marks: Sequence[Mark], quick: frozenset[str]) -> Judged:
        """What stands of one ask, from its marks in order."""
        known = self.known.get((ask.item.id, ask.place.code))
        said = [mark for mark in marks if mark.type == "said"]
        each: dict[str, Judged] = {}
        """What stands by each device."""
        stands = Judged(ask, "open", known=known)
        for mark in marks:
            if mark.type != "answer":
                continue
            one = self.answered(ask, mark, known)
            # what the air test answers may come long after the inspection: it is the same look
            if mark.answer != "from_run" and self.after_end(mark):
                if one.outcome != "not_right":
                    continue
                one = _with(one, "after_end")
            if stands.outcome == "not_right" and one.outcome not in ("not_right", "fixed"):
                # what was found is not taken back by looking again; only by putting right what one may put right
                stands = _with(stands, "was_not_right")
                continue
            each[mark.device] = one
            worst = min(each.values(), key=lambda judged: OUTCOMES.index(judged.outcome))
            differ = len({judged.outcome for judged in each.values()}) > 1 and one.outcome != "fixed"
            stands = _with(worst, "two_answers") if differ else one
        return self.finished(ask, stands, said, quick)

    def finished(self, ask: Ask, stands: Judged, said: Sequence[Mark], quick: frozenset[str]) -> Judged:
        """With what the whole item's marks add: naming, quickness, and what it means."""
        findings = list(stands.findings)
        if stands.outcome == "open" and self.ended is not None:
            findings.append("later_open" if stands.answer == "later" else "left_open")
        if stands.answer is not None and ask.key in quick:
            findings.append("too_quick")
        named: bool | None = None
        if self.watched:
            named = bool(said)
            if not said and stands.outcome != "open":
                findings.append("not_named")
            if any(not mark.so for mark in said):
                findings.append("said_wrong")
        means = self.means(stands) if stands.outcome == "not_right" else None
        return Judged(
            ask,
            stands.outcome,
            stands.mark,
            stands.answer,
            tuple(dict.fromkeys(findings)),
            stands.wrong,
            means,
            named,
            stands.known,
            self.blocks(stands) if means == CONSEQUENCES[0] else None,
        )

    def after_end(self, mark: Mark) -> bool:
        """Whether an answer came after the inspection had ended."""
        return mark.after_end or (self.ended is not None and mark.order > self.ended.order)

    def answered(self, ask: Ask, mark: Mark, known: Known | None) -> Judged:
        """What one answer says of an ask by itself."""
        answer = mark.answer or "later"
        outcome: Outcome = _OF_ANSWER[answer]
        findings: list[Finding] = []
        wrong = mark.wrong
        if known is not None and answer == "right":
            outcome = "open"  # what is known to be wrong is never right in passing
        if answer == "gone":
            findings.append("known_gone")
        if answer == "by_reference":
            findings.append("by_reference")
            if self.record.purpose == "dispatch" and not ask.item.by_reference:
                outcome = "open"
        if answer == "not_reached":
            findings.append("not_reached")
        if answer == "fixed" and not self.fixable(ask):
            outcome = "not_right"
            findings.append("not_fixed_here")
        if outcome in ("right", "fixed", "not_right") and answer != "from_run":
            outcome, wrong, more = self.measured(ask, mark, outcome)
            findings += more
        return Judged(ask, outcome, mark, answer, tuple(findings), wrong, None, None, known)

    def measured(self, ask: Ask, mark: Mark, outcome: Outcome) -> tuple[Outcome, tuple[str, ...], list[Finding]]:
        """The outcome after the number was held against its limit; a limit decides, not the hand."""
        measure = measure_of(self.book, ask)
        if measure is None:
            return outcome, mark.wrong, []
        bounds = bounds_at(self.book, self.usual, ask, self.rules, self.today)
        if mark.value is None:
            if outcome != "right" or not needs_number(measure, bounds):
                return outcome, mark.wrong, []
            return "unmeasured", mark.wrong, ["not_measured"]
        # with the spring brakes released only the chocks hold the vehicle
        held = self.states.at("released", mark.at_s) and self.states.at("chocked", mark.at_s)
        if "released" in ask.item.first and not held:
            return ("unmeasured" if outcome == "right" else outcome), mark.wrong, ["not_released"]
        bound = bound_in(bounds, mark.unit or measure.unit)
        if bound is None or bound.seen:
            return outcome, mark.wrong, []
        if not bound.holds(mark.value):
            wrong = tuple(dict.fromkeys([*mark.wrong, "within"]))
            return "not_right", wrong, ["outside_limit"]
        if outcome == "not_right" and set(mark.wrong) == {"within"}:
            return "right", (), ["inside_limit", *bound.notices(mark.value)]
        return outcome, mark.wrong, bound.notices(mark.value)

    def fixable(self, ask: Ask) -> bool:
        """Whether whoever looks may put it right on the spot."""
        group = self.table.groups.get(ask.item.group)
        return group is None or group.fixable

    def means(self, judged: Judged) -> Consequence | None:
        """What follows from what is not right: by the table, or by the paper that is missing."""
        yes = judged.mark.yes if judged.mark is not None else ()
        group = judged.ask.item.group
        if group == "paper":
            otherwise = [self.book.papers[name].otherwise for name in yes if name in self.book.papers]
            return min(otherwise, key=CONSEQUENCES.index) if otherwise else "finish"
        if judged.known is not None and judged.answer == "still":
            return judged.known.consequence
        if group not in self.table.groups:
            return None
        return self.table.means(group, self.rules[0] if self.rules else "", yes, self.rules[1:])

    def blocks(self, judged: Judged) -> Blocks:
        """What a finding that means *stay* stops. A paper stops driving away."""
        group = judged.ask.item.group
        if group == "paper":
            return "leave"
        yes = judged.mark.yes if judged.mark is not None else ()
        return self.table.blocks(group, self.rules[0] if self.rules else "", yes, self.rules[1:])

    def left_out(self) -> list[BringBack]:
        """What was put somewhere and nobody has said to be back."""
        brought = {mark.what for mark in self.record.marks if mark.type == "brought"}
        true = {mark.what for mark in self.record.marks if mark.type == "state" and mark.so}
        put = {mark.what for mark in self.record.marks if mark.type == "put"}
        names = {name for mark in self.record.marks if mark.type == "answer" for name in mark.asks}
        zones = {self.book.items[name.partition("@")[0]].zone for name in names}
        return [
            one
            for one in self.book.bring_back
            if one.id not in brought
            and (set(one.after) & true or (one.after_zone and one.after_zone in zones) or one.after_mark in put)
        ]


def bound_in(bounds: Sequence[Bound], unit: Measured) -> Bound | None:
    """The limit in the unit that something was measured in; what was measured otherwise is never converted."""
    return next((bound for bound in bounds if bound.unit == unit), None)


def _with(judged: Judged, finding: Finding) -> Judged:
    return Judged(
        judged.ask,
        judged.outcome,
        judged.mark,
        judged.answer,
        tuple(dict.fromkeys([*judged.findings, finding])),
        judged.wrong,
        judged.consequence,
        judged.said,
        judged.known,
    )


def _too_quick(book: InspectionBook, planned: Plan, marks: Sequence[Mark]) -> frozenset[str]:
    """The items that were answered quicker than one can look; what one touch answers is one touch."""
    quick: set[str] = set()
    by_device: dict[str, list[Mark]] = defaultdict(list)
    for mark in marks:
        if mark.type == "answer" and mark.answer != "later":
            by_device[mark.device].append(mark)
    ends = {ask.key: ask.end for ask in planned.asks if ask.end}
    for touches in by_device.values():
        for place in range(len(touches) - book.quick.items):
            some = touches[place : place + book.quick.items + 1]
            if some[-1].at_s - some[0].at_s <= book.quick.within_s:
                quick.update(name for mark in some for name in mark.asks)
        at_end: dict[str, list[int]] = defaultdict(list)
        for place, mark in enumerate(touches):
            for name in mark.asks:
                if name in ends:
                    at_end[ends[name]].append(place)
        for end, places in at_end.items():
            first, last = min(places), max(places)
            if first == 0 or last == first:
                continue
            if touches[last].at_s - touches[first - 1].at_s < book.quick.wheel_end_s:
                quick.update(name for name, of in ends.items() if of == end)
    return frozenset(quick)


def _of_inspection(
    items: Sequence[Judged], ended: Mark | None, left_out: Sequence[BringBack]
) -> Iterable[tuple[Finding, tuple[str, ...]]]:
    """The findings of the whole inspection: what is only seen over several items."""
    by_item: dict[tuple[str, str], list[Judged]] = defaultdict(list)
    for one in items:
        if one.ask.place.side:
            by_item[one.ask.item.id, one.ask.place.part].append(one)
    if ended is not None:
        half = [
            one.ask.key
            for group in by_item.values()
            if 0 < sum(one.outcome == "open" for one in group) < len(group)
            for one in group
            if one.outcome == "open"
        ]
        if half:
            yield "side_open", tuple(half)
        if left_out:
            yield "left_out", tuple(one.id for one in left_out)
    ends = {one.ask.end for one in items if one.ask.end}
    brakes = {one.ask.end for one in items if one.counts and one.ask.end and one.ask.item.block == BRAKE_BLOCK}
    if brakes and len(brakes) * _FIFTH >= len(ends):
        yield "fifth", tuple(sorted(brakes))


def _while_filling(marks: Sequence[Mark], run: Sequence[RunMark]) -> int:
    """How many items were answered while the engine ran and no cut-out had been read since."""
    windows: list[tuple[float, float]] = []
    began: float | None = None
    for one in run:
        body = one.body
        if body.get("type") == "engine" and body.get("state") == "running" and began is None:
            began = one.at_s
        elif began is not None and (
            (body.get("type") == "reading" and body.get("point") == "cut_out") or body.get("type") == "engine"
        ):
            windows.append((began, one.at_s))
            began = None
    if began is not None:
        windows.append((began, float("inf")))
    return sum(
        len(mark.asks)
        for mark in marks
        if mark.type == "answer" and mark.answer != "later" and any(low <= mark.at_s <= high for low, high in windows)
    )

"""What an inspection is made of: items with their conditions, limits, places and paths, as the rule book holds them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal, get_args

from lowhiss.core.fields import Language
from lowhiss.core.status import Consequence, Group, Question
from lowhiss.core.vehicle import UnitKind

Text = Mapping[Language, str]
"""One sentence in each language."""

Answer = Literal[
    "right",
    "not_right",
    "fixed",
    "seen_not_measured",
    "by_reference",
    "not_reached",
    "not_fitted",
    "later",
    "from_run",
    "still",
    "worse",
    "gone",
]
ANSWERS: tuple[Answer, ...] = get_args(Answer)
Finding = Literal[
    "side_open",
    "by_reference",
    "not_measured",
    "not_released",
    "too_quick",
    "not_named",
    "said_wrong",
    "not_reached",
    "later_open",
    "left_open",
    "left_out",
    "outside_limit",
    "inside_limit",
    "not_charging",
    "below_school",
    "below_usual",
    "not_fixed_here",
    "was_not_right",
    "known_gone",
    "two_answers",
    "after_end",
    "fifth",
]
FINDINGS: tuple[Finding, ...] = get_args(Finding)
On = Literal["unit", "trailer", "dolly", "coupling", "person"]
"""What a defect of an item is pinned to."""
Repeat = Literal["once", "seat", "side", "axle", "end", "tire", "needle", "part"]
Where = Literal["each", "last", "not_last", "carries"]
"""On which of several parts: every one, the last of the set, all but the last, or what carries the next trailer."""
Fill = Literal["any", "noisy", "air", "never"]
"""Whether it may be done from the seat while air builds: any time, away from the blast, never inside a timed one."""
Role = Literal["steer", "drive", "trailer"]
AxleFact = Literal["always", "never", "spring_susp", "air_susp", "drum", "disc", "dual", "lift"]
Letter = Literal["exam", "daily", "full"]
Measured = Literal["s", "psi", "F", "V", "share", "rpm", "in", "deg", "in32", "count", "rating", "seen"]
"""Units of measure. ``share``: of a whole; ``in32``: 1/32 in; ``rating``: UL B:C; ``seen``: a look, not a number."""
Standing = Literal["common_practice", "from_memory"]
FactOf = Literal["unit", "trailer", "set", "today"]
GenderNumber = Literal["ms", "mp", "fs", "fp"]
"""Spanish gender and number, in both languages the number: masculine or feminine, singular or plural."""
Position = Literal["front", "rear"]
PaperOf = Literal["driver", "unit", "each", "set"]


@dataclass(frozen=True, slots=True)
class Condition:
    """One of the words by which a part is judged. ``said``: by language, and in Spanish by number and gender."""

    id: str
    label: Text
    said: Mapping[str, str]
    verb: Mapping[str, str]
    means: Text
    not_so: Text


@dataclass(frozen=True, slots=True)
class First:
    """What must be true before something can be looked at.

    least_psi : it is so from that pressure on [psi].  opposite : what is no longer so when this is.
    """

    id: str
    name: Text
    least_psi: float | None = None
    opposite: str = ""


@dataclass(frozen=True, slots=True)
class Fact:
    """A fact of a unit that makes items appear.

    assumed : what holds until somebody says otherwise; None: it is asked.  built_since : assumed only from that year.
    """

    id: str
    of: FactOf
    ask: Text
    assumed: bool | None = None
    built_since: int | None = None


@dataclass(frozen=True, slots=True)
class Figure:
    """A figure that the maker of a unit gives."""

    id: str
    name: Text
    unit: Measured
    low: float
    high: float


@dataclass(frozen=True, slots=True)
class Named:
    """An id with its words, such as an answer or a zone."""

    id: str
    name: Text


@dataclass(frozen=True, slots=True)
class Tape:
    """Where a tape begins and ends, how finely it is set, and where it stands at first."""

    start_at: float
    end_at: float
    step: float
    stands: float


@dataclass(frozen=True, slots=True)
class Measure:
    """A quantity that is measured. ``also``: a second unit that it may be measured in; never converted."""

    id: str
    name: Text
    unit: Measured
    tape: Tape | None
    also: Measured | None = None
    tape_also: Tape | None = None
    double: str = ""
    none: Text | None = None


@dataclass(frozen=True, slots=True)
class School:
    """What a school says, shown beside the limit and never applied. ``below``: the finding under its lower bound."""

    at_least: float | None
    at_most: float | None
    below: Finding | None


@dataclass(frozen=True, slots=True)
class LimitRow:
    """A limit as it stands in the rule book, before it is resolved for a unit; bounds are inclusive.

    rules, axles : for whom it holds; axles empty: for all.  seen : a look, not a number.  own : the maker's figure that
    replaces the bound.  scaled_by, scaled_from : a figure that the bound grows with.  table : bounds by a figure, the
    second where ``fact`` holds.  with_fact : another bound where a fact holds.  notice : a finding beside a right
    number.  urgent : over it, stop at once.
    """

    measure: str
    unit: Measured | None
    rules: tuple[str, ...]
    axles: tuple[Role, ...]
    at_least: float | None
    at_most: float | None
    seen: bool
    own: str
    school: School | None
    notice: tuple[float, Finding] | None
    scaled_by: str
    scaled_from: float
    looked_up: str
    otherwise: float
    fact: str
    table: tuple[tuple[float, float, float], ...]
    with_fact: tuple[str, float] | None
    disc_at_least: float | None
    words: Text | None
    urgent: bool
    source: str
    standing: Standing


@dataclass(frozen=True, slots=True)
class Item:
    """Something that is looked at.

    gn : number and Spanish gender of its name.  fitted : facts that must hold; ``not:`` before one that must not.
    trailer_zone : the zone where it is on a trailer, if that is another one than ``zone``.
    axles : on which axles it is, by their role.  block : with which it is answered by one touch; ``own`` keeps it out.
    """

    id: str
    zone: str
    trailer_zone: str
    name: Text
    gn: GenderNumber
    kinds: tuple[UnitKind, ...]
    on: tuple[On, ...]
    where: Where
    fitted: tuple[str, ...]
    axles: Mapping[Role, AxleFact]
    block: str
    own: bool
    glance: bool
    check: tuple[str, ...]
    measure: str
    first: tuple[str, ...]
    fill: Fill
    seconds: float
    repeat: Repeat
    group: str
    letters: tuple[Letter, ...]
    by_reference: bool
    color: str
    place: str
    number: str
    say: Text | None
    note: str


@dataclass(frozen=True, slots=True)
class Stop:
    """A stop of the path: what is seen from there. ``axles``: whose axle blocks, ``dolly`` among them."""

    id: str
    name: Text
    zones: tuple[str, ...]
    axles: tuple[str, ...]
    side: str


@dataclass(frozen=True, slots=True)
class WalkOrder:
    """An order: the items by their letters, or ``only`` those named; ``first`` puts some first at a stop.

    stops : its own stops; empty: those of the path.  glance : an axle end is one look.  blocks : block by block.
    """

    id: str
    name: Text
    kinds: tuple[UnitKind, ...]
    letters: tuple[Letter, ...]
    only: tuple[str, ...]
    first: Mapping[str, tuple[str, ...]]
    stops: tuple[Stop, ...]
    glance: bool
    blocks: bool


@dataclass(frozen=True, slots=True)
class Call:
    """A call of the light check and the lamps that it answers, with their side where one is meant."""

    id: str
    position: Position
    say: Text
    lamps: tuple[str, ...]
    wait_s: float


@dataclass(frozen=True, slots=True)
class Method:
    """A way to check lights. ``opens``: what must be brought back after it."""

    id: str
    name: Text
    how: Text | None
    opens: str


@dataclass(frozen=True, slots=True)
class FromRun:
    """A mark of the air test and the items that it answers; ``needs``: only when it carries that field."""

    mark: Mapping[str, str]
    needs: str
    items: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class StateFromRun:
    """By which marks of the air test something is true first, and by which no longer."""

    first: str
    on: Mapping[str, str]
    off: Mapping[str, str] | None


@dataclass(frozen=True, slots=True)
class BringBack:
    """What was put somewhere and must come back: after a state, a zone or a mark of that name."""

    id: str
    name: Text
    after: tuple[str, ...]
    after_zone: str
    after_mark: str


@dataclass(frozen=True, slots=True)
class Filling:
    """What may be done while the air builds: pressures [psi], times [s] and the order (items, with a side or not)."""

    quiet_psi: float
    quiet_s: float
    short_s: float
    short_after_first_s: float
    short_after_refill_s: float
    order: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Quick:
    """Answers quicker than one can look: more than ``items`` in ``within_s``, a wheel end in ``wheel_end_s`` [s]."""

    items: int
    within_s: float
    wheel_end_s: float


@dataclass(frozen=True, slots=True)
class Paper:
    """A paper that must be there. ``months``: how long it lasts at most; ``otherwise``: what follows if it is not."""

    id: str
    name: Text
    regions: tuple[str, ...]
    of: PaperOf
    dated: bool
    months: int | None
    match: Text | None
    fitted: tuple[str, ...]
    otherwise: Consequence
    source: str


@dataclass(frozen=True, slots=True)
class InspectionBook:
    """Everything that the rule book says of inspections."""

    conditions: Mapping[str, Condition]
    firsts: Mapping[str, First]
    facts: Mapping[str, Fact]
    figures: Mapping[str, Figure]
    answers: Mapping[str, Named]
    known: frozenset[str]
    """The answers about a defect that is known already."""
    open: frozenset[str]
    """The answers that leave an item open."""
    unseen: Mapping[str, Named]
    findings: Mapping[str, Named]
    bring_back: tuple[BringBack, ...]
    reports: Mapping[str, Named]
    """The parts of a driver's report that a defect may belong to."""
    zones: Mapping[str, Named]
    places: Mapping[str, Text]
    measures: Mapping[str, Measure]
    limits: tuple[LimitRow, ...]
    items: Mapping[str, Item]
    paths: Mapping[UnitKind, tuple[Stop, ...]]
    ways: Mapping[str, WalkOrder]
    calls: tuple[Call, ...]
    call_needs: tuple[str, ...]
    call_within_s: float
    methods: Mapping[str, Method]
    from_run: tuple[FromRun, ...]
    states: tuple[StateFromRun, ...]
    filling: Filling
    quick: Quick
    groups: Mapping[str, Group]
    questions: Mapping[str, Question]
    papers: Mapping[str, Paper]
    warn_days: int
    region_of: Mapping[str, str]
    """Where each rule set is driven, by its id."""
    usual_axles: Mapping[str, tuple[Role, ...]]
    usual_axle: Mapping[str, Mapping[str, bool]]

    def region(self, rules: Sequence[str]) -> str:
        """Where is driven under a rule set or those it comes from; the first region for any other."""
        known = [self.region_of[name] for name in rules if name in self.region_of]
        return known[0] if known else next(iter(self.region_of.values()))

"""How far somebody has come: the ladder of lessons, and readiness for an examination. Folded from practices."""

from __future__ import annotations

import datetime as dt
import statistics
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from lowhiss.core.fields import Fields
from lowhiss.core.practice.hidden import PracticeError
from lowhiss.core.practice.lesson import Lesson
from lowhiss.core.practice.scoring import Scoring

LessonState = Literal["locked", "open", "begun", "passed", "helped", "stale"]
_DANGEROUS = "bad_called_good"
_AT_MOST = ("dangerous_in_last",)


@dataclass(frozen=True, slots=True)
class Tried:
    """One practice that is over, as far as progress hangs on it.

    at : when it began.  shares : what was reached of each group, 0 to 1.  vehicle : tells one from
    another.  whole : of a whole test, not of some steps of one.
    """

    at: dt.datetime
    mode: str
    lesson: str | None
    drive: int
    passed: bool | None
    total: float
    codes: tuple[str, ...]
    critical: tuple[str, ...]
    shares: Mapping[str, float]
    helped: bool
    faulty: bool
    whole: bool
    vehicle: str


def read_tried(table: object) -> Tried:
    """A practice from its summary. Raises PracticeError naming what is malformed."""
    fields = Fields(table, "summary", PracticeError)
    at = fields.text("at")
    try:
        began = dt.datetime.fromisoformat(at)
    except ValueError:
        raise fields.refuse("at", f"is {at[:40]!r}, which isn't a time") from None
    shares = fields.raw("shares") or {}
    if not isinstance(shares, dict):
        raise fields.refuse("shares", "must be a table")
    passed = fields.raw("passed")
    if passed is not None and not isinstance(passed, bool):
        raise fields.refuse("passed", "must be true, false or absent")
    tried = Tried(
        at=began if began.tzinfo else began.replace(tzinfo=dt.UTC),
        mode=fields.text("mode"),
        lesson=fields.text("lesson", None),
        drive=int(fields.number("drive", 0.0, low=0, high=99)),
        passed=passed,
        total=fields.number("total", 0.0, low=0, high=100),
        codes=fields.texts("codes"),
        critical=fields.texts("critical"),
        shares={str(key): float(value) for key, value in shares.items()},
        helped=fields.flag("helped", False),
        faulty=fields.flag("faulty", False),
        whole=fields.flag("whole", False),
        vehicle=fields.text("vehicle", ""),
    )
    fields.done()
    return tried


@dataclass(frozen=True, slots=True)
class LessonStatus:
    """How a lesson stands. drives : of each whether it was passed, None: not driven.  worst : the latest critical."""

    id: str
    state: LessonState
    drives: tuple[bool | None, ...]
    last_at: dt.datetime | None
    tries: int
    worst: str | None


def ladder(
    lessons: Sequence[Lesson],
    tried: Iterable[Tried],
    now: dt.datetime,
    stale_days: float,
    opened: frozenset[str] = frozenset(),
) -> list[LessonStatus]:
    """Every lesson in its order; one opens when the one before it is passed, or a trainer opens it."""
    by_lesson: dict[str, list[Tried]] = {}
    for one in sorted(tried, key=lambda one: one.at):
        if one.lesson is not None:
            by_lesson.setdefault(one.lesson, []).append(one)
    found: list[LessonStatus] = []
    passed: set[str] = set()
    for lesson in lessons:
        mine = by_lesson.get(lesson.id, [])
        drives: list[bool | None] = [None] * len(lesson.drives)
        helped = False
        for one in mine:
            if one.drive < len(drives):
                drives[one.drive] = bool(drives[one.drive]) or bool(one.passed)
                helped = helped or (one.helped and bool(one.passed))
        last = mine[-1].at if mine else None
        state: LessonState
        if all(drives):
            old = last is not None and now - last > dt.timedelta(days=stale_days)
            state = "stale" if old else "helped" if helped else "passed"
            passed.add(lesson.id)
        elif mine:
            state = "begun"
        else:
            opens = lesson.after is None or lesson.after in passed or lesson.id in opened
            state = "open" if opens else "locked"
        worst = next((one.critical[0] for one in reversed(mine) if one.critical), None)
        found.append(LessonStatus(lesson.id, state, tuple(drives), last, len(mine), worst))
    return found


@dataclass(frozen=True, slots=True)
class Rule:
    """One rule of readiness: whether it is met, by what, against what."""

    name: str
    met: bool
    found: float
    wanted: float


@dataclass(frozen=True, slots=True)
class Readiness:
    """The latest examinations as marks, the rules, and the first that is missing."""

    marks: tuple[Literal["clean", "critical", "missing"], ...]
    rules: tuple[Rule, ...]

    @property
    def ready(self) -> bool:
        """Whether nothing is missing."""
        return all(rule.met for rule in self.rules)

    @property
    def missing(self) -> str | None:
        """The first rule that is not met."""
        return next((rule.name for rule in self.rules if not rule.met), None)


def readiness(scoring: Scoring, tried: Sequence[Tried], now: dt.datetime) -> Readiness:
    """By the rule in the data: examinations of the whole test count, and two drives of it from memory for one, once."""
    table: Mapping[str, Any] = scoring.tables["readiness"]
    fresh = [one for one in tried if now - one.at <= dt.timedelta(days=table["stale_days"])]
    exams = sorted((one for one in fresh if one.mode == "exam" and one.whole), key=_at)
    memory = sorted((one for one in fresh if one.mode == "memory" and one.whole), key=_at)
    last = int(table["last"])
    counted = exams[-last:]
    if len(counted) < last and len(memory) * table["memory_counts"] >= 1:
        counted = sorted([*counted, memory[-1]], key=_at)
    clean = [not one.critical for one in counted]
    run = 0
    for one in reversed(clean):
        if not one:
            break
        run += 1
    groups = [share for one in counted for share in one.shares.values()]
    words = [one.shares["words"] for one in counted if "words" in one.shares]
    figures: dict[str, float] = {
        "last": len(counted),
        "vehicles": len({one.vehicle for one in counted}),
        "faulty_at_least": sum(one.faulty for one in counted),
        "healthy_at_least": sum(not one.faulty for one in counted),
        "clean_last": run,
        "dangerous_in_last": sum(_DANGEROUS in one.codes for one in counted),
        "median_score": statistics.median(one.total for one in counted) if counted else 0.0,
        "each_group": min(groups, default=0.0),
        "words_due": min(words, default=0.0),
    }
    rules = tuple(
        Rule(name, found <= table[name] if name in _AT_MOST else found >= table[name], found, table[name])
        for name, found in figures.items()
    )
    shown: list[Literal["clean", "critical", "missing"]] = ["clean" if one else "critical" for one in clean[-last:]]
    shown += ["missing"] * (last - len(shown))
    return Readiness(tuple(shown), rules)


def _at(one: Tried) -> dt.datetime:
    return one.at

"""What a practice is worth: a quality for each mark, a square for each stage, and five groups from one table of data.

Every figure is in ``rulebook/scoring.toml``. A mistake more never raises a score, whatever the order of them.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from lowhiss.core.fields import Language

Group = Literal["safety", "measuring", "judging", "words", "order"]
Square = Literal["right", "measured_wrongly", "reasoned_wrongly", "lucky", "grey", "unsaid", "wrong"]
Called = Literal["good", "bad"]


@dataclass(frozen=True, slots=True)
class Mistake:
    """A mistake: what it costs of its group, each time; whether it weighs more than any sum; what to do instead.

    card : the kind of card that went wrong with it, and comes back into the pile.
    """

    code: str
    group: Group
    share: float
    critical: bool
    title: Mapping[Language, str]
    advice: Mapping[Language, str]
    card: str | None = None


@dataclass(frozen=True, slots=True)
class Scoring:
    """How practices are scored, and the sentences that go with it."""

    groups: Mapping[str, float]
    bands: Mapping[str, float]
    tables: Mapping[str, Mapping[str, Any]]
    mistakes: Mapping[str, Mistake]

    def number(self, table: str, key: str) -> float:
        """One figure."""
        return float(self.tables[table][key])

    def words(self, table: str, key: str, language: Language) -> str:
        """One sentence."""
        return str(self.tables[table][key][language])


def read_scoring(table: Mapping[str, Any]) -> Scoring:
    """The scheme from its table."""
    mistakes = {
        code: Mistake(
            code,
            row["group"],
            float(row["share"]),
            bool(row.get("critical", False)),
            row["title"],
            {"en": row["en"], "es": row["es"]},
            row.get("card"),
        )
        for code, row in table["mistakes"].items()
    }
    rest = {name: part for name, part in table.items() if isinstance(part, dict) and name != "mistakes"}
    return Scoring(table["groups"], table["bands"], rest, mistakes)


# one mark, one hold, one stage


def mark_quality(scoring: Scoring, late_psi: float, eye_psi: float) -> float:
    """Of a reading, from 0 to 1: by how far it was marked late and read off, both in psi."""
    return _fading(abs(late_psi) + abs(eye_psi), scoring.tables["mark"], "psi")


def drop_quality(scoring: Scoring, err_psi: float, wait_s: float) -> float:
    """Of a hold: by the error of its loss [psi], and by how long was waited before the clock [s]."""
    table = scoring.tables["drop"]
    waited = min(1.0, max(0.0, wait_s) / table["wait_full_s"])
    share: float = 1 - table["wait_share"] + table["wait_share"] * waited
    return _fading(abs(err_psi), table, "psi") * share


def time_quality(scoring: Scoring, err_s: float) -> float:
    """Of a build-up: by the error of its time [s]."""
    return _fading(abs(err_s), scoring.tables["time"], "s")


def _fading(error: float, table: Mapping[str, float], unit: str) -> float:
    free, zero = table[f"free_{unit}"], table[f"zero_{unit}"]
    return 1.0 - min(1.0, max(0.0, (error - free) / (zero - free)))


def square_of(said: Called | None, own: Called | None, true: Called | Literal["grey"] | None) -> Square:
    """Where a stage's judgement went wrong: what was said, what one's own numbers say, what was true.

    >>> square_of("good", "good", "bad"), square_of("bad", "good", "bad"), square_of("good", "good", "grey")
    ('measured_wrongly', 'lucky', 'grey')
    """
    if said is None:
        return "unsaid"
    if true == "grey":
        return "grey" if own in (None, said) else "reasoned_wrongly"
    if own is None:
        return "right" if said == true else "wrong"
    if said == own:
        return "right" if own == true or true is None else "measured_wrongly"
    return "lucky" if said == true else "reasoned_wrongly"


def worth(scoring: Scoring, square: Square) -> float:
    """What a square is worth, 0 to 1."""
    names = {"grey": "right", "unsaid": "reasoned_wrongly", "wrong": "reasoned_wrongly"}
    return scoring.number("judged", names.get(square, square))


# the whole


@dataclass(frozen=True, slots=True)
class Calls:
    """What had to be said, what was, and the rungs of help that were taken. ``taken``: somebody ticked at all."""

    due: int
    made: int
    taken: bool
    help: Mapping[str, int]


@dataclass(frozen=True, slots=True)
class Waste:
    """Time and air, beside a drive without waste."""

    minutes: float
    reference_minutes: float
    refills: int
    reference_refills: int


@dataclass(frozen=True, slots=True)
class GroupScore:
    """One group: its points, those it could have, and the mistakes that cost some."""

    group: Group
    points: float
    whole: float
    costs: Mapping[str, float]


@dataclass(frozen=True, slots=True)
class Score:
    """The whole: of 100, the band it falls in, and what forbids *ready* whatever the sum."""

    total: float
    band: Literal["ready", "nearly", "not_yet"]
    parts: tuple[GroupScore, ...]
    critical: tuple[str, ...]

    def share(self, group: str) -> float | None:
        """What was reached of a group, 0 to 1; None where it was left out."""
        return next((part.points / part.whole for part in self.parts if part.group == group and part.whole), None)


def score(
    scoring: Scoring,
    mistakes: Mapping[str, int],
    qualities: Sequence[float],
    squares: Sequence[Square],
    calls: Calls,
    waste: Waste | None,
) -> Score:
    """Points by group.

    mistakes : how often each was made; codes that weigh nothing are left aside.  qualities : of every mark that had
    to be made, missing ones as 0.
    """
    parts = []
    for group, whole in scoring.groups.items():
        costs = {
            code: scoring.mistakes[code].share * times
            for code, times in sorted(mistakes.items())
            if code in scoring.mistakes and scoring.mistakes[code].group == group and times > 0
        }
        base = _base(group, qualities, [worth(scoring, one) for one in squares], calls)
        if base is None:
            continue
        costs = {**costs, **_other_costs(scoring, group, calls, waste)}
        # what something costs of a group comes off what there is of it
        reached = max(0.0, base - math.fsum(costs.values()))
        parts.append(GroupScore(group, whole * reached, whole, costs))  # type: ignore[arg-type]
    whole = math.fsum(part.whole for part in parts)
    total = round(100 * math.fsum(part.points for part in parts) / whole, 1) if whole else 0.0
    critical = tuple(
        code
        for code in sorted(mistakes)
        if mistakes[code] and code in scoring.mistakes and scoring.mistakes[code].critical
    )
    ready, nearly = scoring.bands["ready"], scoring.bands["nearly"]
    band = "not_yet" if critical or total < nearly else "ready" if total >= ready else "nearly"
    return Score(total, band, tuple(parts), critical)  # type: ignore[arg-type]


def _base(group: str, qualities: Sequence[float], worths: Sequence[float], calls: Calls) -> float | None:
    """What a group is worth before mistakes come off, 0 to 1; None where there was nothing to be done in it."""
    if group == "measuring":
        return math.fsum(qualities) / len(qualities) if qualities else None
    if group == "judging":
        return math.fsum(worths) / len(worths) if worths else None
    if group == "words":
        return min(1.0, calls.made / calls.due) if calls.due and calls.taken else None
    return 1.0


def _other_costs(scoring: Scoring, group: str, calls: Calls, waste: Waste | None) -> dict[str, float]:
    if group == "words":
        taken = math.fsum(scoring.number("help", rung) * times for rung, times in sorted(calls.help.items()))
        return {"help": taken} if taken else {}
    if group != "order" or waste is None:
        return {}
    table = scoring.tables["waste"]
    over = waste.minutes / waste.reference_minutes - 1 if waste.reference_minutes else 0.0
    lost = min(1.0, max(0.0, (over - table["minutes_free"]) / (table["minutes_zero"] - table["minutes_free"])))
    lost += table["refill"] * max(0, waste.refills - waste.reference_refills)
    return {"waste": round(lost, 4)} if lost else {}

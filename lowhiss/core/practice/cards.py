"""The words by heart: cards made from a rule set, an order of work and a vehicle, never typed by hand.

A card fades as it is learnt: whole, numbers left out, numbers and directions left out, first letters, nothing.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal, cast

from lowhiss.core.fields import Language
from lowhiss.core.practice.card_cases import Case, cases
from lowhiss.core.practice.numerals import Amount, amounts_in, folded
from lowhiss.core.procedure import Procedure
from lowhiss.core.rules import Limit, RuleSet, apply_bounds
from lowhiss.core.stages import STEP_TABLE, is_limited, is_stage, stages_of
from lowhiss.core.vehicle import Unit
from lowhiss.core.words import Words

CardKind = Literal[
    "limit",
    "number",
    "trio",
    "kind",
    "direction",
    "pair",
    "action",
    "reading",
    "verdict",
    "next",
    "safe_start",
    "closing",
]
LEVELS = 5


@dataclass(frozen=True, slots=True)
class Card:
    """One card. key : stays as long as what it rests on.  front : in the language it is read in.  back : what is said.

    wanted : the numbers of the back in the rule's own unit, with what they are of.  others : numbers that another
    vehicle's rule has, by its group.  at_least : True where what counts is a lower bound, False: an upper one.
    strict : on the bound does not pass.  good : what is to be said of a case.
    parts : words of which each must come.
    """

    key: str
    kind: CardKind
    stage: str | None
    front: str
    back: str
    language: Language
    wanted: tuple[Amount, ...] = ()
    others: Mapping[float, str] | None = None
    at_least: bool | None = None
    strict: bool = False
    good: bool | None = None
    parts: tuple[tuple[str, ...], ...] = ()


def cards_of(
    rules: RuleSet,
    procedure: Procedure,
    unit: Unit,
    units: Mapping[str, Unit],
    closing: Mapping[str, Mapping[Language, str]],
    front: Language,
    back: Language,
) -> list[Card]:
    """Every card of a licence.

    units : a vehicle of each group, for what differs between them.  front, back : the languages to learn from and in.
    """
    made: list[Card] = []
    words = {language: Words(language) for language in (front, back)}

    def key(kind: str, what: str) -> str:
        return f"{kind}|{rules.content_hash[:12]}|{what}|{unit.group}|{front}>{back}"

    for stage in procedure.stages(unit):
        limit = rules.limit_for(stage, unit) if is_limited(stage) else None
        title = words[front].stage(stage)
        if limit is not None:
            said = words[back].limit_text(limit, unit)
            whom = _kind_words(unit, front)
            made.append(
                Card(
                    key("limit", limit.key),
                    "limit",
                    stage,
                    f"{title} · {whom}",
                    said,
                    back,
                    _wanted(limit, unit),
                    _others(rules, stage, units, unit),
                    *_direction(limit),
                    parts=_parts(stage),
                )
            )
            made.append(
                Card(
                    key("number", limit.key),
                    "number",
                    stage,
                    _ASK["number"][front].format(stage=title, whom=whom),
                    _in_figures(limit, unit, words[back]),
                    back,
                    _wanted(limit, unit),
                    _others(rules, stage, units, unit),
                )
            )
        action = STEP_TABLE[stage].calls.get("action")
        if action is not None:
            front_text = _ASK["action"][front].format(stage=title)
            made.append(Card(key("action", stage), "action", stage, front_text, action[back], back))
    made += _trios(rules, procedure, unit, units, words, front, back, key)
    made += _kinds(rules, units, words, front, back, key)
    made += [
        Card(one.key, cast(CardKind, one.kind), one.stage, one.front, one.back, back, _amounts_in(one), good=one.good)
        for one in cases(rules, procedure.stages(unit), unit, words, (front, back), key)
    ]
    if "safe_start" in procedure.steps_on(unit):
        begun = STEP_TABLE["safe_start"].does[back]
        made.append(Card(key("safe_start", procedure.id), "safe_start", None, _ASK["safe_start"][front], begun, back))
    made += _orders(procedure, unit, words, front, back, key)
    made += [
        Card(key("closing", outcome), "closing", None, _ASK[outcome][front], text[back], back)
        for outcome, text in closing.items()
    ]
    if "cut_in" in procedure.stages(unit) or "cut_out" in procedure.stages(unit):
        made += [
            Card(key("pair", stage), "pair", stage, _ASK[f"pair_{stage}"][front], words[back].stage(stage), back)
            for stage in ("cut_out", "cut_in")
        ]
    return made


def _kind_words(unit: Unit, language: Language) -> str:
    whom: str = Words(language).book.WHOM[unit.group]
    return whom


def _direction(limit: Limit) -> tuple[bool | None, bool]:
    comparators = {bound.comparator for bound in limit.bounds}
    if len(comparators) != 1:
        return None, False
    only = comparators.pop()
    return only in ("at_least", "above"), only in ("above", "below")


def _parts(stage: str) -> tuple[tuple[str, ...], ...]:
    """What a limit's sentence must name besides its number."""
    return (("light", "lamp", "luz"), ("buzzer", "zumbador", "alarm")) if stage in stages_of("warning") else ()


def _wanted(limit: Limit, unit: Unit) -> tuple[Amount, ...]:
    """The numbers that must be said: bounds, window and time, in the rule's own unit."""
    label = "psi" if limit.unit == "psi" else "s"
    bounds = [Amount(abs(bound.value), label, "") for bound in apply_bounds(limit, unit)]
    window = [Amount(psi, "psi", "") for psi in limit.window_psi or ()]
    hold = [Amount(limit.hold_s, "s", "")] if limit.hold_s is not None else []
    return (*window, *bounds, *hold)


def _in_figures(limit: Limit, unit: Unit, words: Words) -> str:
    hold = f" · {limit.hold_s:g} s" if limit.hold_s is not None else ""
    return f"{words.short_limit(limit, apply_bounds(limit, unit))}{hold}"


def _others(rules: RuleSet, stage: str, units: Mapping[str, Unit], unit: Unit) -> dict[float, str]:
    """The numbers of other vehicles that are not this one's."""
    own = rules.limit_for(stage, unit)
    mine = {one.value for one in _wanted(own, unit)} if own is not None else set()
    found: dict[float, str] = {}
    for group, other in units.items():
        limit = rules.limit_for(stage, other) if group != unit.group else None
        for one in _wanted(limit, other) if limit is not None else ():
            if one.unit == "psi" and one.value not in mine:
                found.setdefault(one.value, group)
    return found


def _trios(
    rules: RuleSet,
    procedure: Procedure,
    unit: Unit,
    units: Mapping[str, Unit],
    words: Mapping[Language, Words],
    front: Language,
    back: Language,
    key: Callable[[str, str], str],
) -> Iterable[Card]:
    """The limits of one stage for all three kinds of vehicles, where they differ."""
    for stage in procedure.stages(unit):
        limits = {group: rules.limit_for(stage, other) for group, other in units.items() if is_limited(stage)}
        short = {
            group: words[back].short_limit(limit, apply_bounds(limit, units[group]))
            for group, limit in limits.items()
            if limit is not None
        }
        if len(set(short.values())) < 2 or len(short) < len(units):
            continue
        text = " · ".join(f"{words[back].book.WHOM[group]} {short[group]}" for group in short)
        wanted = tuple(amount for value in short.values() for amount in amounts_in(value))
        front_text = _ASK["trio"][front].format(stage=words[front].stage(stage))
        yield Card(key("trio", stage), "trio", stage, front_text, text, back, wanted)


def _amounts_in(case: Case) -> tuple[Amount, ...]:
    return tuple(amounts_in(case.back)) if case.kind == "reading" else ()


def _kinds(
    rules: RuleSet,
    units: Mapping[str, Unit],
    words: Mapping[Language, Words],
    front: Language,
    back: Language,
    key: Callable[[str, str], str],
) -> Iterable[Card]:
    """Which limit of the held pedal a vehicle has: named by what it pulls, not by the rule's own word for it."""
    for group, unit in units.items():
        limit = rules.limit_for("leak_applied", unit)
        if limit is None:
            continue
        asked = _ASK["kind"][front].format(trailers=_ASK[f"pulls_{min(len(unit.trailers), 2)}"][front])
        told = f"{words[back].book.WHOM[group]}: {_in_figures(limit, unit, words[back])}"
        yield Card(key("kind", group), "kind", "leak_applied", asked, told, back, _wanted(limit, unit))


def _orders(
    procedure: Procedure,
    unit: Unit,
    words: Mapping[Language, Words],
    front: Language,
    back: Language,
    key: Callable[[str, str], str],
) -> Iterable[Card]:
    steps = procedure.steps_on(unit)
    for place, step in enumerate(steps[:-1]):
        after = steps[place + 1]
        title = words[back].stage(after) if is_stage(after) else STEP_TABLE[after].title[back]
        asked = STEP_TABLE[step].title[front]
        front_text = _ASK["next"][front].format(step=asked)
        yield Card(key("next", f"{procedure.id}-{place}-{step}"), "next", None, front_text, title, back)


_ASK: Mapping[str, Mapping[Language, str]] = {
    "number": {"en": "{stage}, {whom}: the numbers?", "es": "{stage}, {whom}: ¿los números?"},
    "action": {"en": "{stage}: what do you say while you do it?", "es": "{stage}: ¿qué dice mientras lo hace?"},
    "trio": {"en": "{stage}: all three vehicles?", "es": "{stage}: ¿los tres vehículos?"},
    "next": {"en": "After “{step}”?", "es": "¿Después de «{step}»?"},
    "kind": {
        "en": "A vehicle that pulls {trailers}: what is it, and what may it lose with the pedal held?",
        "es": "Un vehículo que lleva {trailers}: ¿qué es, y cuánto puede perder con el pedal pisado?",
    },
    "pulls_0": {"en": "nothing", "es": "nada"},
    "pulls_1": {"en": "one trailer", "es": "un remolque"},
    "pulls_2": {"en": "two trailers", "es": "dos remolques"},
    "safe_start": {"en": "The safe start, in order?", "es": "El arranque seguro, ¿en orden?"},
    "pass": {"en": "Everything passed: how do you end?", "es": "Todo aprobado: ¿cómo termina?"},
    "fail": {"en": "A part failed: how do you end?", "es": "Una parte falló: ¿cómo termina?"},
    "pair_cut_out": {"en": "Which is where it stops?", "es": "¿Cuál es donde deja?"},
    "pair_cut_in": {"en": "Which is where it starts?", "es": "¿Cuál es donde empieza?"},
}

# fading

_DIRECTION_WORDS = re.compile(
    r"\b(at least|or higher|or more|before|no more than|less than|more than|within|between|por lo menos|o más|antes de|"
    r"no más de|menos de|más de|entre)\b",
    re.IGNORECASE,
)
_LETTERS = re.compile(r"[^\W\d_]+|\d+(?:[.,]\d+)?")


def faded(text: str, level: int) -> str:
    """A sentence at a level: 0 whole, 1 without numbers, 2 without directions, 3 first letters, 4 nothing.

    >>> faded("A combination may lose no more than four psi in one minute.", 3)
    'A c m l n m t _ p i _ m.'
    """
    if level <= 0:
        return text
    if level >= LEVELS - 1:
        return ""
    numbers = {word for amount in amounts_in(text) for word in amount.text.split()}

    def is_number(word: str) -> bool:
        return word[0].isdigit() or folded(word) in numbers

    if level == 3:
        return _LETTERS.sub(lambda found: "_" if is_number(found[0]) else found[0][0], text)
    shown = _LETTERS.sub(lambda found: "____" if is_number(found[0]) else found[0], text)
    return shown if level == 1 else _DIRECTION_WORDS.sub("____", shown)


# answering


@dataclass(frozen=True, slots=True)
class Checked:
    """What was found in a typed answer, and what it is rated: 1 again, 2 hard, 3 good."""

    findings: tuple[str, ...]
    rating: int
    kind: str | None = None


_AT_LEAST = ("at least", "or higher", "or more", "before", "por lo menos", "o mas", "antes de", "al menos")
_AT_MOST = ("no more than", "less than", "within", "no mas de", "menos de")
_STRICT = ("less than", "menos de")
_WRONG = frozenset(
    {"wrong_verdict", "wrong_number", "wrong_kind", "wrong_direction", "swapped", "unit_mixed", "wrong_time", "empty"}
)
_KPA_IN_PSI = 6.894757


def check(card: Card, typed: str) -> Checked:
    """Hold a typed answer against a card: numbers, units and directions count, the wording is free.

    A sentence without numbers is compared by the words that carry it.
    """
    text = folded(typed).strip()
    if not text:
        return Checked(("empty",), 1)
    findings: list[str] = []
    kind = None
    if card.good is not None:
        if _called(text) != card.good:
            findings.append("wrong_verdict")
    elif card.wanted:
        kind = _check_numbers(card, amounts_in(typed), findings)
        if card.kind == "limit":
            _check_direction(card, text, findings)
            if any(not any(word in text for word in part) for part in card.parts):
                findings.append("part_missing")
    elif not _carries(card.back, text):
        findings.append("part_missing")
    rating = 1 if _WRONG & set(findings) else 2 if findings else 3
    return Checked(tuple(findings), rating, kind)


_GOOD = ("good", "pass", "passes", "yes", "bien", "bueno", "buena", "aprueba", "pasa", "si")
_BAD = ("bad", "fail", "fails", "no", "mal", "malo", "mala", "falla", "reprueba")


def _called(text: str) -> bool | None:
    """Whether something was called good or bad; None where neither or both were said."""
    said = set(re.findall(r"[a-z]+", text))
    good, bad = bool(said & set(_GOOD)), bool(said & set(_BAD))
    return None if good and bad and not said & {"no"} else good and not bad if good or bad else None


def _check_numbers(card: Card, given: Sequence[Amount], findings: list[str]) -> str | None:
    """What is wrong with the numbers of an answer; the group whose number was said, where it is another's."""
    if card.kind == "trio":
        _check_trio([_seconds(one) for one in card.wanted], [_seconds(one) for one in given], findings)
        return None
    wanted = [(_seconds(one), _is_time(one)) for one in card.wanted]
    kind = None
    met: set[float] = set()
    for one in given:
        value, time = _seconds(one), _is_time(one)
        right = next((w for w, is_time in wanted if is_time == time and abs(value - w) < _SAME), None)
        if right is None and one.unit is None:
            right = next((w for w, _ in wanted if abs(value - w) < _SAME), None)
        if right is None and one.unit == "kpa":
            right = next((w for w, is_time in wanted if not is_time and abs(value / _KPA_IN_PSI - w) < _ROUNDED), None)
        elif right is not None and one.unit in ("kpa", "bar"):
            findings.append("unit_mixed")
        if right is not None:
            met.add(right)
        elif time:
            findings.append("wrong_time")
        elif card.others and value in card.others:
            kind = card.others[value]
            findings.append("wrong_kind")
        else:
            findings.append("wrong_number")
    if not findings and not all(value in met for value, time in wanted if not time):
        findings.append("number_missing")
    return kind


def _check_trio(wanted: Sequence[float], told: Sequence[float], findings: list[str]) -> None:
    if sorted(told) != sorted(wanted):
        findings.append("wrong_number" if len(told) >= len(wanted) else "number_missing")
    elif list(told) != list(wanted):
        findings.append("swapped")


_SAME, _ROUNDED = 1e-6, 0.5
"""How near a number must come, and how near one that was turned into another unit by head."""


def _seconds(one: Amount) -> float:
    return one.value * 60 if one.unit == "min" else one.value


def _is_time(one: Amount) -> bool:
    return one.unit in ("s", "min")


def _check_direction(card: Card, text: str, findings: list[str]) -> None:
    if card.at_least is None:
        return
    lower, upper = _holds(text, _AT_LEAST), _holds(text, _AT_MOST)
    backwards = (card.at_least and upper) or (not card.at_least and lower)
    if "or lower" in text or "o menos" in text:
        backwards = backwards or bool(card.at_least)
    if backwards:
        findings.append("wrong_direction")
    elif not card.at_least and upper and card.strict != _holds(text, _STRICT):
        findings.append("edge")


def _holds(text: str, phrases: Sequence[str]) -> bool:
    """Whether one of these phrases stands in a text, as words of their own: *no mas de* is no *o mas*."""
    return any(re.search(rf"\b{phrase}\b", text) for phrase in phrases)


def _carries(back: str, text: str) -> bool:
    """Whether at least half of the words that carry a sentence came."""
    carrying = set(re.findall(r"[a-z]{4,}", folded(back)))
    told = set(re.findall(r"[a-z]{4,}", text))
    return not carrying or len(carrying & told) * 2 >= len(carrying)

"""Cards of the words for one licence, how they stand, and whether an answer is right: on a server and on a device."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Mapping
from typing import Any, cast

from lowhiss import rulebook
from lowhiss.core.fields import Fields, Language
from lowhiss.core.practice import PracticeError
from lowhiss.core.practice.cards import Card, cards_of, check, faded
from lowhiss.core.practice.spacing import Review, folded_reviews, pile, scheduler_for
from lowhiss.core.rules import read_rule_set
from lowhiss.core.vehicle import UNIT_KINDS, Unit, UnitKind

_LANGUAGES = ("en", "es")
_KINDS: tuple[UnitKind, ...] = ("bus", "tractor_semitrailer", "multi_trailer")
"""A vehicle of each group, for what differs between them."""


def deck(licence: Mapping[str, Any]) -> list[Card]:
    """Every card of a licence.

    licence : ``kind``, ``rules`` (an id, or a set whole), ``procedure``, ``front`` and ``back``: the languages learnt
    from and in. Raises CoreError naming what there is not.
    """
    fields = Fields(licence, "licence", PracticeError)
    kind = fields.text("kind", "tractor_semitrailer")
    if kind not in UNIT_KINDS:
        raise PracticeError("licence.kind", f"is {kind[:40]!r}; choose one of {', '.join(UNIT_KINDS)}")
    given, order = fields.raw("rules"), fields.text("procedure", None)
    rules = (
        read_rule_set(given, rulebook.judging(), rulebook.rule_set)
        if isinstance(given, dict)
        else rulebook.rule_set(str(given or rulebook.rule_set_ids()[0]))
    )
    front, back = fields.text("front", "en"), fields.text("back", "en")
    for language in (front, back):
        if language not in _LANGUAGES:
            raise PracticeError("licence.front", f"is {language[:10]!r}; it is en or es")
    fields.done()
    unit = _unit(kind)
    units: dict[str, Unit] = {one.group: one for one in map(_unit, _KINDS)}
    procedure = rulebook.procedure(order) if order else rulebook.default_procedure(rules, unit)
    closing = rulebook.scoring().tables["closing"]
    return cards_of(rules, procedure, unit, units, closing, cast(Language, front), cast(Language, back))


def _unit(kind: UnitKind) -> Unit:
    trailers = {"tractor_semitrailer": 1, "multi_trailer": 2}.get(kind, 0)
    return Unit(kind, name=kind, trailers=tuple(f"trailer {n}" for n in range(1, trailers + 1)))


def gone_wrong(choice: Mapping[str, Any], found: Iterable[tuple[str, str | None]], kind: str) -> dict[str, list[str]]:
    """The cards that went wrong in a drive, by language. found : code and stage of each mistake.  kind : the vehicle's.

    A drive by an order or rules of a fleet's own has cards of the built-in ones it names, or none.
    """
    mistakes = rulebook.scoring().mistakes
    wrong = {(mistakes[code].card, stage) for code, stage in found if code in mistakes and mistakes[code].card}
    if not wrong:
        return {}
    procedure = choice["procedure"] if isinstance(choice["procedure"], str) else None
    licence = {"kind": kind, "rules": choice["rules"], "procedure": procedure}
    return {
        language: [
            card.key
            for card in deck({**licence, "front": language, "back": language})
            if (card.kind, card.stage) in wrong or (card.kind, None) in wrong
        ]
        for language in _LANGUAGES
    }


def read_review(table: object) -> Review:
    """One answer. Raises PracticeError naming what is malformed: its time must be aware."""
    fields = Fields(table, "review", PracticeError)
    text = fields.text("at")
    try:
        at = dt.datetime.fromisoformat(text)
    except ValueError:
        raise fields.refuse("at", f"is {text[:40]!r}, which isn't a time") from None
    if at.tzinfo is None:
        raise fields.refuse("at", "has no time zone: it must be UTC")
    return Review(
        card=fields.text("card"),
        rating=int(fields.number("rating", low=1, high=4)),
        at=at.astimezone(dt.UTC),
        device=fields.text("device", ""),
        seq=int(fields.number("seq", 0.0, low=0, high=2**53)),
    )


def today(licence: Mapping[str, Any], reviews: list[Any], now: str, exam_on: str | None) -> dict[str, Any]:
    """Today's pile with each card as it is shown, and how all of them stand. Raises CoreError."""
    moment = dt.datetime.fromisoformat(now)
    exam = None if exam_on is None else dt.date.fromisoformat(exam_on)
    cards = deck(licence)
    states = folded_reviews(map(read_review, reviews), scheduler_for(exam, moment.date()), moment)
    keys, fresh = pile([card.key for card in cards], states, moment, exam)
    by_key = {card.key: card for card in cards}
    later = min((state.due for key, state in states.items() if key in by_key), default=None)

    def shown(key: str) -> dict[str, Any]:
        card, state = by_key[key], states.get(key)
        level = state.level if state else 0
        return {
            "key": key,
            "kind": card.kind,
            "front": card.front,
            "back": card.back,
            "language": card.language,
            "level": level,
            "shown": faded(card.back, level),
            "typed": bool(card.wanted) or card.kind in ("pair", "next", "direction"),
        }

    return {
        "cards": [shown(key) for key in keys],
        "fresh": fresh,
        "due": len(keys) - fresh,
        "all": [{"kind": card.kind, "front": card.front, "back": card.back} for card in cards],
        "next_at": None if later is None else later.isoformat(),
        "states": {
            key: {"due": state.due.isoformat(), "stability": state.stability, "level": state.level}
            for key, state in states.items()
        },
    }


def answered(licence: Mapping[str, Any], key: str, typed: str, language: Language) -> dict[str, Any]:
    """Whether a typed answer is right, and in a sentence what is not. Raises PracticeError for a card there is not."""
    card = next((one for one in deck(licence) if one.key == key), None)
    if card is None:
        raise PracticeError("card", "isn't in this deck: the rules have changed")
    checked = check(card, typed)
    lines = rulebook.scoring().tables["answers"]
    kind = rulebook.scoring().tables["kinds"][checked.kind][language] if checked.kind else ""
    return {
        "findings": list(checked.findings),
        "rating": checked.rating,
        "said": [lines[finding][language].format(kind=kind) for finding in checked.findings],
        "back": card.back,
    }

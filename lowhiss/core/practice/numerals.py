"""Numbers as people type or say them, in English and Spanish, from 0 to 200."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Mapping
from dataclasses import dataclass

from lowhiss.core.fields import LANGUAGES, Language

_EN = (
    "zero one two three four five six seven eight nine ten eleven twelve thirteen fourteen fifteen sixteen seventeen "
    "eighteen nineteen"
)
_ES = (
    "cero uno dos tres cuatro cinco seis siete ocho nueve diez once doce trece catorce quince dieciseis diecisiete "
    "dieciocho diecinueve veinte veintiuno veintidos veintitres veinticuatro veinticinco veintiseis veintisiete "
    "veintiocho veintinueve"
)
_EN_TENS = "twenty thirty forty fifty sixty seventy eighty ninety"
_ES_TENS = "treinta cuarenta cincuenta sesenta setenta ochenta noventa"
_ONES: Mapping[Language, tuple[str, ...]] = {"en": tuple(_EN.split()), "es": tuple(_ES.split())}
_TENS: Mapping[Language, Mapping[str, int]] = {
    "en": {name: 10 * n for n, name in enumerate(_EN_TENS.split(), 2)},
    "es": {name: 10 * n for n, name in enumerate(_ES_TENS.split(), 3)},
}
_MORE: Mapping[Language, Mapping[str, int]] = {
    "en": {"a": 1, "hundred": 100},
    "es": {"un": 1, "una": 1, "cien": 100, "ciento": 100, "doscientos": 200},
}
_JOINS = frozenset({"and", "y"})
_UNITS: Mapping[str, str] = {
    "psi": "psi",
    "pound": "psi",
    "pounds": "psi",
    "libra": "psi",
    "libras": "psi",
    "kpa": "kpa",
    "bar": "bar",
    "second": "s",
    "seconds": "s",
    "segundo": "s",
    "segundos": "s",
    "s": "s",
    "minute": "min",
    "minutes": "min",
    "minuto": "min",
    "minutos": "min",
    "mph": "mph",
}
_WORD = re.compile(r"\d+(?:[.,]\d+)?|[a-z]+")


@dataclass(frozen=True, slots=True)
class Amount:
    """A number that was said in words or in figures, with the unit that follows it, None where there is none."""

    value: float
    unit: str | None
    text: str


def folded(text: str) -> str:
    """Lower case without accents.

    >>> folded("Presión")
    'presion'
    """
    plain = unicodedata.normalize("NFKD", text.lower())
    return "".join(letter for letter in plain if not unicodedata.combining(letter))


def amounts_in(text: str) -> list[Amount]:
    """Every number of a sentence, with its unit.

    >>> [(one.value, one.unit) for one in amounts_in("no more than four psi in sixty seconds")]
    [(4.0, 'psi'), (60.0, 's')]
    >>> [(one.value, one.unit) for one in amounts_in("ciento veinte a 140 libras")]
    [(120.0, None), (140.0, 'psi')]
    """
    words = _WORD.findall(folded(text))
    found: list[Amount] = []
    place = 0
    while place < len(words):
        value, length = _number_at(words, place)
        if value is None:
            place += 1
            continue
        after = place + length
        unit = _UNITS.get(words[after]) if after < len(words) else None
        article = length == 1 and words[place] in ("a", "un", "una")
        if not article or unit is not None:
            found.append(Amount(value, unit, " ".join(words[place:after])))
        place = after
    return found


def _number_at(words: list[str], place: int) -> tuple[float | None, int]:
    if words[place][0].isdigit():
        return float(words[place].replace(",", ".")), 1
    for language in LANGUAGES:
        value, length = _spoken(words, place, language)
        if value is not None:
            return value, length
    return None, 0


def _spoken(words: list[str], place: int, language: Language) -> tuple[float | None, int]:
    """The longest number in words that begins here."""
    total: int | None = None
    last = 1000
    at = place
    while at < len(words):
        word = words[at]
        if word in _JOINS and total is not None and at + 1 < len(words):
            part = _part(words[at + 1], language)
            if part is None or part >= last:
                break
            at += 1
            continue
        part = _part(word, language)
        if word == "hundred" and total is not None and 0 < total < 10:
            total, last = 100 * total, 100
        elif part is None or part >= last:
            break
        else:
            total, last = (total or 0) + part, part if part >= 10 else 1
            if part < 20:
                at += 1
                if total < 10 and words[at : at + 1] == ["hundred"]:
                    continue
                break
        at += 1
    return (None, 0) if total is None else (float(total), at - place)


def _part(word: str, language: Language) -> int | None:
    ones = _ONES[language]
    if word in ones:
        return ones.index(word)
    return _TENS[language].get(word, _MORE[language].get(word))

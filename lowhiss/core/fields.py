"""A strict reader for tables that came from TOML or JSON: every value checked, every unknown key refused."""

from __future__ import annotations

import math
from collections.abc import Collection
from typing import Any, Literal, TypeVar, cast, get_args, overload

from lowhiss.core.errors import CoreError

UUID_PATTERN = r"^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$"
"""How the id of a run, a unit or a person is written."""
_MISSING: Any = object()
Choice = TypeVar("Choice", bound=str)


def describe(value: object) -> str:
    """``value`` as it can stand in a sentence: short, and never a whole document.

    >>> describe("a" * 60), describe(None)
    ("'aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa…'", 'null')
    """
    if value is None:
        return "null"
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, dict | list):
        return "a table" if isinstance(value, dict) else "a list"
    text = repr(value)
    return text if len(text) <= 40 else f"{text[:38]}…{text[-1]}"


def choices_text(allowed: Collection[object]) -> str:
    """The allowed values as a list for a sentence."""
    return ", ".join(str(item) for item in allowed)


class Fields:
    """One table being read. Ask for each key by type, then call ``done()`` to refuse what nobody asked for.

    error : the CoreError subclass to raise; ``at`` is the path of this table for its sentences.
    """

    def __init__(self, table: object, at: str, error: type[CoreError]) -> None:
        self.at = at
        self.error = error
        if not isinstance(table, dict):
            raise error(at, f"must be a table of fields, not {describe(table)}")
        self._table = cast(dict[str, Any], table)
        self._asked: set[str] = set()

    def path(self, key: str) -> str:
        """Where ``key`` of this table sits, for a sentence."""
        return f"{self.at}.{key}" if self.at else key

    def refuse(self, key: str, problem: str) -> CoreError:
        """The error to raise about ``key``."""
        return self.error(self.path(key), problem)

    def has(self, key: str) -> bool:
        """Whether ``key`` is given."""
        return key in self._table

    def _take(self, key: str, default: object) -> Any:
        self._asked.add(key)
        value = self._table.get(key, _MISSING)
        if value is _MISSING:
            if default is _MISSING:
                raise self.refuse(key, "is missing")
            return default
        return value

    @overload
    def text(self, key: str) -> str: ...
    @overload
    def text(self, key: str, default: None) -> str | None: ...
    @overload
    def text(self, key: str, default: str) -> str: ...
    def text(self, key: str, default: Any = _MISSING) -> Any:
        """A string of at most 2,000 characters."""
        value = self._take(key, default)
        if value is default and default is not _MISSING:
            return value
        if not isinstance(value, str):
            raise self.refuse(key, f"must be text, not {describe(value)}")
        if len(value) > 2000:
            raise self.refuse(key, f"is {len(value)} characters long; the maximum is 2000")
        return value

    @overload
    def number(self, key: str, *, low: float = ..., high: float = ...) -> float: ...
    @overload
    def number(self, key: str, default: None, *, low: float = ..., high: float = ...) -> float | None: ...
    @overload
    def number(self, key: str, default: float, *, low: float = ..., high: float = ...) -> float: ...
    def number(self, key: str, default: Any = _MISSING, *, low: float = -math.inf, high: float = math.inf) -> Any:
        """A finite number from ``low`` to ``high``."""
        value = self._take(key, default)
        if value is default and default is not _MISSING:
            return value
        if isinstance(value, bool) or not isinstance(value, int | float):
            raise self.refuse(key, f"must be a number, not {describe(value)}")
        if not low <= value <= high:  # also catches NaN
            raise self.refuse(key, f"must be a number from {low:g} to {high:g}, not {describe(value)}")
        try:
            return float(value) + 0.0  # a zero has no sign here
        except OverflowError:
            raise self.refuse(key, f"is {describe(value)}, which is too large") from None

    def flag(self, key: str, default: bool) -> bool:
        """true or false."""
        value = self._take(key, default)
        if not isinstance(value, bool):
            raise self.refuse(key, f"must be true or false, not {describe(value)}")
        return value

    def choice(self, key: str, kind: Any, default: Any = _MISSING) -> Any:
        """One of the values of the Literal ``kind``."""
        allowed = get_args(kind)
        value = self._take(key, default)
        if value is default and default is not _MISSING:
            return value
        if not isinstance(value, str) or value not in allowed:
            raise self.refuse(key, f"must be one of {choices_text(allowed)}, not {describe(value)}")
        return value

    def texts(self, key: str) -> tuple[str, ...]:
        """A list of strings; empty when the key is absent."""
        value = self._take(key, [])
        if not isinstance(value, list) or not all(isinstance(item, str) for item in value):
            raise self.refuse(key, f"must be a list of texts, not {describe(value)}")
        return tuple(value)

    def table(self, key: str, default: Any = _MISSING) -> Fields:
        """A table inside this one."""
        return Fields(self._take(key, default), self.path(key), self.error)

    def tables(self, key: str) -> list[Fields]:
        """A list of tables; empty when the key is absent."""
        value = self._take(key, [])
        if not isinstance(value, list):
            raise self.refuse(key, f"must be a list, not {describe(value)}")
        return [Fields(item, f"{self.path(key)}[{i}]", self.error) for i, item in enumerate(value)]

    def raw(self, key: str) -> Any:
        """The value as it came, None when absent; the caller checks it."""
        return self._take(key, None)

    def done(self) -> None:
        """Refuse every key that was never asked for."""
        for key in self._table:
            if key not in self._asked:
                known = choices_text(sorted(self._asked))
                raise self.refuse(str(key)[:60], f"isn't a known field; the fields are {known}")


Language = Literal["en", "es"]
LANGUAGES: tuple[Language, ...] = get_args(Language)


def both_languages(fields: Fields, key: str) -> dict[Language, str]:
    """A table with one sentence for each language."""
    table = fields.table(key)
    words: dict[Language, str] = {"en": table.text("en"), "es": table.text("es")}
    table.done()
    return words

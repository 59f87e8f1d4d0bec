"""Rule sets and orders of work as TOML text, in both directions: the same file that the command line takes."""

from __future__ import annotations

from typing import Any

import tomli_w

from lowhiss.core.errors import RuleError
from lowhiss.core.practice.lesson import LESSON_FORMAT
from lowhiss.core.procedure import PROCEDURE_FORMAT
from lowhiss.core.rules import RULES_FORMAT, parse_toml

MAX_BYTES = 1024 * 1024


def toml_text(table: dict[str, Any]) -> str:
    """A rule set's or order's plain values as TOML; what says nothing is left out.

    >>> toml_text({"id": "a", "about": {}, "parent": None})
    'id = "a"\\n'
    """
    return tomli_w.dumps(_toml_value(table))


def _toml_value(value: Any) -> Any:
    if isinstance(value, dict):
        return {key: _toml_value(part) for key, part in value.items() if part is not None and part != {}}
    if isinstance(value, list | tuple):
        return [_toml_value(part) for part in value]
    return int(value) if isinstance(value, float) and value.is_integer() else value


def check_rule_file(table: dict[str, Any]) -> dict[str, Any]:
    """The tables of a rule file. Raises RuleError for a file of another kind."""
    if table.get("format") not in (RULES_FORMAT, PROCEDURE_FORMAT):
        raise RuleError(
            "format", f"must be {RULES_FORMAT} or {PROCEDURE_FORMAT}: this is neither a rule set nor a test order"
        )
    return table


def check_lesson_file(table: dict[str, Any]) -> dict[str, Any]:
    """The tables of a lesson's file. Raises RuleError for what is no lesson."""
    if table.get("format") != LESSON_FORMAT:
        raise RuleError("format", f"must be {LESSON_FORMAT}: this isn't a lesson")
    return table


def tables_of(data: bytes) -> dict[str, Any]:
    """The tables of a TOML file. Raises RuleError for what is too large, not UTF-8 or not TOML."""
    if len(data) > MAX_BYTES:
        raise RuleError("file", f"is {len(data) // 1024} kB large; the maximum is {MAX_BYTES // 1024} kB")
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise RuleError("file", f"isn't UTF-8 text (byte {error.start}): save it as UTF-8") from error
    return parse_toml(text, "file")

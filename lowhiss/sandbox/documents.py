"""Rule sets, test orders and lessons as TOML from outside, read in the sandbox."""

from __future__ import annotations

from typing import Any

from lowhiss.core.errors import RuleError
from lowhiss.exchange.rule_toml import MAX_BYTES, check_lesson_file, check_rule_file
from lowhiss.sandbox.host import RefusedFileError, SandboxError, read


def rule_tables(data: bytes) -> dict[str, Any]:
    """The tables of a rule file. Raises RuleError, SandboxMissingError."""
    return check_rule_file(_tables(data))


def lesson_tables(data: bytes) -> dict[str, Any]:
    """The tables of a lesson's file. Raises RuleError, SandboxMissingError."""
    return check_lesson_file(_tables(data))


def _tables(data: bytes) -> dict[str, Any]:
    if len(data) > MAX_BYTES:
        raise RuleError("file", f"is {len(data) // 1024} kB large; the maximum is {MAX_BYTES // 1024} kB")
    try:
        return dict(read("toml", data).meta["table"])
    except (RefusedFileError, SandboxError) as error:
        raise RuleError(error.field, error.problem) from None

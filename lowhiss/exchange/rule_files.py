"""Rule sets and procedures from files: TOML or JSON text to checked objects."""

from __future__ import annotations

from pathlib import Path

from lowhiss.core.errors import CoreError, RuleError
from lowhiss.core.procedure import Procedure, read_procedure
from lowhiss.core.rules import Judging, RuleSet, parse_toml, read_rule_set
from lowhiss.core.rules.reader import ParentLookup
from lowhiss.exchange.run_json import read_json

MAX_BYTES = 1024 * 1024


def load_rule_set(path: Path, judging: Judging, parent_of: ParentLookup) -> RuleSet:
    """The rule set in a file. Raises RuleError naming table and key, OSError when it cannot be read."""
    return read_rule_set(_table(path), judging, parent_of)


def load_procedure(path: Path) -> Procedure:
    """The procedure in a file. Raises RuleError naming the key, OSError when it cannot be read."""
    return read_procedure(_table(path))


def _table(path: Path) -> object:
    data = path.read_bytes()
    if len(data) > MAX_BYTES:
        raise RuleError("", f"{path.name} is {len(data) // 1024} kB large; the maximum is {MAX_BYTES // 1024} kB")
    if path.suffix == ".json":
        try:
            return read_json(data)
        except CoreError as error:
            raise RuleError(error.field, error.problem) from error
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise RuleError("", f"{path.name} isn't UTF-8 text (byte {error.start}): save it as UTF-8") from error
    return parse_toml(text, path.name)

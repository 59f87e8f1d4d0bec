"""What commands share: exit codes, one-sentence refusals, the reader's words, rule sets by id or file."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Sequence
from pathlib import Path

from lowhiss import rulebook
from lowhiss.core.errors import CoreError
from lowhiss.core.fields import LANGUAGES
from lowhiss.core.rules import RuleSet
from lowhiss.core.units import PRESSURE_UNITS
from lowhiss.core.words import Words
from lowhiss.exchange.rule_files import load_rule_set

PASS, FAIL, INCOMPLETE, UNREADABLE = 0, 1, 2, 64
EXIT_OF_OVERALL = {"pass": PASS, "fail": FAIL, "incomplete": INCOMPLETE}
GRAVITY = (UNREADABLE, FAIL, INCOMPLETE, PASS)


class Refusal(Exception):  # noqa: N818  - what the user is told, not a fault
    """One sentence for the user; the command ends with exit code 64."""


def add_reader(parser: argparse.ArgumentParser) -> None:
    """The arguments that say in which language and unit sentences are printed."""
    parser.add_argument("--lang", choices=LANGUAGES, default="en", help="language of the sentences")
    parser.add_argument("--unit", choices=PRESSURE_UNITS, default="psi", help="unit of the sentences")


def words_of(options: argparse.Namespace) -> Words:
    """The words for this reader."""
    return Words(options.lang, options.unit)


def rules_named(name: str) -> RuleSet:
    """A rule set by its built-in id or by the path of a file. Raises Refusal."""
    try:
        if name in rulebook.rule_set_ids() or not (name.endswith((".toml", ".json")) or "/" in name):
            return rulebook.rule_set(name)
        return load_rule_set(Path(name), rulebook.judging(), rulebook.rule_set)
    except (CoreError, OSError) as error:
        raise Refusal(f"{name}: {problem_of(error)}" if name not in str(error) else problem_of(error)) from error


def problem_of(error: CoreError | OSError) -> str:
    """What is wrong, without the file's name."""
    return f"can't be read: {error.strerror}" if isinstance(error, OSError) else str(error)


def as_json(value: object, *, compact: bool = False) -> str:
    """Plain values as JSON text; compact ones stand on one line."""
    return json.dumps(value, ensure_ascii=False, indent=None if compact else 2)


def refuse(sentence: str) -> int:
    """Say one sentence on standard error; returns the exit code."""
    print(f"lowhiss: {sentence}", file=sys.stderr)
    return UNREADABLE


def print_columns(rows: Sequence[Sequence[str]]) -> None:
    """A small table, its columns as wide as their widest cell."""
    widths = [max(len(row[n]) for row in rows) for n in range(len(rows[0]))] if rows else []
    for row in rows:
        print("  ".join(cell.ljust(width) for cell, width in zip(row, widths, strict=True)).rstrip())

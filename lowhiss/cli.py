"""The command line: ``lowhiss start | judge``. Parses arguments, calls one function, sets the exit code."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from lowhiss import __version__, rulebook
from lowhiss.core.errors import CoreError
from lowhiss.core.fields import LANGUAGES
from lowhiss.core.judge import RunVerdict
from lowhiss.core.record import Run
from lowhiss.core.rules import RuleSet
from lowhiss.core.units import PRESSURE_UNITS
from lowhiss.core.words import Words, verdict_record
from lowhiss.exchange import load_run
from lowhiss.service.judging import judge_by_every_school, judge_record, rules_of

PASS, FAIL, INCOMPLETE, UNREADABLE = 0, 1, 2, 64
_EXIT_OF_OVERALL = {"pass": PASS, "fail": FAIL, "incomplete": INCOMPLETE}
_GRAVITY = (UNREADABLE, FAIL, INCOMPLETE, PASS)


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; returns the exit code."""
    options = _parser().parse_args(arguments)
    try:
        return int(options.run(options))
    except BrokenPipeError:
        sys.stderr.close()  # the reader of our output has gone; there is nobody left to tell
        return PASS


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="lowhiss", description="Conducts, judges and records the static air brake test."
    )
    parser.add_argument("--version", action="version", version=f"lowhiss {__version__}")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")

    start = commands.add_parser("start", help="start the database and the web application")
    start.add_argument("--demo", action="store_true", help="load the demo scenario")
    start.add_argument("--port", type=int, default=8420, help="port of the web application (default 8420)")
    start.add_argument("--data", type=Path, default=Path("var"), metavar="DIR", help="data directory (default var)")
    start.set_defaults(run=_start)

    judge = commands.add_parser("judge", help="judge run records")
    judge.add_argument(
        "files", nargs="+", metavar="FILE", help="a run record (low-hiss-run/1, JSON); - reads standard input"
    )
    schools = judge.add_mutually_exclusive_group()
    schools.add_argument("--rules", metavar="ID", help="judge by this rule set instead of the run's own")
    schools.add_argument("--all-rules", action="store_true", help="judge by every built-in rule set")
    judge.add_argument("--lang", choices=LANGUAGES, default="en", help="language of the sentences")
    judge.add_argument("--unit", choices=PRESSURE_UNITS, default="psi", help="unit of the sentences")
    judge.set_defaults(run=_judge)
    return parser


def _start(options: argparse.Namespace) -> int:
    from lowhiss.serve import serve  # the database and the web framework load only when they are needed

    return serve(data_dir=options.data, port=options.port, demo=options.demo)


def _judge(options: argparse.Namespace) -> int:
    words = Words(options.lang, options.unit)
    several = len(options.files) > 1
    try:
        rules = rulebook.rule_set(options.rules) if options.rules else None
    except CoreError as error:
        return _refuse(str(error))
    codes = [_judge_file(name, rules, options.all_rules, words, several) for name in options.files]
    return min(codes, key=_GRAVITY.index)


def _judge_file(name: str, rules: RuleSet | None, all_rules: bool, words: Words, several: bool) -> int:
    try:
        data = sys.stdin.buffer.read() if name == "-" else Path(name).read_bytes()
        answer, overall = _answer(load_run(data), rules, all_rules, words)
    except (CoreError, OSError) as error:
        problem = f"cannot be read: {error.strerror}" if isinstance(error, OSError) else str(error)
        if several:
            print(_json({"format": "low-hiss-error/1", "file": name, "error": problem}, compact=True))
            return UNREADABLE
        return _refuse(f"{name}: {problem}")
    print(_json(answer, compact=several))
    return _EXIT_OF_OVERALL[overall]


def _answer(run: Run, rules: RuleSet | None, all_rules: bool, words: Words) -> tuple[dict[str, Any], str]:
    if not all_rules:
        verdict = judge_record(run, rules)
        return verdict_record(verdict, words), verdict.overall
    own = judge_record(run)
    verdicts: list[RunVerdict] = judge_by_every_school(run)
    if rules_of(run).id not in rulebook.RULE_SET_IDS:
        verdicts.insert(0, own)
    records = [verdict_record(verdict, words) for verdict in verdicts]
    return {"format": "low-hiss-verdicts/1", "verdicts": records}, own.overall


def _json(value: object, *, compact: bool) -> str:
    return json.dumps(value, ensure_ascii=False, indent=None if compact else 2)


def _refuse(sentence: str) -> int:
    print(f"lowhiss: {sentence}", file=sys.stderr)
    return UNREADABLE


if __name__ == "__main__":
    sys.exit(main())

"""``lowhiss judge`` and ``lowhiss whatif``: run records in, verdicts out, one a line when there are several."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from lowhiss import rulebook
from lowhiss.commands.common import (
    EXIT_OF_OVERALL,
    GRAVITY,
    PASS,
    UNREADABLE,
    add_reader,
    as_json,
    problem_of,
    refuse,
    rules_named,
    words_of,
)
from lowhiss.core.errors import CoreError
from lowhiss.core.judge import RunVerdict
from lowhiss.core.record import Run, read_run
from lowhiss.core.rules import RuleSet
from lowhiss.core.words import Words, text_report, verdict_record
from lowhiss.engine.judge_record import hints_for, judge_by_all_rule_sets, judge_record, rules_of, what_if
from lowhiss.engine.whatif import Change
from lowhiss.exchange import load_run, read_json


def add_judge(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "files",
        nargs="+",
        metavar="FILE",
        help="a run or inspection record (low-hiss-run/1, low-hiss-round/1, JSON); - reads standard input",
    )
    schools = parser.add_mutually_exclusive_group()
    schools.add_argument("--rules", metavar="ID|FILE", help="judge by this rule set instead of the one in the record")
    schools.add_argument("--all-rules", action="store_true", help="judge by every built-in rule set")
    parser.add_argument("--text", action="store_true", help="print a readable report instead of JSON")
    add_reader(parser)
    parser.set_defaults(run=judge)


def add_whatif(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("files", nargs="+", metavar="FILE", help="run records: .json holds one, .jsonl one a line")
    parser.add_argument("--rules", metavar="ID|FILE", required=True, help="rule set to compare with")
    parser.set_defaults(run=whatif)


def judge(options: argparse.Namespace) -> int:
    """Judge each file; returns the gravest exit code."""
    rules = rules_named(options.rules) if options.rules else None
    several = len(options.files) > 1
    codes = [_judge_file(name, rules, options, several=several) for name in options.files]
    return min(codes, key=GRAVITY.index)


def _judge_file(name: str, rules: RuleSet | None, options: argparse.Namespace, *, several: bool) -> int:
    words = words_of(options)
    try:
        table = read_json(_read(name))
        if isinstance(table, dict) and str(table.get("format", "")).startswith("low-hiss-round/"):
            from lowhiss.commands.inspections import judge_inspection  # a run needs none of it

            return judge_inspection(table, options, compact=several)
        run = read_run(table)
        own, verdicts = _verdicts(run, rules, every=options.all_rules)
        beside = _with_inspections(run, own, words) if run.inspections else {}
    except (CoreError, OSError) as error:
        if several and not options.text:
            print(as_json({"format": "low-hiss-error/1", "file": name, "error": problem_of(error)}, compact=True))
            return UNREADABLE
        return refuse(f"{name}: {problem_of(error)}")
    if options.text:
        print("\n\n".join(text_report(verdict, words, hints_for([verdict])) for verdict in verdicts), flush=True)
    elif options.all_rules:
        records = [_record(verdict, words) for verdict in verdicts]
        print(as_json({"format": "low-hiss-verdicts/1", "verdicts": records}, compact=several), flush=True)
    else:
        print(as_json({**_record(own, words), **beside}, compact=several), flush=True)
    return EXIT_OF_OVERALL[own.overall]


def _with_inspections(run: Run, own: RunVerdict, words: Words) -> dict[str, Any]:
    from lowhiss.commands.inspections import linked_inspections

    return linked_inspections(run, own, words)


def _verdicts(run: Run, rules: RuleSet | None, *, every: bool) -> tuple[RunVerdict, list[RunVerdict]]:
    """The verdict that sets the exit code, and all that are printed."""
    own = judge_record(run, rules)
    if not every:
        return own, [own]
    verdicts = judge_by_all_rule_sets(run)
    if rules_of(run).id not in rulebook.rule_set_ids():
        verdicts.insert(0, own)
    return own, verdicts


def _record(verdict: RunVerdict, words: Words) -> dict[str, Any]:
    return verdict_record(verdict, words, hints_for([verdict]))


def _read(name: str) -> bytes:
    return sys.stdin.buffer.read() if name == "-" else Path(name).read_bytes()


def whatif(options: argparse.Namespace) -> int:
    """Print one line for each run, then the sum."""
    others = rules_named(options.rules)
    bad = changed = total = 0
    for place, data in _records(options.files):
        try:
            (change,) = what_if([load_run(data) if isinstance(data, bytes) else _fail(data)], others)
        except (CoreError, OSError) as error:
            bad += 1
            print(as_json({"format": "low-hiss-error/1", "file": place, "error": problem_of(error)}, compact=True))
            continue
        total += 1
        changed += change.changed
        print(as_json(_change(place, change), compact=True), flush=True)
    sum_line = {"format": "low-hiss-whatif/1", "rules": others.id, "runs": total, "changed": changed, "unreadable": bad}
    print(as_json(sum_line, compact=True))
    return UNREADABLE if bad else PASS


def _fail(error: OSError) -> Run:
    raise error


def _records(names: list[str]) -> Iterator[tuple[str, bytes | OSError]]:
    """Each record's bytes with where it came from; a file is read line by line, never as a whole."""
    for name in names:
        try:
            if name.endswith(".jsonl"):
                with Path(name).open("rb") as lines:
                    for number, line in enumerate(lines, start=1):
                        if line.strip():
                            yield f"{name}:{number}", line
            else:
                yield name, _read(name)
        except OSError as error:
            yield name, error


def _change(place: str, change: Change) -> dict[str, Any]:
    return {
        "file": place,
        "run": change.run.id,
        "unit": change.run.unit.name,
        "before": change.before,
        "after": change.after,
        "stages": [{"stage": stage, "before": before, "after": after} for stage, before, after in change.stages],
    }

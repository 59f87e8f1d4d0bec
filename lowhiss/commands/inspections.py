"""What ``lowhiss judge`` says of inspections, alone or beside a run."""

from __future__ import annotations

import argparse
from typing import Any

from lowhiss import rulebook
from lowhiss.commands.common import as_json, rules_named, words_of
from lowhiss.core.errors import CoreError, RecordError
from lowhiss.core.inspections import read_inspection
from lowhiss.core.judge import RunVerdict
from lowhiss.core.record import Run
from lowhiss.core.words import Words
from lowhiss.engine.inspections import Rules, exit_code, inspection_text, linked_marks, state_of, state_table


def judge_inspection(table: object, options: argparse.Namespace, *, compact: bool) -> int:
    """An inspection by itself: how it stands, and 1 when something stays, 2 when something is open, else 0."""
    record = read_inspection(table, rulebook.inspections())
    chosen: Rules = rules_named(options.rules) if options.rules else ""
    schools: list[Rules] = list(rulebook.rule_set_ids()) if options.all_rules else [chosen]
    states = [(rules, state_of(record, rules)) for rules in schools]
    if options.text:
        print(
            "\n\n".join(inspection_text(record, state, words_of(options), rules) for rules, state in states), flush=True
        )
    else:
        tables = [state_table(record, state, words_of(options), rules) for rules, state in states]
        shown = {"format": "low-hiss-round-states/1", "states": tables} if options.all_rules else tables[0]
        print(as_json(shown, compact=compact), flush=True)
    return exit_code(state_of(record, chosen))


def linked_inspections(run: Run, own: RunVerdict, words: Words) -> dict[str, Any]:
    """How the inspections stand that were done beside a run; they leave its verdict and exit code as they are."""
    found = []
    for place, table in enumerate(run.inspections):
        try:
            record = read_inspection(table, rulebook.inspections())
        except CoreError as error:
            raise RecordError(f"rounds[{place}].{error.field}", error.problem) from error
        state = state_of(record, own.rules, linked_marks(run, record))
        found.append(state_table(record, state, words, own.rules))
    return {"rounds": found}

"""Judging a run record: which rules and procedure it names, and its verdict under one or every rule set."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import Any

from lowhiss import rulebook
from lowhiss.core.diagnosis import Hint, hunt
from lowhiss.core.judge import RunVerdict, air_column, judge_run, timeline
from lowhiss.core.procedure import Procedure, read_procedure
from lowhiss.core.record import Run
from lowhiss.core.rules import RuleSet, read_rule_set
from lowhiss.core.vehicle import Unit, unit_table
from lowhiss.core.words import Words, verdict_record
from lowhiss.engine.whatif import Change, replay


def rules_of(run: Run) -> RuleSet:
    """The rule set a run names: a built-in one, a whole one it carries, or the default. Raises RuleError."""
    if isinstance(run.rules, dict):
        return read_rule_set(run.rules, rulebook.judging(), rulebook.rule_set)
    return rulebook.rule_set(run.rules or rulebook.rule_set_ids()[0])


def rules_in_record(rules: RuleSet) -> str | dict[str, Any]:
    """A rule set as a run record names it: a built-in one by its id, any other whole."""
    built_in = rules.id in rulebook.rule_set_ids() and rulebook.rule_set(rules.id).content_hash == rules.content_hash
    return rules.id if built_in else rules.as_dict()


def procedure_of(run: Run, rules: RuleSet) -> Procedure:
    """The procedure a run names, or the default of its school and unit. Raises RuleError."""
    if isinstance(run.procedure, dict):
        return read_procedure(run.procedure)
    if run.procedure is not None:
        return rulebook.procedure(run.procedure)
    return rulebook.default_procedure(rules, run.unit)


def judged_by(rules: RuleSet, procedure: Procedure, unit: Unit, resolution_psi: float) -> dict[str, Any]:
    """What a run record holds beside people and events: the unit, and by what it is judged."""
    return {
        "unit": unit_table(unit),
        "rules": rules_in_record(rules),
        "procedure": procedure.as_dict(),
        "gauges": {"resolution_psi": resolution_psi},
    }


def judge_record(run: Run, rules: RuleSet | None = None) -> RunVerdict:
    """The run's verdict under its own rule set, or under ``rules``. Raises CoreError.

    A run that names no procedure is held to the default one of the rule set that judges it.
    """
    rules = rules or rules_of(run)
    return judge_run(run, rules, procedure_of(run, rules))


def judge_by_all_rule_sets(run: Run) -> list[RunVerdict]:
    """The run's verdict under each built-in rule set, the default first."""
    return [judge_record(run, rules) for rules in rulebook.rule_sets()]


def hints_for(verdicts: Sequence[RunVerdict]) -> list[Hint]:
    """Where to look first, from one run or several of the same unit."""
    return hunt(verdicts, rulebook.hint_limits(), rulebook.chambers().power_unit_ratio)


def report_of(verdict: RunVerdict, words: Words) -> dict[str, Any]:
    """What a report shows of a verdict, on the server and on a device: outcome, verdict record, column, timeline."""
    return {
        "outcome": verdict.headline,
        "verdict": verdict_record(verdict, words, hints_for([verdict])),
        "column": air_column(verdict),
        "timeline": timeline(verdict),
    }


def what_if(runs: Iterable[Run], others: RuleSet) -> Iterator[Change]:
    """Each run under its own rules and under ``others``, one at a time. Raises CoreError."""

    def with_its_own(run: Run) -> tuple[Run, RuleSet, Procedure]:
        rules = rules_of(run)
        return run, rules, procedure_of(run, rules)

    return replay(map(with_its_own, runs), others)

"""Judging a run record: which rules and procedure it names, and its verdict under one or every rule set."""

from __future__ import annotations

from lowhiss import rulebook
from lowhiss.core.judge import RunVerdict, judge_run
from lowhiss.core.procedure import Procedure, read_procedure
from lowhiss.core.record import Run
from lowhiss.core.rules import RuleSet, read_rule_set


def rules_of(run: Run) -> RuleSet:
    """The rule set a run names: a built-in one, a whole one it carries, or the default. Raises RuleError."""
    if isinstance(run.rules, dict):
        return read_rule_set(run.rules, rulebook.judging(), rulebook.rule_set)
    return rulebook.rule_set(run.rules or rulebook.RULE_SET_IDS[0])


def procedure_of(run: Run, rules: RuleSet) -> Procedure:
    """The procedure a run names, or the default of its school and unit. Raises RuleError."""
    if isinstance(run.procedure, dict):
        return read_procedure(run.procedure)
    if run.procedure is not None:
        return rulebook.procedure(run.procedure)
    return rulebook.default_procedure(rules, run.unit)


def judge_record(run: Run, rules: RuleSet | None = None) -> RunVerdict:
    """The run's verdict under its own rule set, or under ``rules``. Raises CoreError.

    A run that names no procedure is held to the default one of the rule set that judges it.
    """
    rules = rules or rules_of(run)
    return judge_run(run, rules, procedure_of(run, rules))


def judge_by_every_school(run: Run) -> list[RunVerdict]:
    """The run's verdict under each built-in rule set, the default first."""
    return [judge_record(run, rules) for rules in rulebook.rule_sets()]

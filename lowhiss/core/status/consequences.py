"""What follows when something is found not right: the consequence of each group of parts under each rule set."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import Any, Literal, get_args

from lowhiss.core.errors import RuleError
from lowhiss.core.fields import Fields, Language, both_languages
from lowhiss.core.stages import STAGES, Stage

Consequence = Literal["stay", "finish", "note"]
"""The part stays put; one trip and then repair; noted. Worst first."""
CONSEQUENCES: tuple[Consequence, ...] = get_args(Consequence)
Blocks = Literal["start", "roll", "leave"]
"""What a defect that means *stay* stops, worst first: starting the engine, moving in a test, or driving away.

Each stops what comes after it too.
"""
BLOCKS: tuple[Blocks, ...] = get_args(Blocks)


@dataclass(frozen=True, slots=True)
class Question:
    """What makes a finding worse or milder when it is so: ``to``, or the consequence of the group ``instead``.

    rules : for which rule sets it is asked; empty: for all.
    """

    id: str
    ask: Mapping[Language, str]
    to: Consequence | None
    instead: str
    rules: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Group:
    """A group of parts.

    questions : those that decide.  recheck : stages that must pass after its repair.  blocks : what it stops while it
    means *stay*.
    """

    id: str
    name: Mapping[Language, str]
    by_rules: Mapping[str, Consequence]
    questions: tuple[str, ...]
    fixable: bool
    report: str
    schedule: str
    recheck: tuple[Stage, ...]
    blocks: Blocks = "roll"

    def under(self, rules: str, parents: tuple[str, ...] = ()) -> Consequence:
        """Its consequence under a rule set, or under the first known one that it comes from; else the worst of all."""
        for name in (rules, *parents):
            if name in self.by_rules:
                return self.by_rules[name]
        return min(self.by_rules.values(), key=CONSEQUENCES.index)


@dataclass(frozen=True, slots=True)
class Consequences:
    """The whole table: groups and the questions that decide, each by its id."""

    groups: Mapping[str, Group]
    questions: Mapping[str, Question]

    def asked(self, group: str, rules: str, parents: tuple[str, ...] = ()) -> tuple[Question, ...]:
        """The questions that decide what a finding of the group means under a rule set."""
        names = self.groups[group].questions if group in self.groups else ()
        questions = (self.questions[name] for name in names)
        return tuple(one for one in questions if not one.rules or {rules, *parents} & set(one.rules))

    def means(self, group: str, rules: str, yes: Collection[str] = (), parents: tuple[str, ...] = ()) -> Consequence:
        """What a finding of the group means, with the questions that were answered yes; the worst of several counts."""
        so = [one for one in self.asked(group, rules, parents) if one.id in yes]
        found = [one.to or self.means(one.instead, rules, (), parents) for one in so]
        return min(found, key=CONSEQUENCES.index) if found else self.groups[group].under(rules, parents)

    def blocks(self, group: str, rules: str, yes: Collection[str] = (), parents: tuple[str, ...] = ()) -> Blocks:
        """What a finding of the group stops while it means *stay*; *roll* for a group that isn't in the table.

        A finding that counts as one of another group stops what that group stops; the worst of several counts.
        """
        if group not in self.groups:
            return "roll"
        other = [one.instead for one in self.asked(group, rules, parents) if one.id in yes and one.instead]
        return min((self.groups[name].blocks for name in other or [group]), key=BLOCKS.index)


def read_consequences(table: Any) -> Consequences:
    """The table of consequences from plain values. Raises RuleError naming the field."""
    fields = Fields(table, "consequences", RuleError)
    sources = fields.raw("sources")
    questions = {one.id: one for one in (_question(row) for row in fields.tables("question"))}
    groups: dict[str, Group] = {}
    for one in fields.tables("consequence"):
        group = _read(one, set(sources), questions)
        if group.id in groups:
            raise one.refuse("group", f"{group.id!r} stands in the table twice")
        groups[group.id] = group
    fields.done()
    if unknown := [one.instead for one in questions.values() if one.instead and one.instead not in groups]:
        raise fields.refuse("question", f"{unknown[0]!r} isn't a group")
    return Consequences(groups, questions)


def _question(fields: Fields) -> Question:
    question = Question(
        fields.text("id"),
        both_languages(fields, "ask"),
        fields.choice("to", Consequence, None),
        fields.text("as", ""),
        fields.texts("rules"),
    )
    fields.done()
    if (question.to is None) == (not question.instead):
        raise fields.refuse("to", "is missing: say what it means when it is so, or as which group")
    return question


def _read(fields: Fields, rules: set[str], questions: Collection[str]) -> Group:
    by_rules = fields.table("by_rules")
    recheck = fields.texts("recheck")
    if wrong := [stage for stage in recheck if stage not in STAGES]:
        raise fields.refuse("recheck", f"{wrong[0]!r} isn't a stage")
    asked = fields.texts("questions")
    if unknown := [name for name in asked if name not in questions]:
        raise fields.refuse("questions", f"{unknown[0]!r} isn't a question")
    group = Group(
        id=fields.text("group"),
        name=both_languages(fields, "name"),
        by_rules={name: by_rules.choice(name, Consequence) for name in sorted(rules)},
        questions=asked,
        fixable=fields.flag("fixable", False),
        report=fields.text("report", ""),
        schedule=fields.text("schedule", ""),
        recheck=tuple(stage for stage in STAGES if stage in recheck),
        blocks=fields.choice("blocks", Blocks, "roll"),
    )
    if set(fields.texts("practice")) - rules:
        raise fields.refuse("practice", "names a rule set without a column")
    by_rules.done()
    fields.done()
    return group

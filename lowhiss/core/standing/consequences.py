"""What follows when something is found not right: the consequence of each group of parts under each rule set."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal, get_args

from lowhiss.core.errors import RuleError
from lowhiss.core.fields import Fields, Language, both_languages
from lowhiss.core.stages import STAGES, Stage

Consequence = Literal["stay", "finish", "note"]
"""The part stays put; one trip and then repair; noted. Worst first."""
CONSEQUENCES: tuple[Consequence, ...] = get_args(Consequence)


@dataclass(frozen=True, slots=True)
class Group:
    """A group of parts. ``recheck``: the stages that must pass after its repair."""

    id: str
    name: Mapping[Language, str]
    by_rules: Mapping[str, Consequence]
    raises: str
    fixable: bool
    report: str
    schedule: str
    recheck: tuple[Stage, ...]

    def under(self, rules: str, parents: tuple[str, ...] = ()) -> Consequence:
        """Its consequence under a rule set, or under the first known one that it comes from; else the worst of all."""
        for name in (rules, *parents):
            if name in self.by_rules:
                return self.by_rules[name]
        return min(self.by_rules.values(), key=CONSEQUENCES.index)


def read_groups(table: Any) -> dict[str, Group]:
    """The table of consequences from plain values, by group. Raises RuleError naming the field."""
    fields = Fields(table, "consequences", RuleError)
    sources = fields.raw("sources")
    groups: dict[str, Group] = {}
    for one in fields.tables("consequence"):
        group = _read(one, set(sources))
        if group.id in groups:
            raise one.refuse("group", f"{group.id!r} stands in the table twice")
        groups[group.id] = group
    fields.done()
    return groups


def _read(fields: Fields, rules: set[str]) -> Group:
    by_rules = fields.table("by_rules")
    recheck = fields.texts("recheck")
    if wrong := [stage for stage in recheck if stage not in STAGES]:
        raise fields.refuse("recheck", f"{wrong[0]!r} is no stage")
    group = Group(
        id=fields.text("group"),
        name=both_languages(fields, "name"),
        by_rules={name: by_rules.choice(name, Consequence) for name in sorted(rules)},
        raises=fields.text("raise", ""),
        fixable=fields.flag("fixable", False),
        report=fields.text("report", ""),
        schedule=fields.text("schedule", ""),
        recheck=tuple(stage for stage in STAGES if stage in recheck),
    )
    if set(fields.texts("practice")) - rules:
        raise fields.refuse("practice", "names a rule set without a column")
    by_rules.done()
    fields.done()
    return group

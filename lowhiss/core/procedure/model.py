"""A procedure: an order of work, made of the stages that are judged and the actions between them."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, cast

from lowhiss.core.errors import RuleError
from lowhiss.core.fields import Fields, Language, both_languages, choices_text
from lowhiss.core.rules import RuleSet, canonical_json, read_identifier
from lowhiss.core.stages import ACTIONS, STAGES, Stage, Step, applies, is_stage
from lowhiss.core.vehicle import Holding, Unit

PROCEDURE_FORMAT = "low-hiss-procedure/1"


@dataclass(frozen=True)
class Procedure:
    """An order of work; every stage it names is required but those that are ``optional``.

    holding : what may hold the vehicle while it is tested, None: as the rule set says.
    """

    id: str
    title: dict[Language, str]
    steps: tuple[Step, ...]
    about: dict[Language, str] = field(default_factory=dict)
    optional: tuple[Stage, ...] = ()
    holding: Holding | None = None

    def stages(self, unit: Unit) -> tuple[Stage, ...]:
        """The stages in the order of their first appearance; without what does not apply to the unit."""
        return tuple(dict.fromkeys(step for step in self.steps_on(unit) if is_stage(step)))

    def required(self, unit: Unit) -> tuple[Stage, ...]:
        """The steps without those that may be left out."""
        known = self._required_of.get(unit.group)
        if known is None:
            known = tuple(stage for stage in self.stages(unit) if stage not in self.optional)
            self._required_of[unit.group] = known
        return known

    @cached_property
    def _required_of(self) -> dict[str, tuple[Stage, ...]]:
        """By group of units, on which alone it hangs whether a step applies."""
        return {}

    def steps_on(self, unit: Unit) -> tuple[Step, ...]:
        """The steps that apply to this unit, in order."""
        return tuple(step for step in self.steps if applies(step, unit))

    def as_dict(self) -> dict[str, Any]:
        """The whole procedure as plain values, in the form that `read_procedure` reads back."""
        table: dict[str, Any] = {
            "format": PROCEDURE_FORMAT,
            "id": self.id,
            "title": self.title,
            "about": self.about,
            "steps": list(self.steps),
        }
        if self.optional:
            table["optional"] = list(self.optional)
        if self.holding is not None:
            table["holding"] = self.holding
        return table

    @cached_property
    def content_hash(self) -> str:
        """SHA-256 of the whole content."""
        return hashlib.sha256(canonical_json(self.as_dict()).encode()).hexdigest()


def holding_of(unit: Unit, procedure: Procedure, rules: RuleSet) -> Holding:
    """What may hold this unit while it is tested: as it says itself, else its order of work, else its school."""
    return unit.holding or procedure.holding or rules.holding


def read_procedure(table: object) -> Procedure:
    """A procedure from plain values. Raises RuleError naming the key."""
    fields = Fields(table, "", RuleError)
    if (given := fields.text("format", PROCEDURE_FORMAT)) != PROCEDURE_FORMAT:
        raise RuleError("format", f"must be {PROCEDURE_FORMAT}, not {given!r}")
    steps = fields.texts("steps")
    for index, step in enumerate(steps):
        if step not in ACTIONS and step not in STAGES:
            raise RuleError(f"steps[{index}]", f"must be one of {choices_text((*ACTIONS, *STAGES))}, not {step[:60]!r}")
    if not 1 <= len(steps) <= 60:
        raise fields.refuse("steps", f"needs 1 to 60 steps, not {len(steps)}")
    optional = fields.texts("optional")
    for index, stage in enumerate(optional):
        if stage not in steps or not is_stage(stage):
            raise RuleError(f"optional[{index}]", f"must be a stage of these steps, not {stage[:60]!r}")
    if not any(is_stage(step) and step not in optional for step in steps):
        raise fields.refuse("steps", "needs at least one stage that is required")
    procedure = Procedure(
        id=read_identifier(fields),
        title=both_languages(fields, "title"),
        steps=cast(tuple[Step, ...], steps),
        about=both_languages(fields, "about") if fields.raw("about") else {},
        optional=cast(tuple[Stage, ...], optional),
        holding=fields.choice("holding", Holding, None),
    )
    fields.done()
    return procedure

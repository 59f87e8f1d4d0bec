"""A procedure: an order of work, made of the stages that are judged and the actions between them."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, cast

from lowhiss.core.errors import RuleError
from lowhiss.core.fields import Fields, Language, both_languages, choices_text
from lowhiss.core.stages import ACTIONS, STAGES, Stage, Step, applies, is_stage
from lowhiss.core.vehicle import Unit

PROCEDURE_FORMAT = "low-hiss-procedure/1"


@dataclass(frozen=True, slots=True)
class Procedure:
    """An order of work; every stage it names is required."""

    id: str
    title: dict[Language, str]
    steps: tuple[Step, ...]
    about: dict[Language, str] = field(default_factory=dict)

    def required(self, unit: Unit) -> tuple[Stage, ...]:
        """The stages in the order of their first appearance; without what does not apply to the unit."""
        return tuple(dict.fromkeys(step for step in self.steps_on(unit) if is_stage(step)))

    def steps_on(self, unit: Unit) -> tuple[Step, ...]:
        """The steps that apply to this unit, in order."""
        return tuple(step for step in self.steps if applies(step, unit))

    def as_dict(self) -> dict[str, Any]:
        """The whole procedure as plain values, in the form that `read_procedure` reads back."""
        return {
            "format": PROCEDURE_FORMAT,
            "id": self.id,
            "title": self.title,
            "about": self.about,
            "steps": list(self.steps),
        }


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
    procedure = Procedure(
        id=fields.text("id"),
        title=both_languages(fields, "title"),
        steps=cast(tuple[Step, ...], steps),
        about=both_languages(fields, "about") if fields.raw("about") else {},
    )
    fields.done()
    return procedure

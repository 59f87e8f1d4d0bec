"""A procedure: an order of work, made of the stages that are judged and the actions between them."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Literal, TypeGuard, cast, get_args

from lowhiss.core.errors import RuleError
from lowhiss.core.fields import Fields, Language, both_languages, choices_text
from lowhiss.core.rules import STAGES, Stage
from lowhiss.core.vehicle import Unit

PROCEDURE_FORMAT = "low-hiss-procedure/1"
Action = Literal["safe_start", "release", "draw_down", "park", "chocks_in", "chocks_out"]
"""What is done between stages. ``safe_start``: brakes set, neutral, engine started. ``release``: engine off, key on,
knobs in, needles settled. ``draw_down``: pedal strokes with the engine running. ``park``: knobs out."""
ACTIONS: tuple[Action, ...] = get_args(Action)
Step = Action | Stage


def is_stage(step: Step) -> TypeGuard[Stage]:
    """Whether a step is judged, rather than an action between stages."""
    return step in STAGES


@dataclass(frozen=True, slots=True)
class Procedure:
    """An order of work; every stage it names is required."""

    id: str
    title: dict[Language, str]
    steps: tuple[Step, ...]
    about: dict[Language, str] = field(default_factory=dict)

    def required(self, unit: Unit) -> tuple[Stage, ...]:
        """The stages in the order of their first appearance; the trailer's hold test falls away without a trailer."""
        seen: dict[Stage, None] = {}
        for step in self.steps:
            if is_stage(step) and not (step == "hold_trailer" and unit.group == "single"):
                seen[step] = None
        return tuple(seen)

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

"""What is asked of the table of steps: whether a step applies to a unit, what it needs there, what is marked in it."""

from __future__ import annotations

from dataclasses import replace
from typing import TypeGuard

from lowhiss.core.stages.model import (
    ACTIONS,
    EACH_KNOB,
    LIMITED_STAGES,
    STAGES,
    LimitedStage,
    MarkPrompt,
    Stage,
    Step,
    StepKind,
)
from lowhiss.core.stages.needs import Body, Need
from lowhiss.core.stages.table import SAFE_START_UNCHOCKED, STEP_TABLE
from lowhiss.core.vehicle import Unit


def is_stage(step: str) -> TypeGuard[Stage]:
    """Whether a step is judged, rather than an action between stages."""
    return step in STAGES


def is_limited(step: str) -> TypeGuard[LimitedStage]:
    """Whether a step is a stage that rules may have a limit for."""
    return step in LIMITED_STAGES


def kind_of(step: Step) -> StepKind:
    """How a step is done and judged."""
    return STEP_TABLE[step].kind


def stages_of(*kinds: StepKind) -> tuple[Stage, ...]:
    """The stages of these kinds, in the order of the table.

    >>> stages_of("hold")
    ('leak_released', 'leak_applied')
    """
    return tuple(stage for stage in STAGES if STEP_TABLE[stage].kind in kinds)


def wants_engine_off(step: str) -> bool:
    """Whether a step is marked with the engine off."""
    return (is_stage(step) or step in ACTIONS) and STEP_TABLE[step].states.get("engine") == "off"


def pedal_held(stage: Stage) -> bool:
    """Whether a stage is marked with the pedal held down."""
    return STEP_TABLE[stage].states.get("pedal") == "full"


def applies(step: Step, unit: Unit) -> bool:
    """Whether a step can be done on this unit: the trailer's hold test falls away without a trailer."""
    return unit.group != "single" or not STEP_TABLE[step].wants_trailer


def needs_of(step: Step, unit: Unit, *, unchocked: bool = False) -> tuple[Need, ...]:
    """What a step needs on this unit, in the order in which it is asked.

    A single vehicle's parking brake is set by its knobs alone. unchocked : the order took the chocks out before.
    """
    if step == "safe_start" and unchocked:
        return SAFE_START_UNCHOCKED
    needs = STEP_TABLE[step].needs
    if unit.group == "single":
        return tuple("knobs_out" if need == "trailer_in_tractor_out" else need for need in needs)
    return needs


def prompts_of(step: Step, unit: Unit) -> tuple[MarkPrompt, ...]:
    """What is marked in a step on this unit, in order; an action is done by what it needs alone."""
    return tuple(
        replace(prompt, marks=tuple(mark for template in prompt.marks for mark in _on(unit, template)))
        for prompt in STEP_TABLE[step].prompts
    )


def _on(unit: Unit, template: Body) -> tuple[Body, ...]:
    if template.get("knob") != EACH_KNOB:
        return (template,)
    return tuple({**template, "knob": knob} for knob in reversed(unit.knobs))


def says_of(step: Step) -> tuple[str, ...]:
    """What is said aloud in a step, as the ``what`` of a ``said`` event: the limit first, reading and verdict after."""
    own = STEP_TABLE[step].says
    return own or ((f"limit:{step}", f"reading:{step}", f"verdict:{step}") if is_limited(step) else ())

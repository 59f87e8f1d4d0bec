"""What must be true before a step is marked. Common practice among trainers and examiners, no source."""

from __future__ import annotations

from typing import Literal, NamedTuple, get_args

from lowhiss.core.procedure.model import Step, is_stage
from lowhiss.core.rules import Stage
from lowhiss.core.vehicle import Unit

Need = Literal[
    "wheels_chocked",
    "chocks_removed",
    "area_clear",
    "seat_belt",
    "neutral",
    "engine_running",
    "engine_off",
    "key_on",
    "pedal_up",
    "knobs_out",
    "knobs_in",
    "tractor_in_trailer_out",
    "trailer_in_tractor_out",
]
NEEDS: tuple[Need, ...] = get_args(Need)

_STILL: tuple[Need, ...] = ("engine_off", "key_on", "wheels_chocked", "area_clear", "knobs_in")
"""Chocks once the engine is off: low gear may hold the vehicle instead, and holds nothing while it runs."""
_MOVING: tuple[Need, ...] = ("engine_running", "chocks_removed", "seat_belt", "area_clear")

NEEDS_OF_ACTION: dict[Step, tuple[Need, ...]] = {
    "safe_start": ("wheels_chocked", "knobs_out", "neutral", "engine_running"),
    "release": _STILL,
    "draw_down": ("engine_running",),
    "park": ("knobs_out",),
    "chocks_in": ("wheels_chocked",),
    "chocks_out": ("knobs_out", "chocks_removed"),
}
"""An action is done when all of these are so."""

NEEDS_OF_STAGE: dict[Stage, tuple[Need, ...]] = {
    "build_up": ("wheels_chocked", "engine_running", "knobs_out"),
    "cut_out": ("wheels_chocked", "engine_running"),
    "cut_in": ("wheels_chocked", "engine_running"),
    "leak_released": (*_STILL, "pedal_up"),
    "leak_applied": _STILL,
    "low_air_warning": ("engine_off", "key_on", "wheels_chocked", "area_clear"),
    "spring_brakes": _STILL,
    "rebuild": ("engine_running",),
    "hold_trailer": (*_MOVING, "tractor_in_trailer_out"),
    "hold_parking": (*_MOVING, "trailer_in_tractor_out"),
    "rolling_service": (*_MOVING, "knobs_in"),
}


SAFE_START_UNCHOCKED: tuple[Need, ...] = ("seat_belt", "knobs_out", "neutral", "engine_running")
"""A safe start of a vehicle whose chocks are out already, as where they are taken out while the engine is off."""


def needs_of(step: Step, unit: Unit, *, unchocked: bool = False) -> tuple[Need, ...]:
    """What a step needs on this unit, in the order in which it is asked.

    A single vehicle's parking brake is set by its knobs alone. unchocked : the order took the chocks out before.
    """
    if step == "safe_start" and unchocked:
        return SAFE_START_UNCHOCKED
    needs = NEEDS_OF_STAGE[step] if is_stage(step) else NEEDS_OF_ACTION[step]
    if unit.group == "single":
        return tuple("knobs_out" if need == "trailer_in_tractor_out" else need for need in needs)
    return needs


class Answers(NamedTuple):
    """The events that say a need is so, that it is not, and that something else serves as well; empty where none do."""

    yes: list[dict[str, str]]
    no: list[dict[str, str]]
    instead: list[dict[str, str]]


def answers_of(need: Need, unit: Unit) -> Answers:
    """What may be answered to a need on this unit. Low gear holds a unit that has one."""

    def knobs(state: str, only: str | None = None) -> list[dict[str, str]]:
        return [
            {"type": "knob", "knob": knob, "state": state, "cause": "hand"}
            for knob in unit.knobs
            if only is None or knob == only
        ]

    def confirmed(item: str) -> list[dict[str, str]]:
        return [{"type": "confirmed", "item": item}]

    def state(kind: str, value: str) -> list[dict[str, str]]:
        return [{"type": kind, "state": value}]

    table: dict[Need, tuple[list[dict[str, str]], list[dict[str, str]]]] = {
        "wheels_chocked": (confirmed("wheels_chocked"), confirmed("chocks_removed")),
        "chocks_removed": (confirmed("chocks_removed"), confirmed("wheels_chocked")),
        "area_clear": (confirmed("area_clear"), []),
        "seat_belt": (confirmed("seat_belt"), []),
        "neutral": (confirmed("neutral"), confirmed("in_gear")),
        "engine_running": (state("engine", "running"), state("engine", "off")),
        "engine_off": (state("engine", "off"), state("engine", "running")),
        "key_on": (state("key", "on"), state("key", "off")),
        "pedal_up": (state("pedal", "released"), state("pedal", "full")),
        "knobs_out": (knobs("out"), knobs("in")),
        "knobs_in": (knobs("in"), knobs("out")),
        "tractor_in_trailer_out": (knobs("in", "tractor") + knobs("out", "trailer"), []),
        "trailer_in_tractor_out": (knobs("out", "tractor") + knobs("in", "trailer"), []),
    }
    geared = need == "wheels_chocked" and unit.gearbox != "automatic"
    return Answers(*table[need], confirmed("in_gear") if geared else [])

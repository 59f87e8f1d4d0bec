"""What must be true before a stage is marked. Common practice among trainers and examiners, no source."""

from __future__ import annotations

from typing import Literal, get_args

from lowhiss.core.rules import Stage

Need = Literal[
    "wheels_chocked",
    "area_clear",
    "chocks_removed",
    "seat_belt",
    "engine_running",
    "engine_off",
    "key_on",
    "knobs_out",
    "knobs_in",
    "pedal_full",
    "settled",
]
NEEDS: tuple[Need, ...] = get_args(Need)

_STILL: tuple[Need, ...] = ("wheels_chocked", "engine_off", "key_on", "area_clear", "knobs_in")
_MOVING: tuple[Need, ...] = ("chocks_removed", "area_clear", "seat_belt")

NEEDS_OF_STAGE: dict[Stage, tuple[Need, ...]] = {
    "build_up": ("wheels_chocked", "engine_running", "knobs_out"),
    "cut_out": ("wheels_chocked", "engine_running"),
    "cut_in": ("wheels_chocked", "engine_running"),
    "leak_released": (*_STILL, "settled"),
    "leak_applied": (*_STILL, "pedal_full", "settled"),
    "low_air_warning": ("wheels_chocked", "area_clear", "engine_off", "key_on"),
    "spring_brakes": _STILL,
    "rebuild": ("engine_running",),
    "hold_trailer": _MOVING,
    "hold_parking": _MOVING,
    "rolling_service": _MOVING,
}

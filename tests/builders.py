"""Run records for tests: a clean one, and the ways in which it can differ."""

from __future__ import annotations

import copy
from typing import Any

from lowhiss.core.judge import RunVerdict, StageVerdict
from lowhiss.core.record import read_run
from lowhiss.core.rules import RuleSet
from lowhiss.engine.judge_record import judge_record

Event = dict[str, Any]


def needles(primary: float | None, secondary: float | None = None, unit: str = "psi") -> Event:
    """The fields of a reading; a needle that is None was not read."""
    read = {f"primary_{unit}": primary, f"secondary_{unit}": secondary}
    return {key: value for key, value in read.items() if value is not None}


def at(at_s: float, kind: str, **fields: Any) -> Event:
    """One event."""
    return {"at_s": at_s, "type": kind, **fields}


def reading(at_s: float, stage: str, point: str, *values: float | None, unit: str = "psi", **more: Any) -> Event:
    """A reading; one value sets both needles."""
    both = values if len(values) > 1 else (values[0], values[0]) if values else ()
    return at(at_s, "reading", stage=stage, point=point, **(needles(*both, unit=unit) if both else {}), **more)


def ready(start_s: float = 0, *, knobs: tuple[str, ...] = ("tractor", "trailer"), cut_out: float = 125) -> list[Event]:
    """Chocked, filled, engine off, key on, knobs in: takes ten seconds."""
    return [
        at(start_s, "confirmed", item="wheels_chocked"),
        at(start_s + 1, "engine", state="running"),
        reading(start_s + 3, "cut_out", "cut_out", cut_out),
        at(start_s + 5, "engine", state="off"),
        at(start_s + 6, "key", state="on"),
        *(at(start_s + 8 + n / 10, "knob", knob=knob, state="in") for n, knob in enumerate(knobs)),
    ]


def hold(
    start: tuple[float, ...] | float,
    end: tuple[float, ...] | float,
    *,
    start_s: float = 60,
    duration_s: float = 60,
    stage: str = "leak_applied",
    unit: str = "psi",
) -> list[Event]:
    """A settled hold, thirty seconds after the last move."""
    first = start if isinstance(start, tuple) else (start,)
    last = end if isinstance(end, tuple) else (end,)
    pedal = (
        [at(start_s - 30, "pedal", state="full")]
        if stage == "leak_applied"
        else [at(start_s - 30, "pedal", state="released")]
    )
    return [
        *pedal,
        at(start_s - 20, "settled", stage=stage),
        reading(start_s, stage, "start", *first, unit=unit),
        reading(start_s + duration_s, stage, "end", *last, unit=unit),
    ]


KNOBS = {"tractor_semitrailer": ("tractor", "trailer"), "multi_trailer": ("tractor", "trailer")}


def record(events: list[Event], kind: str = "tractor_semitrailer", **head: Any) -> dict[str, Any]:
    """A run record; ``unit`` adds facts of the unit."""
    unit = {"kind": kind, **head.pop("unit", {})}
    return {
        "format": "low-hiss-run/1",
        "unit": unit,
        "procedure": "leak-check",
        **head,
        "events": copy.deepcopy(events),
    }


def leak_record(
    start: tuple[float, ...] | float, end: tuple[float, ...] | float, kind: str = "tractor_semitrailer", **more: Any
) -> dict[str, Any]:
    """A clean leak test of one unit; keywords of ``hold`` and of the record's head."""
    hold_words = {key: more.pop(key) for key in ("duration_s", "stage", "unit_of_reading", "start_s") if key in more}
    if "unit_of_reading" in hold_words:
        hold_words["unit"] = hold_words.pop("unit_of_reading")
    return record(ready(knobs=KNOBS.get(kind, ("tractor",))) + hold(start, end, **hold_words), kind, **more)


def judged(table: dict[str, Any], rules: RuleSet | None = None) -> RunVerdict:
    """The record's verdict."""
    return judge_record(read_run(table), rules)


def stage_of(table: dict[str, Any], stage: str = "leak_applied", rules: RuleSet | None = None) -> StageVerdict:
    """How one stage of the record stands."""
    return judged(table, rules).standing()[stage]  # type: ignore[index]


def codes(verdict: StageVerdict) -> set[str]:
    """The codes of an attempt's findings."""
    return {finding.code for finding in verdict.findings}


# the other stages, each as the events that reach it after ``ready``


def governor(stage: str, *values: float, start_s: float = 20, unit: str = "psi") -> list[Event]:
    """One governor reading, engine running."""
    return [at(start_s, "engine", state="running"), reading(start_s + 2, stage, stage, *values, unit=unit)]


def climb(window: tuple[float, float], duration_s: float, *, start_s: float = 20, unit: str = "psi") -> list[Event]:
    """Both needles climb over the window."""
    return [
        at(start_s, "engine", state="running"),
        reading(start_s + 5, "build_up", "lower", window[0], unit=unit),
        reading(start_s + 5 + duration_s, "build_up", "upper", window[1], unit=unit),
    ]


def warned(*values: float, at_s: float = 140, unit: str = "psi", lamp: bool = True, buzzer: bool = True) -> list[Event]:
    """Lamp and buzzer at these readings."""
    both = values if len(values) > 1 else (*values, *values)
    return [at(at_s, "warning", lamp=lamp, buzzer=buzzer, **(needles(*both, unit=unit) if both else {}))]


def popped(
    *values: float, at_s: float = 160, unit: str = "psi", knobs: tuple[str, ...] = ("trailer", "tractor")
) -> list[Event]:
    """Each knob pops by itself; one value for all, or one for each knob."""
    each = values if len(values) > 1 else values * len(knobs)
    return [
        at(at_s + n, "knob", knob=knob, state="out", cause="popped", **needles(value, value, unit=unit))
        for n, (knob, value) in enumerate(zip(knobs, each, strict=True))
    ]


def whole_test(kind: str = "tractor_semitrailer", *, stages: str = "static-only", **head: Any) -> dict[str, Any]:
    """A clean test of every stage of ``static-only``, call-outs included."""
    knobs = KNOBS.get(kind, ("tractor",))
    events = [
        *ready(knobs=knobs),
        at(4, "said", what="cut_out", value=125),
        *hold(100, 99),
        *warned(66),
        *popped(30, knobs=tuple(reversed(knobs))),
    ]
    return record(sorted(events, key=lambda event: event["at_s"]), kind, procedure=stages, **head)


HEALTHY: dict[str, float] = {
    "oil_rise": 2, "gauge_oil": 45, "gauge_coolant": 150, "gauge_volts": 14, "gauge_fuel": 0.5, "steering_play": 1,
    "extinguisher": 10, "triangles": 3, "windshield": 0, "tire_tread": 8, "lugs": 0,
}  # fmt: skip
"""What is measured in a short daily round of a vehicle with nothing wrong."""

"""What must be so before a step is marked, and what each mark says of the vehicle. Common practice, no source.

How the vehicle stands is a table of facts: ``engine``, ``key``, ``pedal``, one for each knob, ``chocks``, ``area``,
``belt``, ``gear`` and ``air``. A fact that was never recorded, or no longer holds, is None.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal, NamedTuple, get_args

from lowhiss.core.vehicle import Holding, Knob, Unit

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

Body = Mapping[str, Any]
"""The fields of one event's type, as in the open run record."""
Facts = dict[str, str | None]
"""How the vehicle stands, or a part of it."""


class Effect(NamedTuple):
    """What an event says of the vehicle.

    event : the fields by which it is known.  sets : what is so from then on.
    when, unless : only where the vehicle stood so, or did not, before the event.
    """

    event: Body
    sets: Facts
    when: Facts | None = None
    unless: Facts | None = None


def knob_fact(knob: Knob) -> str:
    """The fact that says where a knob is."""
    return f"{knob}_knob"


def _confirmed(item: str) -> Body:
    return {"type": "confirmed", "item": item}


def _state(kind: str, state: str) -> Body:
    return {"type": kind, "state": state}


FRESH: Facts = {"air": "fresh"}
"""A cut-out was read since the engine was last started."""
EFFECTS: tuple[Effect, ...] = (
    Effect(_confirmed("wheels_chocked"), {"chocks": "in"}),
    Effect(_confirmed("chocks_removed"), {"chocks": "out"}),
    Effect(_confirmed("area_clear"), {"area": "clear"}),
    Effect(_confirmed("seat_belt"), {"belt": "on"}),
    Effect(_confirmed("neutral"), {"gear": "neutral"}),
    # low gear holds the vehicle, as long as the engine is off
    Effect(_confirmed("in_gear"), {"gear": None}),
    Effect(_confirmed("in_gear"), {"gear": "holds"}, when={"engine": "off"}),
    # air that was read before the engine was started is old
    Effect(_state("engine", "running"), {"air": None}, unless={"engine": "running"}),
    # somebody may have come near while the engine was started or stopped
    Effect(_state("engine", "running"), {"engine": "running", "area": None}),
    Effect(_state("engine", "running"), {"gear": None}, when={"gear": "holds"}),
    # stopped by the key, which then is to be turned on again: no key, no buzzer
    Effect(_state("engine", "off"), {"engine": "off", "area": None, "belt": None, "key": None}),
    Effect(_state("engine", "off"), {"gear": None}, when={"gear": "neutral"}),
    Effect(_state("key", "on"), {"key": "on"}),
    Effect(_state("key", "off"), {"key": "off"}),
    Effect(_state("pedal", "full"), {"pedal": "full"}),
    Effect(_state("pedal", "released"), {"area": None}, when={"pedal": "full"}),
    Effect(_state("pedal", "released"), {"pedal": "released"}),
    *(
        Effect({"type": "knob", "knob": knob, "state": state}, {knob_fact(knob): state})
        for knob in get_args(Knob)
        for state in ("in", "out")
    ),
    Effect({"type": "reading", "point": "cut_out"}, FRESH),
)
"""In the order in which they work; each looks at the vehicle as it stood before the event."""


class NeedRow(NamedTuple):
    """One need on one unit.

    met : it is so where all facts of any of these are so.
    yes, no, instead : the events that say it is so, that it is not, and that something else serves as well.
    denied : what says outright that it is not so: as in ``no``, any knob of these, moved by a hand or by itself.
    """

    met: tuple[Facts, ...]
    yes: tuple[Body, ...]
    no: tuple[Body, ...]
    instead: tuple[Body, ...]
    denied: tuple[Body, ...]


def _need(
    met: Facts | tuple[Facts, ...], yes: tuple[Body, ...], no: tuple[Body, ...] = (), instead: tuple[Body, ...] = ()
) -> NeedRow:
    denied: list[Body] = []
    for body in no:
        bare = {key: value for key, value in body.items() if key not in ("knob", "cause")}
        if bare not in denied:
            denied.append(bare)
    return NeedRow((met,) if isinstance(met, dict) else met, yes, no, instead, tuple(denied))


def needs_table(unit: Unit, holding: Holding = "gear_noted") -> dict[Need, NeedRow]:
    """Every need on this unit. Low gear holds a unit that has one, where that is taken."""

    def knobs(state: str) -> Facts:
        return {knob_fact(knob): state for knob in unit.knobs}

    def moves(state: str, only: Knob | None = None) -> tuple[Body, ...]:
        return tuple(
            {"type": "knob", "knob": knob, "state": state, "cause": "hand"}
            for knob in unit.knobs
            if only is None or knob == only
        )

    geared = (_confirmed("in_gear"),) if unit.gearbox != "automatic" and holding != "chocks" else ()
    held: tuple[Facts, ...] = ({"chocks": "in"}, {"gear": "holds"}) if holding != "chocks" else ({"chocks": "in"},)
    chocked, unchocked = (_confirmed("wheels_chocked"),), (_confirmed("chocks_removed"),)
    return {
        "wheels_chocked": _need(held, chocked, unchocked, geared),
        "chocks_removed": _need({"chocks": "out"}, unchocked, chocked),
        "area_clear": _need({"area": "clear"}, (_confirmed("area_clear"),)),
        "seat_belt": _need({"belt": "on"}, (_confirmed("seat_belt"),)),
        "neutral": _need({"gear": "neutral"}, (_confirmed("neutral"),), (_confirmed("in_gear"),)),
        "engine_running": _need({"engine": "running"}, (_state("engine", "running"),), (_state("engine", "off"),)),
        "engine_off": _need({"engine": "off"}, (_state("engine", "off"),), (_state("engine", "running"),)),
        "key_on": _need({"key": "on"}, (_state("key", "on"),), (_state("key", "off"),)),
        "pedal_up": _need({"pedal": "released"}, (_state("pedal", "released"),), (_state("pedal", "full"),)),
        "knobs_out": _need(knobs("out"), moves("out"), moves("in")),
        "knobs_in": _need(knobs("in"), moves("in"), moves("out")),
        # a trailer knob that nobody has touched is out
        "tractor_in_trailer_out": _need(
            ({"tractor_knob": "in", "trailer_knob": "out"}, {"tractor_knob": "in", "trailer_knob": None}),
            moves("in", "tractor") + moves("out", "trailer"),
        ),
        "trailer_in_tractor_out": _need(
            {"tractor_knob": "out", "trailer_knob": "in"}, moves("out", "tractor") + moves("in", "trailer")
        ),
    }


def holds(facts: Facts, vehicle: Facts) -> bool:
    """Whether all these facts are so."""
    return all(vehicle.get(name) == value for name, value in facts.items())


def after(vehicle: Facts, event: Body, effects: tuple[Effect, ...] = EFFECTS) -> Facts:
    """How the vehicle stands after an event.

    >>> after({"engine": "off", "gear": "neutral"}, {"type": "engine", "state": "running"})["engine"]
    'running'
    """
    stands = dict(vehicle)
    for effect in effects:
        if (
            all(event.get(key) == value for key, value in effect.event.items())
            and (effect.when is None or holds(effect.when, vehicle))
            and (effect.unless is None or not holds(effect.unless, vehicle))
        ):
            stands.update(effect.sets)
    return stands

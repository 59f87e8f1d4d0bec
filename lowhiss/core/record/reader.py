"""Reading a run record, ``low-hiss-run/1``: from plain values to a checked Run. Reading the file itself is elsewhere.

Events are checked by tables of small functions, one table per event type, because many thousands of runs are
re-judged at a time.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any, get_args

from lowhiss.core.errors import RecordError
from lowhiss.core.fields import Fields, choices_text, describe
from lowhiss.core.record.model import (
    BOUNDED_FIELDS,
    HIGHEST_PSI,
    ITEMS,
    LOWEST_PSI,
    MAX_EVENTS,
    RUN_FORMAT,
    Event,
    Purpose,
    Run,
)
from lowhiss.core.rules import Policy
from lowhiss.core.stages import POINTS_OF_STAGE, STAGES, stages_of
from lowhiss.core.units import PRESSURE_UNITS, PressureUnit, to_psi
from lowhiss.core.vehicle import Circuits, Gearbox, Governor, Holding, Knob, Unit, UnitKind


def read_run(table: object) -> Run:
    """A run from the plain values of a run record. Raises RecordError naming the event's index and field."""
    fields = Fields(table, "", RecordError)
    given = fields.raw("format")
    if given != RUN_FORMAT:
        raise RecordError(
            "format",
            f"must be {RUN_FORMAT}, not {describe(given)}: this is not a run record that can be read",
        )
    unit = read_unit(fields.table("unit"))
    gauges = fields.table("gauges", {})
    run = Run(
        unit=unit,
        events=read_events(fields.raw("events"), unit),
        id=fields.text("id", None),
        started_at=fields.text("started_at", None),
        purpose=fields.choice("purpose", Purpose, "dispatch"),
        rules=_reference(fields, "rules"),
        procedure=_reference(fields, "procedure"),
        resolution_psi=gauges.number("resolution_psi", 1.0, low=0.01, high=20),
        policy=gauges.choice("policy", Policy, None),
        people=_people(fields),
        inspections=_inspections(fields),
        simulated=bool(fields.flag("simulated", False)),
        recording=_recording(fields),
    )
    gauges.done()
    fields.done()
    return run


def _inspections(fields: Fields) -> tuple[dict[str, Any], ...]:
    """The inspections that were done beside the run, as they stand: whoever judges inspections reads them."""
    given = fields.raw("rounds")
    if given is None:
        return ()
    if not isinstance(given, list) or not all(isinstance(one, dict) for one in given):
        raise fields.refuse("rounds", "must be a list of inspection records")
    return tuple(given)


def _recording(fields: Fields) -> dict[str, Any] | None:
    """What a run was found in, as it stands: it says nothing that a result hangs on."""
    given = fields.raw("recording")
    if given is None:
        return None
    if not isinstance(given, dict) or not isinstance(given.get("sha256"), str):
        raise fields.refuse("recording", "must be a table with at least the sha256 of its file")
    return given


def read_unit(fields: Fields) -> Unit:
    """The unit of a run record."""
    governor = fields.table("governor", {})
    unit = Unit(
        kind=fields.choice("kind", UnitKind),
        name=fields.text("name", ""),
        circuits=fields.choice("circuits", Circuits, "dual"),
        governor=Governor(
            cut_in_psi=governor.number("cut_in_psi", None, low=LOWEST_PSI, high=HIGHEST_PSI),
            cut_out_psi=governor.number("cut_out_psi", None, low=LOWEST_PSI, high=HIGHEST_PSI),
        ),
        reservoir_ratio=fields.number("reservoir_ratio", 1.0, low=0.1, high=10),
        fmvss_121=fields.flag("fmvss_121", True),
        trailers=fields.texts("trailers"),
        gearbox=fields.choice("gearbox", Gearbox, None),
        trailer_knob=fields.flag("trailer_knob", True),
        holding=fields.choice("holding", Holding, None),
    )
    governor.done()
    fields.done()
    return unit


def read_events(given: object, unit: Unit) -> tuple[Event, ...]:
    """The events of a record, in the order given. Raises RecordError."""
    if not isinstance(given, list):
        raise RecordError("events", f"must be a list, not {describe(given)}" if given is not None else "is missing")
    if len(given) > MAX_EVENTS:
        raise RecordError("events", f"holds {len(given)} events; at most {MAX_EVENTS} can be judged")
    return tuple([read_event(raw, index, unit) for index, raw in enumerate(given)])


def read_event(raw: object, index: int, unit: Unit) -> Event:
    """One event from plain values; ``index`` only serves its sentences. Raises RecordError."""
    if not isinstance(raw, dict):
        raise RecordError(f"events[{index}]", f"must be a table of fields, not {describe(raw)}")
    kind = raw.get("type")
    spec = _SPECS.get(kind) if isinstance(kind, str) else None
    if spec is None:
        if "type" not in raw:
            raise RecordError(f"events[{index}].type", "is missing")
        raise RecordError(f"events[{index}].type", f"must be one of {choices_text(_SPECS)}, not {describe(kind)}")
    fields, required = spec
    values = _BLANK.copy()
    values[_PLACE["place"]] = index
    entered: list[tuple[str, float]] = []
    key = ""
    try:
        for key, value in raw.items():
            known = fields.get(key)
            if known is None:
                raise ValueError(f"isn't a field of {kind!r}; known are {choices_text(sorted(fields))}")
            place, check = known
            if check is _pressure:
                if values[place] is not None:
                    raise ValueError(f"gives the {key.split('_')[0]} needle twice; keep one unit")
                values[place] = _needle(key, value)
                entered.append((key, value))
            else:
                values[place] = check(value)
        for key in required:
            if values[fields[key][0]] is None:
                raise ValueError(f"is missing; {kind!r} needs it")
    except ValueError as error:
        raise RecordError(f"events[{index}].{str(key)[:60]}", str(error)) from None
    if entered:
        values[_PLACE["entered"]] = tuple(entered)
    event = Event._make(values)
    if event.type in _CONSISTENT or entered or event.between:
        _consistent(event, unit)
    return event


_ROUNDED = 0.01
"""So far a value may lie outside its ends by rounding."""
_TUGS = stages_of("tug")
_CONSISTENT = frozenset({"knob", "reading", "held"})
"""Event types of which one field says what another may be."""


def _consistent(event: Event, unit: Unit) -> None:
    """What one field alone cannot show: points of stages, needles and knobs that this unit has."""

    def refuse(field: str, problem: str) -> RecordError:
        return RecordError(f"events[{event.place}].{field}", problem)

    if event.secondary_psi is not None and unit.circuits == "single":
        raise refuse("secondary_psi", "is given, but a single-circuit unit has one needle only")
    for name, (low, high) in (event.between or {}).items():
        value = getattr(event, name)
        if value is None or not low - _ROUNDED <= value <= high + _ROUNDED:
            raise refuse("between", f"gives {name} from {low:g} to {high:g}, and {describe(value)} is not between them")
    if event.type == "knob":
        if event.knob == "trailer" and "trailer" not in unit.knobs:
            raise refuse("knob", f"is 'trailer', but this unit ({unit.kind}) has no trailer supply knob")
        # only an outward move needs its cause: a knob goes in by hand, comes out by hand or by itself
        if event.state == "out" and event.cause is None:
            raise refuse("cause", "is missing; a knob that came out needs hand or popped")
        if event.state == "in" and event.cause == "popped":
            raise refuse("cause", "is 'popped', but a knob goes in by hand only")
    if event.type == "reading":
        points = POINTS_OF_STAGE.get(event.stage or "")
        if points is None:
            raise refuse("stage", f"must be one of {choices_text(POINTS_OF_STAGE)} for a reading, not {event.stage!r}")
        if event.point not in points:
            raise refuse("point", f"must be one of {choices_text(points)} in {event.stage}, not {event.point!r}")
    if event.type == "held" and event.stage not in _TUGS:
        raise refuse("stage", f"must be {' or '.join(_TUGS)}, not {event.stage!r}")


def _reference(fields: Fields, key: str) -> str | dict[str, Any] | None:
    value = fields.raw(key)
    if value is not None and not isinstance(value, str | dict):
        raise fields.refuse(key, f"must be an id or a whole table, not {describe(value)}")
    return value


def _people(fields: Fields) -> tuple[tuple[str, str], ...]:
    people = fields.table("people", {})
    named = tuple((role, people.text(role)) for role in ("driver", "watcher", "timekeeper") if people.has(role))
    people.done()
    return named


# Checks of single fields: each returns the value to keep or raises ValueError with the rest of the sentence.


def _text(value: object) -> str:
    if not isinstance(value, str):
        raise ValueError(f"must be text, not {describe(value)}")
    if len(value) > 2000:
        raise ValueError(f"is {len(value)} characters long; the maximum is 2000")
    return value


def _name(value: object) -> str:
    if value.__class__ is str and 0 < len(value) <= 80:
        return value
    raise ValueError(f"must be a text of 1 to 80 characters, not {describe(value)}")


def _flag(value: object) -> bool:
    if value is not True and value is not False:
        raise ValueError(f"must be true or false, not {describe(value)}")
    return value


def _number(value: object, low: float, high: float) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise ValueError(f"must be a number, not {describe(value)}")
    if not low <= value <= high:
        raise ValueError(f"must be a number from {low:g} to {high:g}, not {describe(value)}")
    return float(value)


def _at_s(value: object) -> float:
    if value.__class__ is float and 0.0 <= value <= _LONGEST_S:
        return value
    return _number(value, 0, _LONGEST_S)


_LONGEST_S = 10_000_000.0


def _seq(value: object) -> int:
    if value.__class__ is int and 0 <= value < _MOST_SEQ:
        return value
    if isinstance(value, bool) or not isinstance(value, int) or not 0 <= value < _MOST_SEQ:
        raise ValueError(f"must be a whole number from 0 up, not {describe(value)}")
    return value


_MOST_SEQ = 2**53


def _speed(value: object) -> float:
    return _number(value, 0, 100)


def _attempt(value: object) -> int:
    number = _number(value, 1, 1000)
    if number != int(number):
        raise ValueError(f"must be a whole number, not {describe(value)}")
    return int(number)


def _wall(value: object) -> str | float:
    if isinstance(value, str):
        return _name(value)
    return _number(value, 0, 1e14)


def _pressure(_: object) -> float:
    raise AssertionError("pressures are read by _needle")  # pragma: no cover


_UNIT_OF_KEY: dict[str, tuple[str, PressureUnit]] = {
    f"{needle}_{unit}": (f"{needle}_psi", unit) for needle in ("primary", "secondary") for unit in PRESSURE_UNITS
}


def _needle(key: str, value: object) -> float:
    """A reading in psi; no gauge shows less than nothing or more than its scale."""
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise ValueError(f"must be a number, not {describe(value)}")
    psi = to_psi(value, _UNIT_OF_KEY[key][1]) if abs(value) < 1e6 else math.inf
    if not LOWEST_PSI <= psi <= HIGHEST_PSI:  # also catches NaN and infinities
        raise ValueError(f"is {describe(value)}, which no gauge shows: a reading lies between 0 and 200 psi")
    return psi


def _between(value: object) -> dict[str, tuple[float, float]]:
    """The ends between which a mark's time and needles lie."""
    if not isinstance(value, dict) or not set(value) <= set(BOUNDED_FIELDS):
        raise ValueError(f"must be a table of {choices_text(BOUNDED_FIELDS)}, not {describe(value)}")
    ends: dict[str, tuple[float, float]] = {}
    for name, pair in value.items():
        highest = _LONGEST_S if name == "at_s" else HIGHEST_PSI
        if not isinstance(pair, list | tuple) or len(pair) != 2:
            raise ValueError(f"must give {name} as [low, high], not {describe(pair)}")
        low, high = (_number(end, LOWEST_PSI, highest) for end in pair)
        if low > high:
            raise ValueError(f"gives {name} from {low:g} to {high:g}: the lower end comes first")
        ends[name] = (low, high)
    return ends


def _one_of(*allowed: str) -> Callable[[object], str]:
    known = frozenset(allowed)

    def check(value: object) -> str:
        if not isinstance(value, str) or value not in known:
            raise ValueError(f"must be one of {choices_text(allowed)}, not {describe(value)}")
        return value

    return check


_SAID_OF_STAGES = ("limit", "reading", "verdict", "redo", "grant")
"""What is said of a stage: the calls of the test, and in an examination that it may be done over."""
_SAID = frozenset({"cut_out", "closing", *(f"{part}:{stage}" for part in _SAID_OF_STAGES for stage in STAGES)})


def _what(value: object) -> str:
    if not isinstance(value, str) or value not in _SAID:
        parts = ", ".join(f"{part}:" for part in _SAID_OF_STAGES)
        raise ValueError(f"must be cut_out, closing, or one of {parts} with a stage, not {describe(value)}")
    return value


def _call_value(value: object) -> str | float:
    if isinstance(value, str):
        return _name(value)
    return _number(value, -1000, 1000)


_COMMON: dict[str, Callable[[object], Any]] = {
    "type": lambda value: value,
    "at_s": _at_s,
    "id": _name,
    "seq": _seq,
    "device": _name,
    "epoch": _name,
    "by": _name,
    "wall": _wall,
    "late": _flag,
    "after_end": _flag,
    "sent_by": _name,
    "received": _name,
}
_READINGS: dict[str, Callable[[object], Any]] = dict.fromkeys(_UNIT_OF_KEY, _pressure)
_MEASURED = {**_READINGS, "between": _between}
_STAGE = _one_of(*STAGES)
_KNOB = _one_of(*get_args(Knob))

_PLACE = {name: place for place, name in enumerate(Event._fields)}
_BLANK: list[Any] = [Event._field_defaults.get(name) for name in Event._fields]

_Checks = dict[str, Callable[[object], Any]]
_Spec = tuple[dict[str, tuple[int, Callable[[object], Any]]], tuple[str, ...]]


def _spec(required: _Checks, optional: _Checks | None = None) -> _Spec:
    """Each field of an event type with its place in an Event and its check, and the fields that must be there."""
    checks = {**_COMMON, **required, **(optional or {})}
    fields = {
        key: (_PLACE[_UNIT_OF_KEY[key][0] if key in _UNIT_OF_KEY else key], check) for key, check in checks.items()
    }
    return fields, ("at_s", *required)


_SPECS: dict[str, _Spec] = {
    "confirmed": _spec({"item": _one_of(*ITEMS)}),
    "engine": _spec({"state": _one_of("running", "off")}),
    "key": _spec({"state": _one_of("on", "off")}),
    "knob": _spec({"knob": _KNOB, "state": _one_of("in", "out")}, {"cause": _one_of("hand", "popped"), **_MEASURED}),
    "pedal": _spec({"state": _one_of("full", "released")}),
    "settled": _spec({"stage": _STAGE}),
    "reading": _spec({"stage": _STAGE, "point": _text}, _MEASURED),
    "warning": _spec({}, {"lamp": _flag, "buzzer": _flag, **_MEASURED}),
    "said": _spec({"what": _what}, {"value": _call_value}),
    "held": _spec({"stage": _STAGE, "moved": _flag}, _READINGS),
    "rolled": _spec({"stopped": _flag, "pulled": _flag}, {"speed_mph": _speed, **_READINGS}),
    "attempt": _spec({"stage": _STAGE}),
    "skipped": _spec({"stage": _STAGE}, {"why": _text}),
    "made_safe": _spec({}, {"why": _text}),
    "finished": _spec({}),
    "abandoned": _spec({}, {"why": _text}),
    "withdrawn": _spec({"event": _name}, {"why": _text}),
    "note": _spec({"text": _text}),
    "valued": _spec({"event": _name}, _READINGS),
    "shown": _spec({"stage": _STAGE, "attempt": _attempt, "outcome": _one_of("fail")}),
    "late_confirmed": _spec({"event": _name}, {"why": _text}),
}


def fields_of(kind: str) -> tuple[frozenset[str], tuple[str, ...]]:
    """The fields an event of this type may have, and those it needs."""
    fields, required = _SPECS[kind]
    return frozenset(fields), required


_NUMBERS = frozenset({_PLACE["speed_mph"]})
_KEPT: dict[str, tuple[int, PressureUnit | None]] = {
    **{name: (place, None) for name, place in _PLACE.items() if not name.endswith("_psi")},
    **{key: (_PLACE[name], unit) for key, (name, unit) in _UNIT_OF_KEY.items()},
}


def saved_event(at_s: float, name: str, body: dict[str, Any], place: int, after_end: bool, unit: Unit) -> Event:
    """An event that was checked when it was kept: as `read_event` reads it, without the checks that it passed then.

    How it was entered and by whom says nothing to the judge and is left out. Raises RecordError as `read_event` does
    for a field that is not known any more.
    """
    values = _BLANK.copy()
    values[0], values[1], values[3], values[4] = place, float(at_s), name, place
    values[_AFTER_END] = after_end
    try:
        for key, value in body.items():
            at, pressure = _KEPT[key]
            if pressure is not None:
                values[at] = to_psi(float(value), pressure)
            else:
                values[at] = float(value) if at in _NUMBERS else value
    except (KeyError, TypeError, ValueError):
        table = {"at_s": float(at_s), "seq": place, "id": name, **({"after_end": True} if after_end else {}), **body}
        return read_event(table, place, unit)
    return Event._make(values)


_AFTER_END = _PLACE["after_end"]

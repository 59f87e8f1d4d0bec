"""JSON Schemas of what the app reads: run records, rule sets, procedures. Made from the core's own tables."""

from __future__ import annotations

import dataclasses
from typing import Any, get_args

from lowhiss.core import inspections, record
from lowhiss.core.inspections.model import ANSWERS, Measured, Role
from lowhiss.core.procedure import PROCEDURE_FORMAT
from lowhiss.core.rules import RULES_FORMAT, Acceptance, Call, Judging, Policy
from lowhiss.core.rules.model import Comparator, LimitUnit, Reference, Standing
from lowhiss.core.stages import ACTIONS, POINTS_OF_STAGE, STAGES, LimitedStage
from lowhiss.core.status import Consequence
from lowhiss.core.units import PRESSURE_UNITS, from_psi
from lowhiss.core.vehicle import Circuits, Gearbox, Group, Holding, UnitKind

Schema = dict[str, Any]
_DIALECT = "https://json-schema.org/draft/2020-12/schema"
_TEXT: Schema = {"type": "string", "maxLength": 2000}
_FLAG: Schema = {"type": "boolean"}
_WORDS: Schema = {
    "type": "object",
    "properties": {"en": _TEXT, "es": _TEXT},
    "required": ["en", "es"],
    "additionalProperties": False,
}
_NOTHING: Schema = {"type": "object", "maxProperties": 0}


def _one_of(values: Any) -> Schema:
    return {"enum": list(values if isinstance(values, tuple | list) else get_args(values))}


def _number(low: float | None = None, high: float | None = None) -> Schema:
    bounds = {"minimum": low, "maximum": high}
    return {"type": "number", **{key: value for key, value in bounds.items() if value is not None}}


def _table(properties: Schema, required: tuple[str, ...] = ()) -> Schema:
    return {"type": "object", "properties": properties, "required": list(required), "additionalProperties": False}


def _list_of(item: Schema, **more: Any) -> Schema:
    return {"type": "array", "items": item, **more}


_HIGHEST: Schema = {unit: round(from_psi(record.HIGHEST_PSI, unit), 6) for unit in PRESSURE_UNITS}
_READINGS: Schema = {
    f"{needle}_{unit}": _number(record.LOWEST_PSI, _HIGHEST[unit])
    for needle in ("primary", "secondary")
    for unit in PRESSURE_UNITS
}
_FIELDS: Schema = {
    "at_s": _number(0, 10_000_000),
    "type": {"type": "string"},
    **{
        key: {"type": "string", "minLength": 1, "maxLength": 80}
        for key in ("id", "device", "epoch", "by", "sent_by", "received", "event")
    },
    "seq": {"type": "integer", "minimum": 0},
    "wall": {"anyOf": [{"type": "string", "minLength": 1, "maxLength": 80}, _number(0)]},
    **dict.fromkeys(("late", "after_end", "lamp", "buzzer", "moved", "stopped", "pulled"), _FLAG),
    "item": _one_of(record.ITEMS),
    "stage": _one_of(STAGES),
    "point": _one_of(sorted({point for points in POINTS_OF_STAGE.values() for point in points})),
    "knob": _one_of(("tractor", "trailer")),
    "cause": _one_of(("hand", "popped")),
    "what": {"type": "string", "pattern": f"^(cut_out|(limit|reading|verdict):({'|'.join(STAGES)}))$"},
    "value": {"anyOf": [{"type": "string", "minLength": 1, "maxLength": 80}, _number(-1000, 1000)]},
    "why": _TEXT,
    "text": _TEXT,
    "speed_mph": _number(0, 100),
    "between": _table(dict.fromkeys(record.BOUNDED_FIELDS, _list_of(_number(0), minItems=2, maxItems=2))),
    **_READINGS,
}
_STATES = {
    "engine": ("running", "off"),
    "key": ("on", "off"),
    "knob": ("in", "out"),
    "pedal": ("full", "released"),
}


def _event(kind: str) -> Schema:
    known, required = record.fields_of(kind)
    properties = {key: _FIELDS.get(key, {}) for key in sorted(known)}
    properties["type"] = {"const": kind}
    if kind in _STATES:
        properties["state"] = _one_of(_STATES[kind])
    return _table(properties, ("type", *required))


_AXLE = _table(
    {"role": _one_of(Role), **dict.fromkeys(("air_susp", "disc", "dual", "hub_oil", "lift"), _FLAG)}, ("role",)
)
_LOOK = _table(
    {
        "axles": {"anyOf": [_list_of(_AXLE, minItems=1, maxItems=inspections.MAX_AXLES), {"type": "null"}]},
        "facts": {"type": "object", "additionalProperties": _FLAG},
        "figures": {"type": "object", "additionalProperties": _number()},
    }
)
_ASKS = _list_of({"type": "string", "pattern": "^[a-z0-9_]+@.+$", "maxLength": 80}, minItems=1, uniqueItems=True)
_INSPECTION_MARKS: dict[str, tuple[Schema, tuple[str, ...]]] = {
    "answer": (
        {
            "asks": _ASKS,
            "answer": _one_of([one for one in ANSWERS if one != "from_run"]),
            "value": _number(-1_000, 10_000),
            "unit": _one_of(Measured),
            **dict.fromkeys(("wrong", "yes"), _list_of({"type": "string"})),
            **dict.fromkeys(("why", "text", "defect"), _TEXT),
            "teaching": _FLAG,
        },
        ("asks", "answer"),
    ),
    "said": ({"asks": _ASKS, "wrong": _FLAG}, ("asks",)),
    "fact": ({"part": _TEXT, "fact": _TEXT, "so": _FLAG}, ("fact",)),
    "figure": ({"part": _TEXT, "figure": _TEXT, "value": _number()}, ("figure", "value")),
    "axles": ({"part": _TEXT, "axles": _list_of(_AXLE, minItems=1)}, ("axles",)),
    "state": ({"first": _TEXT, "so": _FLAG}, ("first",)),
    "called": ({"call": _TEXT}, ("call",)),
    "put": ({"what": _TEXT}, ("what",)),
    "brought": ({"what": _TEXT}, ("what",)),
    "note": ({"text": _TEXT}, ("text",)),
    "finished": ({}, ()),
    "abandoned": ({"why": _TEXT}, ()),
}


def inspection_schema() -> Schema:
    """The open round record, ``low-hiss-round/1``. Which items and conditions there are is checked by the app alone."""
    shared: Schema = {
        "at_s": _number(0),
        **{key: {"type": "string"} for key in ("id", "by", "device", "epoch", "received", "sent_by")},
        "seq": _number(0),
        "mono_s": _number(),
        "wall": {},
        **dict.fromkeys(("after_end", "late"), _FLAG),
    }
    marks = [
        _table({**shared, "type": {"const": kind}, **fields}, ("at_s", "type", *needed))
        for kind, (fields, needed) in _INSPECTION_MARKS.items()
    ]
    vehicle: Schema = {"name": _TEXT, "id": _TEXT, "look": _LOOK}
    unit = _table(
        {
            "kind": _one_of(UnitKind),
            **vehicle,
            "circuits": _one_of(Circuits),
            "gearbox": {"anyOf": [_one_of(Gearbox), {"type": "null"}]},
            "build_year": {"anyOf": [_number(1930, 2100), {"type": "null"}]},
            "trailers": _list_of(_table(vehicle)),
        },
        ("kind",),
    )
    known = _table(
        {
            **dict.fromkeys(("id", "item", "place", "what"), _TEXT),
            "consequence": _one_of(Consequence),
            "wrong": _list_of({"type": "string"}),
        },
        ("item",),
    )
    properties: Schema = {
        "format": {"const": inspections.INSPECTION_FORMAT},
        **dict.fromkeys(("id", "started_at", "way", "run"), _TEXT),
        "rules": {"anyOf": [{"type": "string"}, {"type": "object"}]},
        "purpose": _one_of(record.Purpose),
        "mirrored": _FLAG,
        "people": {"type": "object", "additionalProperties": {"type": "string"}},
        "unit": unit,
        "known": _list_of(known),
        "marks": _list_of({"oneOf": marks}, maxItems=inspections.MAX_MARKS),
    }
    return {
        "$schema": _DIALECT,
        "title": inspections.INSPECTION_FORMAT,
        **_table(properties, ("format", "unit", "marks")),
    }


def run_schema() -> Schema:
    """The open run record, ``low-hiss-run/1``. What one event says about another is checked by the app alone."""
    governor = _table({key: _number(record.LOWEST_PSI, record.HIGHEST_PSI) for key in ("cut_in_psi", "cut_out_psi")})
    unit = _table(
        {
            "kind": _one_of(UnitKind),
            "name": _TEXT,
            "circuits": _one_of(Circuits),
            "governor": governor,
            "reservoir_ratio": _number(0.1, 10),
            "fmvss_121": _FLAG,
            "gearbox": _one_of(Gearbox),
            "trailer_knob": _FLAG,
            "holding": _one_of(Holding),
            "trailers": _list_of({"type": "string"}),
        },
        ("kind",),
    )
    gauges = _table({"resolution_psi": _number(0.01, 20), "policy": _one_of(Policy)})
    reference = {"anyOf": [{"type": "string"}, {"type": "object"}, {"type": "null"}]}
    properties: Schema = {
        "format": {"const": record.RUN_FORMAT},
        "id": _TEXT,
        "started_at": _TEXT,
        "purpose": _one_of(record.Purpose),
        "simulated": _FLAG,
        "recording": {"type": "object", "properties": {"sha256": _TEXT}, "required": ["sha256"]},
        "people": _table(dict.fromkeys(("driver", "watcher", "timekeeper"), _TEXT)),
        "unit": unit,
        "rules": reference,
        "procedure": reference,
        "gauges": gauges,
        "rounds": _list_of({"type": "object", "required": ["format", "unit", "marks"]}),
        "events": _list_of({"oneOf": [_event(kind) for kind in record.EVENT_KINDS]}, maxItems=record.MAX_EVENTS),
    }
    return {"$schema": _DIALECT, "title": record.RUN_FORMAT, **_table(properties, ("format", "unit", "events"))}


def rules_schema() -> Schema:
    """A rule set, ``low-hiss-rules/1``: the same for TOML and JSON. A derived set may leave out what its parent has."""
    properties: Schema = {
        "document": _TEXT,
        "clause": _TEXT,
        "standing": _one_of(Standing),
        "replaces": {"$ref": "#/$defs/source"},
    }
    source = _table(properties, ("document", "standing"))
    bound = {
        **_table(
            {
                **{comparator: _number(-1000, 1000) for comparator in get_args(Comparator)},
                "of": _one_of(Reference),
                "times_reservoir_ratio": _FLAG,
                "cap_share_of_cut_out": _number(0, 1),
            }
        ),
        "oneOf": [{"required": [comparator]} for comparator in get_args(Comparator)],
    }
    when = _table(
        {
            "kind": _list_of(_one_of(UnitKind)),
            "group": _list_of(_one_of(Group)),
            "circuits": _list_of(_one_of(Circuits)),
            "fmvss_121": _FLAG,
            "maker_cut_out_known": _FLAG,
        }
    )
    limit = _table(
        {
            "key": _TEXT,
            "stage": _one_of(LimitedStage),
            "unit": _one_of(LimitUnit),
            "when": when,
            "window_psi": _list_of(_number(0, 200), minItems=2, maxItems=2),
            "hold_s": _number(1, 3600),
            "bounds": _list_of(bound, minItems=1),
            "source": {"$ref": "#/$defs/source"},
            "words": {"anyOf": [_WORDS, _NOTHING]},
            "reason": _TEXT,
        },
        ("key", "stage", "unit", "bounds", "source"),
    )
    inspection_limit = _table(
        {
            "measure": _TEXT,
            "axles": _list_of(_TEXT),
            "at_least": _number(-1000, 10_000),
            "at_most": _number(-1000, 10_000),
            "source": {"$ref": "#/$defs/source"},
        },
        ("measure", "source"),
    )
    table = _table(
        {
            "format": {"const": RULES_FORMAT},
            "id": {"type": "string", "minLength": 1, "maxLength": 60},
            "title": _WORDS,
            "about": {"anyOf": [_WORDS, _NOTHING]},
            "parent": {"type": ["string", "null"]},
            "lineage": _list_of(_TEXT),
            "holding": _one_of(Holding),
            "calls": _list_of(_one_of(Call)),
            "round_limit": _list_of(inspection_limit),
            "consequences": {"type": "object", "additionalProperties": _one_of(Consequence)},
            "policy": _one_of(Policy),
            "acceptance": _one_of(Acceptance),
            "judging": _table({field.name: _number(0, 100_000) for field in dataclasses.fields(Judging)}),
            "limit": _list_of(limit),
        },
        ("id", "title"),
    )
    return {"$schema": _DIALECT, "title": RULES_FORMAT, **table, "$defs": {"source": source}}


def procedure_schema() -> Schema:
    """A procedure, ``low-hiss-procedure/1``."""
    properties: Schema = {
        "format": {"const": PROCEDURE_FORMAT},
        "id": _TEXT,
        "title": _WORDS,
        "about": {"anyOf": [_WORDS, _NOTHING]},
        "optional": _list_of(_one_of(STAGES)),
        "holding": _one_of(Holding),
        "steps": _list_of(_one_of((*ACTIONS, *STAGES)), minItems=1, maxItems=60),
    }
    return {"$schema": _DIALECT, "title": PROCEDURE_FORMAT, **_table(properties, ("id", "title", "steps"))}

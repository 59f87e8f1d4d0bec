"""JSON Schemas of what a trainee takes along: a practice as it is kept, and the whole record of somebody's learning."""

from __future__ import annotations

from typing import Any

from lowhiss.core.practice.lesson import LESSON_FORMAT, MODES, PRACTICE_FORMAT

LEARNING_FORMAT = "low-hiss-learning/1"
Schema = dict[str, Any]
_DIALECT = "https://json-schema.org/draft/2020-12/schema"
_TEXT: Schema = {"type": "string"}
_TIME: Schema = {"type": "string", "format": "date-time"}
_COUNT: Schema = {"type": "integer", "minimum": 0}
_TABLE: Schema = {"type": "object"}


def _closed(properties: Schema, *optional: str) -> Schema:
    required = [name for name in properties if name not in optional]
    return {"type": "object", "properties": properties, "required": required, "additionalProperties": False}


def practice_schema() -> Schema:
    """A practice: what was chosen, every control with its tick, the marks, and what was hidden. Enough to replay."""
    maybe = {"type": ["string", "null"]}
    choice = {
        "kind": maybe,
        "vehicle": {"type": ["object", "null"]},
        "faults": {"type": "array", "items": _TEXT},
        "pool": maybe,
        "code": maybe,
        "seed": _COUNT,
        "salt": _TEXT,
        "start": _TABLE,
        "rules": {"type": ["string", "object", "null"]},
        "procedure": {"type": ["string", "object", "null"]},
        "traits": _TABLE,
        "lesson": {"type": ["object", "null"], "description": f"id and drive; a fleet's own whole, as {LESSON_FORMAT}"},
        "mode": {"enum": list(MODES)},
        "resolution_psi": {"type": "number", "minimum": 0.5, "maximum": 10},
    }
    control = {
        "type": "array",
        "prefixItems": [_COUNT, _TEXT, {}],
        "minItems": 3,
        "maxItems": 3,
        "description": "tick (1/100 s), control, value",
    }
    return {
        "$schema": _DIALECT,
        "title": PRACTICE_FORMAT,
        **_closed(
            {
                "format": {"const": PRACTICE_FORMAT},
                "core": _TEXT,
                "choice": _closed(choice),
                "ticks": _COUNT,
                "controls": {"type": "array", "items": control},
                "marks": {"type": "array", "items": {"type": "object", "required": ["at_s", "type"]}},
                "opened": _closed({"salt": _TEXT, "faults": {"type": "array", "items": _TEXT}}),
                "digest": {"type": "string", "pattern": "^[0-9a-f]{64}$"},
            }
        ),
    }


def learning_schema() -> Schema:
    """All that is kept of somebody's learning: practices whole, notes that are theirs to see, answers to cards."""
    practice = _closed(
        {
            "id": _TEXT,
            "title": _TEXT,
            "began_at": _TIME,
            "record": {"$ref": f"{PRACTICE_FORMAT.replace('/', '-')}.json"},
            "summary": {"type": ["object", "null"]},
        }
    )
    note = _closed({"at": _TIME, "by": _TEXT, "kind": _TEXT, "about": _TEXT, "text": _TEXT})
    answer = _closed(
        {
            "id": _TEXT,
            "card": _TEXT,
            "rating": {"enum": [1, 2, 3, 4]},
            "level": {"type": "integer", "minimum": 0, "maximum": 4},
            "way": _TEXT,
            "findings": {"type": "array", "items": _TEXT},
            "at": _TIME,
            "took_ms": _COUNT,
            "device": _TEXT,
            "seq": _COUNT,
        }
    )
    return {
        "$schema": _DIALECT,
        "title": LEARNING_FORMAT,
        **_closed(
            {
                "format": {"const": LEARNING_FORMAT},
                "person": _TEXT,
                "practices": {"type": "array", "items": practice},
                "notes": {"type": "array", "items": note},
                "cards": {"type": "array", "items": answer},
            }
        ),
    }

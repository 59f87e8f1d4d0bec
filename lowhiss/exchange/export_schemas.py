"""JSON Schemas of what leaves as files: seals, the text of a seal, and the manifest of a zip of records."""

from __future__ import annotations

from lowhiss.exchange import seals

Schema = dict[str, object]
_DIALECT = "https://json-schema.org/draft/2020-12/schema"


def _hex(digits: int) -> Schema:
    return {"type": "string", "pattern": f"^[0-9a-f]{{{digits}}}$"}


def seals_schema() -> Schema:
    """A file of seals, ``low-hiss-seals/1``; what is in ``document`` is told in ``docs/seal.md``."""
    seal: Schema = {
        "type": "object",
        "properties": {
            "place": {"type": "integer", "minimum": 1},
            "sha256": _hex(64),
            "key": _hex(16),
            "signature": _hex(128),
            "document": {"type": "string"},
        },
        "required": ["place", "sha256", "key", "signature", "document"],
        "additionalProperties": False,
    }
    return {
        "$schema": _DIALECT,
        "title": seals.FILE_FORMAT,
        "type": "object",
        "properties": {
            "format": {"const": seals.FILE_FORMAT},
            "whole": {"type": "boolean"},
            "keys": {"type": "object", "additionalProperties": _hex(64)},
            "seals": {"type": "array", "items": seal},
        },
        "required": ["format", "whole", "keys", "seals"],
        "additionalProperties": False,
    }


def runs_schema() -> Schema:
    """The manifest of a zip of run records, ``low-hiss-runs/1``; each file in it is a ``low-hiss-run/1``."""
    one: Schema = {
        "type": "object",
        "properties": {"id": {"type": "string"}, "file": {"type": "string"}, "sha256": _hex(64)},
        "required": ["file"],
    }
    return {
        "$schema": _DIALECT,
        "title": "low-hiss-runs/1",
        "type": "object",
        "properties": {
            "format": {"const": "low-hiss-runs/1"},
            "installation": {"type": "string"},
            "made_at": {"type": "string"},
            "runs": {"type": "array", "items": one},
        },
        "required": ["format", "runs"],
    }

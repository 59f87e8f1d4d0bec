"""Run records as JSON: text to a checked Run, and a Run's parts back to plain values."""

from __future__ import annotations

import json
from typing import Any, NoReturn

from lowhiss.core.errors import RecordError
from lowhiss.core.record import RUN_FORMAT, Run, read_run
from lowhiss.core.vehicle import Unit, unit_table

MAX_BYTES = 16 * 1024 * 1024


def read_json(data: bytes) -> object:
    """The plain values of a JSON text. Raises RecordError with one sentence: too large, not UTF-8, not JSON."""
    if len(data) > MAX_BYTES:
        raise RecordError("", f"the file is {len(data) // 1024**2} MB large; the maximum is {MAX_BYTES // 1024**2} MB")
    try:
        return json.loads(data.decode("utf-8-sig"), parse_constant=_refuse_constant)
    except UnicodeDecodeError as error:
        raise RecordError("", f"the file isn't UTF-8 text (byte {error.start}): save it as UTF-8") from error
    except json.JSONDecodeError as error:
        raise RecordError(
            "", f"the file isn't valid JSON: {error.msg} at line {error.lineno}, column {error.colno}"
        ) from error
    except RecursionError:
        raise RecordError("", "the file is nested too deeply to be a run record") from None


def _refuse_constant(name: str) -> NoReturn:
    raise RecordError("", f"the file holds {name}, which isn't a number: leave the field out where nothing was read")


def load_run(data: bytes) -> Run:
    """A run from the bytes of a run record. Raises RecordError."""
    return read_run(read_json(data))


def run_record(head: dict[str, Any], unit: Unit, events: list[dict[str, Any]]) -> dict[str, Any]:
    """A run record from its parts: ``head`` holds what stands beside unit and events."""
    return {"format": RUN_FORMAT, **head, "unit": unit_table(unit), "events": events}

"""What can be wrong with a simulated vehicle: each fault changes its specification, mild or severe."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import Any, Literal, get_args

from lowhiss.core.airsystem.spec import AirData, AirSpec, AirSystemError

Severity = Literal["mild", "severe"]
SEVERITIES: tuple[Severity, ...] = get_args(Severity)
_ADDED = ("leaks", "stiction_psi", "offset_psi")
_MERGED = ("brakes", "parts")


def fault_names(data: AirData) -> tuple[str, ...]:
    """Every fault there is."""
    return tuple(data.tables["faults"])


def with_faults(spec: AirSpec, data: AirData, faults: Iterable[str]) -> AirSpec:
    """The vehicle with faults, each named as ``weak_compressor`` (severe) or ``weak_compressor:mild``.

    Raises AirSystemError for an unknown fault or severity, or one that this vehicle cannot have.
    """
    for text in faults:
        name, _, severity = text.partition(":")
        table = data.tables["faults"].get(name)
        if table is None:
            raise AirSystemError("fault", f"is {name[:40]!r}; there are {', '.join(fault_names(data))}")
        if severity not in ("", *SEVERITIES):
            raise AirSystemError("fault", f"is {severity[:40]!r} in {name}; it is mild or severe")
        if table.get("needs") == "trailer" and not spec.towed:
            raise AirSystemError("fault", f"is {name}, which needs a trailer; this unit has none")
        spec = _changed(spec, table[severity or "severe"])
    return spec


def _changed(spec: AirSpec, change: dict[str, Any]) -> AirSpec:
    for key, value in change.items():
        if key in _ADDED:
            before = getattr(spec, key)
            value = {**before, **{place: before.get(place, 0.0) + more for place, more in value.items()}}
        elif key in _MERGED:
            value = {**getattr(spec, key), **value}
        elif key == "stuck_checks":
            value = spec.stuck_checks | set(value)
        elif key == "water_share":
            value = tuple(value)
        elif key == "band_psi":
            key, value = "cut_in_psi", spec.cut_out_psi - value
        spec = replace(spec, **{key: value})
    return spec

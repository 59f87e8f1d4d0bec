"""What can be wrong with a simulated vehicle: each fault changes its specification, mild or severe."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace
from typing import Any, Literal, get_args

from lowhiss.core.airsystem.spec import PLACES, AirData, AirSpec, AirSystemError

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
            raise AirSystemError("fault", f"is {name[:40]!r}; choose one of {', '.join(fault_names(data))}")
        if severity not in ("", *SEVERITIES):
            raise AirSystemError("fault", f"is {severity[:40]!r} in {name}; it is mild or severe")
        if table.get("needs") == "trailer" and not spec.towed:
            raise AirSystemError("fault", f"is {name}, which needs a trailer; this unit has none")
        spec = _changed(spec, table[severity or "severe"])
    return spec


_FIGURES: Mapping[str, tuple[float, float]] = {
    "hysteresis_psi": (0.0, 20.0),
    "warning_psi": (20.0, 110.0),
    "tractor_pop_psi": (5.0, 90.0),
    "trailer_pop_psi": (5.0, 90.0),
    "cut_out_psi": (80.0, 150.0),
    "cut_in_psi": (60.0, 140.0),
}
"""Set points that a vehicle may have of its own, and between what [psi]."""
_YES_NO = ("priority", "dash_linked")
_MOST_LEAK = 60.0


def with_traits(spec: AirSpec, traits: Mapping[str, Any]) -> AirSpec:
    """The vehicle with what is its own: set points, how its circuits fill, leaks by place [psi/min], soft knobs.

    Raises AirSystemError naming what is not known or out of range.
    """
    for name, value in traits.items():
        at = f"traits.{str(name)[:40]}"
        if name in _FIGURES:
            low, high = _FIGURES[name]
            spec = replace(spec, **{name: _figure(at, value, low, high)})  # type: ignore[arg-type]
        elif name in _YES_NO or name == "soft_pop":
            if not isinstance(value, bool):
                raise AirSystemError(at, "must be true or false")
            change = {"parts": {**spec.parts, "knobs": "soft"}} if name == "soft_pop" else {name: value}
            spec = replace(spec, **(change if value or name != "soft_pop" else {}))
        elif name == "leaks":
            if not isinstance(value, dict) or any(place not in PLACES for place in value):
                raise AirSystemError(at, f"must be a table of places, which are {', '.join(PLACES)}")
            leaks = {place: _figure(f"{at}.{place}", rate, 0.0, _MOST_LEAK) for place, rate in value.items()}
            spec = replace(spec, leaks={**spec.leaks, **leaks})
        else:
            known = ", ".join((*_FIGURES, *_YES_NO, "leaks", "soft_pop"))
            raise AirSystemError(at, f"is not known; choose one of {known}")
    return spec


def _figure(at: str, value: object, low: float, high: float) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not low <= value <= high:
        raise AirSystemError(at, f"must be a number from {low:g} to {high:g}")
    return float(value)


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

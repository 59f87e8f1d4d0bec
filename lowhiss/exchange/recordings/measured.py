"""Measurement files (MDF 3 and 4): channels chosen by name and unit.

Raw values are read and converted by our own arithmetic. A formula in a file is refused: its reader would evaluate it.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from lowhiss.core.units import to_psi
from lowhiss.exchange.recordings.columns import guess, unit_chosen
from lowhiss.exchange.recordings.source import Source
from lowhiss.trace.recording import Recording, Series, TraceError

_PER_PSI = {"kpa": to_psi(1.0, "kpa"), "bar": to_psi(1.0, "bar"), "mpa": to_psi(1000.0, "kpa")}
_FLAGS = ("tractor_in", "trailer_in", "lamp")


def read_measured(source: Source, chosen: Mapping[str, str] | None) -> tuple[Recording, dict[str, str], list[str]]:
    """Channels of a measurement file on the times of its primary pressure. Raises TraceError."""
    from asammdf import MDF  # takes a second to load, and only here

    with source.as_path() as path:
        try:
            file = MDF(path)
        except Exception as broken:  # a cut file makes its reader raise what it likes
            raise TraceError("file", "is a cut or broken measurement file") from broken
        with file:
            names = [name for name in file.channels_db if name.lower() not in ("time", "t", "timestamps")]
            wanted = dict(chosen or {})
            unit = unit_chosen(wanted.pop("unit", None))
            taken = {**guess([*names, "t_s"]), **wanted}
            began = file.header.start_time
            try:
                signals = {role: file.get(name, raw=True) for role, name in taken.items() if name in names}
            except MemoryError:
                raise
            except Exception as broken:
                raise TraceError("file", "is a cut or broken measurement file") from broken
    if "primary" not in signals:
        raise TraceError("primary_psi", f"is missing: none of {', '.join(names)[:120]} is a pressure")
    t_s = np.asarray(signals["primary"].timestamps, float)
    keep = np.concatenate([[True], np.diff(t_s) > 0])
    on: dict[str, Series] = {}
    for role, signal in signals.items():
        values = converted(np.asarray(signal.samples), signal.conversion, taken[role])
        psi = (unit or _per_psi(taken[role], str(signal.unit))) if role in ("primary", "secondary") else 1.0
        on[role] = np.interp(t_s, np.asarray(signal.timestamps, float), values)[keep] * psi
    needles: dict[str, Series] = {name: on[name] for name in ("primary", "secondary") if name in on}
    flags = {name: np.round(on[name]) for name in _FLAGS if name in on}
    columns = {role: taken[role] for role in signals}
    dated = began.tzinfo is not None and t_s.size > 0
    at = began + dt.timedelta(seconds=float(t_s[0])) if dated else None
    return Recording(t_s[keep] - t_s[0], needles, flags, began_at=at), columns, names


def _per_psi(name: str, unit: str) -> float:
    known = (unit or name.rsplit("_", 1)[-1]).strip().lower()
    return _PER_PSI.get(known, 1.0)


# ASAM MDF 3.3 and 4.1, conversion blocks (from memory): kinds by number, and the parameters that each has


def _linear(raw: Series, block: Any) -> Series:
    return raw * float(block["a"]) + float(block["b"])


def _rational(raw: Series, block: Any) -> Series:
    p1, p2, p3, p4, p5, p6 = (float(block[f"P{place}"]) for place in range(1, 7))
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.asarray((p1 * raw**2 + p2 * raw + p3) / (p4 * raw**2 + p5 * raw + p6))


def _pairs(block: Any) -> tuple[Series, Series]:
    raws: list[float] = []
    values: list[float] = []
    while True:
        try:
            raw, value = float(block[f"raw_{len(raws)}"]), float(block[f"phys_{len(raws)}"])
        except (KeyError, AttributeError):
            return np.array(raws), np.array(values)
        raws.append(raw)
        values.append(value)


def _interpolated(raw: Series, block: Any) -> Series:
    return np.interp(raw, *_pairs(block))


def _nearest(raw: Series, block: Any) -> Series:
    raws, values = _pairs(block)
    above = np.searchsorted(raws, raw).clip(0, raws.size - 1)
    below = (above - 1).clip(0)
    lower = np.abs(raw - raws[above]) >= np.abs(raw - raws[below])
    return np.asarray(np.where(lower, values[below], values[above]), float)


Conversion = Callable[[Series, Any], Series]
_MDF3: dict[int, Conversion] = {0: _linear, 1: _interpolated, 2: _nearest, 9: _rational}
_MDF4: dict[int, Conversion] = {1: _linear, 2: _rational, 4: _interpolated, 5: _nearest}
_MDF3_NONE = 0xFFFF
_FORMULAS = {3: (10,), 4: (3,)}
_TEXTS = {3: (11, 12), 4: (7, 8, 9, 10)}


def converted(raw: np.ndarray[Any, Any], block: Any, name: str) -> Series:
    """Raw values, shape (n,), as the file's conversion block makes them.

    block : None, or one of MDF 3 or 4.  name : the channel's. Raises TraceError for a formula or another conversion
    that is not linear, rational or a table.
    """
    if raw.dtype.kind not in "fiub" or raw.ndim != 1:
        raise TraceError(name[:60], "holds no plain numbers")
    values = raw.astype(np.float64)
    if block is None:
        return values
    version = 3 if type(block).__module__.endswith("v2_v3_blocks") else 4
    kind = int(block.conversion_type)
    if kind == (_MDF3_NONE if version == 3 else 0):
        return values
    if kind in _FORMULAS[version]:
        raise TraceError(
            name[:60], "is converted by a formula; formulas in files are never evaluated: export it without"
        )
    if kind in _TEXTS[version] and raw.dtype.kind in "iub":
        return values  # names for states; the numbers behind them are what is wanted
    convert = (_MDF3 if version == 3 else _MDF4).get(kind)
    if convert is None:
        raise TraceError(name[:60], f"has a conversion of kind {kind}; linear, rational and table conversions are read")
    try:
        return convert(values, block)
    except (KeyError, AttributeError, ValueError, TypeError) as broken:
        raise TraceError(name[:60], "has a broken conversion") from broken

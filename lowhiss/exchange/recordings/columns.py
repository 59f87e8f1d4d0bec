"""Which column of a table is what: guessed from its name, shown, and correctable by naming it."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Mapping, Sequence

import numpy as np

from lowhiss.core.units import to_psi
from lowhiss.trace.recording import Recording, Series, TraceError

_NEEDLES = {
    "primary": ("primary", "prim", "circuit_1", "circuit1", "service_1", "front_tank", "rear", "p1"),
    "secondary": ("secondary", "sec", "circuit_2", "circuit2", "service_2", "front", "p2"),
}
_FLAGS = {
    "tractor_in": ("tractor_in", "tractor_knob", "parking_in", "parking_knob"),
    "trailer_in": ("trailer_in", "trailer_knob"),
    "lamp": ("lamp", "warning", "low_air"),
}
_TIMES = ("t_s", "time_s", "time", "t", "seconds", "timestamp", "clock", "at_s")
_UNITS = {"psi": "psi", "kpa": "kpa", "bar": "bar", "mpa": "mpa"}
_TRUE = ("1", "1.0", "true", "on", "in", "yes")


def recording_of(
    names: Sequence[str], rows: Sequence[Sequence[str]], chosen: Mapping[str, str] | None = None, decimal: str = "."
) -> tuple[Recording, dict[str, str]]:
    """A recording from a table of texts, and what each column was taken for.

    chosen : names of columns for ``t_s``, ``primary_psi`` and so on, over the guess. Raises TraceError naming a column.
    """
    taken = {**guess(names), **(chosen or {})}
    if "time" not in taken:
        raise TraceError("t_s", f"is missing: none of {', '.join(names)[:120]} is a time")
    columns = {name: [row[place] if place < len(row) else "" for row in rows] for place, name in enumerate(names)}
    for role, name in taken.items():
        if name not in columns:
            raise TraceError(role, f"is to be {name[:40]!r}; there are {', '.join(names)[:120]}")
    t_s = times_of(columns[taken["time"]], taken["time"], decimal)
    keep = np.isfinite(t_s)
    needles: dict[str, Series] = {
        needle: _numbers(columns[taken[needle]], taken[needle], decimal)[keep] * _per_psi(taken[needle])
        for needle in ("primary", "secondary")
        if needle in taken
    }
    flags = {flag: _flags(columns[taken[flag]])[keep] for flag in _FLAGS if flag in taken}
    return Recording(*_rising(t_s[keep], needles, flags)), taken


def guess(names: Sequence[str]) -> dict[str, str]:
    """What each column is, by its name: the first that fits. Two times are refused; the rest is left aside."""
    plain = {name: re.sub(r"[^a-z0-9]+", "_", name.lower()).strip("_") for name in names}
    taken: dict[str, str] = {}
    times = [name for name, text in plain.items() if text in _TIMES]
    if len(times) > 1 and "t_s" not in (plain[one] for one in times):
        raise TraceError("t_s", f"may be {' or '.join(times)}: say which column is the time")
    if times:
        taken["time"] = next((one for one in times if plain[one] == "t_s"), times[0])
    for needle, words in _NEEDLES.items():
        for name, text in plain.items():
            bare = re.sub(r"_?(psi|kpa|bar|mpa|true)\b|_(psi|kpa|bar|mpa)$", "", text)
            if any(bare == word or bare.startswith(f"{word}_") for word in words) and name not in taken.values():
                taken.setdefault(needle, name)
    for flag, words in _FLAGS.items():
        found = next((name for name, text in plain.items() if text in words), None)
        if found is not None:
            taken[flag] = found
    if "primary" not in taken:
        pressures = [name for name, text in plain.items() if text.rsplit("_", 1)[-1] in _UNITS]
        if pressures:
            taken["primary"] = pressures[0]
    return taken


def _per_psi(name: str) -> float:
    """How many psi one of a column's unit is, by the end of its name; psi where it says nothing."""
    unit = re.sub(r"[^a-z]", "", name.lower().rsplit("_", 1)[-1].rsplit(" ", 1)[-1])
    if unit == "mpa":
        return to_psi(1000.0, "kpa")
    return to_psi(1.0, "kpa") if unit == "kpa" else to_psi(1.0, "bar") if unit == "bar" else 1.0


def times_of(texts: Sequence[str], name: str, decimal: str) -> Series:
    """Seconds from numbers, ISO instants or a clock (``14:03:07.5``). Raises TraceError for what is none."""
    first = next((text for text in texts if text.strip()), "")
    if ":" not in first:
        return _numbers(texts, name, decimal)
    if "T" in first or "-" in first:
        moments = [_instant(text, name) for text in texts]
        zero = next(one for one in moments if one is not None)
        try:
            return np.array([np.nan if one is None else (one - zero).total_seconds() for one in moments])
        except TypeError:
            raise TraceError(name, "holds times with a zone and times without one: give all of them one") from None
    seconds = np.array([_clock(text, name) for text in texts])
    wraps = np.concatenate([[0], np.cumsum(np.diff(seconds) < -43_200)])
    return np.asarray(seconds + wraps * 86_400.0 - seconds[0], dtype=np.float64)


def _instant(text: str, name: str) -> dt.datetime | None:
    if not text.strip():
        return None
    try:
        return dt.datetime.fromisoformat(text.strip().replace("Z", "+00:00"))
    except ValueError:
        raise TraceError(name, f"holds {text[:30]!r}, which is no time") from None


def _clock(text: str, name: str) -> float:
    parts = text.strip().replace(",", ".").split(":")
    try:
        numbers = [float(part) for part in parts]
    except ValueError:
        raise TraceError(name, f"holds {text[:30]!r}, which is no time") from None
    return float(sum(number * 60.0**place for place, number in enumerate(reversed(numbers))))


def _numbers(texts: Sequence[str], name: str, decimal: str) -> Series:
    values = np.full(len(texts), np.nan)
    bad = 0
    for place, text in enumerate(texts):
        text = text.strip()
        if decimal == ",":
            text = text.replace(".", "").replace(",", ".")
        try:
            values[place] = float(text) if text else np.nan
        except ValueError:
            bad += 1
    if bad > len(texts) // 2:
        raise TraceError(name, f"holds {texts[0][:30]!r} and the like, which are no numbers")
    values[~np.isfinite(values)] = np.nan
    return values


def _flags(texts: Sequence[str]) -> Series:
    return np.array([1.0 if text.strip().lower() in _TRUE else 0.0 for text in texts])


def _rising(
    t_s: Series, needles: Mapping[str, Series], flags: Mapping[str, Series]
) -> tuple[Series, dict[str, Series], dict[str, Series]]:
    """Without samples that repeat a time. Raises TraceError where time jumps back."""
    steps = np.diff(t_s)
    back = np.flatnonzero(steps < 0)
    if back.size:
        at = int(back[0])
        raise TraceError("t_s", f"jumps back from {t_s[at]:g} to {t_s[at + 1]:g} s: cut the file there")
    keep = np.concatenate([[True], steps > 0])
    cut = {name: values[keep] for name, values in needles.items()}
    return t_s[keep], cut, {name: values[keep] for name, values in flags.items()}

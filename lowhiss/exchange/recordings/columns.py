"""Which column of a table is what: guessed from its name, shown, and correctable by naming it."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from lowhiss.core.units import to_psi
from lowhiss.trace.recording import GRID_HZ, Recording, Series, TraceError

NEEDLES = {
    "primary": ("primary", "prim", "circuit_1", "circuit1", "service_1", "front_tank", "rear", "p1"),
    "secondary": ("secondary", "sec", "circuit_2", "circuit2", "service_2", "front", "p2"),
}
FLAGS = {
    "tractor_in": ("tractor_in", "tractor_knob", "parking_in", "parking_knob"),
    "trailer_in": ("trailer_in", "trailer_knob"),
    "lamp": ("lamp", "warning", "low_air"),
}
_TIMES = ("t_s", "time_s", "time", "t", "seconds", "timestamp", "clock", "at_s")
_UNITS = {"psi": "psi", "kpa": "kpa", "bar": "bar", "mpa": "mpa"}
_TRUE = ("1", "1.0", "true", "on", "in", "yes")


_MOST_WHOLE = 3_000_000
"""So many samples are kept as they came: three days of ten a second."""
_TOO_THICK = 0.9
"""What thinning leaves of them at most: a log that stays longer is not thick but endless."""
_AT_ONCE = 20_000
"""Rows of texts that are turned into numbers together: what is read is never held as texts."""


class Table:
    """A recording from rows of texts that come one by one, however many: beyond a point it is thinned as it grows.

    chosen : names of columns for ``time``, ``primary`` and so on, over the guess; ``unit`` of the pressures, over what
    their names say.  names : of all columns.  taken : what each was taken for. Raises TraceError naming a column.
    """

    def __init__(self, names: Sequence[str], chosen: Mapping[str, str] | None = None, decimal: str = ".") -> None:
        wanted = dict(chosen or {})
        self.names = list(names)
        self._per_psi = unit_chosen(wanted.pop("unit", None))
        self.taken = {**guess(names), **wanted}
        if "time" not in self.taken:
            raise TraceError("t_s", f"no time column found among {', '.join(names)[:120]}")
        for role, name in self.taken.items():
            if name not in names:
                raise TraceError(role, f"can't be {name[:40]!r}; choose one of {', '.join(names)[:120]}")
        self._places = {role: names.index(name) for role, name in self.taken.items()}
        self._decimal = decimal
        self._times = Times(self.taken["time"], decimal)
        self._rows: list[Sequence[str]] = []
        self._grown = Growing()

    def add(self, row: Sequence[str]) -> None:
        self._rows.append(row)
        if len(self._rows) >= _AT_ONCE:
            self._take()

    def recording(self) -> Recording:
        if self._rows:
            self._take()
        return self._grown.recording(self._times.began_at)

    def _take(self) -> None:
        rows, self._rows = self._rows, []

        def column(role: str) -> list[str]:
            place = self._places[role]
            return [row[place] if place < len(row) else "" for row in rows]

        t_s = self._times.of(column("time"))
        keep = np.isfinite(t_s)
        values: dict[str, Series] = {}
        for role, name in self.taken.items():
            if role in NEEDLES:
                values[role] = _numbers(column(role), name, self._decimal)[keep] * (self._per_psi or per_psi(name))
            elif role in FLAGS:
                values[role] = _flags(column(role))[keep]
        self._grown.add(t_s[keep], values)


class Growing:
    """Arrays that grow: as they came while there are few samples, averaged over a tenth of a second when many."""

    def __init__(self, most: int = _MOST_WHOLE) -> None:
        self._most = most
        self._blocks: list[tuple[Series, dict[str, Series]]] = []
        self._last_s = -np.inf
        self._samples = 0

    def add(self, t_s: Series, values: dict[str, Series]) -> None:
        """So many samples more. Raises TraceError where time jumps back."""
        if not t_s.size:
            return
        t_s, values = _rising(self._last_s, t_s, values)
        if not t_s.size:
            return
        self._last_s = float(t_s[-1])
        self._blocks.append((t_s, values))
        self._samples += t_s.size
        if self._samples > self._most:
            self._thin()

    def recording(self, began_at: dt.datetime | None = None) -> Recording:
        """All of it. Raises TraceError for what is no recording."""
        t_s, values = self._whole()
        return Recording(
            t_s,
            {name: values[name] for name in NEEDLES if name in values},
            {name: np.round(values[name]) for name in FLAGS if name in values},
            began_at=began_at,
        )

    def _whole(self) -> tuple[Series, dict[str, Series]]:
        if not self._blocks:
            return np.array([]), {}
        names = self._blocks[0][1]
        return (
            np.concatenate([t_s for t_s, _ in self._blocks]),
            {name: np.concatenate([values[name] for _, values in self._blocks]) for name in names},
        )

    def _thin(self) -> None:
        t_s, values = self._whole()
        places = np.floor(t_s * GRID_HZ)
        starts = np.flatnonzero(np.concatenate([[True], np.diff(places) > 0]))
        if starts.size > self._most * _TOO_THICK:
            raise TraceError("t_s", f"has more than {self._most} tenths of a second: cut it to the days that matter")
        self._blocks = [(t_s[starts], {name: _averaged(one, starts) for name, one in values.items()})]
        self._samples = starts.size


def _averaged(values: Series, starts: NDArray[np.intp]) -> Series:
    known = np.isfinite(values)
    sums = np.add.reduceat(np.where(known, values, 0.0), starts)
    counts = np.add.reduceat(known.astype(float), starts)
    return np.where(counts > 0, sums / np.maximum(counts, 1.0), np.nan)


def guess(names: Sequence[str]) -> dict[str, str]:
    """What each column is, by its name: the first that fits. Two times are refused; the rest is left aside."""
    plain = {name: re.sub(r"[^a-z0-9]+", "_", name.lower()).strip("_") for name in names}
    taken: dict[str, str] = {}
    times = [name for name, text in plain.items() if text in _TIMES]
    if len(times) > 1 and "t_s" not in (plain[one] for one in times):
        raise TraceError("t_s", f"may be {' or '.join(times)}: say which column is the time")
    if times:
        taken["time"] = next((one for one in times if plain[one] == "t_s"), times[0])
    for needle, words in NEEDLES.items():
        for name, text in plain.items():
            bare = re.sub(r"_?(psi|kpa|bar|mpa|true)\b|_(psi|kpa|bar|mpa)$", "", text)
            if any(bare == word or bare.startswith(f"{word}_") for word in words) and name not in taken.values():
                taken.setdefault(needle, name)
    for flag, words in FLAGS.items():
        found = next((name for name, text in plain.items() if text in words), None)
        if found is not None:
            taken[flag] = found
    if "primary" not in taken:
        pressures = [name for name, text in plain.items() if text.rsplit("_", 1)[-1] in _UNITS]
        if pressures:
            taken["primary"] = pressures[0]
    return taken


def per_psi(name: str) -> float:
    """How many psi one of a column's unit is, by the end of its name; psi where it says nothing."""
    unit = re.sub(r"[^a-z]", "", name.lower().rsplit("_", 1)[-1].rsplit(" ", 1)[-1])
    if unit == "mpa":
        return to_psi(1000.0, "kpa")
    return to_psi(1.0, "kpa") if unit == "kpa" else to_psi(1.0, "bar") if unit == "bar" else 1.0


def unit_chosen(unit: str | None) -> float | None:
    """How many psi one of a unit is that somebody named; None where nobody did. Raises TraceError."""
    if unit is None:
        return None
    if unit.strip().lower() not in _UNITS:
        raise TraceError("unit", f"is {unit[:20]!r}; choose one of {', '.join(_UNITS)}")
    return per_psi(f"_{unit.strip().lower()}")


class Times:
    """Seconds from numbers, ISO instants or a clock (``14:03:07.5``), of one column, block by block."""

    def __init__(self, name: str, decimal: str) -> None:
        self._name, self._decimal = name, decimal
        self._zero: dt.datetime | None = None
        self._first_s: float | None = None
        self._last_s, self._midnights = 0.0, 0

    @property
    def began_at(self) -> dt.datetime | None:
        """The moment of second 0; a clock without a zone says none."""
        return self._zero if self._zero is not None and self._zero.tzinfo is not None else None

    def of(self, texts: Sequence[str]) -> Series:
        """The times of a block. Raises TraceError for what is none."""
        first = next((text for text in texts if text.strip()), "")
        if ":" not in first:
            return _numbers(texts, self._name, self._decimal)
        if "T" in first or "-" in first:
            return self._instants(texts)
        seconds = np.array([_clock(text, self._name) for text in texts])
        if self._first_s is None:
            self._first_s = self._last_s = float(seconds[0])
        past = np.diff(seconds, prepend=self._last_s) < -_HALF_A_DAY_S
        wraps = self._midnights + np.cumsum(past)
        self._last_s, self._midnights = float(seconds[-1]), int(wraps[-1])
        return np.asarray(seconds + wraps * 86_400.0 - self._first_s, dtype=np.float64)

    def _instants(self, texts: Sequence[str]) -> Series:
        moments = [_instant(text, self._name) for text in texts]
        self._zero = zero = self._zero or next(one for one in moments if one is not None)
        try:
            return np.array([np.nan if one is None else (one - zero).total_seconds() for one in moments])
        except TypeError:
            raise TraceError(self._name, "mixes times with and without a time zone: use one form") from None


_HALF_A_DAY_S = 43_200


def _instant(text: str, name: str) -> dt.datetime | None:
    if not text.strip():
        return None
    try:
        return dt.datetime.fromisoformat(text.strip().replace("Z", "+00:00"))
    except ValueError:
        raise TraceError(name, f"holds {text[:30]!r}, which isn't a time") from None


def _clock(text: str, name: str) -> float:
    parts = text.strip().replace(",", ".").split(":")
    try:
        numbers = [float(part) for part in parts]
    except ValueError:
        raise TraceError(name, f"holds {text[:30]!r}, which isn't a time") from None
    return float(sum(number * 60.0**place for place, number in enumerate(reversed(numbers))))


def _numbers(texts: Sequence[str], name: str, decimal: str) -> Series:
    if decimal == ".":
        try:
            return _finite(np.array(texts, dtype=np.float64))  # all of them numbers, as nearly always
        except ValueError:
            pass
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
        raise TraceError(name, f"holds {texts[0][:30]!r}, which aren't numbers")
    return _finite(values)


def _finite(values: Series) -> Series:
    values[~np.isfinite(values)] = np.nan
    return values


def _flags(texts: Sequence[str]) -> Series:
    return np.array([1.0 if text.strip().lower() in _TRUE else 0.0 for text in texts])


def _rising(after_s: float, t_s: Series, values: dict[str, Series]) -> tuple[Series, dict[str, Series]]:
    """Without samples that repeat a time. Raises TraceError where time jumps back."""
    steps = np.diff(t_s, prepend=after_s)
    back = np.flatnonzero(steps < 0)
    if back.size:
        at = int(back[0])
        before_s = t_s[at - 1] if at else after_s
        raise TraceError("t_s", f"jumps back from {before_s:g} to {t_s[at]:g} s: cut the file there")
    keep = steps > 0
    return t_s[keep], {name: one[keep] for name, one in values.items()}

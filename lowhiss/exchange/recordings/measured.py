"""Measurement files (MDF 3 and 4): channels chosen by name and unit.

They are read by a process of their own: what a cut file does to its reader stays there.
"""

from __future__ import annotations

import datetime as dt
import io
import json
import subprocess
import sys
from collections.abc import Mapping
from pathlib import Path

import numpy as np

from lowhiss.core.units import to_psi
from lowhiss.exchange.recordings.columns import guess, unit_chosen
from lowhiss.exchange.recordings.source import Source
from lowhiss.trace.recording import Recording, Series, TraceError

_PER_PSI = {"kpa": to_psi(1.0, "kpa"), "bar": to_psi(1.0, "bar"), "mpa": to_psi(1000.0, "kpa")}
_LONGEST_S = 300.0
_REFUSED = 3
"""What the process of its own ends with where it has a sentence to say; anything else is a crash."""
_FLAGS = ("tractor_in", "trailer_in", "lamp")


def read_measured(source: Source, chosen: Mapping[str, str] | None) -> tuple[Recording, dict[str, str], list[str]]:
    """Channels of a measurement file on the times of its primary pressure. Raises TraceError."""
    with source.as_path() as path:
        asked = [sys.executable, "-m", __name__, str(path), json.dumps(dict(chosen or {}))]
        try:
            answer = subprocess.run(asked, capture_output=True, timeout=_LONGEST_S, check=False)
        except subprocess.TimeoutExpired:
            raise TraceError("file", "takes too long to read") from None
    if answer.returncode != 0:
        lines = answer.stdout.decode(errors="replace").splitlines()
        refused = answer.returncode == _REFUSED and lines
        told = json.loads(lines[-1]) if refused else ["file", "is a cut or broken measurement file"]
        raise TraceError(*told)
    with np.load(io.BytesIO(answer.stdout)) as arrays:
        columns: dict[str, str] = json.loads(str(arrays["columns"]))
        names: list[str] = json.loads(str(arrays["names"]))
        began = float(arrays["began"])
        on: dict[str, Series] = {
            name: np.asarray(arrays[name], float) for name in arrays.files if name not in ("columns", "names")
        }
    needles: dict[str, Series] = {name: on[name] for name in ("primary", "secondary") if name in on}
    flags = {name: np.round(on[name]) for name in _FLAGS if name in on}
    at = None if np.isnan(began) else dt.datetime.fromtimestamp(began, dt.UTC)
    return Recording(on["t_s"], needles, flags, began_at=at), columns, names


def _told(path: Path, chosen: Mapping[str, str]) -> dict[str, np.ndarray]:
    """What the process of its own reads."""
    from asammdf import MDF  # takes a second to load, and only here

    with MDF(path) as file:
        names = [name for name in file.channels_db if name.lower() not in ("time", "t", "timestamps")]
        wanted = dict(chosen)
        unit = unit_chosen(wanted.pop("unit", None))
        taken = {**guess([*names, "t_s"]), **wanted}
        began = file.header.start_time
        signals = {role: file.get(name) for role, name in taken.items() if name in names}
    if "primary" not in signals:
        raise TraceError("primary_psi", f"is missing: none of {', '.join(names)[:120]} is a pressure")
    t_s = np.asarray(signals["primary"].timestamps, float)
    keep = np.concatenate([[True], np.diff(t_s) > 0])
    start = np.array(began.timestamp() + float(t_s[0]) if began.tzinfo is not None else np.nan)
    found = {
        "names": np.array(json.dumps(names)),
        "began": start,
        "t_s": t_s[keep] - t_s[0],
        "columns": np.array(json.dumps({role: taken[role] for role in signals})),
    }
    for role, signal in signals.items():
        psi = (unit or _per_psi(taken[role], str(signal.unit))) if role in ("primary", "secondary") else 1.0
        found[role] = (
            np.interp(t_s, np.asarray(signal.timestamps, float), np.asarray(signal.samples, float))[keep] * psi
        )
    return found


def _per_psi(name: str, unit: str) -> float:
    known = (unit or name.rsplit("_", 1)[-1]).strip().lower()
    return _PER_PSI.get(known, 1.0)


def _main() -> int:
    try:
        arrays = _told(Path(sys.argv[1]), json.loads(sys.argv[2]))
    except TraceError as error:
        print(json.dumps([error.field, error.problem]))
        return _REFUSED
    np.savez(sys.stdout.buffer, allow_pickle=False, **arrays)
    return 0


if __name__ == "__main__":
    sys.exit(_main())

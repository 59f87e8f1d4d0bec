"""The vehicle's own network: pressures out of a CAN log, decoded by a small table of our own or one that is named.

SAE J1939-71 from memory: AIR1 (PGN 65198) tells pressures in steps of 8 kPa, 0xFE an error, 0xFF nothing.
"""

from __future__ import annotations

import tempfile
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import can
import cantools
import numpy as np

from lowhiss.core.units import to_psi
from lowhiss.trace.recording import Recording, TraceError

DBC = Path(__file__).with_name("j1939.dbc")
_AIR1_PGN, _PGN_MASK = 65198, 0x3FFFF
_ERROR = 0xFE
_LATE = 1e9
"""Times beyond this are seconds since an epoch: the first of them is the beginning."""


def read_network(data: bytes, suffix: str, chosen: Mapping[str, str] | None) -> tuple[Recording, dict[str, str]]:
    """Circuit pressures by the time of their message; of several senders the one that tells most, or the one named.

    chosen : ``sender``, a source address as 0 to 255 or 0x0b. Raises TraceError.
    """
    air1 = cantools.database.can.Database()
    air1.add_dbc_file(str(DBC))
    message = air1.get_message_by_name("AIR1")
    told: dict[int, list[tuple[float, bytes]]] = {}
    for at_s, identifier, payload in _messages(data, suffix):
        if identifier >> 8 & _PGN_MASK == _AIR1_PGN and len(payload) >= 4:
            told.setdefault(identifier & 0xFF, []).append((at_s, payload))
    if not told:
        raise TraceError("file", "holds no message with brake pressures (AIR1, PGN 65198)")
    sender = _sender(told, (chosen or {}).get("sender"))
    frames = told[sender]
    columns = {name: np.array([_pressure(message, name, payload) for _, payload in frames]) for name in _NEEDLES}
    needles = {name.removesuffix("_kpa"): values for name, values in columns.items() if np.isfinite(values).any()}
    t_s = np.array([at_s for at_s, _ in frames])
    t_s = t_s - t_s[0] if t_s[0] > _LATE else t_s
    keep = np.concatenate([[True], np.diff(t_s) > 0])
    shown = {"time": "message", **dict.fromkeys(needles, f"AIR1 of 0x{sender:02x}"), "sender": f"0x{sender:02x}"}
    if len(told) > 1:
        shown["senders"] = ", ".join(f"0x{one:02x} ({len(told[one])})" for one in sorted(told))
    return Recording(t_s[keep], {name: values[keep] for name, values in needles.items()}), shown


_NEEDLES = ("primary_kpa", "secondary_kpa")


def _messages(data: bytes, suffix: str) -> list[tuple[float, int, bytes]]:
    with tempfile.NamedTemporaryFile(suffix=suffix) as kept:
        kept.write(data)
        kept.flush()
        try:
            with can.LogReader(kept.name) as log:
                return [(one.timestamp, one.arbitration_id, bytes(one.data)) for one in log if one.is_extended_id]
        except (ValueError, KeyError, IndexError, OSError, NotImplementedError) as broken:
            raise TraceError("file", "is a cut or broken CAN log") from broken


def _sender(told: Mapping[int, list[Any]], named: str | None) -> int:
    if named is None:
        return max(told, key=lambda one: len(told[one]))
    try:
        sender = int(named, 0)
    except ValueError:
        raise TraceError("sender", f"is {named[:20]!r}; it is an address such as 0x0b") from None
    if sender not in told:
        raise TraceError("sender", f"is 0x{sender:02x}; there are {', '.join(f'0x{one:02x}' for one in sorted(told))}")
    return sender


def _pressure(message: Any, name: str, payload: bytes) -> float:
    signal = message.get_signal_by_name(name)
    if payload[signal.start // 8] >= _ERROR:
        return float("nan")
    kpa = message.decode(payload[:8].ljust(8, b"\xff"), decode_choices=False)[name]
    return to_psi(float(kpa), "kpa")

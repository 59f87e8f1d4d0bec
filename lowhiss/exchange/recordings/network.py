"""The vehicle's own network: CAN logs decoded by our small description of J1939 messages, or one that is named.

SAE J1939-71 from memory: AIR1 (PGN 65198) tells pressures in steps of 8 kPa, 0xFE an error, 0xFF nothing.
"""

from __future__ import annotations

import datetime as dt
import functools
from array import array
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import can
import cantools
import numpy as np

from lowhiss.exchange.recordings.columns import FLAGS, NEEDLES, Growing, guess, per_psi
from lowhiss.exchange.recordings.source import Source
from lowhiss.trace.recording import Recording, Series, TraceError

DBC = Path(__file__).with_name("j1939.dbc")
_PGN_MASK = 0x3FFFF
_ERROR = 0xFE
_LATE = 1e9
"""Times beyond this are seconds since an epoch: the first of them is the beginning."""
_TELL_EVERY = 50_000
_MOST_DECODED = 4096
_BYTE = 8
_MOST_DBC_BYTES = 4 * 1024 * 1024


@dataclass(slots=True)
class _Sender:
    """What one sender told: the times and payloads of the message that holds the primary pressure."""

    t_s: array[float] = field(default_factory=lambda: array("d"))
    payloads: list[bytes] = field(default_factory=list)


def read_network(source: Source, chosen: Mapping[str, str] | None) -> tuple[Recording, dict[str, str], list[str]]:
    """Circuit pressures by the time of their message; of several senders the one that tells most, or the one named.

    chosen : ``sender``, a source address as 0 to 255 or 0x0b; ``dbc``, the text of a description of messages in place
    of ours; names of signals for ``primary`` and so on. Raises TraceError.
    """
    wanted = dict(chosen or {})
    sender_named, described = wanted.pop("sender", None), wanted.pop("dbc", None)
    wanted.pop("unit", None)  # what a message means is described, not chosen
    message, roles = _message_of(_database(described), wanted)
    told: dict[int, _Sender] = {}
    # the few payloads that repeat are kept once: pressures move in steps
    same: dict[bytes, bytes] = {}
    for at_s, identifier, payload in _messages(source, message):
        one = told.setdefault(identifier & 0xFF if message.is_extended_frame else 0, _Sender())
        one.t_s.append(at_s)
        one.payloads.append(same.setdefault(payload, payload))
    if not told:
        raise TraceError("file", f"has no message with brake pressures ({_called(message)})")
    sender = _sender(told, sender_named)
    values = _decoded(message, roles, told[sender].payloads)
    t_s = np.frombuffer(told[sender].t_s, np.float64)
    # what counts from an epoch is told from its own beginning
    dated = t_s[0] > _LATE
    began_at = dt.datetime.fromtimestamp(float(t_s[0]), dt.UTC) if dated else None
    grown = Growing()
    grown.add(t_s - t_s[0] if dated else t_s, values)
    names = {role: f"{roles[role]} of 0x{sender:02x}" for role in values}
    shown = {"time": "message", **names, "sender": f"0x{sender:02x}"}
    if len(told) > 1:
        shown["senders"] = ", ".join(f"0x{one:02x} ({len(told[one].payloads)})" for one in sorted(told))
    return grown.recording(began_at), shown, [signal.name for signal in message.signals]


def _database(described: str | None) -> Any:
    database = cantools.database.can.Database()
    if described is None:
        database.add_dbc_file(str(DBC))
        return database
    try:
        database.add_dbc_string(described[:_MOST_DBC_BYTES])
    except Exception as broken:  # its grammar raises what it likes
        raise TraceError("dbc", "isn't a readable message definition file") from broken
    return database


def _message_of(database: Any, chosen: Mapping[str, str]) -> tuple[Any, dict[str, str]]:
    """The message that holds the primary pressure, and which of its signals is what. Raises TraceError."""
    for message in database.messages:
        names = [signal.name for signal in message.signals]
        roles = {role: name for role, name in {**guess([*names, "t_s"]), **chosen}.items() if name in names}
        signal = next((one for one in message.signals if one.name == roles.get("primary")), None)
        if signal is not None and (signal.unit or "").lower() in ("kpa", "psi", "bar", "mpa"):
            return message, {role: name for role, name in roles.items() if role in NEEDLES or role in FLAGS}
    named = ", ".join(signal.name for message in database.messages for signal in message.signals)
    raise TraceError("dbc", f"defines no message with a primary pressure; its signals are {named[:120]}")


def _called(message: Any) -> str:
    if message.is_extended_frame:
        return f"{message.name}, PGN {message.frame_id >> _BYTE & _PGN_MASK}"
    return f"{message.name}, 0x{message.frame_id:03x}"


def _messages(source: Source, message: Any) -> Iterator[tuple[float, int, bytes]]:
    """Every message of this kind, of any sender; nothing else is held."""
    extended, wanted = message.is_extended_frame, message.frame_id
    pgn = wanted >> _BYTE & _PGN_MASK
    with source.as_path() as path:
        try:
            with can.LogReader(path) as log:
                for place, one in enumerate(log):
                    if place % _TELL_EVERY == 0:
                        source.told(0)  # how far it is nobody knows, but it may be stopped
                    same = one.arbitration_id >> _BYTE & _PGN_MASK == pgn if extended else one.arbitration_id == wanted
                    if one.is_extended_id == extended and same and len(one.data) >= _BYTE // 2:
                        yield one.timestamp, one.arbitration_id, bytes(one.data)
        except (ValueError, KeyError, IndexError, OSError, NotImplementedError) as broken:
            raise TraceError("file", "is a cut or broken CAN log") from broken


def _sender(told: Mapping[int, _Sender], named: str | None) -> int:
    if named is None:
        return max(told, key=lambda one: len(told[one].payloads))
    try:
        sender = int(named, 0)
    except ValueError:
        raise TraceError("sender", f"is {named[:20]!r}; it is an address such as 0x0b") from None
    if sender not in told:
        raise TraceError(
            "sender", f"is 0x{sender:02x}; choose one of {', '.join(f'0x{one:02x}' for one in sorted(told))}"
        )
    return sender


def _decoded(message: Any, roles: Mapping[str, str], payloads: list[bytes]) -> dict[str, Series]:
    """The needles in psi and the states, by what they are; one that was never told is left out."""
    signals = {signal.name: signal for signal in message.signals}

    @functools.lru_cache(_MOST_DECODED)
    def of(payload: bytes) -> tuple[float, ...]:
        told = message.decode(payload[: message.length].ljust(message.length, b"\xff"), decode_choices=False)
        return tuple(
            _psi(signals[name], float(told[name]), payload) if role in NEEDLES else float(bool(told[name]))
            for role, name in roles.items()
        )

    values = np.array([of(payload) for payload in payloads])
    found = {role: values[:, place] for place, role in enumerate(roles)}
    return {role: one for role, one in found.items() if np.isfinite(one).any()}


def _psi(signal: Any, value: float, payload: bytes) -> float:
    """In psi; of a whole byte 0xFE is an error and 0xFF nothing."""
    whole = signal.length == _BYTE and signal.start % _BYTE == 0
    if whole and payload[signal.start // _BYTE] >= _ERROR:
        return float("nan")
    return value * per_psi(f"_{signal.unit}")

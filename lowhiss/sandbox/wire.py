"""What goes between a server and a sandboxed child: JSON, numbers and bytes, never an object.

A child's answer is a row of frames, each a letter, a length and so many bytes: ``P`` how far it is, ``E`` an error,
``R`` the result's JSON, then ``A`` once for each of its arrays.
"""

from __future__ import annotations

import json
import struct
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, BinaryIO

import numpy as np

_HEAD = struct.Struct("!cQ")
HEAD_BYTES = _HEAD.size
Blob = bytes | np.ndarray[Any, Any]


@dataclass(frozen=True, slots=True)
class Request:
    """What a child is asked. suffix : what the file's name ends in.  cpu_s : processor time it may take."""

    reader: str
    suffix: str
    cpu_s: int
    args: dict[str, Any]


def head_of(data: bytes) -> tuple[bytes, int]:
    """A frame's letter and length."""
    letter, length = _HEAD.unpack(data)
    return letter, length


def _send(out: BinaryIO, letter: bytes, data: bytes | memoryview) -> None:
    out.write(_HEAD.pack(letter, len(data)))
    view = memoryview(data)
    while view:
        view = view[out.write(view[: 1 << 20]) :]


def send_progress(out: BinaryIO, done: int) -> None:
    """How many bytes were read."""
    _send(out, b"P", str(done).encode())


def send_error(out: BinaryIO, kind: str, field: str, problem: str) -> None:
    """Why there is no result."""
    _send(out, b"E", json.dumps([kind, field, problem]).encode())


def send_result(out: BinaryIO, meta: Mapping[str, Any], arrays: Mapping[str, Blob]) -> None:
    """The result and its arrays."""
    kinds = [[name, "bytes" if isinstance(one, bytes) else "numbers"] for name, one in arrays.items()]
    _send(out, b"R", json.dumps({"meta": meta, "arrays": kinds}, ensure_ascii=True).encode())
    for one in arrays.values():
        _send(out, b"A", one if isinstance(one, bytes) else np.ascontiguousarray(one, "<f8").tobytes())

"""What a practice vehicle hides: drawn by a seed from a pool, named by a code, and sworn to before the drive."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from lowhiss.core.errors import CoreError

HEALTHY = "healthy"
_LETTERS = "ABCDEFGHJKLMNPQRSTUVWXYZ"
"""Without I and O, which are read as digits."""
_CODE_LENGTH = 6


class PracticeError(CoreError):
    """A practice cannot be as asked; ``field`` names what is wrong."""


@dataclass(frozen=True, slots=True)
class PracticeData:
    """The pools, each with the weight of every fault in it, their titles, and how marks are held to the truth."""

    pools: Mapping[str, Mapping[str, float]]
    titles: Mapping[str, Mapping[str, str]]
    marks: Mapping[str, float]


def read_practice_data(table: Mapping[str, Any]) -> PracticeData:
    """The pools from their table, those made of others worked out."""
    pools: dict[str, Mapping[str, float]] = {}
    for name, pool in table["pool"].items():
        if "faults" in pool:
            pools[name] = pool["faults"]
    for name, pool in table["pool"].items():
        if "of" in pool:
            pools[name] = _mixed(pool, pools)
    titles = {name: pool["title"] for name, pool in table["pool"].items()}
    return PracticeData({name: pools[name] for name in table["pool"]}, titles, table["marks"])


def _mixed(pool: Mapping[str, Any], pools: Mapping[str, Mapping[str, float]]) -> dict[str, float]:
    found: dict[str, float] = {HEALTHY: pool["healthy"]}
    for name, weight in pool["of"].items():
        faulty = {fault: share for fault, share in pools[name].items() if fault != HEALTHY}
        whole = sum(faulty.values())
        for fault, share in faulty.items():
            found[fault] = found.get(fault, 0.0) + weight * share / whole
    return found


def draw(data: PracticeData, pool: str, seed: int, possible: frozenset[str]) -> list[str]:
    """The faults that a seed draws from a pool: none or one. The same seed draws the same, on every machine.

    possible : faults that this vehicle can have at all.  Raises PracticeError for a pool that there is not.
    """
    if pool not in data.pools:
        raise PracticeError("pool", f"is {str(pool)[:40]!r}; choose one of {', '.join(data.pools)}")
    weights = {
        fault: weight
        for fault, weight in data.pools[pool].items()
        if fault == HEALTHY or fault.partition(":")[0] in possible
    }
    digest = hashlib.sha256(f"{pool} {seed}".encode()).digest()
    place = int.from_bytes(digest[:8], "big") / 2**64 * sum(weights.values())
    for fault, weight in weights.items():
        place -= weight
        if place < 0:
            return [] if fault == HEALTHY else [fault]
    return []


def code_of(data: PracticeData, pool: str, seed: int) -> str:
    """Six letters that set a vehicle up: the pool and the seed, with nothing of what is drawn to be read from them.

    >>> data = PracticeData({"leaks": {}, "points": {}}, {}, {})
    >>> read_code(data, code_of(data, "points", 1234))
    ('points', 1234)
    """
    number = list(data.pools).index(pool) + len(data.pools) * (seed % _seeds(data))
    letters = ""
    for _ in range(_CODE_LENGTH):
        number, place = divmod(number, len(_LETTERS))
        letters += _LETTERS[place]
    return letters


def read_code(data: PracticeData, code: str) -> tuple[str, int]:
    """The pool and the seed that a code stands for. Raises PracticeError for one that cannot be."""
    letters = "".join(str(code).upper().split())
    if len(letters) != _CODE_LENGTH or any(letter not in _LETTERS for letter in letters):
        raise PracticeError("code", f"is {str(code)[:20]!r}; it is six letters, without I and O")
    number = 0
    for letter in reversed(letters):
        number = number * len(_LETTERS) + _LETTERS.index(letter)
    seed, place = divmod(number, len(data.pools))
    return list(data.pools)[place], seed


def _seeds(data: PracticeData) -> int:
    seeds: int = len(_LETTERS) ** _CODE_LENGTH // len(data.pools)
    return seeds


def commitment(salt: str, faults: list[str]) -> str:
    """What is shown before a drive and opened after it: SHA-256 of salt and faults, so that nobody can have changed it.

    >>> commitment("salt", []) == commitment("salt", ["water"])
    False
    """
    return hashlib.sha256(f"{salt} {' '.join(faults)}".encode()).hexdigest()

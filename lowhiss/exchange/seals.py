"""Seals as a file, and checking them without a database. The format is explained in ``docs/seal.md``.

A seal is a text of canonical JSON (RFC 8785), its SHA-256, and an Ed25519 signature over the text (RFC 8032).
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import rfc8785
from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PublicKey

SEAL_FORMAT = "low-hiss-seal/1"
FILE_FORMAT = "low-hiss-seals/1"
FIRST = "0" * 64
"""What the first seal names as the one before it."""


class SealError(ValueError):
    """A file that holds no seals; one sentence."""


@dataclass(frozen=True, slots=True)
class Seal:
    """One seal. document : the canonical JSON, as it was sealed.  signature : hex.  key : the id of the signing key."""

    place: int
    document: str
    sha256: str
    key: str
    signature: str

    def as_dict(self) -> dict[str, Any]:
        """As it stands in a file."""
        return {
            "place": self.place,
            "sha256": self.sha256,
            "key": self.key,
            "signature": self.signature,
            "document": self.document,
        }


@dataclass(frozen=True, slots=True)
class Problem:
    """What is wrong, and where.

    place : of the seal, 0 for the chain as a whole.  notice : it is no change of anything sealed, but must be known.
    """

    place: int
    sentence: str
    notice: bool = False


def canonical(document: Mapping[str, Any]) -> str:
    """The one text of this document (RFC 8785)."""
    return rfc8785.dumps(dict(document)).decode()


def digest(document: str) -> str:
    """The SHA-256 of a seal's text, hex."""
    return hashlib.sha256(document.encode()).hexdigest()


def key_id(public: str) -> str:
    """What a public key (hex) is called: the beginning of its SHA-256."""
    return hashlib.sha256(bytes.fromhex(public)).hexdigest()[:16]


def file_of(seals: Iterable[Seal], keys: Mapping[str, str], whole: bool) -> dict[str, Any]:
    """Seals as a file. keys : each public key (hex) by its id.  whole : it is all of the chain from its beginning."""
    return {"format": FILE_FORMAT, "whole": whole, "keys": dict(keys), "seals": [one.as_dict() for one in seals]}


def read_file(data: bytes) -> tuple[list[Seal], dict[str, str], bool]:
    """The seals, public keys and whether the chain is whole. Raises SealError."""
    try:
        table = json.loads(data)
        if table["format"] != FILE_FORMAT:
            raise SealError(f"isn't a seal file: its format is {str(table['format'])[:40]!r}, not {FILE_FORMAT}")
        seals = [
            Seal(int(one["place"]), one["document"], one["sha256"], one["key"], one["signature"])
            for one in table["seals"]
        ]
        keys = {str(name): str(public) for name, public in table["keys"].items()}
        if not all(isinstance(one.document, str) for one in seals):
            raise TypeError
        return seals, keys, bool(table.get("whole"))
    except SealError:
        raise
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError):
        raise SealError("isn't a seal file, or is incomplete") from None


def check(
    seals: Sequence[Seal],
    keys: Mapping[str, str],
    *,
    whole: bool,
    head: str | None = None,
    trusted: Sequence[str] = (),
) -> list[Problem]:
    """Everything that is wrong with these seals by themselves.

    whole : they are all there are, so that none may be missing.  head : the hash of the last one, kept elsewhere.
    trusted : ids of keys as the installation published them; a key that one of them handed over to counts too.
    """
    problems = [found for one in seals for found in wrong_with(one, keys)]
    if trusted:
        problems += _untrusted(seals, set(trusted))
    before: Seal | None = None
    for one in seals:
        problems += out_of_chain(before, one, whole=whole)
        before = one
    if whole and seals and seals[0].place != 1:
        problems.append(Problem(0, f"the chain begins with seal {seals[0].place}: seal 1 is missing"))
    if head is not None and head not in {one.sha256 for one in seals}:
        problems.append(Problem(0, f"the saved head, {head[:16]}, doesn't match any of these seals"))
    return problems


def _untrusted(seals: Sequence[Seal], trusted: set[str]) -> list[Problem]:
    """Seals by a key that is neither published nor handed over to by a published one."""
    problems = []
    for seal in seals:
        if seal.key not in trusted:
            problems.append(Problem(seal.place, f"its key {seal.key} isn't the published one"))
            continue
        try:
            document = json.loads(seal.document)
            if document["kind"] == "key" and not document["lost"]:
                trusted.add(key_id(document["new_key"]))
        except (ValueError, KeyError, TypeError):
            continue  # said of the seal itself
    return problems


def wrong_with(seal: Seal, keys: Mapping[str, str]) -> list[Problem]:
    """What is wrong with a seal by itself."""
    found = []
    if digest(seal.document) != seal.sha256:
        found.append("its text differs from the sealed text: the hashes differ")
    public = keys.get(seal.key)
    if public is None:
        found.append(f"its key {seal.key} isn't among the keys")
    elif not _signed(seal, public):
        found.append("its signature doesn't match its text")
    try:
        document = json.loads(seal.document)
        if canonical(document) != seal.document:
            found.append("its text isn't in canonical form")
        if document["place"] != seal.place:
            found.append(f"its text says seal {document['place']}")
        if document["key"] != seal.key:
            found.append("it names a different key than the one that signed it")
    except (ValueError, KeyError, TypeError, RecursionError):
        found.append("its text isn't a seal document")
    return [Problem(seal.place, sentence) for sentence in found]


def _signed(seal: Seal, public: str) -> bool:
    try:
        if key_id(public) != seal.key:
            return False
        Ed25519PublicKey.from_public_bytes(bytes.fromhex(public)).verify(
            bytes.fromhex(seal.signature), seal.document.encode()
        )
    except (InvalidSignature, ValueError):
        return False
    return True


def out_of_chain(before: Seal | None, seal: Seal, *, whole: bool) -> list[Problem]:
    """What is wrong with a seal's place after the one before it."""
    try:
        previous = json.loads(seal.document)["previous"]
    except (ValueError, KeyError, TypeError, RecursionError):
        return []  # said of the seal itself
    if before is None:
        if seal.place == 1 and previous != FIRST:
            return [Problem(1, "it is the first seal but names an earlier one")]
        return []
    if seal.place <= before.place:
        return [Problem(seal.place, f"it comes after seal {before.place}: the order was changed")]
    if seal.place > before.place + 1:
        if not whole:
            return []
        return [
            Problem(missing, "is missing: the seals before and after it are here, but it isn't")
            for missing in range(before.place + 1, min(seal.place, before.place + 1000))
        ]
    if previous != before.sha256:
        return [Problem(seal.place, f"it doesn't name seal {before.place}, which comes before it")]
    return []


def differences(sealed: Any, now: Any, where: str = "") -> list[str]:
    """Where two plain values differ, each as one sentence: the path, what was sealed, and what is there now."""
    if isinstance(sealed, dict) and isinstance(now, dict):
        found = []
        for key in sorted({*sealed, *now}):
            path = f"{where}.{key}" if where else key
            if key not in now:
                found.append(f"{path}: is missing")
            elif key not in sealed:
                found.append(f"{path}: was added")
            else:
                found += differences(sealed[key], now[key], path)
        return found
    if isinstance(sealed, list) and isinstance(now, list):
        found = [
            one
            for place, pair in enumerate(zip(sealed, now, strict=False))
            for one in differences(*pair, f"{where}[{place}]")
        ]
        if len(sealed) != len(now):
            found.append(f"{where}: held {len(sealed)}, now {len(now)}")
        return found
    if sealed != now or isinstance(sealed, bool) is not isinstance(now, bool):
        return [f"{where}: sealed {_short(sealed)}, now {_short(now)}"]
    return []


def _short(value: Any) -> str:
    text = json.dumps(value, ensure_ascii=False)
    return text if len(text) <= 60 else f"{text[:57]}…"

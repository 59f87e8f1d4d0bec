"""Proofs of authorship: each mark is signed when it is made, by a key of the session in which it was made.

A browser makes the key when somebody signs in and never shows its private half (WebCrypto, ECDSA P-256). It is deleted
at sign-out and when the person changes, so that nobody later makes a mark in the name of the one before.
"""

from __future__ import annotations

import base64
import binascii
import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import rfc8785
from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.hazmat.primitives.asymmetric.utils import encode_dss_signature
from sqlalchemy import select
from sqlalchemy.orm import Session

from lowhiss.engine.clocks import Instant
from lowhiss.service.errors import RefusedError
from lowhiss.service.people import secrets
from lowhiss.store.engine import Store
from lowhiss.store.people_models import PresenceKeyRow, PresenceRow

MAX_KEYS_OF_SESSION = 20
_POINT_BYTES = 65
_SIGNATURE_BYTES = 64


@dataclass(frozen=True, slots=True)
class Proof:
    """A signature over a mark. key : the id of the session's key.  signature : base64, 64 bytes (r, s)."""

    key: str
    signature: str

    def as_dict(self) -> dict[str, str]:
        return {"key": self.key, "signature": self.signature}


def signed_text(log: str, mark_id: str, at: Instant, by: str, body: Mapping[str, Any]) -> bytes:
    """What is signed of a mark: canonical JSON (RFC 8785). log : the id of its run or inspection, or ``acts``.

    Raises ValueError for what no JSON can hold.
    """
    content: dict[str, Any] = {
        "log": log,
        "id": mark_id,
        "device": at.device,
        "epoch": at.epoch,
        "mono_s": at.mono_s,
        "wall_ms": round(at.wall.timestamp() * 1000),
        "by": by,
        "body": dict(body),
    }
    try:
        return rfc8785.dumps(content)
    except (rfc8785.CanonicalizationError, UnicodeEncodeError) as error:
        raise ValueError("can't be put into canonical form") from error


def save_key(store: Store, session_token: str, key_id: str, public: str) -> None:
    """Keep the public key (hex, an uncompressed point) that a browser made for its session.

    Raises RefusedError for one that is none, or for too many.
    """
    try:
        ec.EllipticCurvePublicKey.from_encoded_point(ec.SECP256R1(), bytes.fromhex(public))
        if len(bytes.fromhex(public)) != _POINT_BYTES:
            raise ValueError
    except ValueError:
        raise RefusedError("key_malformed", "public: this isn't a P-256 public key.", "public") from None
    with store.transaction() as session:
        hashed = secrets.token_hash(session_token)
        here = select(PresenceRow.id).where(PresenceRow.session_hash == hashed, PresenceRow.until_at.is_(None))
        presence = session.scalar(here.with_for_update())
        if presence is None:
            raise RefusedError("session_over", "Your session has ended. Sign in again.", "")
        known = session.get(PresenceKeyRow, key_id)
        if known is not None:
            if (known.presence_id, known.public) != (presence, public):
                raise RefusedError("key_used", "id: another key has this id.", "id")
            return
        kept = session.scalars(select(PresenceKeyRow.id).where(PresenceKeyRow.presence_id == presence)).all()
        if len(kept) >= MAX_KEYS_OF_SESSION:
            raise RefusedError("key_many", "This session has too many keys. Sign out and in again.", "id")
        moment = dt.datetime.now(dt.UTC)
        session.add(PresenceKeyRow(id=key_id, presence_id=presence, public=public, made_at=moment))


def public_key(session: Session, key_id: str) -> tuple[int, str] | None:
    """The presence that a key belongs to, and its public half; None where there is no such key."""
    row = session.get(PresenceKeyRow, key_id)
    return (row.presence_id, row.public) if row is not None else None


def holds(proof: Proof, public: str, text: bytes) -> bool:
    """Whether a proof is a signature by this key over this text."""
    try:
        raw = base64.b64decode(proof.signature, validate=True)
        if len(raw) != _SIGNATURE_BYTES:
            return False
        half = _SIGNATURE_BYTES // 2
        pair = encode_dss_signature(int.from_bytes(raw[:half], "big"), int.from_bytes(raw[half:], "big"))
        key = ec.EllipticCurvePublicKey.from_encoded_point(ec.SECP256R1(), bytes.fromhex(public))
        key.verify(pair, text, ec.ECDSA(hashes.SHA256()))
    except (InvalidSignature, ValueError, binascii.Error):
        return False
    return True

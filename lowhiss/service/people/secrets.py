"""Secrets: made, hashed, compared. Passwords and PINs by Argon2; random tokens and codes by SHA-256."""

from __future__ import annotations

import hashlib
import hmac
import secrets
from functools import cache

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError

_CODE_LETTERS = "ABCDEFGHJKLMNPQRSTUVWXYZ23456789"  # none that are mistaken for one another
_CODE_LENGTH = 12
_SHORT_LENGTH = 6


@cache
def make_hasher() -> PasswordHasher:
    """The hasher of passwords and PINs."""
    # one core at a time: a crowd that signs in must leave the others to whoever is in a cab
    return PasswordHasher(parallelism=1)


_hasher = make_hasher


@cache
def _nobodys_hash() -> str:
    return _hasher().hash(secrets.token_urlsafe(16))


def hash_password(password: str) -> str:
    return _hasher().hash(password)


def password_matches(kept: str | None, given: str) -> bool:
    """Whether the password is the one kept; takes as long when there is none to compare with."""
    try:
        return _hasher().verify(kept or _nobodys_hash(), given) and kept is not None
    except (VerificationError, InvalidHashError):
        return False


def new_token() -> str:
    """A token nobody can guess."""
    # in hexadecimal, because a token that begins with a dash would be taken for an option on a command line
    return secrets.token_hex(32)


def token_hash(token: str) -> str:
    """What is kept of a token."""
    return hashlib.sha256(token.encode()).hexdigest()


def csrf_token(session_token: str) -> str:
    """The word that a page of this session must add to every write."""
    return hashlib.sha256(f"csrf {session_token}".encode()).hexdigest()


def new_code() -> str:
    """A one-time code to read aloud or copy by hand: three groups of four."""
    letters = "".join(secrets.choice(_CODE_LETTERS) for _ in range(_CODE_LENGTH))
    return "-".join(letters[i : i + 4] for i in range(0, _CODE_LENGTH, 4))


def new_short_code() -> str:
    """A code that lasts minutes and is tried a few times at most: one in a thousand million."""
    return "".join(secrets.choice(_CODE_LETTERS) for _ in range(_SHORT_LENGTH))


def code_hash(code: str) -> str:
    """What is kept of a code; case and dashes do not count."""
    return token_hash("".join(c for c in code.upper() if c.isalnum()))


def same(one: str, other: str) -> bool:
    """Whether two words are the same, in a time that tells nothing about where they differ."""
    return hmac.compare_digest(one.encode(), other.encode())

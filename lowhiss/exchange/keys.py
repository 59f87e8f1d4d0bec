"""The installation's signing keys: files only we can read, made at first start, one of them in use."""

from __future__ import annotations

import contextlib
import datetime as dt
import fcntl
import logging
import os
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey, Ed25519PublicKey
from cryptography.hazmat.primitives.serialization import (
    Encoding,
    NoEncryption,
    PrivateFormat,
    PublicFormat,
    load_pem_private_key,
)

from lowhiss.exchange.seals import key_id

log = logging.getLogger(__name__)
_IN_USE = "in-use"
_HEAD = "head"
_RESTORED = "restored"


class KeyFileError(RuntimeError):
    """The keys cannot be used as they are; one clear sentence."""


@dataclass(frozen=True, slots=True)
class SigningKey:
    """A key that signs. public : hex."""

    id: str
    public: str
    private: Ed25519PrivateKey

    def sign(self, text: str) -> str:
        """The signature over a text, hex."""
        return self.private.sign(text.encode()).hex()


def is_signed(text: str, signature: str, public: str) -> bool:
    """Whether a signature (hex) over a text is by this public key (hex)."""
    try:
        Ed25519PublicKey.from_public_bytes(bytes.fromhex(public)).verify(bytes.fromhex(signature), text.encode())
    except (InvalidSignature, ValueError):
        return False
    return True


class KeyFiles:
    """Keys in a directory: ``ID.pem`` each, and which of them is in use."""

    def __init__(self, directory: Path, heads: Path | None = None) -> None:
        """heads : a file elsewhere, beside the copies, to which each head of the chain is appended."""
        self.directory = directory
        self.heads = heads

    def current(self) -> SigningKey:
        """The key in use; the first is made when there is none. Raises KeyFileError."""
        with self._alone():
            named = self._read(_IN_USE)
            return self._load(named) if named else self._make()

    def in_use(self) -> SigningKey | None:
        """The key in use, None where there is none; nothing is made. Raises KeyFileError."""
        named = self._read(_IN_USE)
        return self._load(named) if named else None

    def public_keys(self) -> dict[str, str]:
        """Every public key (hex) whose private half is here, by its id. Raises KeyFileError."""
        found = (self._load(path.stem) for path in sorted(self.directory.glob("*.pem")))
        return {key.id: key.public for key in found}

    def prepare(self) -> SigningKey:
        """A new key that is not yet in use."""
        with self._alone():
            return self._new()

    def use(self, key: SigningKey) -> None:
        """Sign with this one from here on; the one before stays."""
        with self._alone():
            self._write(_IN_USE, key.id)

    def save_head(self, place: int, sha256: str) -> None:
        """Beside the keys, out of the database's reach: how far the chain went."""
        with self._alone():
            known = self.head()
            if known is None or known[0] <= place:
                self._write(_HEAD, f"{place} {sha256}")
            self._append(f"{place} {sha256}")

    def saved_heads(self) -> dict[int, str]:
        """Every head that was kept outside of the database, by its place. Raises KeyFileError."""
        found: dict[int, str] = {}
        if self.heads is not None and self.heads.exists():
            for line in self.heads.read_text(encoding="ascii", errors="replace").splitlines():
                place, _, rest = line.partition(" ")
                if place.isdigit():
                    found.setdefault(int(place), rest)  # the first that was written counts
                elif place == _RESTORED:
                    upto = _place_in(rest)
                    found = {known: sha256 for known, sha256 in found.items() if known <= upto}
        if (head := self.head()) is not None:
            found.setdefault(*head)
        return found

    def note_restore(self, place: int, sha256: str) -> None:
        """A copy was put back whose chain ends here: what was sealed after it is gone, and that is said for ever."""
        with self._alone():
            self._write(_HEAD, f"{place} {sha256}")
            self._append(f"{_RESTORED} {place} {dt.datetime.now(dt.UTC):%Y-%m-%d}")

    def restores(self) -> list[tuple[int, str]]:
        """Each time that a copy was put back: where its chain ended, and the day."""
        if self.heads is None or not self.heads.exists():
            return []
        lines = (line.split() for line in self.heads.read_text(encoding="ascii", errors="replace").splitlines())
        return [
            (int(parts[1]), parts[2])
            for parts in lines
            if len(parts) > 2 and parts[0] == _RESTORED and parts[1].isdigit()
        ]

    def _append(self, line: str) -> None:
        """One line more, never one changed; a full or missing disk there stops no signature."""
        if self.heads is None:
            return
        try:
            self.heads.parent.mkdir(parents=True, exist_ok=True)
            descriptor = os.open(self.heads, os.O_WRONLY | os.O_CREAT | os.O_APPEND, 0o600)
            with os.fdopen(descriptor, "w", encoding="ascii") as out:
                out.write(f"{line}\n")
        except OSError as error:
            log.error("the head of the chain could not be written to %s: %s", self.heads, error.strerror)

    def head(self) -> tuple[int, str] | None:
        """How far the chain went when it was sealed last: the place and the hash."""
        place, _, sha256 = self._read(_HEAD).partition(" ")
        return (int(place), sha256) if place.isdigit() and sha256 else None

    def _make(self) -> SigningKey:
        key = self._new()
        self._write(_IN_USE, key.id)
        return key

    def _new(self) -> SigningKey:
        private = Ed25519PrivateKey.generate()
        key = _of(private)
        pem = private.private_bytes(Encoding.PEM, PrivateFormat.PKCS8, NoEncryption())
        self._write(f"{key.id}.pem", pem.decode())
        return key

    def _load(self, name: str) -> SigningKey:
        path = self.directory / f"{name}.pem"
        try:
            private = load_pem_private_key(path.read_bytes(), None)
        except FileNotFoundError:
            raise KeyFileError(
                f"The key {name} that seals are signed with is not in {self.directory}: restore it from a backup, or "
                f"remove the file {_IN_USE} there to go on with a new key."
            ) from None
        except (ValueError, OSError) as error:
            raise KeyFileError(f"The key file {path} can't be read: restore it from a backup.") from error
        if not isinstance(private, Ed25519PrivateKey) or _of(private).id != name:
            raise KeyFileError(f"The key file {path} is not the key {name}: restore it from a backup.")
        return _of(private)

    def _read(self, name: str) -> str:
        try:
            return (self.directory / name).read_text(encoding="ascii").strip()
        except FileNotFoundError:
            return ""
        except (OSError, ValueError) as error:
            raise KeyFileError(f"{self.directory / name} can't be read ({error}).") from error

    def _write(self, name: str, text: str) -> None:
        """Whole or not at all, and for nobody else's eyes."""
        partly = self.directory / f"{name}.part"
        try:
            descriptor = os.open(partly, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
            with os.fdopen(descriptor, "w", encoding="ascii") as out:
                out.write(text + "\n")
                out.flush()
                os.fsync(out.fileno())
            partly.replace(self.directory / name)
        except OSError as error:
            raise KeyFileError(f"{self.directory / name} can't be written ({error.strerror}).") from error

    @contextlib.contextmanager
    def _alone(self) -> Iterator[None]:
        try:
            self.directory.mkdir(parents=True, exist_ok=True, mode=0o700)
            with (self.directory / "lock").open("a") as lock:
                fcntl.flock(lock, fcntl.LOCK_EX)
                yield
        except OSError as error:
            raise KeyFileError(f"{self.directory} can't be used for keys ({error.strerror}).") from error


def _of(private: Ed25519PrivateKey) -> SigningKey:
    public = private.public_key().public_bytes(Encoding.Raw, PublicFormat.Raw).hex()
    return SigningKey(key_id(public), public, private)


def _place_in(rest: str) -> int:
    """The place that a line of the heads names. Raises KeyFileError for a line that somebody broke."""
    place = rest.partition(" ")[0]
    if not place.isdigit():
        raise KeyFileError(f"The file of kept heads has a line that can't be read: {_RESTORED} {rest[:40]}")
    return int(place)

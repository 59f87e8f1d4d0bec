"""Where a recording's bytes come from: memory, a file of any length, or a member of a zip; read once, in order."""

from __future__ import annotations

import contextlib
import hashlib
import io
import shutil
import tempfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path, PurePath
from typing import BinaryIO

from typing_extensions import Buffer

Told = Callable[[int], None]
"""Told after each piece how many bytes were read; what it raises ends the reading."""
_PIECE = 1 << 20


def _nobody(_: int) -> None:
    """Nobody wants to know."""


@dataclass(frozen=True, slots=True)
class Source:
    """A file to read. name : what it is called.  size : in bytes.  begin : its bytes from the beginning.

    path : where it lies by itself, where it does.
    """

    name: str
    size: int
    begin: Callable[[], BinaryIO]
    told: Told = _nobody
    path: Path | None = None

    @property
    def suffix(self) -> str:
        """What its name ends in."""
        return PurePath(self.name).suffix.lower()

    def open(self) -> BinaryIO:
        """Its bytes; whoever wants to know is told how far they were read."""
        return io.BufferedReader(_Telling(self.begin(), self.told), _PIECE)

    def head(self, size: int) -> bytes:
        with self.begin() as file:
            return file.read(size)

    def sha256(self) -> str:
        """Its hash, read piece by piece."""
        digest = hashlib.sha256()
        with self.begin() as file:
            while piece := file.read(_PIECE):
                digest.update(piece)
        return digest.hexdigest()

    @contextlib.contextmanager
    def as_path(self) -> Iterator[Path]:
        """A path to it that ends as its name does: where it lies, or a copy that is gone afterwards."""
        if self.path is not None and self.path.suffix.lower() == self.suffix:
            yield self.path
            return
        with tempfile.NamedTemporaryFile(suffix=self.suffix) as kept, self.open() as file:
            shutil.copyfileobj(file, kept, _PIECE)
            kept.flush()
            yield Path(kept.name)


class _Telling(io.RawIOBase):
    """Bytes that tell how far they were read."""

    def __init__(self, inner: BinaryIO, told: Told) -> None:
        super().__init__()
        self._inner, self._told = inner, told

    def readable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def seek(self, offset: int, whence: int = io.SEEK_SET) -> int:
        return self._inner.seek(offset, whence)

    def readinto(self, room: Buffer) -> int:
        piece = self._inner.read(len(memoryview(room)))
        memoryview(room)[: len(piece)] = piece
        self._told(self._inner.tell())
        return len(piece)

    def close(self) -> None:
        self._inner.close()
        super().close()


def of_bytes(name: str, data: bytes) -> Source:
    """Bytes that are at hand."""
    return Source(name, len(data), lambda: io.BytesIO(data))


def of_path(path: Path, told: Told = _nobody, name: str | None = None) -> Source:
    """A file on disk. Raises OSError where it cannot be read."""
    return Source(name or path.name, path.stat().st_size, lambda: path.open("rb"), told, path)

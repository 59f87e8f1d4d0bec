"""The server's side of the sandbox: it starts the confined processes, hands files over and checks what comes back."""

from __future__ import annotations

import atexit
import contextlib
import datetime as dt
import io
import json
import os
import shutil
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any, BinaryIO, Literal

import numpy as np

import lowhiss
from lowhiss.core.errors import CoreError
from lowhiss.sandbox.table import READERS, Group
from lowhiss.sandbox.wire import HEAD_BYTES, Request, head_of

_BWRAP = "bwrap"
_SYSTEM = (
    "/usr",
    "/bin",
    "/sbin",
    "/lib",
    "/lib64",
    "/lib32",
    "/etc/ld.so.cache",
    "/etc/ld.so.conf",
    "/etc/alternatives",
)
_SCRATCH_BYTES = 512 * 2**20
_READY_S = 120.0
_WALL_PER_CPU = 4.0
_MORE_WALL_S = 30.0
_MAX_TEXT = 64 * 2**20
_TOO_MUCH_MB = 2_000
Told = Callable[[int], None]


class SandboxError(CoreError):
    """A file could not be read in the sandbox: it broke its reader, or asked for more than a file may take."""


class SandboxMissingError(Exception):
    """There is no sandbox on this machine, so that no file from outside may be read. Its text is one sentence."""


class RefusedFileError(CoreError):
    """What a reader says is wrong with a file; ``field`` names the column or part."""


@dataclass(frozen=True, slots=True)
class Answer:
    """What came of a file. meta : plain JSON.  numbers : arrays, shape (n,).  blobs : bytes by name."""

    meta: dict[str, Any]
    numbers: dict[str, np.ndarray[Any, np.dtype[np.float64]]] = field(default_factory=dict)
    blobs: dict[str, bytes] = field(default_factory=dict)


def read(
    reader: str,
    file: Path | bytes,
    args: Mapping[str, Any] | None = None,
    *,
    suffix: str = "",
    told: Told | None = None,
    output: BinaryIO | None = None,
) -> Answer:
    """Read a foreign file by a reader of the table, in a confined process.

    suffix : what its name ends in.  told : hears how many bytes were read; what it raises ends the reading.
    output : where a reader that unpacks writes to.
    Raises RefusedFileError, SandboxError, SandboxMissingError, OSError where the file cannot be opened.
    """
    with _opened(file) as (descriptor, size):
        known = READERS[reader]
        asked = Request(reader, suffix if suffix[1:].isalnum() else "", known.cpu_limit_s(size), dict(args or {}))
        handed = [descriptor] if output is None else [descriptor, output.fileno()]
        return _ZYGOTES[known.group].ask(asked, handed, told, known.output_mb * 2**20)


def warm_up() -> None:
    """Start the confined processes, so that the first file waits for none. Never raises."""
    for one in _ZYGOTES.values():
        with contextlib.suppress(SandboxMissingError, OSError):
            one.begin()


def probe(secrets: Sequence[Path] = ()) -> None:
    """Read a small file in the sandbox, and try from inside what must be impossible there.

    secrets : files that must not be readable from inside. Raises SandboxMissingError where it does not hold.
    """
    try:
        tried = read("self_check", b"", {"secrets": [str(one) for one in secrets], "memory_mb": _TOO_MUCH_MB})
        read("recording", b"t_s,primary_psi\n0,1\n1,2\n2,3\n", {"name": "a.csv", "chosen": {}}, suffix=".csv")
    except (SandboxError, OSError) as error:
        raise SandboxMissingError(f"Files can't be read safely on this server: {error}") from error
    if possible := tried.meta["possible"]:
        raise SandboxMissingError(f"Files can't be read safely on this server: a reader could {', '.join(possible)}")


@contextlib.contextmanager
def _opened(file: Path | bytes) -> Iterator[tuple[int, int]]:
    if isinstance(file, bytes):
        descriptor = os.memfd_create("file")
        with io.FileIO(descriptor, "w", closefd=False) as memory:
            view = memoryview(file)
            while view:
                view = view[memory.write(view) :]
    else:
        descriptor = os.open(file, os.O_RDONLY | os.O_CLOEXEC)
    try:
        yield descriptor, os.fstat(descriptor).st_size
    finally:
        os.close(descriptor)


class _Zygote:
    """One confined process with its libraries loaded; it serves one file at a time."""

    def __init__(self, group: Group) -> None:
        self._group: Group = group
        self._turn = threading.Lock()
        self._starting = threading.Lock()
        self._process: subprocess.Popen[bytes] | None = None
        self._control: socket.socket | None = None
        self._ready = False
        self._owner = 0

    def begin(self) -> None:
        """Start it unless it runs. Raises SandboxMissingError."""
        with self._starting:
            if self._process is not None and self._process.poll() is None and self._owner == os.getpid():
                return
            self._close()
            command = _command()
            ours, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
            try:
                with theirs:
                    self._process = subprocess.Popen(
                        [*command, str(theirs.fileno()), self._group],
                        pass_fds=[theirs.fileno()],
                        stdin=subprocess.DEVNULL,
                        stdout=subprocess.DEVNULL,
                        stderr=subprocess.PIPE,
                        env=_environment(),
                        start_new_session=True,
                    )
            except OSError:
                ours.close()
                raise
            self._control, self._ready, self._owner = ours, False, os.getpid()

    def ask(self, request: Request, descriptors: list[int], told: Told | None, most: int) -> Answer:
        """One file: wait for the process's turn, hand over, take the answer."""
        with self._turn:
            self.begin()
            control = self._control
            assert control is not None
            self._await_ready(control)
            ours, theirs = socket.socketpair()
            with ours:
                with theirs, _opened(json.dumps(asdict(request)).encode()) as (asked, _):
                    try:
                        socket.send_fds(control, [b"read"], [asked, theirs.fileno(), *descriptors])
                    except OSError as error:
                        self._close()
                        raise SandboxError("file", "couldn't be read; try again") from error
                return self._answer(control, ours, request, told, most)

    def _await_ready(self, control: socket.socket) -> None:
        if self._ready:
            return
        control.settimeout(_READY_S)
        try:
            if control.recv(16) != b"ready\n":
                raise OSError
        except OSError:
            said = self._why()
            self._close()
            raise SandboxMissingError(
                f"Files can't be read safely on this server ({said}): run lowhiss doctor there."
            ) from None
        self._ready = True

    def _why(self) -> str:
        if self._process is None or self._process.stderr is None:
            return "no sandbox"
        self._process.kill()
        lines = self._process.stderr.read().decode(errors="replace").strip().splitlines()
        return lines[-1][:160] if lines else "its process did not start"

    def _answer(
        self, control: socket.socket, answers: socket.socket, request: Request, told: Told | None, most: int
    ) -> Answer:
        until = time.monotonic() + request.cpu_s * _WALL_PER_CPU + _MORE_WALL_S
        ended: str | None = None
        got: Answer | list[str] | None = None
        try:
            got = _frames(answers, until, told, most)
        except TimeoutError:
            got = ["time", "file", "takes too long to read"]
        except EOFError:
            pass
        finally:
            # whatever happened, the child is gone before the next file is handed over
            answers.close()
            if not isinstance(got, Answer):
                with contextlib.suppress(OSError):
                    control.send(b"stop") if got is None or got[0] == "time" else None
            ended = self._ended(control)
        if isinstance(got, Answer):
            return got
        if got is None:
            got = ["broken", "file", ""]
            if ended == "-24":  # SIGXCPU
                got = ["time", "file", "takes too long to read"]
            elif ended == "-9":  # the hard limit of time, or the machine's own memory
                got = ["time", "file", "takes too long, or too much memory, to read"]
            elif ended == "-25":  # SIGXFSZ
                got = ["size", "file", "unpacks to too much data"]
        kind, where, problem = got
        if kind == "refused":
            raise RefusedFileError(where, problem)
        if kind == "broken":
            raise SandboxError("file", "is damaged, incomplete or of an unknown kind")
        raise SandboxError(where, problem)

    def _ended(self, control: socket.socket) -> str:
        try:
            control.settimeout(_MORE_WALL_S)
            return control.recv(16).decode().strip()
        except OSError:
            self._close()
            return ""

    def end(self) -> None:
        """End the child process."""
        with self._starting:
            self._close()

    def _close(self) -> None:
        if self._control is not None:
            self._control.close()
        if self._process is not None and self._owner == os.getpid():
            self._process.kill()
            self._process.wait()
            if self._process.stderr is not None:
                self._process.stderr.close()
        self._process = self._control = None
        self._ready = False


def _frames(answers: socket.socket, until: float, told: Told | None, most: int) -> Answer | list[str]:
    """The answer of a child, or its refusal. Raises EOFError, TimeoutError, SandboxError, and what ``told`` raises."""

    def take(size: int) -> bytearray:
        data, at = bytearray(size), 0
        view = memoryview(data)
        while at < size:
            answers.settimeout(max(0.01, until - time.monotonic()))
            try:
                got = answers.recv_into(view[at:])
            except ConnectionError:
                got = 0
            if not got:
                raise EOFError
            at += got
        return data

    meta: dict[str, Any] = {}
    left: list[tuple[str, Literal["bytes", "numbers"]]] = []
    numbers: dict[str, np.ndarray[Any, np.dtype[np.float64]]] = {}
    blobs: dict[str, bytes] = {}
    total = 0
    begun = False
    while True:
        letter, length = head_of(bytes(take(HEAD_BYTES)))
        total += length if letter != b"P" else 0
        if length > most or total > most + _MAX_TEXT:
            raise SandboxError("file", f"holds more than {most // 2**20} MB of readings")
        data = take(length)
        if letter == b"P":
            if told is not None:
                told(int(data[:20]))
            continue
        if letter == b"E":
            kind, where, problem = (str(one)[:400] for one in json.loads(data))
            return [kind, where, problem]
        if letter == b"R" and not begun:
            result = json.loads(data)
            meta, begun = dict(result["meta"]), True
            left = [(str(name), kind) for name, kind in result["arrays"]]
        elif letter == b"A" and left:
            name, kind = left.pop(0)
            if kind == "bytes":
                blobs[name] = bytes(data)
            else:
                numbers[name] = np.frombuffer(bytes(data), "<f8").astype(np.float64)
        else:
            raise EOFError
        if begun and not left:
            return Answer(meta, numbers, blobs)


def _command() -> list[str]:
    """The sandbox and Python in it: the system, the interpreter and this package to read, a scratch, nothing else."""
    found = shutil.which(_BWRAP)
    if found is None:
        raise SandboxMissingError(
            "Files can't be read safely on this server: install the Debian package bubblewrap, then try again."
        )
    package = Path(lowhiss.__file__).resolve().parent
    places = {Path(sys.prefix), Path(sys.base_prefix), package, *(Path(one).resolve() for one in _site_packages())}
    shown = [one for one in sorted(places) if not one.is_relative_to("/usr") and one.exists()]
    read_only = [part for one in shown for part in ("--ro-bind", str(one), str(one))]
    system: list[str] = []
    for one in map(Path, _SYSTEM):
        if one.is_symlink():
            system += ["--symlink", str(one.readlink()), str(one)]
        elif one.exists():
            system += ["--ro-bind", str(one), str(one)]
    return [
        *(found, "--unshare-all", "--unshare-user", "--disable-userns", "--uid", "65534", "--gid", "65534"),
        *("--cap-drop", "ALL", "--new-session"),
        *system,
        *("--proc", "/proc", "--dev", "/dev", "--size", str(_SCRATCH_BYTES), "--tmpfs", "/tmp"),
        *read_only,
        *("--remount-ro", "/", "--chdir", "/tmp"),
        *(sys.executable, "-P", "-m", "lowhiss.sandbox.zygote"),
    ]


def _site_packages() -> list[str]:
    return [one for one in sys.path if one.endswith("site-packages")]


def _environment() -> dict[str, str]:
    """Nothing of the server's own environment: it may name a database and its password."""
    one_thread = dict.fromkeys(("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "NUMEXPR_MAX_THREADS"), "1")
    package = Path(lowhiss.__file__).resolve().parent
    return {
        **one_thread,
        "PATH": "/usr/bin:/bin",
        "HOME": "/tmp",
        "LANG": "C.UTF-8",
        "PYTHONPATH": str(package.parent),
        "PYTHONNOUSERSITE": "1",
    }


def end() -> None:
    """End the confined processes of this process."""
    for one in _ZYGOTES.values():
        one.end()


atexit.register(end)
_ZYGOTES: dict[Group, _Zygote] = {"recordings": _Zygote("recordings"), "files": _Zygote("files")}


def moment(text: object) -> dt.datetime | None:
    """A moment that a child told, checked; None where it told none. Raises SandboxError."""
    if text is None:
        return None
    try:
        return dt.datetime.fromisoformat(str(text))
    except ValueError as error:
        raise SandboxError("file", "has a date that can't be read") from error

"""Low Hiss as a real process that a test may kill."""

from __future__ import annotations

import contextlib
import multiprocessing
import os
import signal
import socket
import sys
import threading
from multiprocessing.connection import Connection
from pathlib import Path

from lowhiss.cli import main
from tests.conftest import ROOT
from tests.plugin import HANG_S


def free_port() -> int:
    """A port nobody listens on now."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


# what a start imports takes seconds: it is done once, in a process from which each start is forked
_WARM = multiprocessing.get_context("forkserver")
_WARM.set_forkserver_preload(["lowhiss.cli", "lowhiss.serve", "lowhiss.installation", "lowhiss.api.app"])


def _start(arguments: list[str], environment: dict[str, str], said: Connection, complained: Connection) -> None:
    """``lowhiss start``, in a process of its own."""
    os.chdir(ROOT)
    os.environ.update(environment)
    for pipe, number in ((said, 1), (complained, 2)):
        os.dup2(pipe.fileno(), number)
        pipe.close()
    sys.exit(main(["start", *arguments]))


class LowHiss:
    """``lowhiss start`` in a process of its own; ready when the constructor returns."""

    def __init__(self, data: Path, port: int, *arguments: str, database_url: str | None = None) -> None:
        self.data, self.port, self.url = data, port, f"http://127.0.0.1:{port}"
        shared = {"LOWHISS_DATABASE_URL": database_url} if database_url else {}
        said, complained = _WARM.Pipe(duplex=False), _WARM.Pipe(duplex=False)
        told = ["--data", str(data), "--port", str(port), *arguments]
        self.process = _WARM.Process(target=_start, args=(told, dict(os.environ) | shared, said[1], complained[1]))
        self.process.start()
        for end in (said[1], complained[1]):
            end.close()
        self._out, self._err = (os.fdopen(os.dup(pipe.fileno())) for pipe in (said[0], complained[0]))
        for end in (said[0], complained[0]):
            end.close()
        self.errors: list[str] = []
        self._heard = threading.Condition()
        self._reader = threading.Thread(target=self._read_errors, daemon=True)
        self._reader.start()
        self.first_line = self._out.readline()
        assert self.first_line.startswith("Low Hiss is ready"), self.errors

    def first_code(self) -> str:
        """The first manager's one-time code, as an empty installation prints it."""
        return self._out.readline().rsplit(" ", 1)[1].strip()

    def _read_errors(self) -> None:
        for line in self._err:
            with self._heard:
                self.errors.append(line)
                self._heard.notify_all()

    def hear(self, words: str) -> bool:
        """Wait until the application has said this on standard error; whether it did within half a minute."""
        with self._heard:
            return self._heard.wait_for(lambda: any(words in line for line in self.errors), 30)

    @property
    def database_pid(self) -> int:
        """The private database server's process id."""
        return int((self.data / "database" / "mariadbd.pid").read_text())

    def kill_database(self) -> None:
        """End the database as a power cut would."""
        with contextlib.suppress(ProcessLookupError):  # a second blow may fall before it was restarted
            os.kill(self.database_pid, signal.SIGKILL)

    def kill(self) -> None:
        """End the application as a power cut would; its database goes on for the next start to find."""
        self.process.kill()
        self._ended()

    def interrupt(self) -> int:
        """Ctrl-C; returns the exit code."""
        os.kill(self.process.pid, signal.SIGINT)
        return self._ended()

    @property
    def runs(self) -> bool:
        """Whether it still does."""
        return self.process.is_alive()

    def _ended(self) -> int:
        self.process.join(HANG_S)
        assert self.process.exitcode is not None, "it hangs"
        self._reader.join(10)
        self._out.close()
        self._err.close()
        return self.process.exitcode


def is_running(pid: int) -> bool:
    """Whether a process of this id is there and not a zombie."""
    try:
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0] != "Z"
    except FileNotFoundError:
        return False

"""Low Hiss as a real process that a test may kill."""

from __future__ import annotations

import contextlib
import os
import signal
import socket
import subprocess
import sys
import threading
from pathlib import Path

from tests.conftest import ROOT
from tests.plugin import HANG_S


def free_port() -> int:
    """A port nobody listens on now."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


class LowHiss:
    """``lowhiss start`` in a process of its own; ready when the constructor returns."""

    def __init__(self, data: Path, port: int, *arguments: str, database_url: str | None = None) -> None:
        self.data, self.port, self.url = data, port, f"http://127.0.0.1:{port}"
        command = [sys.executable, "-m", "lowhiss.cli", "start", "--data", str(data), "--port", str(port), *arguments]
        pipes = {"stdout": subprocess.PIPE, "stderr": subprocess.PIPE}
        shared = {"LOWHISS_DATABASE_URL": database_url} if database_url else {}
        self.process = subprocess.Popen(command, **pipes, text=True, cwd=ROOT, env={**os.environ, **shared})
        self.errors: list[str] = []
        self._heard = threading.Condition()
        self._reader = threading.Thread(target=self._read_errors, daemon=True)
        self._reader.start()
        self.first_line = self.process.stdout.readline()
        assert self.first_line.startswith("Low Hiss is ready"), self.errors

    def first_code(self) -> str:
        """The first manager's one-time code, as an empty installation prints it."""
        return self.process.stdout.readline().rsplit(" ", 1)[1].strip()

    def _read_errors(self) -> None:
        for line in self.process.stderr:
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
        with contextlib.suppress(ProcessLookupError):  # a second blow may fall before it was started again
            os.kill(self.database_pid, signal.SIGKILL)

    def kill(self) -> None:
        """End the application as a power cut would; its database goes on for the next start to find."""
        self.process.kill()
        self._ended()

    def interrupt(self) -> int:
        """Ctrl-C; returns the exit code."""
        self.process.send_signal(signal.SIGINT)
        return self._ended()

    def _ended(self) -> int:
        code = self.process.wait(HANG_S)
        self._reader.join(10)
        self.process.stdout.close()
        self.process.stderr.close()
        return code


def is_running(pid: int) -> bool:
    """Whether a process of this id is there and not a zombie."""
    try:
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0] != "Z"
    except FileNotFoundError:
        return False

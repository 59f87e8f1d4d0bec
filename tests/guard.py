"""Ends everything that a run of tests has started, however the run ended: it holds a pipe whose other end dies with it.

The kernel's own parent-death signal is no help: mariadbd changes its user, which clears it.
"""

from __future__ import annotations

import contextlib
import os
import signal
import sys
import time
from pathlib import Path

from tests.plugin import RUN

_LOOKS = 50


def processes_of(run: str) -> list[int]:
    """The ids of the processes that carry the mark of a run in their environment."""
    mark = f"{RUN}={run}".encode()
    found = []
    for one in Path("/proc").glob("[0-9]*"):
        with contextlib.suppress(OSError):
            if mark in (one / "environ").read_bytes().split(b"\0") and int(one.name) != os.getpid():
                found.append(int(one.name))
    return found


def end_all(run: str) -> None:
    """End what is left of a run, and what that begins meanwhile."""
    for _ in range(_LOOKS):
        left = processes_of(run)
        if not left:
            return
        for pid in left:
            with contextlib.suppress(ProcessLookupError):
                os.kill(pid, signal.SIGKILL)
        time.sleep(0.1)


if __name__ == "__main__":
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, signal.SIG_IGN)
    sys.stdin.buffer.read()
    end_all(sys.argv[1])

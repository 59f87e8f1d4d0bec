"""Whatever tests start dies with them, however they end."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from tests.conftest import ROOT
from tests.guard import processes_of
from tests.plugin import HANG_S, RUN

STARTS_A_DATABASE = """
import time
from lowhiss.database import PrivateServer

def test_it(tmp_path):
    server = PrivateServer(tmp_path / "database")
    server.start()
    print("STARTED", flush=True)
    time.sleep(600)
"""


@pytest.mark.parametrize("ends", [signal.SIGKILL, signal.SIGINT], ids=["kill -9", "Ctrl-C"])
def test_a_run_that_is_broken_off_leaves_no_database_behind(tmp_path, ends):
    """Two database servers were left after an interrupted run."""
    (tmp_path / "test_it.py").write_text(STARTS_A_DATABASE)
    environment = {key: value for key, value in os.environ.items() if not key.startswith("PYTEST")}
    command = [sys.executable, "-m", "pytest", "-p", "tests.plugin", "-s", "-q", f"--basetemp={tmp_path / 'run'}"]
    run = subprocess.Popen(
        [*command, str(tmp_path / "test_it.py")],
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        text=True,
        cwd=ROOT,
        env=environment,
        # whatever runs behind a shell's prompt ignores Ctrl-C, and so would this
        preexec_fn=lambda: signal.signal(signal.SIGINT, signal.default_int_handler),
    )
    assert any("STARTED" in line for line in run.stdout)
    (mark,) = marks_below(run.pid)
    assert len(processes_of(mark)) >= 1
    run.send_signal(ends)
    run.wait(HANG_S)
    run.stdout.close()
    until = time.monotonic() + HANG_S
    while processes_of(mark):
        assert time.monotonic() < until
        time.sleep(0.1)


def marks_below(pid: int) -> set[str]:
    """The marks that the children of a process carry."""
    children = Path(f"/proc/{pid}/task/{pid}/children").read_text().split()
    environments = [Path(f"/proc/{child}/environ").read_bytes().split(b"\0") for child in children]
    name = f"{RUN}=".encode()
    return {one.removeprefix(name).decode() for found in environments for one in found if one.startswith(name)}

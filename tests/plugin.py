"""How this project's tests run: what is long waits for ``--long``, and whatever a run starts ends with it."""

from __future__ import annotations

import os
import subprocess
import sys
import time
import uuid

import pytest

RUN = "LOWHISS_TEST_RUN"
"""The environment variable by which everything that a run of tests has started is known."""
PATIENCE = "LOWHISS_TEST_PATIENCE"
_GUARD = pytest.StashKey[subprocess.Popen]()
_QUIET_S = 0.12
"""What `_busy_loop` takes on one quiet core of a slow machine."""
_MOST_PATIENCE = 10.0


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--long", action="store_true", help="run what is marked long as well")


def pytest_configure(config: pytest.Config) -> None:
    """Mark this run, measure how busy the machine is, and let a guard end what it leaves behind."""
    global HANG_S
    if "PYTEST_XDIST_WORKER" in os.environ:
        return
    os.environ[RUN] = uuid.uuid4().hex
    os.environ[PATIENCE] = f"{max(1.0, min(_MOST_PATIENCE, _busy_loop() / _QUIET_S)):.2f}"
    HANG_S = _HANG_S * patience()
    # it waits for the end of this process, however that comes: one that ended a database while the thread that watches
    # over it still lived would only see it started again
    config.stash[_GUARD] = subprocess.Popen(
        [sys.executable, "-m", "tests.guard", os.environ[RUN]],
        stdin=subprocess.PIPE,
        start_new_session=True,
        env={key: value for key, value in os.environ.items() if key != RUN},
    )


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """Leave out what is long, and begin what takes a minute of the real clock first: nobody waits for it at the end."""
    if not config.getoption("--long") and not any("::" in one for one in config.args):
        left_out = [item for item in items if item.get_closest_marker("long") is not None]
        items[:] = [item for item in items if item.get_closest_marker("long") is None]
        config.hook.pytest_deselected(items=left_out)
    items.sort(key=lambda item: item.get_closest_marker("real_time") is None)


def patience() -> float:
    """By how much bounds of hanging are stretched on this machine; 1 where it was quiet when the run began."""
    return float(os.environ.get(PATIENCE, "1"))


_HANG_S = 60
HANG_S = _HANG_S * patience()
"""What has not come by then never comes: a bound of hanging, of no use as a measure of speed."""


def _busy_loop() -> float:
    """How long some work takes by the wall [s]: longer the more others want the same cores."""
    began = time.perf_counter()
    sum(n * n for n in range(1_500_000))
    return time.perf_counter() - began

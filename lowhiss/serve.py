"""``lowhiss start``: the database, the tables, the demo data and the web server, and their orderly end."""

from __future__ import annotations

import contextlib
import datetime as dt
import fcntl
import os
import shutil
import signal
import socket
import sys
import threading
from collections.abc import Callable, Iterator
from pathlib import Path

import uvicorn

from lowhiss.api import create_app
from lowhiss.database import DatabaseError, PrivateServer
from lowhiss.demo import load_demo
from lowhiss.store.engine import Store, StoreError, make_engine, migrate

_LEAST_FREE_MB = 400
"""A fresh MariaDB data directory takes about 130 MB; the rest is room to work."""


class CannotStartError(RuntimeError):
    """Why the application cannot start, as one clear sentence."""


def serve(data_dir: Path, port: int, *, demo: bool) -> int:
    """Run until interrupted; returns the exit code. What cannot work is said in one sentence."""
    try:
        with (
            _signals(_interrupt, signal.SIGTERM, signal.SIGHUP),  # end as Ctrl-C does: the database is stopped too
            _listening(port) as listener,
            _data_directory(data_dir) as directory,
            _database(directory) as url,
        ):
            store = Store(make_engine(url))
            _say("Bringing the tables up to date")
            migrate(store.engine)
            if demo and load_demo(store, dt.datetime.now(dt.UTC)):
                _say("Loaded the demo scenario")
            print(f"Low Hiss is ready: http://127.0.0.1:{port}  (Ctrl-C stops it)", flush=True)
            _run(store, listener)
    except (CannotStartError, DatabaseError, StoreError) as error:
        print(f"lowhiss: {error}", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        _say("Stopped")
    return 0


def _interrupt(*_: object) -> None:
    raise KeyboardInterrupt


def _run(store: Store, listener: socket.socket) -> None:
    config = uvicorn.Config(create_app(store), log_level="warning", server_header=False, timeout_graceful_shutdown=5)
    server = uvicorn.Server(config)
    server.run(sockets=[listener])


def _say(text: str) -> None:
    print(text, file=sys.stderr, flush=True)


@contextlib.contextmanager
def _listening(port: int) -> Iterator[socket.socket]:
    """The listening socket, taken before anything slow, so that a taken port is said at once."""
    if not 1 <= port <= 65535:
        raise CannotStartError(f"--port must be from 1 to 65535, not {port}.")
    listener = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
    listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listener.bind(("127.0.0.1", port))
        listener.listen(128)
    except OSError as error:
        listener.close()
        raise CannotStartError(
            f"Port {port} cannot be used ({error.strerror}): stop what listens there, or choose another with --port."
        ) from error
    with listener:
        yield listener


@contextlib.contextmanager
def _data_directory(data_dir: Path) -> Iterator[Path]:
    """The data directory, writable, with room, and locked against a second start."""
    directory = data_dir.resolve()
    with contextlib.ExitStack() as stack:
        try:
            directory.mkdir(parents=True, exist_ok=True)
            lock = stack.enter_context((directory / "lock").open("a"))
            probe = directory / "probe"
            probe.write_bytes(b"\0" * 65536)
            probe.unlink()
        except OSError as error:
            raise CannotStartError(
                f"The data directory {directory} cannot be written ({error.strerror}): choose another with --data."
            ) from error
        free_mb = shutil.disk_usage(directory).free // 1024**2
        if free_mb < _LEAST_FREE_MB and not (directory / "database" / "data").is_dir():
            raise CannotStartError(
                f"The data directory {directory} has {free_mb} MB free and needs {_LEAST_FREE_MB}: make room first."
            )
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            raise CannotStartError(
                f"Low Hiss already runs on {directory}: stop it, or give another directory with --data."
            ) from error
        yield directory


@contextlib.contextmanager
def _database(directory: Path) -> Iterator[str]:
    """Where the database is reached: the one named by the environment, or a private one started for this run."""
    given = os.environ.get("LOWHISS_DATABASE_URL")
    if given:
        yield given
        return
    server = PrivateServer(directory / "database")
    _say("Starting the database")
    # Ctrl-C while the database starts must still stop it
    try:
        server.start()
        server.watch(lambda: _say("The database had stopped and was started again"))
        yield server.url
    finally:
        # a second Ctrl-C must not leave the database behind
        with _signals(signal.SIG_IGN, signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
            server.stop()


Handler = Callable[..., None] | signal.Handlers


@contextlib.contextmanager
def _signals(handler: Handler, *numbers: signal.Signals) -> Iterator[None]:
    """Handle these signals so for a while; only the main thread can."""
    if threading.current_thread() is not threading.main_thread():
        yield
        return
    before = {number: signal.signal(number, handler) for number in numbers}
    try:
        yield
    finally:
        for number, old in before.items():
            signal.signal(number, old)

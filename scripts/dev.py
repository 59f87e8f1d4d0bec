"""The development loop behind ./dev: a database that stays, a server that reloads, and Vite in front of it.

Vite is the one address: it proxies the API and its sockets with the page's own origin, and serves the judge.
"""

from __future__ import annotations

import argparse
import contextlib
import multiprocessing
import os
import signal
import socket
import subprocess
import sys
import threading
import time
import urllib.request
from collections.abc import Iterator
from importlib import import_module
from multiprocessing.context import ForkServerProcess
from multiprocessing.synchronize import Event
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT))

from lowhiss.database import DatabaseError, PrivateServer  # noqa: E402

WATCHED = ("*.py", "*.toml")
_LOOK_EVERY_S = 0.3
_ENDS_WITHIN_S = 15


def stamps() -> dict[Path, int]:
    """When each file that the server is made of was changed."""
    found = (path for kind in WATCHED for path in (ROOT / "lowhiss").rglob(kind))
    return {path: path.stat().st_mtime_ns for path in found if path.exists()}


def free_port() -> int:
    """A port that nobody listens on now."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port: int = probe.getsockname()[1]
        return port


def serves(port: int) -> bool:
    """Whether an application there answers, and its database."""
    try:
        with urllib.request.urlopen(f"http://127.0.0.1:{port}/api/health", timeout=2) as answer:
            return bool(answer.status == 200)
    except OSError:
        return False


def is_taken(port: int) -> bool:
    """Whether somebody listens on this port of loopback."""
    with socket.socket() as probe:
        probe.settimeout(0.5)
        return probe.connect_ex(("127.0.0.1", port)) == 0


# what does not change while one works is imported once, in a process from which every server is forked
_WARM = multiprocessing.get_context("forkserver")
_WARM.set_forkserver_preload(
    [
        *("alembic.command", "cryptography.hazmat.primitives.serialization.ssh", "fastapi", "fastapi.staticfiles"),
        *("icalendar", "numpy", "redis.asyncio", "sqlalchemy.dialects.mysql", "sqlalchemy.orm", "uvicorn"),
    ]
)


def run_server(arguments: list[str], environment: dict[str, str], may_begin: Event) -> None:
    """``lowhiss start``, once the server before this one has ended; meanwhile it is imported."""
    os.environ.update(environment)
    os.chdir(ROOT)
    for name in ("lowhiss.api", "lowhiss.serve"):
        import_module(name)
    command_line = import_module("lowhiss.cli").main

    may_begin.wait()
    with Path(os.devnull).open("w") as nowhere:
        os.dup2(nowhere.fileno(), sys.stdout.fileno())
    sys.exit(command_line(["start", *arguments]))


class Server:
    """The application in a process of its own, started again when its files change."""

    def __init__(self, data: Path, port: int, database_url: str, *, demo: bool) -> None:
        self._arguments = ["--data", str(data), "--port", str(port), *(["--demo"] if demo else [])]
        self._environment = {**os.environ, "LOWHISS_DATABASE_URL": database_url}
        self._process: ForkServerProcess | None = None

    def start(self) -> None:
        """Start it, in the place of the one before; whoever asks meanwhile waits at the proxy."""
        self._may_begin = _WARM.Event()  # it is gone with the last who names it here
        before, self._process = (
            self._process,
            _WARM.Process(target=run_server, args=(self._arguments, self._environment, self._may_begin)),
        )
        self._process.start()
        stop(before)
        self._may_begin.set()

    def stop(self) -> None:
        """Stop it, by force where it doesn't end."""
        stop(self._process)

    def reload_until(self, stopped: threading.Event) -> None:
        """Start it again whenever one of its files changes, until stopped."""
        before = stamps()
        while not stopped.wait(_LOOK_EVERY_S):
            now = stamps()
            if now == before:
                continue
            changed = sorted({*before.items()} ^ {*now.items()})[0][0]
            before = now
            print(f"{changed.relative_to(ROOT)} changed: starting the server again", flush=True)
            self.start()


def stop(server: ForkServerProcess | None) -> None:
    """Interrupt a server, and end it where that does not help."""
    if server is None or not server.is_alive() or server.pid is None:
        return
    os.kill(server.pid, signal.SIGINT)
    server.join(_ENDS_WITHIN_S)
    if server.is_alive():
        server.kill()
        server.join()


def end(process: subprocess.Popen[bytes]) -> None:
    """End a process and what it started."""
    if process.poll() is None:
        process.send_signal(signal.SIGINT)
        try:
            process.wait(_ENDS_WITHIN_S)
        except subprocess.TimeoutExpired:
            process.kill()
            process.wait()


@contextlib.contextmanager
def running_database(directory: Path) -> Iterator[PrivateServer]:
    """A database that stays while the server reloads."""
    server = PrivateServer(directory)
    server.start()
    try:
        yield server
    finally:
        server.stop()


def serve(data: Path, port: int, *, demo: bool) -> int:
    """Run until interrupted; returns the exit code."""
    if is_taken(port):
        print(f"dev: port {port} is in use. Choose another one: ./dev --port {port + 1}", file=sys.stderr)
        return 1
    stopped = threading.Event()
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, lambda *_: stopped.set())
    behind = free_port()
    vite = [str(ROOT / "web" / "node_modules" / ".bin" / "vite"), "--host", "127.0.0.1", "--port", str(port)]
    quiet = [*vite, "--strictPort", "--clearScreen", "false", "--logLevel", "warn"]
    with running_database(data / "database") as database:
        server = Server(data, behind, database.url, demo=demo)
        front = subprocess.Popen(
            quiet,
            cwd=ROOT / "web",
            env={**os.environ, "LOWHISS_DEV_SERVER": f"http://127.0.0.1:{behind}"},
            start_new_session=True,
        )
        try:
            server.start()
            until = time.monotonic() + 120
            while not (is_taken(port) and serves(behind)) and time.monotonic() < until and not stopped.wait(0.1):
                if front.poll() is not None:
                    print("dev: the front end did not start; the lines above say why", file=sys.stderr)
                    return 1
            if not stopped.is_set():
                print(f"Low Hiss for development: http://127.0.0.1:{port}  (Ctrl-C ends it)", flush=True)
                server.reload_until(stopped)
        finally:
            server.stop()
            end(front)
    return 0


def main() -> int:
    """Read the command line."""
    parser = argparse.ArgumentParser(prog="./dev", description="Serve Low Hiss while you change it.")
    parser.add_argument("--demo", action="store_true", help="load the demo data and accounts")
    parser.add_argument("--port", type=int, default=5173)
    parser.add_argument("--data", type=Path, default=ROOT / "var" / "dev")
    options = parser.parse_args()
    try:
        return serve(options.data.resolve(), options.port, demo=options.demo)
    except DatabaseError as error:
        print(f"dev: {error}", file=sys.stderr)
        return 1


if __name__ == "__main__":
    sys.exit(main())

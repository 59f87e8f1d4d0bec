"""``lowhiss start``: the database, the tables, the demo data and the web server, and their orderly end."""

from __future__ import annotations

import contextlib
import datetime as dt
import os
import resource
import signal
import socket
import ssl
import sys
import threading
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import urlsplit

import uvicorn

from lowhiss import sandbox
from lowhiss.backup import clear_leftovers, scheduled
from lowhiss.database import DatabaseError
from lowhiss.demo import load_demo
from lowhiss.exchange.keys import KeyFileError, KeyFiles
from lowhiss.installation import (
    CannotStartError,
    backups_of,
    data_directory,
    database,
    key_files,
    reachable,
    say,
    signals,
    spool_of,
)
from lowhiss.logs import set_up as set_up_logs
from lowhiss.service.people.signin import first_manager_code
from lowhiss.service.runs.lifecycle import judge_ended_again
from lowhiss.service.seals import signing
from lowhiss.store.engine import Store, StoreError, make_engine
from lowhiss.upgrade import upgrade

_MAX_FILES = 65_536


@dataclass(frozen=True, slots=True)
class Wider:
    """How the application is reached from other devices: on which address, with which certificate, by which name."""

    listen: str = "127.0.0.1"
    certificate: Path | None = None
    key: Path | None = None
    public_url: str | None = None
    proxy: str | None = None
    """The one address whose word on where a request comes from is taken."""

    @property
    def loopback(self) -> bool:
        """Whether only this machine can reach it."""
        return self.listen in ("127.0.0.1", "localhost", "::1")

    @property
    def tls(self) -> bool:
        return self.certificate is not None


def serve(data_dir: Path, port: int, *, demo: bool, wider: Wider | None = None) -> int:
    """Run until interrupted; returns the exit code. What cannot work is said in one sentence."""
    wider = wider or Wider()
    set_up_logs()
    try:
        _check_wider(wider, demo=demo)
        with (
            signals(_interrupt, signal.SIGTERM, signal.SIGHUP),  # end as Ctrl-C does: the database is stopped too
            _listening(wider.listen, port) as listener,
            data_directory(data_dir) as directory,
            database(directory) as url,
            reachable(url),
        ):
            os.umask(0o077)  # what is written from here on is nobody else's to read
            clear_leftovers(backups_of(directory), directory / "copies")
            sandbox.warm_up()
            store = Store(make_engine(url))
            say("Updating the tables")
            upgrade(store.engine, url, directory / "copies", say)
            _more_files()
            if demo and load_demo(store, dt.datetime.now(dt.UTC)):
                say("Loaded the demo scenario")
            address = wider.public_url or f"{'https' if wider.tls else 'http'}://{wider.listen}:{port}"
            code = first_manager_code(store)
            if signing.ensure_key(store, key_files(directory)):
                say(
                    f"The signing keys are not in {directory / 'keys'}: a new key was created, and "
                    "every check will report it. Restore the old keys from their backup."
                )
            server = _web_server(store, wider, directory, demo_accounts=demo)
            _judge_again(store)
            _back_up(store, url, backups_of(directory), key_files(directory))

            def end(*_: object) -> None:
                server.should_exit = True

            # from here an interrupt asks the server to end: an exception could be lost between two of its steps
            with signals(end, signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
                print(f"Low Hiss is ready: {address}  (Ctrl-C stops it)", flush=True)
                if code is not None:
                    print(f"Nobody can sign in yet. The first manager's one-time code: {code}", flush=True)
                server.run(sockets=[listener])
            say("Stopped")
    except (CannotStartError, DatabaseError, StoreError, KeyFileError) as error:
        print(f"lowhiss: {error}", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        say("Stopped")
    return 0


def _check_wider(wider: Wider, *, demo: bool) -> None:
    """Anything but loopback needs TLS: phones want a secure origin, and passwords a secret one."""
    if (wider.certificate is None) != (wider.key is None):
        raise CannotStartError("--tls-cert and --tls-key must be given together.")
    if not wider.loopback and not wider.tls:
        raise CannotStartError(
            f"--listen {wider.listen} needs --tls-cert and --tls-key; only loopback works without them."
        )
    if not wider.loopback and demo:
        raise CannotStartError("--demo opens accounts without passwords, so it works only on this machine.")
    if wider.public_url is not None and demo:
        raise CannotStartError("--demo opens accounts without passwords, so it can't be used with --public-url.")
    for name, path in (("--tls-cert", wider.certificate), ("--tls-key", wider.key)):
        if path is not None and not path.is_file():
            raise CannotStartError(f"{name}: there is no file {path}.")
    if wider.certificate is not None:
        try:
            ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER).load_cert_chain(wider.certificate, wider.key)
        except (ssl.SSLError, OSError) as error:
            raise CannotStartError(f"--tls-cert and --tls-key can't be used together: {error}.") from error
    if wider.public_url is not None:
        parts = urlsplit(wider.public_url)
        if parts.scheme not in ("http", "https") or not parts.hostname or parts.path.strip("/"):
            raise CannotStartError("--public-url must look like https://name or https://name:port.")


def _more_files() -> None:
    """As many open connections as the machine allows: half-sent requests must not keep others out."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    most = _MAX_FILES if hard == resource.RLIM_INFINITY else min(hard, _MAX_FILES)
    if soft != resource.RLIM_INFINITY and soft < most:
        resource.setrlimit(resource.RLIMIT_NOFILE, (most, hard))


def _interrupt(*_: object) -> None:
    raise KeyboardInterrupt


def _web_server(store: Store, wider: Wider, directory: Path, *, demo_accounts: bool) -> uvicorn.Server:
    # seconds of reading, which a start that is refused does without
    from lowhiss.api import create_app
    from lowhiss.api.http_server import web_options

    names = {"127.0.0.1", "localhost", wider.listen, urlsplit(wider.public_url or "").hostname or "localhost"}
    app = create_app(
        store,
        tuple(sorted(names - {"0.0.0.0", "::"})),
        demo_accounts=demo_accounts,
        secure=wider.tls,
        spool=spool_of(directory),
        keys=key_files(directory),
    )
    app.state.worker.wake()  # an earlier process may have left a question half answered
    config = uvicorn.Config(
        app,
        log_config=None if os.environ.get("LOWHISS_LOG") == "json" else uvicorn.config.LOGGING_CONFIG,
        **web_options(wider.proxy, tls=wider.tls),
        timeout_graceful_shutdown=5,
        ssl_certfile=wider.certificate,
        ssl_keyfile=wider.key,
    )
    return uvicorn.Server(config)


def _judge_again(store: Store) -> None:
    """After an upgrade of the core: look at every ended run again, some at a time, beside everything else."""

    def work() -> None:
        with contextlib.suppress(Exception):  # the report of a run looks again whenever it is opened
            while judge_ended_again(store, _JUDGED_AT_ONCE) == _JUDGED_AT_ONCE:
                time.sleep(_REST_S)

    threading.Thread(target=work, name="judge-again", daemon=True).start()


def _back_up(store: Store, url: str, directory: Path, keys: KeyFiles) -> None:
    """A copy a day, by itself."""

    def work() -> None:
        while True:
            with contextlib.suppress(Exception):  # it is tried again, and the yard says when it did not come about
                scheduled(store, url, directory, dt.datetime.now(dt.UTC), keys)
            time.sleep(_LOOK_FOR_COPIES_S)

    threading.Thread(target=work, name="backups", daemon=True).start()


_LOOK_FOR_COPIES_S = 600.0
_JUDGED_AT_ONCE, _REST_S = 20, 0.1
"""So that marks are kept meanwhile as quickly as ever."""


@contextlib.contextmanager
def _listening(address: str, port: int) -> Iterator[socket.socket]:
    """The listening socket, taken before anything slow, so that a taken port is said at once."""
    if not 1 <= port <= 65535:
        raise CannotStartError(f"--port must be from 1 to 65535, not {port}.")
    family = socket.AF_INET6 if ":" in address else socket.AF_INET
    # named as TCP, or else asyncio does not know that it may send small answers at once: 40 ms on each
    listener = socket.socket(family, socket.SOCK_STREAM, socket.IPPROTO_TCP)
    listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listener.bind((address, port))
        listener.listen(1024)
    except OSError as error:
        listener.close()
        raise CannotStartError(
            f"Port {port} can't be used ({error.strerror}): stop its program or choose another with --port."
        ) from error
    with listener:
        yield listener

"""``lowhiss start``: the database, the tables, the demo data and the web server, and their orderly end."""

from __future__ import annotations

import contextlib
import datetime as dt
import fcntl
import os
import resource
import shutil
import signal
import socket
import ssl
import sys
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import urlsplit

import uvicorn

from lowhiss.api import create_app
from lowhiss.api.patient import web_options
from lowhiss.backup import BackupError, back_up, put_back, read_manifest, scheduled
from lowhiss.core.words import Words
from lowhiss.database import DatabaseError, PrivateServer
from lowhiss.demo import load_demo
from lowhiss.doctor import examine
from lowhiss.exchange.keys import KeyFileError, KeyFiles
from lowhiss.exchange.standing_out import last_day
from lowhiss.logs import set_up as set_up_logs
from lowhiss.service.errors import RefusedError
from lowhiss.service.fleet import out
from lowhiss.service.fleet.standing import get_calendar, standings
from lowhiss.service.people.accounts import manager_code
from lowhiss.service.people.signin import first_manager_code
from lowhiss.service.rounds.papers import dated_papers
from lowhiss.service.runs.lifecycle import judge_ended_again
from lowhiss.service.seals import sealing, verifying
from lowhiss.store.engine import Store, StoreError, make_engine
from lowhiss.upgrade import upgrade

_MAX_FILES = 65_536
_LEAST_FREE_MB = 400
"""A fresh MariaDB data directory takes about 130 MB; the rest is room to work."""


class CannotStartError(RuntimeError):
    """Why the application cannot start, as one clear sentence."""


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
        """Whether it speaks TLS."""
        return self.certificate is not None


def serve(data_dir: Path, port: int, *, demo: bool, wider: Wider | None = None) -> int:
    """Run until interrupted; returns the exit code. What cannot work is said in one sentence."""
    wider = wider or Wider()
    set_up_logs()
    try:
        _check_wider(wider, demo=demo)
        with (
            _signals(_interrupt, signal.SIGTERM, signal.SIGHUP),  # end as Ctrl-C does: the database is stopped too
            _listening(wider.listen, port) as listener,
            _data_directory(data_dir) as directory,
            _database(directory) as url,
        ):
            store = Store(make_engine(url))
            _say("Bringing the tables up to date")
            upgrade(store.engine, url, directory / "copies", _say)
            _more_files()
            if demo and load_demo(store, dt.datetime.now(dt.UTC)):
                _say("Loaded the demo scenario")
            address = wider.public_url or f"{'https' if wider.tls else 'http'}://{wider.listen}:{port}"
            code = first_manager_code(store)
            sealing.ensure_key(store, key_files(directory))
            server = _web_server(store, wider, directory, demo_accounts=demo)
            _judge_again(store)
            _back_up(store, url, backups_of(directory))

            def end(*_: object) -> None:
                server.should_exit = True

            # from here an interrupt asks the server to end: an exception could be lost between two of its steps
            with _signals(end, signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
                print(f"Low Hiss is ready: {address}  (Ctrl-C stops it)", flush=True)
                if code is not None:
                    print(f"Nobody can sign in yet. The first manager's one-time code: {code}", flush=True)
                server.run(sockets=[listener])
            _say("Stopped")
    except (CannotStartError, DatabaseError, StoreError, KeyFileError) as error:
        print(f"lowhiss: {error}", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        _say("Stopped")
    return 0


def _check_wider(wider: Wider, *, demo: bool) -> None:
    """Anything but loopback needs TLS: phones want a secure origin, and passwords a secret one."""
    if (wider.certificate is None) != (wider.key is None):
        raise CannotStartError("--tls-cert and --tls-key go together: give both, or neither.")
    if not wider.loopback and not wider.tls:
        raise CannotStartError(
            f"--listen {wider.listen} needs --tls-cert and --tls-key: only this machine does without."
        )
    if not wider.loopback and demo:
        raise CannotStartError("--demo opens accounts without passwords: it works on this machine only.")
    if wider.public_url is not None and demo:
        raise CannotStartError("--demo opens accounts without passwords: it takes no --public-url.")
    for name, path in (("--tls-cert", wider.certificate), ("--tls-key", wider.key)):
        if path is not None and not path.is_file():
            raise CannotStartError(f"{name}: there is no file {path}.")
    if wider.certificate is not None:
        try:
            ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER).load_cert_chain(wider.certificate, wider.key)
        except (ssl.SSLError, OSError) as error:
            raise CannotStartError(f"--tls-cert and --tls-key cannot be used together: {error}.") from error
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


def make_manager(data_dir: Path, name: str) -> int:
    """A one-time code for a manager of this name, made on the server itself; returns the exit code."""

    def make(store: Store) -> int:
        code = manager_code(store, name)
        print(f"{name} may now set a password with this one-time code (*I have a one-time code* on the page): {code}")
        return 0

    return _with_store(data_dir, make)


def tell_standing(data_dir: Path, words: Words, *, as_csv: bool) -> int:
    """Print how every unit stands; returns the exit code, 1 where one must stay."""

    def tell(store: Store) -> int:
        now = dt.datetime.now(dt.UTC)
        found = standings(store, words, now)
        if as_csv:
            print(out.as_csv(store, words, now), end="")
        for one in () if as_csv else found:
            print(f"{one.name:<12} {one.said}{f'. {one.why}' if one.why else ''}")
        return int(any(one.stays for one in found))

    return _with_store(data_dir, tell)


def tell_due(data_dir: Path, words: Words, ics: Path | None) -> int:
    """Print when each unit is due, or write it as iCalendar; returns the exit code."""

    def tell(store: Store) -> int:
        now = dt.datetime.now(dt.UTC)
        if ics is not None:
            try:
                ics.write_bytes(out.as_calendar(store, words, now, dated_papers(store, words.language)))
            except OSError as error:
                raise CannotStartError(f"{ics} cannot be written: {error.strerror}.") from error
            return 0
        zone = get_calendar(store).zone
        for one in standings(store, words, now):
            day = last_day(one.due_at, zone).isoformat() if one.due_at else "–"
            print(f"{day:<12} {one.name:<12} {one.said}")
        return 0

    return _with_store(data_dir, tell)


def verify_all(data_dir: Path, head: str | None) -> int:
    """Check every seal and every row that it covers; returns the exit code, 1 where anything was changed."""

    def tell(store: Store) -> int:
        found = 0
        for one in verifying.verify_all(store, key_files(data_dir.resolve())):
            found += 1
            print(f"{f'seal {one.place}: ' if one.place else ''}{one.sentence}", flush=True)
        place, sha256, _ = sealing.head(store)
        if head is not None and not sealing.knows(store, head):
            found += 1
            print(f"the head that was kept elsewhere, {head[:16]}, is none of these seals")
        if not found:
            print(f"{place} seals, nothing was changed; the head is {sha256}")
        return int(found > 0)

    return _with_store(data_dir, tell)


def make_backup(data_dir: Path, target: Path) -> int:
    """A copy of everything while it runs; returns the exit code."""

    def make(store: Store) -> int:
        manifest = back_up(store, store.engine.url.render_as_string(hide_password=False), target.resolve())
        print(f"{target}: {manifest.runs} tests; the chain's head is {manifest.head}")
        return 0

    return _with_store(data_dir, make)


def restore_backup(data_dir: Path, source: Path) -> int:
    """Put a copy back; Low Hiss must not run. Returns the exit code, 1 where its seals say that it was changed."""
    try:
        read_manifest(source)
        with _data_directory(data_dir) as directory, _database(directory) as url:
            store = Store(make_engine(url))
            problems = put_back(store, url, directory / "copies", source, _say)
            store.engine.dispose()
        for one in problems:
            print(one)
        if not problems:
            print(f"{source} was put back, and its seals are as they were made")
        return int(bool(problems))
    except (CannotStartError, DatabaseError, StoreError, BackupError) as error:
        print(f"lowhiss: {error}", file=sys.stderr)
        return 1


def tell_health(data_dir: Path, certificate: Path | None) -> int:
    """Look at everything that an installation needs; returns the exit code, 1 where something is to be mended."""

    def tell(store: Store) -> int:
        directory = data_dir.resolve()
        now = dt.datetime.now(dt.UTC)
        bad = 0
        for one in examine(store, directory, backups_of(directory), key_files(directory), certificate, now):
            bad += bool(one.mend)
            print(one.line, flush=True)
        return int(bad > 0)

    return _with_store(data_dir, tell)


def backups_of(directory: Path) -> Path:
    """Where copies are made by themselves: best on another disk."""
    given = os.environ.get("LOWHISS_BACKUPS")
    return Path(given) if given else directory / "backups"


def tell_keys(data_dir: Path, do: str) -> int:
    """Show the signing keys, begin a new one, or tell the chain's head; returns the exit code."""

    def tell(store: Store) -> int:
        files = key_files(data_dir.resolve())
        if do == "rotate":
            print(f"Seals are signed with {sealing.rotate(store, files).id} from here on")
        elif do == "head":
            place, sha256, sealed_at = sealing.head(store)
            print(f"seal {place}  {sha256}  {sealed_at.isoformat() if sealed_at else '-'}")
        else:
            in_use = files.current().id
            for name, public in sealing.keys_of(store).items():
                print(f"{name}  {public}{'  in use' if name == in_use else ''}")
        return 0

    return _with_store(data_dir, tell)


def key_files(directory: Path) -> KeyFiles:
    """The signing keys of an installation; of several machines, in one place that all of them see."""
    given = os.environ.get("LOWHISS_KEYS")
    return KeyFiles(Path(given) if given else directory / "keys")


def spool_of(directory: Path) -> Path:
    """Where files of long jobs lie; of several machines, one place that all of them see."""
    given = os.environ.get("LOWHISS_SPOOL")
    return Path(given) if given else directory / "waiting"


def _with_store(data_dir: Path, work: Callable[[Store], int]) -> int:
    """Do something with the store of an installation; returns the exit code, 1 with a sentence where it cannot be."""
    try:
        with _any_database(data_dir.resolve()) as url:
            store = Store(make_engine(url))
            code = work(store)
            store.engine.dispose()
            return code
    except (CannotStartError, DatabaseError, StoreError, RefusedError, KeyFileError, BackupError) as error:
        print(f"lowhiss: {error}", file=sys.stderr)
        return 1


@contextlib.contextmanager
def _any_database(directory: Path) -> Iterator[str]:
    """The database of an installation, whether the application runs just now or not."""
    given = os.environ.get("LOWHISS_DATABASE_URL")
    if given:
        yield given
        return
    server = PrivateServer(directory / "database")
    if not (directory / "database" / "data").is_dir():
        raise CannotStartError(f"There is no data of Low Hiss in {directory}: name its directory with --data.")
    if server.find_running():
        yield server.url
        return
    with _data_directory(directory) as locked, _database(locked) as url:
        yield url


def _interrupt(*_: object) -> None:
    raise KeyboardInterrupt


def _web_server(store: Store, wider: Wider, directory: Path, *, demo_accounts: bool) -> uvicorn.Server:
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
        with contextlib.suppress(Exception):  # the sheet of a run looks again whenever it is opened
            while judge_ended_again(store, _JUDGED_AT_ONCE) == _JUDGED_AT_ONCE:
                time.sleep(_REST_S)

    threading.Thread(target=work, name="judge-again", daemon=True).start()


def _back_up(store: Store, url: str, directory: Path) -> None:
    """A copy a day, by itself."""

    def work() -> None:
        while True:
            with contextlib.suppress(Exception):  # it is tried again, and the yard says when it did not come about
                scheduled(store, url, directory, dt.datetime.now(dt.UTC))
            time.sleep(_LOOK_FOR_COPIES_S)

    threading.Thread(target=work, name="backups", daemon=True).start()


_LOOK_FOR_COPIES_S = 600.0
_JUDGED_AT_ONCE, _REST_S = 20, 0.1
"""So that marks are kept meanwhile as quickly as ever."""


def _say(text: str) -> None:
    print(text, file=sys.stderr, flush=True)


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

"""The real parts that tests share: a private MariaDB, a store on it, the application behind a real port."""

from __future__ import annotations

import datetime as dt
import fcntl
import hashlib
import shutil
import socket
import subprocess
import threading
import uuid
from collections.abc import Iterator
from pathlib import Path

import httpx
import pymysql
import pytest
import uvicorn
from argon2 import PasswordHasher

import lowhiss
import tests.properties  # noqa: F401  how properties are tried
from lowhiss.api import create_app
from lowhiss.api.http_server import web_options
from lowhiss.database import PrivateServer
from lowhiss.database.dump import dump, restore
from lowhiss.demo import load_demo
from lowhiss.demo.scenario import demo_id
from lowhiss.exchange.keys import KeyFiles
from lowhiss.service.people import secrets
from lowhiss.static import WEB
from lowhiss.store.engine import Store, make_engine, migrate
from tests.plugin import HANG_S

ROOT = Path(__file__).resolve().parents[1]
KEPT = ROOT / ".test-cache"
"""What one run of tests leaves for the next."""
TEMPLATE, DEMO_TEMPLATE = "tables.sql", "demo.sql"
DEMO_LOADED_AT = dt.datetime(2026, 11, 20, 5, 30, tzinfo=dt.UTC)


@pytest.fixture(scope="session", autouse=True)
def cheap_passwords() -> Iterator[None]:
    """Hashes that cost next to nothing: what they cost is the matter of the few tests that ask for `dear_passwords`."""
    cheap = PasswordHasher(time_cost=1, memory_cost=8, parallelism=1)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(secrets, "_hasher", lambda: cheap)
        yield


@pytest.fixture
def dear_passwords() -> Iterator[None]:
    """Hashes as dear as they are in use."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(secrets, "_hasher", secrets.make_hasher)
        secrets._nobodys_hash.cache_clear()
        yield
        secrets._nobodys_hash.cache_clear()


def sources_digest() -> str:
    """A digest of everything that the demo's database is made by."""
    digest = hashlib.sha256(str(DEMO_LOADED_AT).encode())
    for path in sorted(Path(lowhiss.__file__).parent.rglob("*")):
        if path.suffix in (".py", ".toml") and "static" not in path.parts:
            digest.update(path.read_bytes())
    return digest.hexdigest()[:16]


@pytest.fixture(scope="session")
def demo_database() -> Path:
    """A stopped database with the demo scenario, made by whichever test process comes first; to be copied.

    It is kept for later runs until the sources change. Beside it lie the dumps that a schema of a running server is
    filled from: of its tables, and of all that is in them.
    """
    shared = KEPT / sources_digest()
    shared.mkdir(parents=True, exist_ok=True)
    made = shared / "demo-database"
    with (KEPT / "lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not made.exists():
            # a run that began before the sources changed may still need the last one
            known = sorted((one for one in KEPT.iterdir() if one.is_dir()), key=lambda one: one.stat().st_mtime)
            for old in known[:-2]:
                shutil.rmtree(old)
            shutil.rmtree(shared / "demo-database.making", ignore_errors=True)
            server = PrivateServer(shared / "demo-database.making")
            server.start()
            engine = make_engine(server.url)
            migrate(engine)
            dump(server.url, shared / TEMPLATE)
            assert load_demo(Store(engine), DEMO_LOADED_AT)
            engine.dispose()
            dump(server.url, shared / DEMO_TEMPLATE)
            server.stop()
            server.directory.rename(made)
    return made


def copied(database: Path, to: Path) -> Path:
    """A copy of a stopped database that can be started; files keep their owner."""
    to.parent.mkdir(parents=True, exist_ok=True)
    subprocess.run(["cp", "-a", str(database), str(to)], check=True)
    return to


@pytest.fixture(scope="session")
def database(demo_database: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[PrivateServer]:
    """One MariaDB of our own for the whole test process, with the demo scenario in it."""
    server = PrivateServer(copied(demo_database, tmp_path_factory.mktemp("database") / "copy"))
    server.start()
    yield server
    server.stop()


@pytest.fixture
def empty_url(database: PrivateServer) -> str:
    """The address of a schema without any tables."""
    name = f"lowhiss_{uuid.uuid4().hex[:12]}"
    password = (database.directory / "password").read_text().strip()
    with pymysql.connect(host="127.0.0.1", port=database.port, user="lowhiss", password=password) as connection:
        connection.cursor().execute(f"CREATE DATABASE {name}")
    return database.url.replace("/lowhiss?", f"/{name}?")


@pytest.fixture(scope="session")
def store(database: PrivateServer) -> Iterator[Store]:
    """A store with the demo scenario; tests add runs of their own and never count all of them."""
    engine = make_engine(database.url)
    yield Store(engine)
    engine.dispose()


class Running:
    """The application behind a real port of the loopback interface."""

    def __init__(
        self,
        store: Store,
        web: Path = WEB,
        demo_accounts: bool = True,
        *,
        secure: bool = False,
        spool: Path | None = None,
        keys: Path | None = None,
        proxy: str | None = None,
    ) -> None:
        self._listener = socket.create_server(("127.0.0.1", 0))
        self.url = f"http://127.0.0.1:{self._listener.getsockname()[1]}"
        config = uvicorn.Config(
            create_app(
                store,
                web=web,
                demo_accounts=demo_accounts,
                secure=secure,
                spool=spool,
                keys=KeyFiles(keys) if keys else None,
            ),
            **{**web_options(proxy), "log_level": "error"},
            lifespan="off",
            timeout_graceful_shutdown=1,
        )
        self._server = uvicorn.Server(config)
        self._thread = threading.Thread(target=self._server.run, kwargs={"sockets": [self._listener]}, daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """Stop and wait."""
        self._server.should_exit = True
        self._thread.join(10)
        self._listener.close()


@pytest.fixture(scope="session")
def app_spool(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Where the application's files wait to be read."""
    return tmp_path_factory.mktemp("waiting")


@pytest.fixture(scope="session")
def app_url(store: Store, app_spool: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """Where the application with demo data answers."""
    running = Running(store, spool=app_spool, keys=tmp_path_factory.mktemp("keys"))
    yield running.url
    running.stop()


def sign_in(http: httpx.Client, name: str = "Odile Ferrow") -> httpx.Client:
    """Sign this client in as a demo person; its writes carry the word of its session from then on."""
    me = http.post("/api/session/demo", json={"person_id": demo_id(name)}).raise_for_status().json()
    http.headers["x-low-hiss-csrf"] = me["csrf"]
    return http


@pytest.fixture
def client(app_url: str) -> Iterator[httpx.Client]:
    """An HTTP client of the application, signed in as a manager."""
    with httpx.Client(base_url=app_url, timeout=HANG_S) as http:
        yield sign_in(http)


@pytest.fixture
def stranger(app_url: str) -> Iterator[httpx.Client]:
    """An HTTP client that nobody signed in."""
    with httpx.Client(base_url=app_url, timeout=HANG_S) as http:
        yield http


def filled(url: str, template: Path) -> Iterator[Store]:
    """A store on a schema that is made from a dump."""
    restore(url, template)
    engine = make_engine(url)
    yield Store(engine)
    engine.dispose()


@pytest.fixture
def empty_store(empty_url: str, demo_database: Path) -> Iterator[Store]:
    """A store with tables and nothing in them."""
    yield from filled(empty_url, demo_database.with_name(TEMPLATE))


@pytest.fixture
def demo_store(empty_url: str, demo_database: Path) -> Iterator[Store]:
    """A store with the demo scenario that no other test sees."""
    yield from filled(empty_url, demo_database.with_name(DEMO_TEMPLATE))

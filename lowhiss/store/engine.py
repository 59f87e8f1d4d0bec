"""Connecting, and bringing the tables up to date."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from importlib.resources import files

from alembic import command
from alembic.config import Config
from alembic.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Engine, create_engine, event, text
from sqlalchemy.orm import Session, sessionmaker

import lowhiss.store.tables  # noqa: F401  rows refer to one another by name: all are known before the first is asked for

MAX_STATEMENT_S = 20
_MIGRATION_LOCK = "lowhiss_migrate"


class StoreError(RuntimeError):
    """The store cannot be used as it is; one clear sentence."""


def make_engine(url: str) -> Engine:
    """An engine whose connections are checked before use, so that a restarted database costs no failed request."""
    return create_engine(
        url,
        hide_parameters=True,  # what somebody typed is for no log
        pool_pre_ping=True,
        pool_size=10,
        max_overflow=20,
        isolation_level="READ COMMITTED",
        connect_args={
            "connect_timeout": 5,
            "read_timeout": 30,
            "write_timeout": 30,
            # a question that takes too long is stopped by the server, and is no sign of its being away
            "init_command": f"SET SESSION max_statement_time={MAX_STATEMENT_S}",
        },
    )


def after_commit(session: Session, work: Callable[[], None]) -> None:
    """Do something once what this session does is committed, and not at all if it is not."""
    event.listen(session, "after_commit", lambda _: work(), once=True)


class Store:
    """Sessions over one database."""

    def __init__(self, engine: Engine) -> None:
        self.engine = engine
        self._sessions = sessionmaker(engine, expire_on_commit=False)

    @contextmanager
    def transaction(self) -> Iterator[Session]:
        """One session that commits at the end of the block, or rolls back what an error left."""
        with self._sessions.begin() as session:
            yield session


def _config() -> Config:
    config = Config()
    config.set_main_option("script_location", str(files("lowhiss.store").joinpath("migrations")))
    return config


def head_revision() -> str:
    """The newest revision of the tables."""
    return str(ScriptDirectory.from_config(_config()).get_current_head())


def known_revisions() -> set[str]:
    """Every revision of the tables that this release knows."""
    return {str(one.revision) for one in ScriptDirectory.from_config(_config()).walk_revisions()}


def current_revision(engine: Engine) -> str | None:
    """The revision the tables are at; None when there are none."""
    with engine.connect() as connection:
        return MigrationContext.configure(connection).get_current_revision()


def migrate(engine: Engine, revision: str = "head") -> None:
    """Bring the tables to ``revision``; a second process that does the same waits for the first."""
    config = _config()
    with engine.connect() as connection:
        if connection.scalar(text("SELECT GET_LOCK(:name, 120)"), {"name": _MIGRATION_LOCK}) != 1:
            raise StoreError("Another process has been updating the tables for two minutes. Wait, then start again.")
        try:
            connection.execute(text("SET SESSION max_statement_time=0"))  # a large table takes what it takes
            config.attributes["connection"] = connection
            command.upgrade(config, revision)
            connection.commit()
        finally:
            connection.execute(text("SELECT RELEASE_LOCK(:name)"), {"name": _MIGRATION_LOCK})

"""A change of the tables that is killed midway loses nothing: the copy made before it is put back."""

from __future__ import annotations

import subprocess
import sys

import pytest
from sqlalchemy import text

from lowhiss.database.dump import dump, restore
from lowhiss.store.engine import current_revision, head_revision, make_engine, migrate
from lowhiss.upgrade import upgrade

# dies at the n-th statement that changes a table, as a power cut would
KILLED = """
import os, sys
from pathlib import Path
from alembic import op
from lowhiss.store.engine import make_engine
from lowhiss.upgrade import upgrade

left = int(sys.argv[3])
def dying(real):
    def call(*given, **named):
        global left
        left -= 1
        if left < 0:
            os._exit(137)
        return real(*given, **named)
    return call
for name in ("create_table", "add_column", "create_foreign_key"):
    setattr(op, name, dying(getattr(op, name)))
upgrade(make_engine(sys.argv[1]), sys.argv[1], Path(sys.argv[2]), print)
"""


@pytest.fixture
def first_release(empty_url):
    """A database of the first release, with a unit in it."""
    engine = make_engine(empty_url)
    migrate(engine, "0001")
    with engine.begin() as connection:
        connection.execute(
            text(
                "INSERT INTO unit (id, name, facts, resolution_psi, rules, demo) VALUES "
                "('3f0b7c1e-0000-4000-8000-000000000001', 'MV-ñ', :facts, 1, 'us-cdl', 0)"
            ),
            {"facts": '{"name": "MV-ñ", "kind": "tractor_semitrailer", "trailers": ["T-04"]}'},
        )
    yield empty_url, engine
    engine.dispose()


@pytest.mark.parametrize("statements", [0, 3, 8, 11])
def test_a_killed_upgrade_is_put_back_and_done_again(first_release, tmp_path, statements):
    url, engine = first_release
    killed = subprocess.run(
        [sys.executable, "-c", KILLED, url, str(tmp_path), str(statements)], capture_output=True, text=True, check=False
    )
    assert killed.returncode == 137, killed.stderr
    assert (tmp_path / "upgrade-under-way").exists()
    said: list[str] = []
    upgrade(engine, url, tmp_path, said.append)
    assert said[0].startswith("A change of the tables was cut off")
    assert current_revision(engine) == head_revision()
    assert not (tmp_path / "upgrade-under-way").exists()
    with engine.connect() as connection:
        assert connection.execute(text("SELECT name FROM unit")).scalars().all() == ["MV-ñ"]
        assert connection.execute(text("SELECT name FROM trailer")).scalars().all() == ["T-04"]


def test_nothing_is_copied_when_nothing_changes(first_release, tmp_path):
    url, engine = first_release
    upgrade(engine, url, tmp_path, lambda _: None)
    assert len(list(tmp_path.glob("before-*.sql"))) == 1
    upgrade(engine, url, tmp_path, lambda _: None)
    assert len(list(tmp_path.glob("before-*.sql"))) == 1


def test_a_copy_put_back_is_what_was_copied(first_release, tmp_path):
    url, engine = first_release
    dump(url, tmp_path / "copy.sql")
    with engine.begin() as connection:
        connection.execute(text("DELETE FROM unit"))
        connection.execute(text("CREATE TABLE stray (id INT)"))
    restore(url, tmp_path / "copy.sql")
    with engine.connect() as connection:
        assert connection.execute(text("SELECT name FROM unit")).scalars().all() == ["MV-ñ"]
        assert "stray" not in connection.execute(text("SHOW TABLES")).scalars().all()

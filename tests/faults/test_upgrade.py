"""A change of the tables that is killed midway loses nothing: the copy made before it is put back."""

from __future__ import annotations

import datetime as dt
import subprocess
import sys

import pytest
from sqlalchemy import insert, select, text

from lowhiss import rulebook
from lowhiss.database.dump import dump, restore
from lowhiss.service.fleet.holds import holds_ever_on
from lowhiss.store.engine import Store, current_revision, head_revision, make_engine, migrate
from lowhiss.store.finding_models import RunPersonRow
from lowhiss.store.fleet_models import PartTestRow
from lowhiss.store.installation_models import RuleSetRow
from lowhiss.store.run_models import RunRow, VerdictRow
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
    assert said[0].startswith("An update of the tables was interrupted")
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


def test_what_stood_failed_before_holds_were_kept_is_held_and_what_had_passed_again_is_not(empty_url, tmp_path):
    engine = make_engine(empty_url)
    migrate(engine, "0006")
    began = dt.datetime(2026, 10, 1, 5, 0, tzinfo=dt.UTC)
    rules = rulebook.rule_set("us-cdl")
    stages = {
        "failed": {"leak_applied": {"outcome": "fail", "at_s": 90.0, "drop_psi": 9.0}},
        "again": {"cut_out": {"outcome": "fail", "at_s": 9.0, "psi": 110.0}},
        "passed": {"cut_out": {"outcome": "pass", "at_s": 9.0, "psi": 125.0}},
    }
    with Store(engine).transaction() as session:
        columns = "(id, name, facts, resolution_psi, rules, demo)"
        session.execute(text(f"INSERT INTO unit {columns} VALUES ('u', 'OLD-1', '{{}}', 1, 'us-cdl', 0)"))
        # as that release wrote it: this one knows columns that were not there
        session.execute(text("INSERT INTO trailer (id, name, facts, demo) VALUES ('t', 'OLD-T', '{}', 0)"))
        session.add(RuleSetRow(hash=rules.content_hash, name=rules.id, content=rules.as_dict(), kept_at=began))
        session.flush()
        for day, (run_id, said) in enumerate(stages.items()):
            at = began + dt.timedelta(days=day)
            unit = {"kind": "tractor_semitrailer", "name": "OLD-1", "trailers": ["OLD-T", "long gone"]}
            outcome = "pass" if run_id == "passed" else "fail"
            session.execute(
                insert(RunRow.__table__).values(
                    id=run_id, unit_id="u", unit=unit, rules_hash=rules.content_hash, procedure={}, purpose="dispatch",
                    driver="Tøve Lind" if day else "Tove Lind", setup={"watcher": "Bram OSEI"}, resolution_psi=1,
                    started_at=at, begun={}, received_at=at, ended_at=at, ended_by="finished", ended_at_s=99.0,
                    outcome=outcome, stale=False,
                )
            )  # fmt: skip
            session.flush()
            session.add(
                VerdictRow(
                    run_id=run_id, rules_hash=rules.content_hash, last_seq=0, core_version="old", overall=outcome,
                    outcome=outcome, close_call=False, figures={"stages": said, "column": {}},
                )
            )  # fmt: skip
        session.flush()
        failed = "INSERT INTO unit_stage (unit_id, stage, failed_at, failed_run_id, passed_at, passed_run_id) VALUES "
        session.execute(text(f"{failed} ('u', 'leak_applied', '2026-10-01 05:01:30', 'failed', NULL, NULL)"))
        session.execute(
            text(f"{failed} ('u', 'cut_out', '2026-10-02 05:00:09', 'again', '2026-10-03 05:00:09', 'passed')")
        )
    upgrade(engine, empty_url, tmp_path, lambda _: None)
    with Store(engine).transaction() as session:
        holds = {hold.stage: hold for hold in holds_ever_on(session, "u")}
        assert [part.id for part in holds["leak_applied"].held] == ["u", "t"]
        assert holds["leak_applied"].from_before
        assert (holds["cut_out"].held, holds["cut_out"].lifted.run_id) == ((), "passed")
        tested = session.get_one(PartTestRow, "t")
        assert tested.passed_at == began + dt.timedelta(days=2, seconds=99)
        people = session.scalars(select(RunPersonRow.name_key).where(RunPersonRow.run_id == "passed"))
        assert set(people) == {"tøve lind", "bram osei"}
        first = session.scalars(select(RunPersonRow.name_key).where(RunPersonRow.run_id == "failed"))
        assert set(first) == {"tove lind", "bram osei"}
    engine.dispose()

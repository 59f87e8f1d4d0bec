"""The store on the real MariaDB: migrations, what columns keep, and that derived data can be rebuilt."""

from __future__ import annotations

import datetime as dt
import json
import uuid

import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import delete, inspect, select, text
from sqlalchemy.exc import StatementError

from lowhiss.demo import load_demo
from lowhiss.demo.scenario import UNITS
from lowhiss.service.fleet.trailers import list_trailers
from lowhiss.service.fleet.units import list_units
from lowhiss.service.runs.log import log_page
from lowhiss.store.base import Base
from lowhiss.store.engine import Store, make_engine, migrate
from lowhiss.store.fleet_models import UnitRow
from lowhiss.store.run_models import EventRow, RunRow, VerdictRow
from tests.conftest import DEMO_LOADED_AT


def test_migrations_from_empty_make_exactly_the_models_tables(store):
    with store.engine.connect() as connection:
        context = MigrationContext.configure(connection, opts={"compare_type": True})
        assert compare_metadata(context, Base.metadata) == []


def test_migrating_again_changes_nothing_and_names_every_constraint(store):
    migrate(store.engine)
    inspector = inspect(store.engine)
    for table in Base.metadata.tables:
        assert all(key["name"].startswith("fk_") for key in inspector.get_foreign_keys(table))
        assert all(key["name"].startswith("uq_") for key in inspector.get_unique_constraints(table))


def test_units_of_the_first_release_become_power_units_with_trailers(empty_url):
    engine = make_engine(empty_url)
    migrate(engine, "0001")
    old = [
        ("a", "MV-12", {"kind": "tractor_semitrailer", "trailers": ["T-04"], "reservoir_ratio": 1.1}),
        ("b", "MV-15", {"kind": "multi_trailer", "trailers": ["T-07", "T-08"]}),
        ("c", "MV-16", {"kind": "tractor_semitrailer", "trailers": ["T-04"]}),  # the same trailer on another day
        ("d", "MV-21", {"kind": "bus", "governor": {"cut_out_psi": 125}}),
    ]
    insert = text(
        "INSERT INTO unit (id, name, facts, resolution_psi, rules, demo) VALUES (:id, :name, :facts, 1, 'us-cdl', 0)"
    )
    with engine.begin() as connection:
        for letter, name, facts in old:
            row = {
                "id": str(uuid.uuid5(uuid.NAMESPACE_DNS, letter)),
                "name": name,
                "facts": json.dumps({"name": name, **facts}),
            }
            connection.execute(insert, row)
    migrate(engine)
    store = Store(engine)
    units = {unit.power.name: unit for unit in list_units(store)}
    assert {name: (unit.unit.kind, unit.unit.trailers) for name, unit in units.items()} == {
        "MV-12": ("tractor_semitrailer", ("T-04",)),
        "MV-15": ("multi_trailer", ("T-07", "T-08")),
        "MV-16": ("tractor", ()),
        "MV-21": ("bus", ()),
    }
    assert units["MV-21"].power.governor.cut_out_psi == 125
    assert [trailer.coupled_to for trailer in list_trailers(store)] == ["MV-12", "MV-15", "MV-15"]
    engine.dispose()


def test_the_server_is_strict_and_stores_instants_in_utc_with_microseconds(store):
    instant = dt.datetime(2026, 11, 2, 4, 41, 0, 123456, dt.timezone(dt.timedelta(hours=-7)))
    with store.transaction() as session:
        assert "STRICT_TRANS_TABLES" in session.scalar(text("SELECT @@sql_mode"))
        assert session.scalar(text("SELECT @@innodb_flush_log_at_trx_commit")) == 1
        run = session.scalars(select(RunRow).limit(1)).one()
        run.started_at = instant
        session.flush()
        session.expire(run)
        assert run.started_at == instant
        assert run.started_at.tzinfo is dt.UTC
        session.rollback()


def test_an_instant_without_its_time_zone_is_refused(store):
    with pytest.raises(StatementError, match="needs its time zone"), store.transaction() as session:
        session.scalars(select(RunRow).where(RunRow.started_at < dt.datetime(2026, 1, 1))).all()


def test_pressures_are_decimals_that_lose_nothing(store):
    with store.transaction() as session:
        event = session.scalars(select(EventRow).where(EventRow.type == "reading").limit(1)).one()
        event.primary_psi = 54.96892
        session.flush()
        session.expire(event)
        assert event.primary_psi == 54.96892
        session.rollback()


def test_ids_of_devices_are_compared_byte_by_byte(store):
    with store.transaction() as session:
        assert session.scalar(text("SELECT 'a' = 'A' COLLATE utf8mb4_nopad_bin")) == 0
        column = session.execute(text("SHOW FULL COLUMNS FROM event WHERE Field = 'id'")).mappings().one()
        assert column["Collation"] == "utf8mb4_nopad_bin"


def test_the_demo_is_loaded_once_and_is_the_same_on_every_machine(demo_store):
    assert not load_demo(demo_store, DEMO_LOADED_AT)
    with demo_store.transaction() as session:
        units = session.scalars(select(UnitRow).order_by(UnitRow.name)).all()
        assert [unit.name for unit in units] == sorted(unit.name for unit in UNITS)
        assert units[0].id == "f03d1fd3-bd6a-5688-a972-f46ef676f43f"  # made of its name


def test_lost_verdicts_are_rebuilt_from_the_events(demo_store):
    before = log_page(demo_store)
    assert {"pass", "fail", "void"} <= {line.outcome for line in before}
    with demo_store.transaction() as session:
        session.execute(delete(VerdictRow))
    assert log_page(demo_store) == before

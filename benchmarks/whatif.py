"""How long a whole log takes to be judged again under other rules, and how much memory that needs.

./bench whatif [--runs N]

Copies the demo's runs with every event within a private database, asks the real question of them and answers it in
processes, as the application does; beside it the same runs judged one by one in one process, for the ratio.
"""

from __future__ import annotations

import argparse
import datetime as dt
import resource
import tempfile
import time
from pathlib import Path

from sqlalchemy import Engine, func, select

from lowhiss import rulebook
from lowhiss.core.procedure import read_procedure
from lowhiss.database import PrivateServer
from lowhiss.demo import load_demo
from lowhiss.demo.scenario import demo_id
from lowhiss.engine.executor import executor
from lowhiss.engine.whatif import replay
from lowhiss.service.jobs import claim
from lowhiss.service.people.signin import Person
from lowhiss.service.rules.saved_rules import saved_rules
from lowhiss.service.runs import whatif
from lowhiss.service.runs.rows import run_of
from lowhiss.store.base import Base
from lowhiss.store.engine import Store, make_engine, migrate
from lowhiss.store.run_models import EventRow, RunRow, VerdictRow

_NOW = dt.datetime(2026, 11, 27, 12, tzinfo=dt.UTC)
_ONE_BY_ONE = 400
_OTHERS = "us-older"
_ASKER = Person(demo_id("Odile Ferrow"), "Odile Ferrow", "manager", "en", "psi", True)


def copied(engine: Engine, count: int) -> int:
    """Every ended demo run so many times that there are ``count``, with its events; returns how many there are."""
    with engine.connect() as connection:
        there = connection.scalar(select(func.count()).select_from(RunRow).where(RunRow.ended_at.is_not(None))) or 1
        connection.exec_driver_sql("SET SESSION foreign_key_checks = 0, unique_checks = 0, max_statement_time = 0")
        for copy in range(1, count // there):
            other_id = "CONCAT(LPAD(HEX({copy}), 8, '0'), SUBSTR({name}, 9))"
            for row, name in ((RunRow, "id"), (EventRow, "run_id"), (VerdictRow, "run_id")):
                table = Base.metadata.tables[row.__tablename__]
                columns = [column.name for column in table.columns]
                chosen = [
                    other_id.format(copy=copy, name=column)
                    if column == name
                    else f"started_at - INTERVAL {copy} SECOND"
                    if column == "started_at"
                    else f"`{column}`"
                    for column in columns
                ]
                into = ", ".join(f"`{column}`" for column in columns)
                connection.exec_driver_sql(
                    f"INSERT INTO {table.name} ({into}) SELECT {', '.join(chosen)} FROM {table.name} "
                    f"WHERE LEFT({name}, 4) <> '0000'"
                )
            connection.commit()
        connection.exec_driver_sql("ANALYZE TABLE run, event, verdict")
        return connection.scalar(select(func.count()).select_from(RunRow)) or 0


def one_by_one_s(store: Store) -> float:
    """How long a run takes that is read and judged by itself, under its own rules and the others [s]."""
    with store.transaction() as session:
        rows = session.scalars(select(RunRow).where(RunRow.ended_at.is_not(None)).limit(_ONE_BY_ONE)).all()
        began = time.perf_counter()
        own = (
            (run_of(session, row), saved_rules(session, row.rules_hash), read_procedure(row.procedure)) for row in rows
        )
        done = sum(1 for _ in replay(own, rulebook.rule_set(_OTHERS)))
    return (time.perf_counter() - began) / done


def main(arguments: list[str]) -> None:
    """Run the benchmark."""
    parser = argparse.ArgumentParser(prog="./bench whatif")
    parser.add_argument("--runs", type=int, default=100_000)
    options = parser.parse_args(arguments)
    with tempfile.TemporaryDirectory() as folder:
        server = PrivateServer(Path(folder))
        server.start()
        try:
            engine = make_engine(server.url)
            migrate(engine)
            store = Store(engine)
            load_demo(store, _NOW)
            single_s = one_by_one_s(store)
            began = time.perf_counter()
            total = copied(engine, options.runs)
            print(f"{total:,} runs with their events copied in {time.perf_counter() - began:.0f} s")
            job = whatif.ask(store, _ASKER, _OTHERS, whatif.Choice())
            assert claim(store, (whatif.KIND,), "bench", _NOW) == (whatif.KIND, job.id)
            began = time.perf_counter()
            with executor() as elsewhere:
                whatif.work_on(store, job.id, "bench", elsewhere)
            took_s = time.perf_counter() - began
            done = whatif.job(store, job.id)
            here, there = (resource.getrusage(who).ru_maxrss / 1024 for who in _WHO)
            changed = done.summary["changed"]
            print(f"what if over {done.done:,} runs: {took_s:.0f} s, {changed:,} would come out otherwise")
            print(f"{done.done / took_s:,.0f} runs a second; one by one in one process {1 / single_s:,.0f}")
            print(f"ratio to one by one: {single_s * done.done / took_s:.1f}")
            print(f"most memory: {here:.0f} MB where it is read, {there:.0f} MB in each process that judges")
            engine.dispose()
        finally:
            server.stop()


_WHO = (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN)

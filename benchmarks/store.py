"""How quickly the lists that the screens ask for come from a log of many runs, as a ratio to the bare indexed query.

./bench store [--runs N] [--units N] [--long] [--plans] [--processes 1 2 4]

Fills a private database with copies of the demo's runs (200,000 of 1,000 units; 2,000,000 with --long), spread over
time, then asks every list many times in one process. ``--plans`` prints how the database reads each. ``--processes``
adds how many lists a second so many processes come to together, asking for one after another.
"""

from __future__ import annotations

import argparse
import datetime as dt
import json
import os
import random
import statistics
import tempfile
import time
import uuid
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from multiprocessing import get_context
from pathlib import Path
from typing import Any

from sqlalchemy import URL, create_engine, event, func, insert, select, text

from lowhiss import rulebook
from lowhiss.core.names import name_key
from lowhiss.core.words import Words
from lowhiss.database import PrivateServer
from lowhiss.demo import load_demo
from lowhiss.demo.scenario import demo_id
from lowhiss.service.fleet import trends, unit_history, unit_status, units
from lowhiss.service.people import accounts, signin
from lowhiss.service.rules import editor as rules
from lowhiss.service.runs import comparison, lifecycle, log, scripts, whatif
from lowhiss.store.engine import Store, make_engine, migrate
from lowhiss.store.finding_models import RunFactRow, RunPersonRow
from lowhiss.store.fleet_models import HoldPartRow, HoldRow, PartTestRow, RunTrailerRow, UnitRow
from lowhiss.store.installation_models import RuleSetRow
from lowhiss.store.run_models import EventRow, RunRow, VerdictRow

_AT_ONCE = 2_000
_ASKED = 40
_TOGETHER_S = 20.0
_MADE_HERE = 200_000  # what is more than that is copied within the database, which is quicker
_NOW = dt.datetime(2026, 11, 27, 12, tzinfo=dt.UTC)


def fill(store: Store, count: int, unit_count: int, rng: random.Random) -> None:
    """Copies of the demo's runs, without their events, over as many units and two years; at most 3,200,000."""
    with store.transaction() as session:
        template = session.scalars(select(UnitRow).where(UnitRow.demo).limit(1)).one()
        made = [
            {
                "id": str(uuid.UUID(int=rng.getrandbits(128), version=4)), "name": f"B-{n:05}", "facts": template.facts,
                "resolution_psi": 1.0, "rules": "us-cdl", "procedure": None, "version": 1, "demo": False,
            }
            for n in range(unit_count)
        ]  # fmt: skip
        session.execute(insert(UnitRow), made)
        rows = [
            (_columns(run), _columns(verdict))
            for run, verdict in session.execute(
                select(RunRow, VerdictRow).join(VerdictRow, VerdictRow.run_id == RunRow.id)
            )
        ]
        facts: dict[str, list[dict[str, Any]]] = {run["id"]: [] for run, _ in rows}
        for fact in session.scalars(select(RunFactRow)):
            facts[fact.run_id].append({"what": fact.what, "value": fact.value})
    ids = [str(one["id"]) for one in made]
    drivers = [f"Driver {n:03}" for n in range(120)]
    with store.engine.connect() as connection:
        connection.exec_driver_sql("SET SESSION foreign_key_checks = 0, unique_checks = 0")
        made_here = min(count, _MADE_HERE)
        for start in range(0, made_here, _AT_ONCE):
            new_runs, new_verdicts, taken = [], [], []
            for _ in range(min(_AT_ONCE, made_here - start)):
                run, verdict = rng.choice(rows)
                taken.append(run["id"])
                run_id = str(uuid.UUID(int=rng.getrandbits(128), version=4))
                began = _NOW - dt.timedelta(seconds=rng.random() * 2 * 365 * 86_400)
                changed = {"id": run_id, "unit_id": rng.choice(ids), "driver": rng.choice(drivers), "demo": False}
                new_runs.append({**run, **changed, "started_at": began, "ended_at": began, "received_at": began})
                new_verdicts.append({**verdict, "run_id": run_id})
            connection.execute(insert(RunRow), new_runs)
            connection.execute(insert(VerdictRow), new_verdicts)
            told = {run["id"]: run["started_at"] for run in new_runs}
            connection.execute(
                insert(RunFactRow),
                [
                    {**fact, "run_id": run["id"], "started_at": told[run["id"]]}
                    for run, first in zip(new_runs, taken, strict=True)
                    for fact in facts[first]
                ],
            )
            people = [
                {"run_id": run["id"], "name_key": name_key(run["driver"]), "started_at": run["started_at"]}
                for run in new_runs
            ]
            connection.execute(insert(RunPersonRow), people)
            connection.commit()
        if count > made_here:
            _copied(store.engine.url, count // made_here - 1)
        # some that are on hold, and when each passed last, as in any fleet
        failed = [str(row["id"]) for row in new_runs[: max(1, unit_count // 20)]]
        for table, made in _standing(ids, failed):
            connection.execute(insert(table), made)
        tables = "run, verdict, run_fact, run_person, unit, event, hold, hold_part, part_test"
        connection.exec_driver_sql(f"ANALYZE TABLE {tables}")
        connection.commit()


def _standing(ids: list[str], failed: list[str]) -> list[tuple[Any, list[dict[str, Any]]]]:
    """Rows of holds on the first units, by the runs that failed, and of every unit's last pass."""
    rules = rulebook.rule_set(rulebook.rule_set_ids()[0]).content_hash
    figures = {"outcome": "fail", "at_s": 90.0, "start_psi": 100, "end_psi": 94, "drop_psi": 6.0, "duration_s": 60.0}
    holds, parts = [], []
    for unit, run in zip(ids, failed, strict=False):
        fail = {"run": run, "at": _NOW.isoformat(), "rules": rules, "figures": figures}
        body = {"parts": [["unit", unit]], "fails": [fail], "by": "", "reason": "", "cleared": [], "repaired_at": None,
                "lifted": None, "from_before": False}  # fmt: skip
        hold = {"id": f"hold {unit}", "owner_kind": "unit", "owner_id": unit, "stage": "leak_applied"}
        holds.append({**hold, "opened_at": _NOW, "lifted_at": None, "body": body})
        parts.append({"hold_id": f"hold {unit}", "part_id": unit, "part_kind": "unit", "held": True})
    tests = [{"part_id": unit, "tested_at": _NOW, "passed_at": _NOW, "passed_run_id": None} for unit in ids]
    return [(HoldRow, holds), (HoldPartRow, parts), (PartTestRow, tests)]


def _copied(url: URL, copies: int) -> None:
    """Every run so many times more, made by the database: with another id, at an earlier hour."""
    other_id = "CONCAT(LEFT({0}, 35), HEX(MOD(CONV(RIGHT({0}, 1), 16, 10) + copy, 16)))"
    changed = {"id": other_id, "run_id": other_id}
    changed |= dict.fromkeys(("started_at", "ended_at", "received_at"), "{0} - INTERVAL copy * 8209 SECOND")
    numbers = " UNION ALL ".join(f"SELECT {copy} AS copy" for copy in range(1, copies + 1))
    # on a connection of its own, which waits for as long as it takes
    with create_engine(url).begin() as connection:
        connection.exec_driver_sql("SET SESSION foreign_key_checks = 0, unique_checks = 0")
        for row in (RunRow, VerdictRow, RunFactRow, RunPersonRow):
            names = [f"`{column.name}`" for column in row.__mapper__.columns]
            taken = ", ".join(changed.get(name.strip("`"), "{0}").format(name) for name in names)
            table = row.__tablename__
            connection.exec_driver_sql(
                f"INSERT INTO {table} ({', '.join(names)}) SELECT {taken} FROM {table} CROSS JOIN ({numbers}) AS copies"
            )


def _columns(row: Any) -> dict[str, Any]:
    return {column.key: getattr(row, column.key) for column in row.__mapper__.column_attrs}


def timed(works: Sequence[Callable[[], object]], times: int) -> list[tuple[float, float]]:
    """Median and 95th percentile of so many calls of each [ms], in turns: a slow minute of the machine slows all."""
    took: list[list[float]] = [[] for _ in works]
    for turn in range(times + 1):
        for work, mine in zip(works, took, strict=True):
            began = time.perf_counter()
            work()
            if turn:  # the first is to warm up
                mine.append((time.perf_counter() - began) * 1000)
    return [(statistics.median(one), statistics.quantiles(one, n=20)[18]) for one in took]


def lists(store: Store) -> dict[str, tuple[Callable[[], object], str]]:
    """Every list the screens ask, and the bare query that reads the same rows along an index."""
    me = signin.who(store, signin.demo_sign_in(store, demo_id("Odile Ferrow"), signin.Browser("bench", "bench")))
    assert me is not None
    with store.transaction() as session:
        unit = session.scalars(select(UnitRow.id).where(UnitRow.name == "B-00007")).one()
        far_back = min(5000, (session.scalar(select(func.count()).select_from(RunRow)) or 0) // 2)
        far = session.scalars(select(RunRow.id).order_by(RunRow.started_at).offset(far_back).limit(1)).one()
    page = "SELECT * FROM run ORDER BY started_at DESC LIMIT 50"
    of_unit = f"SELECT * FROM run WHERE unit_id = '{unit}' ORDER BY started_at DESC LIMIT 50"
    void = "SELECT * FROM run WHERE outcome = 'void' ORDER BY started_at DESC LIMIT 50"
    all_units = "SELECT * FROM unit ORDER BY name"
    latest = "SELECT * FROM run ORDER BY started_at DESC LIMIT 3000"

    def ask() -> None:
        whatif.cancel(store, whatif.ask(store, me, "us-older", whatif.Choice()).id, me)

    return {
        "log, first page": (lambda: log.log_page(store), page),
        "log, far back": (lambda: log.log_page(store, before=far), page),
        "log, one unit": (lambda: log.log_page(store, log.Wanted(search="B-00007")), of_unit),
        "log, one driver": (lambda: log.log_page(store, log.Wanted(search="Driver 017")), of_unit),
        "log, part of many names": (lambda: log.log_page(store, log.Wanted(search="B-0")), page),
        "log, two words": (lambda: log.log_page(store, log.Wanted(search="B-00007 Driver")), of_unit),
        "log, no such name": (lambda: log.log_page(store, log.Wanted(search="nobody at all")), page),
        "log, void": (lambda: log.log_page(store, log.Wanted(outcome="void")), void),
        "log, failed, one unit": (lambda: log.log_page(store, log.Wanted(search="B-00007", outcome="fail")), of_unit),
        "log, close calls": (lambda: log.log_page(store, log.Wanted(outcome="close_call")), void),
        **_filters(store),
        "yard: latest": (lambda: log.yard(store), all_units),
        "yard: status": (lambda: unit_status.statuses(store, Words(), _NOW), all_units),
        "workshop": (lambda: unit_status.workshop(store, Words(), _NOW), all_units),
        "a unit's status": (lambda: unit_status.unit_view(store, unit, Words(), _NOW), of_unit),
        "a unit's course": (lambda: unit_history.course_of(store, unit, Words()), of_unit),
        "units": (lambda: units.list_units(store), all_units),
        "one unit": (lambda: units.get_unit(store, unit), of_unit),
        "a unit's trends": (lambda: trends.trends_of(store, unit, Words()), of_unit),
        "a unit's script": (lambda: scripts.script_for(store, unit, None, None), of_unit),
        "open runs": (lambda: lifecycle.open_runs(store, me, _NOW), page),
        "rules: versions": (lambda: rules.editions(store, _NOW), "SELECT * FROM edition"),
        "rules: what was measured": (
            lambda: comparison.measured_in(store, "leak_applied", "tractor", None, None),
            latest,
        ),
        "what if: how many": (ask, "SELECT COUNT(*) FROM run WHERE ended_at IS NOT NULL"),
        "people": (lambda: accounts.list_people(store), "SELECT * FROM person ORDER BY name"),
    }  # fmt: skip


def _filters(store: Store) -> dict[str, tuple[Callable[[], object], str]]:
    """Every filter of the log, and one that nothing answers to, each beside the query by hand that finds the same."""
    with store.transaction() as session:
        trailer = session.scalars(select(RunTrailerRow.trailer_id).limit(1)).one()
        hashes = {row.name: row.hash for row in session.execute(select(RuleSetRow.name, RuleSetRow.hash))}
    month = _NOW - dt.timedelta(days=400)
    after = month + dt.timedelta(days=30)
    days = f"started_at >= '{month:%Y-%m-%d %H:%M:%S}' AND started_at < '{after:%Y-%m-%d %H:%M:%S}'"
    leak = "f.what = 'leak_applied' AND f.value"
    waited = "f.what = 'finding short_wait'"
    by_fact = "SELECT STRAIGHT_JOIN run.* FROM run_fact f JOIN run ON run.id = f.run_id"
    by_two = f"{by_fact} JOIN run_fact g ON g.run_id = run.id AND g.what = 'leak_applied'"
    by_person = "SELECT STRAIGHT_JOIN run.* FROM run_person p JOIN run ON run.id = p.run_id"
    by_run = "SELECT STRAIGHT_JOIN run.* FROM run JOIN run_fact f ON f.run_id = run.id"
    person = "p.name_key = 'driver 017'"
    asked = {
        "purpose": (log.Wanted(purpose="training"), _page("purpose = 'training'")),
        "rules": (log.Wanted(rules="us-cdl"), _page(f"rules_hash = '{hashes['us-cdl']}'")),
        "rules nobody used": (log.Wanted(rules="us-older"), _page(f"rules_hash = '{hashes.get('us-older', '-')}'")),
        "a month": (log.Wanted(since=month, until=after), _page(days)),
        "a month, failed": (
            log.Wanted(outcome="fail", since=month, until=after),
            _page(f"outcome = 'fail' AND {days}"),
        ),
        "trailer": (
            log.Wanted(trailer=trailer),
            _page(f"t.trailer_id = '{trailer}'", "SELECT run.* FROM run_trailer t JOIN run ON run.id = t.run_id"),
        ),
        "driver": (log.Wanted(driver="Driver 017"), _page("driver = 'Driver 017'")),
        "person": (log.Wanted(person="Driver 017"), _page(person, by_person, "p")),
        "person, failed": (
            log.Wanted(outcome="fail", person="Driver 017"),
            _page(f"{person} AND outcome = 'fail'", by_person, "p"),
        ),
        "person, number, rare": (
            log.Wanted(person="Driver 017", quantity="leak_applied", at_least=50.0),
            _page(f"{person} AND {leak} >= 50", f"{by_person} JOIN run_fact f ON f.run_id = run.id", "p"),
        ),
        "number, often": (log.Wanted(quantity="leak_applied", at_least=1.0), _page(f"{leak} >= 1", by_fact, "f")),
        "number, rare": (log.Wanted(quantity="leak_applied", at_least=50.0), _page(f"{leak} >= 50", by_fact, "f")),
        "number and driver": (
            log.Wanted(driver="Driver 017", quantity="leak_applied", at_least=3.0),
            _page(f"driver = 'Driver 017' AND {leak} >= 3", by_run),
        ),
        "finding": (log.Wanted(finding="short_wait"), _page(waited, by_fact, "f")),
        "finding and number": (
            log.Wanted(finding="short_wait", quantity="leak_applied", at_most=2.0),
            _page(f"{waited} AND g.value <= 2", by_two, "f"),
        ),
        "sealed": (log.Wanted(sealed=True), _page("sealed = 1")),
        "recorded": (log.Wanted(recorded=True), _page("recorded = 1")),
        "all at once": (
            log.Wanted(search="B-0", outcome="pass", purpose="dispatch", quantity="leak_applied", at_most=3.0),
            _page(
                f"{leak} <= 3 AND outcome = 'pass' AND purpose = 'dispatch' AND u.name LIKE '%%B-0%%'",
                f"{by_fact} JOIN unit u ON u.id = run.unit_id",
                "f",
            ),
        ),
    }
    lists: dict[str, tuple[Callable[[], object], str]] = {}
    for name, (wanted, bare) in asked.items():
        lists[f"log, {name}"] = partial(log.log_page, store, wanted), bare
    for name in ("number, often", "a month, failed", "rules"):
        wanted, bare = asked[name]
        counted = f"SELECT COUNT(*) FROM ({bare.replace('run.*', 'run.id').replace('LIMIT 50', 'LIMIT 1001')}) AS found"
        lists[f"log, how many, {name}"] = partial(log.log_count, store, wanted), counted
    return lists


def _page(where: str, query: str = "SELECT run.* FROM run", along: str = "run") -> str:
    """The latest fifty that are so, written by hand; along : the table whose index has them in the order of time."""
    return f"{query} WHERE {where} ORDER BY {along}.started_at DESC LIMIT 50"


def asked_for(url: str, seconds: float) -> list[float]:
    """In a process of its own: one list after another for so long; how long each took [ms]."""
    store = Store(make_engine(url))
    works = [work for work, _ in lists(store).values()]
    random.Random(os.getpid()).shuffle(works)
    took, end = [], time.perf_counter() + seconds
    while time.perf_counter() < end:
        for work in works:
            began = time.perf_counter()
            work()
            took.append((time.perf_counter() - began) * 1000)
    store.engine.dispose()
    return took


def print_processes(url: str, counts: list[int]) -> None:
    """How many lists a second, and the slowest in twenty, as a ratio to one process."""
    alone = 0.0
    for count in counts:
        with ProcessPoolExecutor(count, mp_context=get_context("spawn")) as pool:
            took = [pool.submit(asked_for, url, _TOGETHER_S) for _ in range(count)]
            each = [one for many in took for one in many.result()]
        rate = len(each) / _TOGETHER_S
        alone = alone or rate
        slow = statistics.quantiles(each, n=20)[18]
        print(f"{count} processes: {rate:.0f} lists a second ({rate / alone:.2f} x), p95 {slow:.0f} ms")


def print_plans(store: Store, asked: dict[str, tuple[Callable[[], object], str]]) -> None:
    """How the database reads what each list asks; a filesort over many rows shows here."""
    seen: list[tuple[str, Any]] = []

    def keep(_conn: Any, _cursor: Any, statement: str, parameters: Any, *_: Any) -> None:
        if statement.lstrip().upper().startswith("SELECT"):
            seen.append((statement, parameters))

    for name, (work, _) in asked.items():
        seen.clear()
        event.listen(store.engine, "before_cursor_execute", keep)
        work()
        event.remove(store.engine, "before_cursor_execute", keep)
        print(f"\n{name}")
        with store.engine.connect() as connection:
            for statement, parameters in list(seen):
                for row in connection.exec_driver_sql(f"EXPLAIN {statement}", parameters).mappings():
                    told = {key: row[key] for key in ("table", "type", "key", "rows", "Extra")}
                    print("  ", json.dumps(told, default=str))


def main(arguments: list[str]) -> None:
    """Run the benchmark."""
    parser = argparse.ArgumentParser(prog="./bench store")
    parser.add_argument("--runs", type=int, default=200_000)
    parser.add_argument("--units", type=int, default=1_000)
    parser.add_argument("--long", action="store_true", help="two million runs")
    parser.add_argument("--plans", action="store_true")
    parser.add_argument("--processes", type=int, nargs="+", default=[])
    options = parser.parse_args(arguments)
    count = 2_000_000 if options.long else options.runs
    with tempfile.TemporaryDirectory() as folder:
        server = PrivateServer(Path(folder))
        server.start()
        try:
            engine = make_engine(server.url)
            migrate(engine)
            store = Store(engine)
            load_demo(store, _NOW - dt.timedelta(days=800))
            began = time.perf_counter()
            fill(store, count, options.units, random.Random(8420))
            with store.transaction() as session:
                events = session.scalar(select(text("COUNT(*)")).select_from(EventRow))
            print(f"{count:,} runs of {options.units:,} units, {events:,} events: {time.perf_counter() - began:.0f} s")
            asked = lists(store)
            if options.plans:
                print_plans(store, asked)
            print(f"{'list':28}{'p50 ms':>9}{'p95 ms':>9}{'bare ms':>9}{'ratio':>8}")
            for name, (work, bare) in asked.items():
                with engine.connect() as connection:
                    by_hand = lambda: connection.exec_driver_sql(bare).all()  # noqa: B023, E731
                    (median, slow), (base, _) = timed((work, by_hand), _ASKED)
                print(f"{name:28}{median:9.1f}{slow:9.1f}{base:9.1f}{median / base:8.1f}")
            print_processes(server.url, options.processes)
            engine.dispose()
        finally:
            server.stop()

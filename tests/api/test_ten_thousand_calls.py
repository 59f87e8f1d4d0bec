"""Ten thousand random calls with real ids and hostile values, by a manager, on an installation of their own."""

from __future__ import annotations

import asyncio

import httpx
import pytest
from sqlalchemy import select

from benchmarks.attack import nonsense
from lowhiss.database import PrivateServer
from lowhiss.store.engine import Store, make_engine
from lowhiss.store.run_models import RunRow
from tests.conftest import Running, copied, sign_in

CALLS = 10_000


@pytest.mark.long
def test_no_call_is_answered_with_a_fault_of_the_server(demo_database, tmp_path, capsys):
    server = PrivateServer(copied(demo_database, tmp_path / "database"))
    server.start()
    engine = make_engine(server.url)
    store = Store(engine)
    app = Running(store, spool=tmp_path / "waiting", keys=tmp_path / "keys")
    try:
        with httpx.Client(base_url=app.url, timeout=60) as http:
            sign_in(http)
            document = http.get("/api/openapi.json").raise_for_status().json()
            with store.transaction() as session:
                run_ids = list(session.scalars(select(RunRow.id).limit(20)))
            statuses = asyncio.run(_call(app.url, http, document, run_ids))
    finally:
        app.stop()
        engine.dispose()
        server.stop()
    assert {status for status in statuses if status >= 500} == set(), capsys.readouterr().out
    assert statuses.total() == CALLS


async def _call(url, http, document, run_ids):
    async with httpx.AsyncClient(base_url=url, timeout=120, headers=http.headers, cookies=http.cookies) as client:
        return await nonsense(client, document, run_ids, CALLS)

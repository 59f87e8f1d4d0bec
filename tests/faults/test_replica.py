"""An external MariaDB with a replica: the primary is killed, the replica takes its place, and no mark is missing.

Semi-synchronous replication as MariaDB's documentation has it ("Semisynchronous Replication", `AFTER_SYNC`): a commit
is acknowledged when the replica has it too. Both servers are ours, on loopback.
"""

from __future__ import annotations

import os
import signal
import threading
from pathlib import Path

import httpx
import pymysql
import pytest

from lowhiss.database import PrivateServer
from tests.conftest import copied, sign_in
from tests.devices import Device
from tests.faults.processes import LowHiss, free_port

PAUSE = threading.Event()
SEMI_SYNC = ("--rpl-semi-sync-master-wait-point=AFTER_SYNC", "--rpl-semi-sync-master-timeout=60000")


class Replicated(PrivateServer):
    """A server that may be asked as its root, over its socket."""

    def ask(self, *statements: str) -> list[dict]:
        """What the last statement gives."""
        given = Path(f"/proc/{self.pid}/cmdline").read_text().split("\0")
        socket = next(one.removeprefix("--socket=") for one in given if one.startswith("--socket="))
        account = {"unix_socket": socket, "user": "root", "cursorclass": pymysql.cursors.DictCursor}
        with pymysql.connect(**account) as connection, connection.cursor() as cursor:
            for statement in statements:
                cursor.execute(statement)
            return list(cursor.fetchall())


@pytest.fixture
def pair(demo_database, tmp_path):
    """A primary with the demo in it, and a replica that began as its copy."""
    common = ("--log-bin=log", "--binlog-format=ROW", "--sync-binlog=1", "--gtid-strict-mode=1", *SEMI_SYNC)
    servers = []
    for place, name in enumerate(("primary", "replica"), 1):
        directory = copied(demo_database, tmp_path / name)
        servers.append(Replicated(directory, (f"--server-id={place}", "--skip-slave-start", *common)))
    for server in servers:
        server.start()
    yield servers
    for server in servers:
        server.stop()


def follow(replica, primary) -> None:
    """Let the replica take everything that the primary commits from here on."""
    account = "'copies'@'127.0.0.1'"
    primary.ask(
        f"CREATE USER {account} IDENTIFIED BY 'only-here'",
        f"GRANT REPLICATION SLAVE ON *.* TO {account}",
        "SET GLOBAL rpl_semi_sync_master_enabled = 1",
    )
    (at,) = primary.ask("SHOW MASTER STATUS")
    replica.ask(
        "SET GLOBAL rpl_semi_sync_slave_enabled = 1",
        f"CHANGE MASTER TO MASTER_HOST='127.0.0.1', MASTER_PORT={primary.port}, MASTER_USER='copies', "
        f"MASTER_PASSWORD='only-here', MASTER_LOG_FILE='{at['File']}', MASTER_LOG_POS={at['Position']}",
        "START SLAVE",
    )
    until(lambda: replica.ask("SHOW SLAVE STATUS")[0]["Slave_IO_Running"] == "Yes")
    until(lambda: primary.ask("SHOW STATUS LIKE 'Rpl_semi_sync_master_clients'")[0]["Value"] == "1")


def until(true) -> None:
    """Wait until something is so."""
    for _ in range(600):
        if true():
            return
        PAUSE.wait(0.05)
    raise AssertionError("it never came to be")


def test_the_replica_has_every_acknowledged_mark_and_takes_the_primarys_place(pair, tmp_path):
    primary, replica = pair
    follow(replica, primary)
    app = LowHiss(tmp_path / "one", free_port(), "--demo", database_url=primary.url)
    acknowledged = []
    with httpx.Client(base_url=app.url, timeout=20) as client:
        sign_in(client)
        device = Device(client)
        device.begin().raise_for_status()
        events = device.leak_test(100, 97)
        for event in events[:-2]:
            device.send(event).raise_for_status()
            acknowledged.append(event["id"])
        # the machine of the database is lost, whatever it was doing
        os.kill(primary.pid, signal.SIGKILL)
        away = device.send(events[-2])
        assert (away.status_code, away.json()["error"]["code"]) == (503, "database_away")
    app.kill()
    until(lambda: replica.ask("SHOW SLAVE STATUS")[0]["Slave_SQL_Running_State"].startswith("Slave has read all"))
    replica.ask("STOP SLAVE", "RESET SLAVE ALL")
    other = LowHiss(tmp_path / "other", free_port(), "--demo", database_url=replica.url)
    with httpx.Client(base_url=other.url, timeout=20) as client:
        sign_in(client)
        kept = client.get(f"/api/runs/{device.run_id}/events").raise_for_status().json()
        assert [event["id"] for event in kept] == acknowledged
        # the device sends what it has no acknowledgement for, and the run goes on
        device.client = client
        device.send(*events).raise_for_status()
        stage = device.sheet()["verdict"]["stages"][0]
        assert (stage["outcome"], stage["measured"]["drop_psi"]) == ("pass", 3)
    assert other.interrupt() == 0

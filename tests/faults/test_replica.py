"""An external MariaDB with a replica, set up by the words of docs/replica.md: a lost primary, and a lost replica.

Semi-synchronous replication as MariaDB's documentation has it ("Semisynchronous Replication", `AFTER_SYNC`, from
memory): a commit is acknowledged when the replica has it too. Both servers are ours, on loopback.
"""

from __future__ import annotations

import os
import re
import shlex
import signal
import subprocess
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import httpx
import pymysql
import pytest

from lowhiss.database import PrivateServer
from lowhiss.service.backing_services import look_at_replica
from lowhiss.store.engine import Store, make_engine
from tests.conftest import ROOT, copied, sign_in
from tests.devices import Device
from tests.faults.processes import LowHiss, free_port
from tests.plugin import HANG_S

pytestmark = pytest.mark.long
PAUSE = threading.Event()
PAGE = (ROOT / "docs" / "replica.md").read_text()


def blocks(kind: str, of: str) -> str:
    """What the page shows in the blocks of this kind for one of the servers."""
    return "\n".join(re.findall(rf"```{kind} {of}\n(.*?)```", PAGE, re.DOTALL))


def options(of: str) -> tuple[str, ...]:
    """The page's configuration of a server, as mariadbd takes it."""
    lines = [line.split(" = ") for line in blocks("ini", of).splitlines() if line]
    return tuple(f"--{name}={value}" for name, value in lines)


class Server(PrivateServer):
    """A server that may be asked as its root, over its socket."""

    @property
    def socket(self) -> str:
        given = Path(f"/proc/{self.pid}/cmdline").read_text().split("\0")
        return next(one.removeprefix("--socket=") for one in given if one.startswith("--socket="))

    def ask(self, statements: str) -> list[dict]:
        """What the last of these statements gives."""
        account = {"unix_socket": self.socket, "user": "root", "cursorclass": pymysql.cursors.DictCursor}
        with pymysql.connect(**account) as connection, connection.cursor() as cursor:
            for statement in filter(None, (one.strip() for one in statements.split(";"))):
                cursor.execute(statement)
            return list(cursor.fetchall())

    def run(self, command: str, directory: Path) -> None:
        """Run a command of the page beside this server."""
        program, rest = command.strip().split(" ", 1)
        account = f"--no-defaults --user=root --socket={shlex.quote(self.socket)}"
        subprocess.run(f"{program} {account} {rest}", shell=True, check=True, cwd=directory)


@pytest.fixture
def pair(demo_database, tmp_path) -> Iterator[tuple[Server, Server]]:
    """A primary with the demo in it and an empty replica, joined as the page says."""
    primary = Server(copied(demo_database, tmp_path / "primary"), options("primary"))
    replica = Server(tmp_path / "replica", options("replica"))
    primary.start()
    primary.ask(blocks("sql", "primary"))
    primary.run(blocks("sh", "primary"), tmp_path)
    replica.start()
    replica.run(blocks("sh", "replica"), tmp_path)
    (position,) = re.findall(r"SET GLOBAL gtid_slave_pos='([^']*)'", (tmp_path / "first-copy.sql").read_text())
    replica.ask("STOP SLAVE; RESET MASTER")
    start = blocks("sql", "replica").replace("POSITION-OF-THE-COPY", position)
    replica.ask(start.replace("MASTER_PORT=3306", f"MASTER_PORT={primary.port}"))
    until(lambda: replica.ask("SHOW SLAVE STATUS")[0]["Slave_IO_Running"] == "Yes")
    primary.ask(blocks("sql", "primary-on"))
    until(lambda: state(primary) == "ok")
    yield primary, replica
    for server in (primary, replica):
        server.stop()


def state(server: Server) -> str:
    return look_at_replica(Store(make_engine(server.url))).state


def until(true) -> None:
    """Wait until something is so."""
    for _ in range(600):
        if true():
            return
        PAUSE.wait(0.05)
    raise AssertionError("it never came to be")


def test_the_replica_has_every_acknowledged_mark_and_takes_the_primarys_place(pair, tmp_path):
    primary, replica = pair
    app = LowHiss(tmp_path / "one", free_port(), "--demo", database_url=primary.url)
    acknowledged = []
    with httpx.Client(base_url=app.url, timeout=HANG_S) as client:
        assert client.get("/api/health").json()["replica"] == "ok"
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
    replica.ask(blocks("sql", "takeover"))
    other = LowHiss(
        tmp_path / "other",
        free_port(),
        "--demo",
        database_url=primary.url.replace(f":{primary.port}/", f":{replica.port}/"),
    )
    with httpx.Client(base_url=other.url, timeout=HANG_S) as client:
        sign_in(client)
        kept = client.get(f"/api/runs/{device.run_id}/events").raise_for_status().json()
        assert [event["id"] for event in kept] == acknowledged
        # the device sends what it has no acknowledgement for, and the run goes on
        device.client = client
        device.send(*events).raise_for_status()
        stage = device.report()["verdict"]["stages"][0]
        assert (stage["outcome"], stage["measured"]["drop_psi"]) == ("pass", 3)
    assert other.interrupt() == 0


def test_while_the_replica_is_away_marks_wait_or_go_on_as_was_chosen(pair, tmp_path):
    primary, replica = pair
    wait_ms, go_on_ms = (int(one) for one in re.findall(r"\| `(\d+)`", PAGE))
    app = LowHiss(tmp_path / "one", free_port(), "--demo", database_url=primary.url)
    with httpx.Client(base_url=app.url, timeout=HANG_S) as client:
        sign_in(client)
        device = Device(client)
        device.begin().raise_for_status()
        primary.ask(f"SET GLOBAL rpl_semi_sync_master_timeout = {wait_ms}")
        replica.stop()
        waiting = device.marked("note", text="it waits")
        answers = []
        sender = threading.Thread(target=lambda: answers.append(device.send(waiting)))
        sender.start()
        PAUSE.wait(2)
        assert answers == []
        again = Server(replica.directory, options("replica"))
        again.start()
        again.ask("START SLAVE")
        sender.join(20)
        assert [answer.status_code for answer in answers] == [200]
        primary.ask(f"SET GLOBAL rpl_semi_sync_master_timeout = {go_on_ms}")
        again.stop()
        began = time.monotonic()
        device.send(device.marked("note", text="it goes on")).raise_for_status()
        assert time.monotonic() - began < wait_ms / 1000
        until(lambda: client.get("/api/health").json()["replica"] == "away")
        told = look_at_replica(Store(make_engine(primary.url)))
        assert "saved on the primary only" in told.text
        assert "docs/replica.md" in told.advice
    assert app.interrupt() == 0

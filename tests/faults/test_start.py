"""``lowhiss start``: what it refuses in one sentence, and that it leaves nothing behind."""

from __future__ import annotations

import shutil
import socket
import subprocess
import sys

import httpx
import pytest

from lowhiss import serve
from lowhiss.cli import main
from tests.faults.processes import LowHiss, free_port, is_running
from tests.plugin import HANG_S


def refused(*arguments: str) -> str:
    """The one sentence with which a start is refused."""
    command = [sys.executable, "-m", "lowhiss.cli", "start", *arguments]
    done = subprocess.run(command, capture_output=True, text=True, check=False, timeout=HANG_S)
    assert done.returncode == 1
    assert done.stderr.count("\n") == 1
    return done.stderr


def test_it_begins_empty_refuses_a_second_is_killed_and_found_and_leaves_nothing_behind(tmp_path):
    app = LowHiss(tmp_path / "var", free_port())
    assert app.url in app.first_line
    assert httpx.get(f"{app.url}/api/about").json()["demo"] is False
    # a second start on the same port or directory
    taken = refused("--port", str(app.port), "--data", str(tmp_path / "other"))
    assert f"Port {app.port} can't be used (Address already in use)" in taken
    assert not (tmp_path / "other").exists()
    assert "is already running on" in refused("--port", str(free_port()), "--data", str(app.data))
    assert httpx.get(f"{app.url}/api/about").status_code == 200
    # a database that a killed start has left behind is stopped first
    orphan = app.database_pid
    app.kill()
    assert is_running(orphan)
    again = LowHiss(app.data, app.port)
    try:
        assert not is_running(orphan)
        assert httpx.get(f"{again.url}/api/about").status_code == 200
        database = again.database_pid
    finally:
        assert again.interrupt() == 0
    assert not is_running(database)
    socket.create_server(("127.0.0.1", app.port)).close()


@pytest.mark.parametrize(("port", "words"), [("0", "must be from 1 to 65535"), ("70000", "must be from 1 to 65535")])
def test_an_impossible_port(port, words, capsys, tmp_path):
    assert main(["start", "--port", port, "--data", str(tmp_path)]) == 1
    assert words in capsys.readouterr().err


def test_a_data_directory_that_cannot_be_written(capsys, tmp_path):
    (tmp_path / "file").write_text("")
    assert main(["start", "--port", str(free_port()), "--data", str(tmp_path / "file" / "var")]) == 1
    assert "can't be written (Not a directory): choose another with --data." in capsys.readouterr().err


def test_a_data_directory_without_room(capsys, tmp_path, monkeypatch):
    monkeypatch.setattr(shutil, "disk_usage", lambda _: Usage())
    assert main(["start", "--port", str(free_port()), "--data", str(tmp_path)]) == 1
    assert "has 12 MB free and needs" in capsys.readouterr().err


class Usage:
    free = 12 * 1024**2


def test_a_missing_database_package_is_named(capsys, tmp_path, monkeypatch):
    monkeypatch.setattr(shutil, "which", lambda *_, **__: None)
    assert serve.serve(tmp_path, free_port(), demo=False) == 1
    assert "install the Debian package mariadb-server" in capsys.readouterr().err


def test_a_database_named_by_the_environment_is_used_and_none_is_started(
    database, demo_store, empty_url, tmp_path, monkeypatch
):
    monkeypatch.setenv("LOWHISS_DATABASE_URL", empty_url)
    app = LowHiss(tmp_path / "var", free_port(), "--demo")
    assert httpx.get(f"{app.url}/api/about").json()["demo"] is True
    assert app.interrupt() == 0
    assert not (tmp_path / "var" / "database").exists()
    assert is_running(database.pid)

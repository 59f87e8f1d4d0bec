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


@pytest.fixture
def running(tmp_path):
    app = LowHiss(tmp_path / "var", free_port())
    yield app
    if app.process.poll() is None:
        app.interrupt()


def test_it_begins_empty_and_ctrl_c_stops_application_and_database(running):
    assert running.url in running.first_line
    assert httpx.get(f"{running.url}/api/about").json()["demo"] is False
    database = running.database_pid
    assert running.interrupt() == 0
    assert not is_running(database)


def test_a_second_start_on_the_same_directory_or_port_is_refused_in_one_sentence(running, tmp_path):
    def refused(*arguments):
        command = [sys.executable, "-m", "lowhiss.cli", "start", *arguments]
        done = subprocess.run(command, capture_output=True, text=True, check=False, timeout=60)
        assert done.returncode == 1
        assert done.stderr.count("\n") == 1
        return done.stderr

    taken = refused("--port", str(running.port), "--data", str(tmp_path / "other"))
    assert f"Port {running.port} cannot be used (Address already in use)" in taken
    assert not (tmp_path / "other").exists()
    assert "already runs on" in refused("--port", str(free_port()), "--data", str(running.data))
    assert httpx.get(f"{running.url}/api/about").status_code == 200


def test_a_database_left_behind_by_a_killed_start_is_stopped_first(running, tmp_path):
    orphan = running.database_pid
    running.kill()
    assert is_running(orphan)
    again = LowHiss(running.data, running.port)
    try:
        assert not is_running(orphan)
        assert httpx.get(f"{again.url}/api/about").status_code == 200
    finally:
        assert again.interrupt() == 0


@pytest.mark.parametrize(("port", "words"), [("0", "must be from 1 to 65535"), ("70000", "must be from 1 to 65535")])
def test_an_impossible_port(port, words, capsys, tmp_path):
    assert main(["start", "--port", port, "--data", str(tmp_path)]) == 1
    assert words in capsys.readouterr().err


def test_a_data_directory_that_cannot_be_written(capsys, tmp_path):
    (tmp_path / "file").write_text("")
    assert main(["start", "--port", str(free_port()), "--data", str(tmp_path / "file" / "var")]) == 1
    assert "cannot be written (Not a directory): choose another with --data." in capsys.readouterr().err


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


def test_the_port_is_free_again_after_the_end(running):
    running.interrupt()
    socket.create_server(("127.0.0.1", running.port)).close()

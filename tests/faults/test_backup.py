"""Copies of everything: made while it runs, put back whole, killed anywhere, cut, newer, and on a full disk."""

from __future__ import annotations

import concurrent.futures
import datetime as dt
import gzip
import hashlib
import json
import random
import re
import resource
import subprocess
import sys
import threading
import zipfile

import httpx
import pytest
from sqlalchemy import text

from lowhiss.backup import BackupError, back_up, clear_leftovers, outdated, put_back, read_manifest, scheduled
from lowhiss.cli import main
from lowhiss.database import PrivateServer
from lowhiss.database.dump import dump, restore
from lowhiss.exchange.keys import KeyFiles
from lowhiss.service.copies import Copies, copies_of, save_copies
from lowhiss.service.seals import signing
from lowhiss.store.engine import Store, make_engine
from lowhiss.upgrade import NOTE, upgrade
from tests.conftest import copied, sign_in
from tests.devices import Device
from tests.faults.processes import LowHiss, free_port
from tests.plugin import HANG_S

PAUSE = threading.Event()


@pytest.fixture(scope="module")
def home(demo_database, tmp_path_factory):
    """A data directory with the demo in it, and its database running."""
    data = tmp_path_factory.mktemp("home")
    server = PrivateServer(copied(demo_database, data / "database"))
    server.start()
    store = Store(make_engine(server.url))
    yield data, server, store
    store.engine.dispose()
    server.stop()


def runs_in(store):
    with store.engine.connect() as connection:
        return connection.execute(text("SELECT COUNT(*) FROM run")).scalar_one()


def note(store, value):
    with store.engine.begin() as connection:
        connection.execute(text("REPLACE INTO setting VALUES ('marked', :v)"), {"v": value})


def noted(store):
    with store.engine.connect() as connection:
        return connection.execute(text("SELECT value FROM setting WHERE name='marked'")).scalar()


def test_a_copy_is_put_back_as_it_was_and_its_seals_hold(home, tmp_path):
    data, server, store = home
    copy = tmp_path / "whole.zip"
    note(store, "then")
    manifest = back_up(store, server.url, copy)
    assert (read_manifest(copy), copy.stat().st_mode & 0o777) == (manifest, 0o600)
    note(store, "now")
    said = []
    assert put_back(store, server.url, data / "copies", copy, said.append) == []
    assert (noted(store), runs_in(store)) == ("then", manifest.runs)
    assert not (data / "copies" / NOTE).exists()
    assert list((data / "copies").glob("before-restore-*.sql"))
    assert [path.name for path in tmp_path.iterdir()] == ["whole.zip"]


@pytest.mark.parametrize("seed", [0, 2, *(pytest.param(seed, marks=pytest.mark.long) for seed in (1, 3))])
def test_killed_anywhere_while_it_is_put_back_nothing_half_is_left(home, tmp_path, seed):
    """What is begun is finished by the next start, before anything is served."""
    _, server, store = home
    copy, copies = tmp_path / "whole.zip", tmp_path / "copies"
    note(store, "then")
    back_up(store, server.url, copy)
    note(store, "now")
    work = (
        "import sys; from pathlib import Path; from lowhiss.backup import put_back;"
        "from lowhiss.store.engine import Store, make_engine; url, copies, path = sys.argv[1:];"
        "put_back(Store(make_engine(url)), url, Path(copies), Path(path), print)"
    )
    command = [sys.executable, "-c", work, server.url, str(copies), str(copy)]
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    PAUSE.wait(random.Random(seed).uniform(0.5, 5.0))
    process.kill()
    process.wait()
    whole_before = not (copies / NOTE).exists()
    upgrade(store.engine, server.url, copies, print)
    assert not (copies / NOTE).exists()
    assert noted(store) in (("then", "now") if whole_before else ("then",))
    assert runs_in(store) == read_manifest(copy).runs


def test_one_that_was_killed_and_still_loads_is_waited_for(home, tmp_path):
    """Its client may be at its last statement: two at once would leave neither copy whole."""
    _, server, store = home
    note(store, "then")
    dump(server.url, tmp_path / "copy.sql")
    note(store, "now")
    waiting = "SELECT COUNT(*) FROM information_schema.processlist WHERE state = 'User lock'"
    with store.engine.connect() as loading, concurrent.futures.ThreadPoolExecutor(1) as pool:
        assert loading.execute(text("SELECT GET_LOCK('lowhiss_restore.lowhiss', 0)")).scalar() == 1
        restored = pool.submit(restore, server.url, tmp_path / "copy.sql")
        while not loading.execute(text(waiting)).scalar():
            assert not restored.done()
        assert noted(store) == "now"
        loading.execute(text("SELECT RELEASE_LOCK('lowhiss_restore.lowhiss')"))
        restored.result()
    assert noted(store) == "then"


HOSTILE = {
    "a shell": "\\! touch {flag}\n",
    "system": "system touch {flag}\n",
    "a file read": "LOAD DATA LOCAL INFILE '/etc/passwd' INTO TABLE setting;\n",
    "a file written": "\\T {flag}\nSELECT 1;\n",
}


@pytest.mark.parametrize("name", HOSTILE)
def test_m1_sql_of_a_copy_runs_no_shell_and_reads_no_file_and_what_was_there_comes_back(home, tmp_path, name):
    """A copy is text that somebody may have written; what can't be loaded leaves what was there (K8)."""
    _, server, store = home
    flag, copies = tmp_path / "flag", tmp_path / "copies"
    note(store, "before")
    whole, forged = tmp_path / "whole.zip", tmp_path / "forged.zip"
    back_up(store, server.url, whole)
    repacked(whole, forged, lambda sql: HOSTILE[name].format(flag=flag).encode() + sql)
    with pytest.raises(BackupError, match="The previous data was restored"):
        put_back(store, server.url, copies, forged, print)
    assert not flag.exists()
    assert (noted(store), (copies / NOTE).exists()) == ("before", False)


def repacked(whole, forged, change):
    """The copy with other SQL and a manifest that fits it, as somebody without the key would make it."""
    with zipfile.ZipFile(whole) as packed:
        manifest = json.loads(packed.read("manifest.json"))
        sql = gzip.compress(change(gzip.decompress(packed.read("database.sql.gz"))), 1)
    manifest["sha256"] = hashlib.sha256(sql).hexdigest()
    with zipfile.ZipFile(forged, "w") as packed:
        packed.writestr("database.sql.gz", sql)
        packed.writestr("manifest.json", json.dumps(manifest))


def test_m1_only_a_copy_that_a_key_of_this_installation_signed_is_put_back_unasked(home, tmp_path):
    _, server, store = home
    keys, heads = KeyFiles(tmp_path / "keys", tmp_path / "heads"), tmp_path / "heads"
    signing.ensure_key(store, keys)
    whole, forged = tmp_path / "whole.zip", tmp_path / "forged.zip"
    back_up(store, server.url, whole, keys)
    repacked(whole, forged, lambda sql: sql + b"-- edited\n")
    with pytest.raises(BackupError, match="isn't signed by a key of this installation"):
        put_back(store, server.url, tmp_path / "copies", forged, print, keys)
    with pytest.raises(BackupError, match="has no keys"):
        put_back(store, server.url, tmp_path / "copies", whole, print, KeyFiles(tmp_path / "none"))
    assert put_back(store, server.url, tmp_path / "copies", whole, print, keys) == []
    assert heads.read_text().splitlines()[-1].startswith("restored ")
    assert put_back(store, server.url, tmp_path / "copies", forged, print, keys, foreign=True) == []


def test_k2_half_a_copy_is_not_put_back_as_a_whole_one(home, tmp_path):
    _, server, store = home
    note(store, "before")
    whole, forged = tmp_path / "whole.zip", tmp_path / "half.zip"
    back_up(store, server.url, whole)
    repacked(whole, forged, lambda sql: re.sub(rb"INSERT INTO `event` VALUES.*?;\n", b"", sql, flags=re.DOTALL))
    with pytest.raises(BackupError, match=r"table event has 0 rows.*The previous data was restored"):
        put_back(store, server.url, tmp_path / "copies", forged, print)
    assert noted(store) == "before"


def test_k2_commands_refuse_while_a_restore_was_cut_off_and_k6_leftovers_go(demo_database, tmp_path, capsys):
    data = tmp_path / "var"
    copied(demo_database, data / "database")
    (data / "copies").mkdir()
    (data / "copies" / NOTE).write_text("restore.sql\n")
    for command in (["status"], ["backup", str(tmp_path / "a.zip")], ["verify", "--all"], ["doctor"]):
        assert main([*command, "--data", str(data)]) == 1
        assert "start Low Hiss once" in capsys.readouterr().err
    (data / "backups").mkdir()
    for left in (".low-hiss.zip.1234.sql", ".low-hiss.zip.1234.gz.part", "low-hiss-2026-11-01T0300.sql.gz"):
        (data / "backups" / left).write_text("half of one")
    clear_leftovers(data / "backups")
    assert list((data / "backups").iterdir()) == []


def test_k9_a_database_that_cannot_be_reached_is_said_in_a_sentence(tmp_path, capsys, monkeypatch):
    for url, says in (
        (f"mysql+pymysql://a:b@127.0.0.1:{free_port()}/c", "can't be used"),
        ("no address", "isn't a database address"),
        ("oracle9://a@b/c", "isn't a database address"),
    ):
        monkeypatch.setenv("LOWHISS_DATABASE_URL", url)
        for command in (["status"], ["start", "--port", str(free_port())]):
            assert main([*command, "--data", str(tmp_path / "var")]) == 1
            assert says in capsys.readouterr().err.splitlines()[-1]


def test_a_copy_beside_files_of_like_names_touches_none_of_them(home, tmp_path):
    _, server, store = home
    for name in ("c.sql", "c.part", "c.gz.part"):
        (tmp_path / name).write_text("mine")
    back_up(store, server.url, tmp_path / "c.zip")
    assert {path.name for path in tmp_path.iterdir()} == {"c.zip", "c.sql", "c.part", "c.gz.part"}


@pytest.mark.long
def test_killed_while_a_copy_is_made_the_one_before_stays(home, tmp_path):
    _, server, store = home
    copy = tmp_path / "whole.zip"
    manifest = back_up(store, server.url, copy)
    work = (
        "import sys; from pathlib import Path; from lowhiss.backup import back_up;"
        "from lowhiss.store.engine import Store, make_engine;"
        "back_up(Store(make_engine(sys.argv[1])), sys.argv[1], Path(sys.argv[2]))"
    )
    for wait_s in (0.8, 1.6, 2.4):
        process = subprocess.Popen([sys.executable, "-c", work, server.url, str(copy)])
        PAUSE.wait(wait_s)
        process.kill()
        process.wait()
        assert read_manifest(copy).format == manifest.format


def test_what_is_no_whole_copy_is_refused_before_anything_is_changed(home, tmp_path):
    data, server, store = home
    copy = tmp_path / "whole.zip"
    back_up(store, server.url, copy)
    note(store, "stays")
    whole = copy.read_bytes()
    (tmp_path / "cut.zip").write_bytes(whole[: len(whole) // 2])
    (tmp_path / "other.zip").write_bytes(b"PK no more")
    with zipfile.ZipFile(copy) as packed:
        parts = {name: packed.read(name) for name in packed.namelist()}
    told = json.loads(parts["manifest.json"])
    edits = {"edited": {"sha256": "0" * 64}, "newer": {"revision": "9999", "version": "99.0"}}
    for name, edit in edits.items():
        with zipfile.ZipFile(tmp_path / f"{name}.zip", "w") as packed:
            packed.writestr("database.sql.gz", parts["database.sql.gz"])
            packed.writestr("manifest.json", json.dumps({**told, **edit}))
    says = {
        "cut": "incomplete",
        "other": "incomplete",
        "edited": "damaged",
        "newer": "newer than this one",
        "none": "no file",
    }
    for name, sentence in says.items():
        with pytest.raises(BackupError, match=sentence):
            put_back(store, server.url, data / "copies", tmp_path / f"{name}.zip", print)
    assert noted(store) == "stays"


FULL = """
import resource, signal, sys
from pathlib import Path
signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
from lowhiss.backup import BackupError, back_up
from lowhiss.database.server import DatabaseError
from lowhiss.store.engine import Store, make_engine
store = Store(make_engine(sys.argv[1]))
resource.setrlimit(resource.RLIMIT_FSIZE, (int(sys.argv[3]), resource.RLIM_INFINITY))
try:
    back_up(store, sys.argv[1], Path(sys.argv[2]))
except (BackupError, DatabaseError) as error:
    print(error)
    sys.exit(9)
"""


@pytest.mark.parametrize("room", [1_000, 60_000, 500_000])
def test_a_disk_that_is_full_at_any_step_leaves_the_copy_before(home, tmp_path, room):
    """A file may grow to so many bytes and no further, as on a full disk: each at another step."""
    _, server, store = home
    copy = tmp_path / "whole.zip"
    back_up(store, server.url, copy)
    before = copy.read_bytes()
    done = subprocess.run(
        [sys.executable, "-c", FULL, server.url, str(copy), str(room)], capture_output=True, text=True, check=False
    )
    assert (done.returncode, done.stdout.count("\n")) == (9, 1), done.stderr
    assert copy.read_bytes() == before
    assert [path.name for path in tmp_path.iterdir()] == ["whole.zip"]
    assert resource.getrlimit(resource.RLIMIT_FSIZE)[0] == resource.RLIM_INFINITY


def test_a_copy_a_day_is_made_by_itself_and_the_yard_says_when_it_was_not(home, tmp_path):
    _, server, store = home
    now = dt.datetime(2026, 11, 28, 3, tzinfo=dt.UTC)
    save_copies(store, Copies())
    (tmp_path / "low-hiss-2026-11-27T0300.sql.part").write_text("left by a process that was killed")
    made = scheduled(store, server.url, tmp_path, now)
    assert [path.name for path in tmp_path.iterdir()] == [made.name]
    assert made.name == "low-hiss-2026-11-28T0300.zip"
    assert scheduled(store, server.url, tmp_path, now + dt.timedelta(hours=23)) is None
    assert not copies_of(store).late(now + dt.timedelta(hours=47))
    assert copies_of(store).late(now + dt.timedelta(hours=49))
    file = tmp_path / "a file, no directory"
    file.write_text("")
    assert scheduled(store, server.url, file, now + dt.timedelta(hours=25)) is None
    known = copies_of(store)
    assert (known.at, "can't be written" in known.why) == (now, True)


def test_kept_are_days_weeks_and_months():
    days = [dt.date(2026, 1, 1) + dt.timedelta(days=n) for n in range(330)]
    names = [f"low-hiss-{day}T0300.zip" for day in days]
    kept = sorted(set(names) - set(outdated(names)))
    assert kept[-7:] == names[-7:]
    assert 7 + 4 + 8 <= len(kept) <= 7 + 5 + 12
    assert outdated([*names, "mine.zip"]) == outdated(names)


def test_the_commands_copy_while_it_runs_and_put_back_when_it_does_not(demo_database, tmp_path, capsys):
    data, copy = tmp_path / "var", tmp_path / "kept.zip"
    copied(demo_database, data / "database")
    app = LowHiss(data, free_port(), "--demo")
    assert main(["backup", str(copy), "--data", str(data)]) == 0
    runs = read_manifest(copy).runs
    assert f"{runs} tests" in capsys.readouterr().out
    assert main(["restore", str(copy), "--data", str(data)]) == 1
    assert "is already running" in capsys.readouterr().err
    with httpx.Client(base_url=app.url, timeout=HANG_S) as client:
        device = Device(sign_in(client))
        device.begin().raise_for_status()
        assert app.interrupt() == 0
    cut = tmp_path / "cut.zip"
    cut.write_bytes(copy.read_bytes()[:-100])
    assert main(["restore", str(cut), "--data", str(data)]) == 1
    assert len(capsys.readouterr().err.strip().splitlines()) >= 1
    assert main(["restore", str(copy), "--data", str(data)]) == 0
    assert "its seals are unchanged" in capsys.readouterr().out
    app = LowHiss(data, free_port(), "--demo")
    with httpx.Client(base_url=app.url, timeout=HANG_S) as client:
        assert sign_in(client).get(f"/api/runs/{device.run_id}").status_code == 404
    assert app.interrupt() == 0

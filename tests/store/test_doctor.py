"""What the doctor sees: an installation that is well, and each thing that can be wrong, with how to mend it."""

from __future__ import annotations

import datetime as dt
import io
import json
import logging
import subprocess
import uuid

import httpx
import pytest
from cryptography import x509
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from cryptography.hazmat.primitives.serialization import Encoding
from cryptography.x509.oid import NameOID
from dockerfile_parse import DockerfileParser
from sqlalchemy import text

from lowhiss import doctor, logs
from lowhiss.cli import _parser
from lowhiss.exchange.keys import KeyFiles
from lowhiss.service.copies import Copies, save_copies
from lowhiss.service.seals import signing
from lowhiss.store.engine import Store, make_engine
from tests.conftest import ROOT, Running
from tests.plugin import HANG_S
from tests.store.test_seals import MANAGER
from tests.store.whole_run import whole_run

NOW = dt.datetime.now(dt.UTC)


@pytest.fixture(scope="module")
def home(store, tmp_path_factory):
    data = tmp_path_factory.mktemp("data")
    keys = KeyFiles(data / "keys")
    signing.sign(store, keys, MANAGER, "demo", whole_run(store), str(uuid.uuid4()), dt.datetime.now(dt.UTC))
    save_copies(store, Copies(at=NOW, file="one.zip", tried_at=NOW))
    return data, keys


def told(store, home, now=None, certificate=None):
    data, keys = home
    moment = now or dt.datetime.now(dt.UTC)
    found = list(doctor.examine(store, data, data / "backups", keys, certificate, moment))
    assert all("\n" not in one.line for one in found)
    return {one.name: one for one in found}


def test_what_is_well_is_said_to_be(store, home):
    found = told(store, home)
    assert [one.line for one in found.values() if one.mend] == []
    looked_at = "programs sandbox tables space copies keys chain clock replica redis dask"
    assert set(looked_at.split()) == set(found)


def test_what_is_wrong_is_named_with_what_to_do(store, home, monkeypatch, tmp_path):
    data, keys = home
    save_copies(store, Copies(at=NOW - dt.timedelta(days=9), tried_at=NOW))
    assert "Run lowhiss backup" in told(store, home)["copies"].mend
    save_copies(store, Copies(at=NOW, why="the disk is full", tried_at=NOW))
    assert "the disk is full" in told(store, home)["copies"].said
    save_copies(store, Copies(at=NOW, file="one.zip", tried_at=NOW))
    assert told(store, home, now=NOW - dt.timedelta(hours=3))["clock"].mend
    (pem,) = keys.directory.glob("*.pem")
    pem.chmod(0o644)
    assert "chmod 600" in told(store, home)["keys"].mend
    pem.chmod(0o600)
    place, sha256 = keys.head()
    (keys.directory / "head").write_text(f"{place + 1} {'0' * 64}")
    assert "verify --all" in told(store, home)["chain"].mend
    (keys.directory / "head").write_text(f"{place} {sha256}")
    monkeypatch.setattr(doctor, "_LEAST_FREE_MB", 10**9)
    assert "Free some space" in told(store, home)["space"].mend
    monkeypatch.setattr(doctor.shutil, "which", lambda _: None)
    assert "mariadb-client" in told(store, home)["programs"].mend
    pem.rename(tmp_path / "gone.pem")
    assert "restore it" in told(store, home)["keys"].mend
    (tmp_path / "gone.pem").rename(pem)
    assert data.is_dir()


def test_services_beside_it_that_do_not_answer_are_named(store, home, monkeypatch):
    """Redis and Dask that were away were silent: screens of other processes just stood still."""
    monkeypatch.setenv("LOWHISS_REDIS_URL", "redis://127.0.0.1:1")
    monkeypatch.setenv("LOWHISS_DASK_SCHEDULER", "tcp://127.0.0.1:1")
    found = told(store, home)
    assert "Redis doesn't answer" in found["redis"].said
    assert "LOWHISS_DASK_SCHEDULER" in found["dask"].mend
    monkeypatch.setenv("LOWHISS_DASK_SCHEDULER", "not an address")
    assert told(store, home)["dask"].mend


def test_a_row_that_was_changed_is_seen_in_the_chain(store, home):
    with store.engine.begin() as connection:
        run = connection.execute(text("SELECT run_id FROM seal WHERE run_id IS NOT NULL ORDER BY place DESC LIMIT 1"))
        run_id = run.scalar_one()
        connection.execute(text("UPDATE run SET driver = 'Somebody' WHERE id = :id"), {"id": run_id})
    assert "run.driver" not in told(store, home)["chain"].mend
    assert "driver" in told(store, home)["chain"].said
    with store.engine.begin() as connection:
        connection.execute(text("UPDATE run SET driver = 'Odile Ferrow' WHERE id = :id"), {"id": run_id})
    assert told(store, home)["chain"].mend == ""


@pytest.mark.parametrize(("days", "mends"), [(300, False), (5, True), (-1, True)])
def test_a_certificate_is_renewed_in_time(store, home, tmp_path, days, mends):
    key, name = Ed25519PrivateKey.generate(), x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "yard")])
    until = dt.datetime.now(dt.UTC) + dt.timedelta(days=days)
    made = x509.CertificateBuilder(name, name, key.public_key(), 1, until - dt.timedelta(days=400), until)
    path = tmp_path / "yard.pem"
    path.write_bytes(made.sign(key, None).public_bytes(Encoding.PEM))
    assert bool(told(store, home, certificate=path)["certificate"].mend) == mends
    path.write_text("no certificate")
    assert told(store, home, certificate=path)["certificate"].mend


def test_logs_say_where_and_never_what_was_typed(monkeypatch, capsys):
    monkeypatch.setenv("LOWHISS_LOG", "json")
    root = logging.getLogger()
    before = root.handlers[:]
    try:
        logs.set_up()
        try:
            raise ValueError("Tove Lind typed this")
        except ValueError:
            logging.getLogger("lowhiss.api").exception("GET /api/log?search=Tove Lind")
    finally:
        root.handlers[:] = before
    line = json.loads(capsys.readouterr().err.strip().splitlines()[-1])
    assert (line["level"], line["said"], line["error"]) == ("error", "GET /api/log", "ValueError")
    assert "Tove" not in json.dumps(line)
    assert "test_doctor.py" in line["trace"][0]


def test_who_asks_after_its_health_hears_when_the_database_is_away():
    """As whatever starts it anew, or a proxy that looks for one that serves, asks."""
    away = Store(make_engine("mysql+pymysql://nobody:x@127.0.0.1:1/none"))
    app = Running(away)
    answer = httpx.get(f"{app.url}/api/health", timeout=HANG_S)
    app.stop()
    assert (answer.status_code, answer.json()["error"]["code"]) == (503, "database_away")
    assert answer.headers["retry-after"] == "1"


def unit_file(tmp_path, edit=lambda text: text):
    """The shipped unit with this checkout in place of where it would lie, and what systemd says of it."""
    text = (ROOT / "deploy" / "low-hiss.service").read_text().replace("/opt/low-hiss/.venv/bin/lowhiss", "/bin/true")
    path = tmp_path / "low-hiss.service"
    path.write_text(edit(text))
    done = subprocess.run(["systemd-analyze", "verify", str(path)], capture_output=True, text=True, check=False)
    return done.returncode, [line for line in done.stderr.splitlines() if "low-hiss" in line]


def test_systemd_takes_the_unit_as_it_ships(tmp_path):
    assert unit_file(tmp_path) == (0, [])
    code, said = unit_file(tmp_path, lambda text: text.replace("ProtectSystem=strict", "ProtectSytem=strict"))
    assert said, code
    given = (ROOT / "deploy" / "low-hiss.service").read_text()
    command = next(line for line in given.splitlines() if line.startswith("ExecStart=")).split()[1:]
    assert _parser("start").parse_args(command).port == 8420


def test_the_container_file_is_built_from_what_is_there():
    told = DockerfileParser(fileobj=io.BytesIO((ROOT / "deploy" / "Containerfile").read_bytes()))
    steps = [(one["instruction"], one["value"]) for one in told.structure if one["instruction"] != "COMMENT"]
    assert [name for name, _ in steps][:3] == ["ARG", "FROM", "SHELL"]
    assert [name for name, _ in steps].count("ENTRYPOINT") == 1
    (built, last) = (place for place, (name, _) in enumerate(steps) if name == "FROM")
    assert ("RUN", "scripts/build") in steps[built:last]
    assert (ROOT / "scripts" / "build").stat().st_mode & 0o100
    inside = steps[last:]
    assert any("lowhiss-*.whl" in value for name, value in inside if name == "RUN")
    of = dict(inside)
    command = json.loads(of["ENTRYPOINT"])[1:]
    assert _parser("start").parse_args(command).port == 8420
    assert "127.0.0.1:8420/api/health" in of["HEALTHCHECK"]
    assert of["USER"] == "low-hiss"
    # what the application asks Debian for stands in the image too, and what only building needs does not
    installed = next(value for name, value in inside if "apt-get install" in value)
    setup = (ROOT / "scripts" / "setup.sh").read_text()
    for package in ("libpango-1.0-0", "libpangoft2-1.0-0", "libharfbuzz-subset0", "bubblewrap", "libseccomp2"):
        assert package in installed
        assert package in setup
    assert "mariadb-server" in installed
    assert "nodejs" not in installed

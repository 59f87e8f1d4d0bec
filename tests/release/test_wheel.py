"""The release as a stranger gets it: a wheel in an empty environment, started where there is no Node."""

from __future__ import annotations

import json
import os
import re
import signal
import subprocess
import sys
import zipfile
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest

from lowhiss import __version__
from lowhiss.static import WEB
from tests.conftest import ROOT, sign_in
from tests.faults.processes import free_port

pytestmark = pytest.mark.long


@pytest.fixture(scope="module")
def wheel(tmp_path_factory) -> Path:
    subprocess.run([str(ROOT / "scripts" / "build")], check=True, capture_output=True)
    return ROOT / "dist" / f"lowhiss-{__version__}-py3-none-any.whl"


@pytest.fixture(scope="module")
def installed(wheel, tmp_path_factory) -> Path:
    """The commands of an environment that holds the wheel and what it depends on, as pinned."""
    home = tmp_path_factory.mktemp("installed") / "venv"
    uv = str(Path(sys.executable).parent / "uv")
    subprocess.run([uv, "venv", "-q", "--python", sys.executable, str(home)], check=True)
    pins = home.parent / "pins.txt"
    # a pin without its hashes is a constraint
    pinned = re.findall(r"^[A-Za-z0-9_.\[\]-]+==[^ \\]+", (ROOT / "requirements.txt").read_text(), re.MULTILINE)
    pins.write_text("\n".join(pinned))
    install = [uv, "pip", "install", "-q", "--python", str(home / "bin" / "python"), "-c", str(pins), str(wheel)]
    subprocess.run(install, check=True)
    return home / "bin"


def test_the_wheel_holds_all_that_is_no_python(wheel):
    names = zipfile.ZipFile(wheel).namelist()
    for wanted in (
        "lowhiss/static/web/index.html",
        r"lowhiss/static/web/judge/\w+/core\.json",
        r"lowhiss/static/web/judge/\w+/pyodide\.asm\.wasm",
        r"lowhiss/static/fonts/archivo-latin-standard-normal\.woff2",
        "lowhiss/static/web/notices.json",
        "lowhiss/rulebook/rules/us-cdl.toml",
        "lowhiss/store/migrations/versions/0001_first_tables.py",
    ):
        assert any(re.fullmatch(wanted, name) for name in names), wanted
    assert not any(name.startswith(("tests/", "web/")) for name in names)


def test_the_bill_of_materials_names_every_pinned_package_and_all_that_the_build_holds(wheel):
    pinned = set(re.findall(r"^([A-Za-z0-9_.-]+)==", (ROOT / "requirements.txt").read_text(), re.MULTILINE))
    bill = json.loads((ROOT / "dist" / f"lowhiss-{__version__}.cdx.json").read_text())
    named = {part["name"].lower().replace("_", "-") for part in bill["components"]}
    assert pinned - named == set()
    shipped = json.loads((WEB / "notices.json").read_text())
    assert {one["name"].replace("_", "-") for one in shipped} - named == set()
    assert "react" in named


@pytest.fixture
def running(installed, tmp_path) -> Iterator[httpx.Client]:
    """The demo, started from the wheel with no Node on the path and no checkout in sight."""
    port = free_port()
    for name in ("node", "npm"):
        nothing = tmp_path / "bin" / name
        nothing.parent.mkdir(exist_ok=True)
        nothing.write_text("#!/bin/sh\nexit 127\n")
        nothing.chmod(0o755)
    path = f"{tmp_path / 'bin'}:{os.environ['PATH']}"
    command = [str(installed / "lowhiss"), "start", "--demo", "--data", str(tmp_path / "data"), "--port", str(port)]
    process = subprocess.Popen(
        command, cwd=tmp_path, env={**os.environ, "PATH": path, "PYTHONPATH": ""}, stdout=subprocess.PIPE, text=True
    )
    assert process.stdout.readline().startswith("Low Hiss is ready")
    with httpx.Client(base_url=f"http://127.0.0.1:{port}", timeout=60) as client:
        yield client
    process.send_signal(signal.SIGINT)
    assert process.wait(60) == 0
    process.stdout.close()


def test_it_serves_the_interface_the_judge_and_papers_in_its_own_face(wheel, installed, running, tmp_path):
    said = subprocess.run([str(installed / "lowhiss"), "--version"], capture_output=True, text=True, check=True)
    assert said.stdout.strip() == f"lowhiss {__version__}"
    assert running.get("/api/health").json()["version"] == __version__
    page = running.get("/").text
    (script,) = re.findall(r'src="(/assets/[^"]+\.js)"', page)
    assert running.get(script).status_code == 200
    (judge,) = [name for name in zipfile.ZipFile(wheel).namelist() if name.endswith("/core.json")]
    assert running.get(judge.removeprefix("lowhiss/static/web")).status_code == 200
    sign_in(running)
    run = running.get("/api/log").json()["runs"][0]["run"]["id"]
    paper = running.get(f"/api/runs/{run}/report.pdf")
    assert paper.content.startswith(b"%PDF")
    printed = tmp_path / "report.pdf"
    printed.write_bytes(paper.content)
    assert "+Report" in subprocess.run(["pdffonts", str(printed)], capture_output=True, text=True, check=True).stdout

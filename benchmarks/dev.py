"""How soon ./dev shows a change: of a Python file, of a component.

./bench dev [--times N]

Each file is only touched. The baseline of the first is a process that imports the server and ends: a change in Python
is served once that and the start of the application are over. The aims are three seconds, and one for a component.
"""

from __future__ import annotations

import argparse
import signal
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import httpx
from playwright.sync_api import Page, sync_playwright

from benchmarks.live import PORT
from lowhiss.demo.scenario import demo_id

_ROOT = Path(__file__).resolve().parents[1]
_URL = f"http://127.0.0.1:{PORT}"
_PYTHON = _ROOT / "lowhiss" / "core" / "units.py"
_COMPONENT = _ROOT / "web" / "src" / "features" / "about" / "AboutPage.tsx"


def took_s(work: Callable[[], object], times: int) -> list[float]:
    """How long the work took, each time [s]."""
    found = []
    for _ in range(times):
        began = time.perf_counter()
        work()
        found.append(time.perf_counter() - began)
    return found


def python_changed() -> None:
    """Touch a file of the core, and wait until a server that began after it answers."""
    away = False
    with httpx.Client(timeout=5) as client:  # one: each new one reads the machine's certificates
        _PYTHON.touch()
        while True:
            try:
                served = client.get(f"{_URL}/api/health").status_code == httpx.codes.OK
            except httpx.TransportError:
                served = False
            if away and served:
                return
            away = away or not served
            time.sleep(0.02)


def component_changed(page: Page) -> None:
    """Touch a component that is on the page, and wait until the page has fetched it again."""
    with page.expect_response(lambda answer: f"{_COMPONENT.name}?t=" in answer.url, timeout=60_000):
        _COMPONENT.touch()


def main(arguments: list[str]) -> None:
    """Start ./dev, and print both."""
    parser = argparse.ArgumentParser(prog="./bench dev")
    parser.add_argument("--times", type=int, default=5)
    times = parser.parse_args(arguments).times
    with tempfile.TemporaryDirectory() as data:
        command = [str(_ROOT / "dev"), "--demo", "--port", str(PORT), "--data", data]
        dev = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        assert dev.stdout is not None
        try:
            for line in dev.stdout:
                if line.startswith("Low Hiss for development"):
                    break
            _print(times)
        finally:
            dev.send_signal(signal.SIGINT)
            dev.wait(60)
            dev.stdout.close()


def _print(times: int) -> None:
    imports = [sys.executable, "-c", "import lowhiss.api, lowhiss.serve"]
    baseline = statistics.median(took_s(lambda: subprocess.run(imports, check=True), times))
    changed = statistics.median(took_s(python_changed, times))
    print(f"a Python file: {changed:.2f} s, {changed / baseline:.1f} times a process that imports the server")
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path="/usr/bin/chromium-headless-shell", args=["--no-sandbox", "--disable-gpu"]
        )
        page = browser.new_page()
        page.request.post(f"{_URL}/api/session/demo", data={"person_id": demo_id("Odile Ferrow")})
        page.goto(f"{_URL}/about")
        page.get_by_role("heading", level=1).wait_for()
        shown = statistics.median(took_s(lambda: component_changed(page), times))
        browser.close()
    print(f"a component: {shown:.2f} s")

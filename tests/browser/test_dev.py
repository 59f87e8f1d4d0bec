"""The development loop as a whole: ./dev serves a test on one address, reloads, and leaves nothing behind."""

from __future__ import annotations

import contextlib
import os
import signal
import subprocess
import time
import urllib.error
import urllib.request
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import pytest
from playwright.sync_api import expect

from tests.browser.cab import RealCab
from tests.conftest import ROOT
from tests.faults.processes import free_port

HANGS_AFTER_S = 180


@dataclass
class Dev:
    url: str
    data: Path
    process: subprocess.Popen


def processes_of(data: Path) -> list[str]:
    """The command lines of everything that runs on these files."""
    found = []
    for one in Path("/proc").glob("[0-9]*/cmdline"):
        try:
            command = one.read_bytes().replace(b"\0", b" ").decode(errors="replace")
        except OSError:
            continue
        if str(data) in command:
            found.append(command)
    return found


@pytest.fixture
def dev(tmp_path) -> Iterator[Dev]:
    port = free_port()
    command = [str(ROOT / "dev"), "--demo", "--port", str(port), "--data", str(tmp_path / "data")]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True, start_new_session=True)
    for line in process.stdout:
        if line.startswith("Low Hiss for development"):
            break
    yield Dev(f"http://127.0.0.1:{port}", tmp_path / "data", process)
    os.killpg(process.pid, signal.SIGINT)
    assert process.wait(HANGS_AFTER_S) == 0
    process.stdout.close()
    assert processes_of(tmp_path / "data") == []


@pytest.mark.long
def test_a_mark_made_on_one_page_is_seen_on_another_and_the_judge_is_served(page, browser, browser_context_args, dev):
    """Every write was answered 403, no socket went through, and /judge/ was the page of an unknown address."""
    near = RealCab(page, dev.url)
    near.begin("MV-12", "Ines Aldous", procedure="static-only")
    run = near.page.url
    context = browser.new_context(**browser_context_args)
    far = RealCab(context.new_page(), dev.url)
    far.sign_in("Odile Ferrow")
    far.page.goto(run)
    expect(far.page.locator("h1")).to_be_visible()
    asked = near.asked()
    near.mark("")
    expect(near.bar).not_to_have_attribute("data-bar", asked)
    far.page.get_by_role("button", name="Marks", exact=True).click()
    expect(far.page.get_by_role("dialog")).to_contain_text("Ines Aldous")
    judge = far.page.evaluate(
        """async () => {
          const { coreAddress } = await import('/src/device/deviceJudge.ts')
          const answer = await fetch(coreAddress() + 'core.json')
          return [answer.status, answer.headers.get('content-type')]
        }"""
    )
    assert judge == [200, "application/json"]
    context.close()


@pytest.mark.long
def test_a_change_of_python_is_served_and_a_taken_port_is_said(dev):
    before = server_pid(dev)
    (ROOT / "lowhiss" / "__init__.py").touch()
    until = time.monotonic() + HANGS_AFTER_S
    while server_pid(dev) in (before, None) or not serves(dev.url):
        assert time.monotonic() < until
        time.sleep(0.1)
    port = dev.url.rsplit(":", 1)[1]
    again = subprocess.run([str(ROOT / "dev"), "--port", port], capture_output=True, text=True, timeout=HANGS_AFTER_S)
    assert (again.returncode, again.stderr.splitlines()[-1]) == (
        1,
        f"dev: port {port} is in use. Choose another one: ./dev --port {int(port) + 1}",
    )


def serves(url: str) -> bool:
    try:
        with urllib.request.urlopen(f"{url}/api/health", timeout=5) as answer:
            return answer.status == 200
    except (OSError, urllib.error.HTTPError):
        return False


def server_pid(dev: Dev) -> str | None:
    """The newest process that serves, by its number: it is forked from one that keeps what does not change."""
    parents = {}
    for one in Path("/proc").glob("[0-9]*/stat"):
        with contextlib.suppress(OSError):
            parents[one.parent.name] = one.read_text().rsplit(")", 1)[1].split()[1]
    served = [pid for pid, parent in parents.items() if parents.get(parent) == str(dev.process.pid)]
    forked = [pid for pid in served if b"forkserver" in (Path("/proc") / parents[pid] / "cmdline").read_bytes()]
    return max(forked, key=int, default=None)

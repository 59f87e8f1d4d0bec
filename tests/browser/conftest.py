"""Headless Chromium from Debian, on the built front end over the real application and database."""

from __future__ import annotations

import pytest

from tests.browser.cab import Cab
from tests.conftest import ROOT

HOST = "yard.lowhiss.test"


@pytest.fixture(scope="session")
def browser_type_launch_args():
    # one browser serves every test of a worker, so the name that one of them needs is known to all
    quiet = [
        f"--host-resolver-rules=MAP {HOST} 127.0.0.1",
        "--disable-gpu",
        "--disable-quic",
        "--no-first-run",
        "--disable-background-networking",
    ]
    return {
        "executable_path": "/usr/bin/chromium",
        "headless": True,
        "args": [*quiet, "--disable-component-update", "--disable-sync", "--no-sandbox"],
    }


@pytest.fixture(scope="session")
def browser_context_args():
    return {
        "viewport": {"width": 1280, "height": 800},
        "locale": "en-US",
        "timezone_id": "America/Denver",
        "service_workers": "block",  # what they keep is looked at where they are the matter
    }


@pytest.fixture
def cab(page, app_url):
    """A page on the application, with a clock the test turns by hand; fails on any console error or outside request."""
    assert (ROOT / "web" / "dist" / "index.html").exists(), "build the front end first: ./test does"
    cab = Cab(page, app_url)
    yield cab
    assert cab.complaints == []

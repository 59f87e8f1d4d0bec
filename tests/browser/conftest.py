"""Headless Chromium from Debian, on the built front end over the real application and database."""

from __future__ import annotations

import pytest

from tests.browser.cab import Cab
from tests.conftest import ROOT


@pytest.fixture(scope="session")
def browser_type_launch_args():
    quiet = ["--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking"]
    return {
        "executable_path": "/usr/bin/chromium",
        "headless": True,
        "args": [*quiet, "--disable-component-update", "--disable-sync", "--no-sandbox"],
    }


@pytest.fixture(scope="session")
def browser_context_args():
    return {"viewport": {"width": 1280, "height": 800}, "locale": "en-US", "timezone_id": "America/Denver"}


@pytest.fixture
def cab(page, app_url):
    """A page on the application, with a clock the test turns by hand; fails on any console error or outside request."""
    assert (ROOT / "web" / "dist" / "index.html").exists(), "build the front end first: ./test does"
    cab = Cab(page, app_url)
    yield cab
    assert cab.complaints == []

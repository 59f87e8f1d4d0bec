"""Headless Chromium from Debian, on the built front end over the real application and database."""

from __future__ import annotations

import base64
import datetime as dt
import hashlib
import uuid

import httpx
import pytest
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID
from playwright.sync_api import expect

from lowhiss.static import WEB
from tests.browser.cab import Cab
from tests.conftest import sign_in
from tests.plugin import HANG_S, patience

HOST = "yard.lowhiss.test"
expect.set_options(timeout=30_000 * patience())  # a bound of hanging: a busy machine stands still for seconds


@pytest.fixture(scope="session")
def certificate(tmp_path_factory):
    """A certificate for the name, and its key."""
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, HOST)])
    now = dt.datetime.now(dt.UTC)
    made = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - dt.timedelta(hours=1))
        .not_valid_after(now + dt.timedelta(days=1))
        .add_extension(x509.SubjectAlternativeName([x509.DNSName(HOST)]), critical=False)
        .sign(key, hashes.SHA256())
    )
    folder = tmp_path_factory.mktemp("tls")
    cert, secret = folder / "cert.pem", folder / "key.pem"
    cert.write_bytes(made.public_bytes(serialization.Encoding.PEM))
    formats = (serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())
    secret.write_bytes(key.private_bytes(*formats))
    return cert, secret


def pin(certificate) -> str:
    """The digest by which Chromium takes this one certificate as it would one of a known authority."""
    key = x509.load_pem_x509_certificate(certificate[0].read_bytes()).public_key()
    spki = key.public_bytes(serialization.Encoding.DER, serialization.PublicFormat.SubjectPublicKeyInfo)
    return base64.b64encode(hashlib.sha256(spki).digest()).decode()


@pytest.fixture(scope="session")
def browser_type_launch_args(certificate):
    # one browser serves every test of a worker, so the name that one of them needs is known to all
    quiet = [
        f"--host-resolver-rules=MAP {HOST} 127.0.0.1",
        "--disable-gpu",
        "--disable-quic",
        "--no-first-run",
        "--disable-background-networking",
    ]
    return {
        "executable_path": "/usr/bin/chromium-headless-shell",
        "headless": True,
        "args": [
            *quiet,
            f"--ignore-certificate-errors-spki-list={pin(certificate)}",
            "--disable-component-update",
            "--disable-sync",
            "--no-sandbox",
        ],
    }


@pytest.fixture(scope="session")
def browser_context_args():
    return {
        "viewport": {"width": 1280, "height": 800},
        "locale": "en-US",
        "timezone_id": "America/Denver",
        "service_workers": "block",  # what they keep is looked at where they are the matter
    }


@pytest.fixture(scope="session")
def tablet(browser):
    """A device in the yard that one person after another uses: it keeps what the core's first start took."""
    with browser.new_context(viewport={"width": 1280, "height": 800}, service_workers="block") as context:
        yield context


@pytest.hookimpl(wrapper=True)
def pytest_runtest_makereport(item, call):
    """What the screen showed when a test failed stands in its report."""
    report = yield
    page = getattr(item, "funcargs", {}).get("page")
    if report.when == "call" and report.failed and page is not None:
        try:
            shown = f"{page.url}\n{page.locator('body').inner_text(timeout=2000)}"
        except Exception as error:  # the page may be gone
            shown = repr(error)
        report.sections.append(("the screen", shown))
    return report


@pytest.fixture
def cab(page, app_url):
    """A page on the application, with a clock the test turns by hand; fails on any console error or outside request."""
    assert (WEB / "index.html").exists(), "build the front end first: ./test does"
    cab = Cab(page, app_url)
    yield cab
    assert cab.complaints == []


@pytest.fixture
def coupled(app_url):
    """A tractor of its own with a trailer: no other test has failed or passed it."""
    with httpx.Client(base_url=app_url, timeout=HANG_S) as http:
        client = sign_in(http)
        name = f"HJ-{uuid.uuid4().hex[:5]}"
        unit = client.post("/api/units", json={"name": name, "kind": "tractor"}).raise_for_status().json()
        trailer = client.post("/api/trailers", json={"name": f"{name}-T"}).raise_for_status().json()
        body = {"version": 1, "trailer_ids": [trailer["id"]]}
        yield client.put(f"/api/units/{unit['id']}/coupling", json=body).raise_for_status().json()

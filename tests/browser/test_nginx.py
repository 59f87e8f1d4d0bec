"""The nginx set-up that ships, driven: TLS, WebSockets, a page in Chromium, slow clients, and a process that goes."""

from __future__ import annotations

import datetime as dt
import ipaddress
import json
import re
import socket
import ssl
import subprocess
import threading
from contextlib import ExitStack, closing
from pathlib import Path

import httpx
import pytest
from cryptography import x509
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.hazmat.primitives.serialization import Encoding, NoEncryption, PrivateFormat
from cryptography.x509.oid import NameOID
from websockets.exceptions import ConnectionClosed
from websockets.sync.client import connect

from tests.conftest import ROOT, Running, sign_in
from tests.devices import Device
from tests.faults.processes import free_port
from tests.plugin import HANG_S

PAUSE = threading.Event()


def certificate(directory: Path) -> tuple[Path, Path]:
    """One for this machine, signed by itself."""
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "localhost")])
    now = dt.datetime.now(dt.UTC)
    names = x509.SubjectAlternativeName([x509.DNSName("localhost"), x509.IPAddress(ipaddress.ip_address("127.0.0.1"))])
    builder = x509.CertificateBuilder(name, name, key.public_key(), 1, now, now + dt.timedelta(days=2))
    made = builder.add_extension(names, critical=False).sign(key, hashes.SHA256())
    paths = directory / "cert.pem", directory / "key.pem"
    paths[0].write_bytes(made.public_bytes(Encoding.PEM))
    paths[1].write_bytes(key.private_bytes(Encoding.PEM, PrivateFormat.PKCS8, NoEncryption()))
    return paths


@pytest.fixture
def yard(store, tmp_path):
    """Two applications behind nginx, set up as `deploy/nginx.conf` says but for ports, names and files."""
    apps = [
        Running(store, spool=tmp_path / name, keys=tmp_path / "keys", proxy="127.0.0.1") for name in ("one", "other")
    ]
    port = free_port()
    cert, key = certificate(tmp_path)
    site = (ROOT / "deploy" / "nginx.conf").read_text()
    upstream = "".join(f"    server {app.url.removeprefix('http://')} max_fails=1 fail_timeout=2s;\n" for app in apps)
    site, count = re.subn(r"    server 127\.0\.0\.1:8420[^\n]*\n", upstream, site)
    assert count == 1
    for old, new in (
        ("listen 443 ssl", f"listen 127.0.0.1:{port} ssl"),
        ("brakes.example", "localhost"),
        ("/etc/ssl/low-hiss.pem", str(cert)),
        ("/etc/ssl/low-hiss.key", str(key)),
    ):
        assert old in site
        site = site.replace(old, new)
    kinds = ("client_body", "proxy", "fastcgi", "uwsgi", "scgi")
    temporary = "".join(f"{kind}_temp_path {tmp_path / kind};\n" for kind in kinds)
    (tmp_path / "nginx.conf").write_text(
        f"daemon off; pid {tmp_path / 'nginx.pid'}; error_log {tmp_path / 'error.log'};\n"
        f"events {{}}\nhttp {{\naccess_log off;\n{temporary}{site}}}\n"
    )
    command = ["nginx", "-c", str(tmp_path / "nginx.conf"), "-e", str(tmp_path / "error.log")]
    subprocess.run([*command, "-t"], check=True, capture_output=True)
    process = subprocess.Popen(command)
    for _ in range(500):
        with closing(socket.socket()) as probe:
            if probe.connect_ex(("127.0.0.1", port)) == 0:
                break
        PAUSE.wait(0.02)
    yield port, apps
    process.terminate()
    process.wait(HANG_S)
    for app in apps:
        app.stop()


def trusting() -> ssl.SSLContext:
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
    context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
    return context


@pytest.mark.long
def test_marks_and_nudges_go_through_though_clients_are_slow_and_a_process_goes(yard):
    port, apps = yard
    with ExitStack() as stack:
        # fifty that begin a head and never end it: they wait at the proxy
        for _ in range(50):
            plain = stack.enter_context(socket.create_connection(("127.0.0.1", port)))
            slow = stack.enter_context(trusting().wrap_socket(plain, server_hostname="localhost"))
            slow.sendall(b"POST /api/runs HTTP/1.1\r\nHost: localhost\r\nContent-Le")
        http = httpx.Client(base_url=f"https://localhost:{port}", verify=trusting(), timeout=HANG_S)
        client = sign_in(stack.enter_context(http))
        assert all(cookie.secure for cookie in client.cookies.jar)
        device = Device(client)
        run_id = device.begin("MV-22").raise_for_status().json()["id"]
        cookies = "; ".join(f"{name}={value}" for name, value in client.cookies.items())
        live = f"wss://localhost:{port}/api/runs/{run_id}/live"
        headers = {"Cookie": cookies}
        screen = stack.enter_context(connect(live, ssl=trusting(), additional_headers=headers, open_timeout=HANG_S))
        for place in range(1, 7):
            device.send(device.marked("note", text=str(place))).raise_for_status()
            if place == 3:
                apps[0].stop()
        try:
            reached(screen, 6)
        except ConnectionClosed:  # it was at the process that went: a screen comes again
            reached(
                stack.enter_context(connect(live, ssl=trusting(), additional_headers=headers, open_timeout=HANG_S)), 6
            )
        assert len(client.get(f"/api/runs/{run_id}/events").json()) == 6
        assert client.get("/api/health").json()["ok"]


def reached(screen, last_seq: int) -> None:
    """Hear nudges until the run has come so far."""
    while json.loads(screen.recv(timeout=HANG_S)).get("last_seq", 0) < last_seq:
        pass


@pytest.mark.long
def test_a_page_works_behind_it(browser, yard):
    port, _ = yard
    with browser.new_context(ignore_https_errors=True) as context:
        page = context.new_page()
        complaints = []
        page.on("pageerror", lambda error: complaints.append(str(error)))
        page.goto(f"https://localhost:{port}/")
        page.get_by_role("button", name="Odile Ferrow").click()
        page.get_by_role("link", name="Log", exact=True).click()
        page.locator("[data-logged]").first.click()
        page.locator("article h1").wait_for(timeout=90_000)
        assert complaints == []

"""Over HTTPS on a name that is not localhost: the first manager, a secure origin, secure cookies."""

from __future__ import annotations

import pytest
from playwright.sync_api import expect

from lowhiss.cli import main
from tests.browser.conftest import HOST
from tests.faults.processes import LowHiss, free_port

ASK_WHO = """async () => {
  const answer = await fetch('/api/session')
  return [answer.headers.get('strict-transport-security'), await answer.json()]
}"""


ON_A_SECURE_ORIGIN = """async () => {
  const { active } = await navigator.serviceWorker.ready
  while (active.state !== 'activated') await new Promise((go) => active.addEventListener('statechange', go))
  const lock = await navigator.wakeLock.request('screen')
  return [active.state, lock.type, typeof (await navigator.storage.persist())]
}"""
"""What only a secure origin gives: the application kept on the device, a screen kept awake, a store that stays."""


@pytest.mark.long
def test_the_first_manager_signs_in_over_https(certificate, tmp_path, browser):
    cert, key = certificate
    port = free_port()
    url = f"https://{HOST}:{port}"
    app = LowHiss(tmp_path / "var", port, "--tls-cert", str(cert), "--tls-key", str(key), "--public-url", url)
    try:
        assert url in app.first_line
        code = app.first_code()
        context = browser.new_context(ignore_https_errors=True, locale="en-US", service_workers="allow")
        context.grant_permissions(["screen-wake-lock"])
        page = context.new_page()
        page.goto(url)
        assert page.evaluate("window.isSecureContext && location.hostname") == HOST
        page.get_by_role("button", name="I have a one-time code").click()
        page.get_by_label("Code").fill(code)
        page.get_by_label("Your name").fill("Runa Holt")
        page.get_by_label("New password").fill("a long enough one")
        page.get_by_role("button", name="Set password").click()
        expect(page.get_by_role("heading", name="Yard")).to_be_visible()
        cookies = {cookie["name"]: cookie for cookie in context.cookies()}
        assert all(cookie["secure"] and cookie["httpOnly"] for cookie in cookies.values())
        transport, me = page.evaluate(ASK_WHO)
        assert transport == "max-age=31536000"
        assert me["person"]["role"] == "manager"
        # the add-a-unit journey, as the first thing a new manager does
        page.get_by_role("link", name="Units").click()
        page.get_by_role("button", name="Add unit").click()
        page.get_by_role("textbox", name="Name").fill("MV-99")
        page.get_by_label("Brake chambers, by type").fill("20 20 30 30")
        page.get_by_label("Service air tanks, in³").fill("1000 1000")
        page.get_by_role("button", name="Save").click()
        expect(page.get_by_text("2000 / 3432 in³, too small")).to_be_visible()
        assert page.evaluate(ON_A_SECURE_ORIGIN) == ["activated", "screen", "boolean"]
        context.close()
    finally:
        assert app.interrupt() == 0


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (["--listen", "0.0.0.0"], "--listen 0.0.0.0 needs --tls-cert and --tls-key"),
        (["--listen", "0.0.0.0", "--demo", "TLS"], "--demo opens accounts without passwords"),
        (["--tls-cert", "x.pem"], "--tls-cert and --tls-key must be given together"),
        (["--tls-cert", "x.pem", "--tls-key", "y.pem"], "--tls-cert: there is no file x.pem."),
        (["TWISTED"], "--tls-cert and --tls-key can't be used together"),
        (["TLS", "--public-url", "yard"], "--public-url must look like https://name"),
    ],
)
def test_what_would_not_be_safe_is_refused_in_one_sentence(arguments, words, certificate, tmp_path, capsys):
    cert, key = (str(path) for path in certificate)
    tls = {"TLS": ["--tls-cert", cert, "--tls-key", key], "TWISTED": ["--tls-cert", key, "--tls-key", cert]}
    given = [part for argument in arguments for part in tls.get(argument, [argument])]
    assert main(["start", "--data", str(tmp_path / "var"), "--port", str(free_port()), *given]) == 1
    said = capsys.readouterr().err
    assert words in said
    assert said.count("\n") == 1
    assert not (tmp_path / "var").exists()

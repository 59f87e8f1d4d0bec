"""Every state that the test screen comes to in a run, looked at on a phone: by day in English, at night in Spanish."""

from __future__ import annotations

import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import expect

from tests.browser.inspect import axe_findings, cut_off, load_axe, small_controls
from tests.browser.test_conductor import COMBINATION

LIGHTS = {"en": "day", "es": "night"}


@pytest.fixture
def browser_context_args(browser_context_args):
    return {**browser_context_args, "viewport": {"width": 390, "height": 844}, "has_touch": True}


def faults_of(page, where: str, light: str) -> Iterator[str]:
    """What is wrong with the screen as it stands."""
    yield from (f"{where}: small: {each}" for each in small_controls(page))
    yield from (f"{where}: cut off: {each}" for each in cut_off(page))
    yield from (f"{where}, {light}: {each}" for each in axe_findings(page))


@pytest.mark.long
@pytest.mark.parametrize(
    ("language", "failing"), [pytest.param("en", "leak_applied end.1", marks=pytest.mark.long), ("es", "popped.1")]
)
def test_no_state_of_a_whole_run_hinders_a_thumb_a_reader_or_an_eye(cab, language, failing):
    page = cab.page
    light = LIGHTS[language]
    cab.prefer(language=language, calls="both", light=light)
    figures = COMBINATION | {failing: (99, 99)}
    cab.set_up("MV-12", procedure="us-three-part", rules="us-cdl")
    page.get_by_text(re.compile("^(shown|se muestran)$")).click()
    load_axe(page)
    faults = list(faults_of(page, "set-up", light))
    page.locator("button[type=submit]:enabled").click()
    expect(cab.bar).to_be_visible()
    seen = set()
    for _ in range(100):
        state = (
            page.locator("[data-phase]").get_attribute("data-phase"),
            cab.asked(),
            page.get_by_role("slider").count(),
        )
        if state not in seen:
            seen.add(state)
            faults += faults_of(page, str(state), light)
        if state[1] == "finish":
            break
        cab.step(figures, cab.asked())
    for dialog in ("Test order|Orden de la prueba", "^(Marks|Marcas)$", "Make safe|Asegurar"):
        page.get_by_role("button", name=re.compile(dialog)).first.click()
        cab.pass_time(0.5)
        faults += faults_of(page, dialog, light)
        page.keyboard.press("Escape")
    cab.finish()
    faults += faults_of(page, "report", light)
    assert len(seen) > 25
    assert not faults, "\n".join(sorted(faults))

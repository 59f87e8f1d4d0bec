"""The office screens, and a session that ends in the middle of something."""

from __future__ import annotations

import re
import uuid

import pytest
from playwright.sync_api import expect

from lowhiss.demo.scenario import demo_id
from tests.browser.inspect import axe_findings, cut_off, load_axe
from tests.conftest import sign_in


def test_a_demo_account_signs_in_by_one_touch_and_out_again(cab):
    page = cab.page
    cab.go("/log")
    page.get_by_role("button", name="Luz Marenco").click()
    expect(page.get_by_role("heading", name="Registro")).to_be_visible()  # she reads Spanish
    expect(page.get_by_role("link", name="Personas")).to_have_count(0)  # a driver sees no people
    page.get_by_role("button", name="Luz Marenco").click()
    page.get_by_role("button", name="Cerrar sesión", exact=True).click()
    expect(page.get_by_role("heading", name="Iniciar sesión")).to_be_visible()


def test_a_wrong_password_says_so(cab):
    page = cab.page
    cab.expected = ["status of 422"]
    cab.go()
    page.get_by_label("Name").fill("Nobody")
    page.get_by_label("Password").fill("nothing")
    page.get_by_role("button", name="Sign in", exact=True).click()
    expect(page.get_by_role("alert")).to_have_text("Wrong name or password.")


def test_an_expired_session_in_the_hold_covers_nothing_and_loses_nothing(cab):
    page = cab.page
    cab.expected = ["status of 401"]
    cab.begin("MV-22", procedure="leak-check")
    cab.prepare()
    cab.press_and_settle()
    page.context.clear_cookies(name="lowhiss_session")
    cab.set_start("100", "100")
    expect(page.get_by_text("Your session has ended.")).to_be_visible()
    cab.hold_to_the_end()
    cab.set_tapes("98", "98")
    cab.mark("Readings are right")
    expect(page.locator("[data-outcome=pending]")).to_be_visible()
    page.get_by_role("button", name="Sign in").click()
    page.get_by_label("Name").fill("x")  # nothing beneath reacts to what is typed here
    here = page.url
    cab.sign_in("Tove Lind")
    page.goto(here)
    expect(cab.wait_for_verdict()).to_contain_text("Pass")


def test_a_manager_invites_somebody_and_edits_them(cab):
    page = cab.page
    name = f"Runa {uuid.uuid4().hex[:6]}"
    cab.sign_in()
    cab.go("/people")
    page.get_by_role("button", name="Invite person").click()
    page.get_by_role("textbox", name="Name").fill(name)
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_role("heading", name=f"One-time code for {name}")).to_be_visible()
    page.get_by_role("button", name="Close").click()
    page.get_by_role("button", name=f"Edit: {name}").click()
    page.get_by_role("combobox", name="Role").select_option("trainer")
    page.get_by_role("button", name="Save").click()
    row = page.get_by_role("row", name=name)
    expect(row).to_contain_text("trainer")
    page.get_by_role("button", name=f"Deactivate: {name}").click()
    expect(row).to_contain_text("deactivated")


def test_a_unit_edited_by_two_people_tells_the_second(cab, client):
    page = cab.page
    cab.expected = ["status of 409"]
    unit = client.post("/api/units", json={"name": f"U-{uuid.uuid4().hex[:6]}", "kind": "tractor"}).json()
    cab.sign_in("Jory Pask")
    cab.go(f"/units/{unit['id']}")
    page.get_by_role("textbox", name="Model year").fill("2016")
    body = {"name": unit["name"], "kind": "tractor", "build_year": 2011, "version": 1}
    sign_in(client, "Wanda Keel").put(f"/api/units/{unit['id']}", json=body).raise_for_status()
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_role("alert")).to_contain_text("Somebody else has just changed this")
    expect(page.get_by_role("textbox", name="Model year")).to_have_value("2016")  # what was typed is still there
    page.reload()
    expect(page.get_by_role("textbox", name="Model year")).to_have_value("2011")
    expect(page.get_by_text("Wanda Keel")).to_be_visible()


def test_a_driver_couples_a_trailer(cab, client):
    page = cab.page
    unit = client.post("/api/units", json={"name": f"U-{uuid.uuid4().hex[:6]}", "kind": "tractor"}).json()
    trailer = client.post("/api/trailers", json={"name": f"T-{uuid.uuid4().hex[:6]}"}).json()
    cab.sign_in("Ines Aldous")
    cab.go(f"/units/{unit['id']}")
    page.get_by_role("combobox", name="Couple trailer…").select_option(trailer["id"])
    page.get_by_role("button", name="Save coupling").click()
    expect(page.get_by_role("heading", name="tractor and trailer")).to_be_visible()
    expect(page.get_by_role("button", name="Save")).to_have_count(0)


def test_a_csv_is_looked_through_before_it_is_taken(cab):
    page = cab.page
    good = f"U-{uuid.uuid4().hex[:6]}"
    cab.sign_in()
    cab.go("/units")
    page.get_by_role("button", name="Import CSV").click()
    file = {"name": "units.csv", "mimeType": "text/csv", "buffer": f"name,kind\n{good},bus\n{good},barge\n".encode()}
    page.get_by_label("CSV file", exact=True).set_input_files(files=[file])
    expect(page.get_by_text("1 units ready to import, 1 lines with errors.")).to_be_visible()
    expect(page.get_by_text("Line 3: kind: must be one of")).to_be_visible()
    expect(page.get_by_role("button", name="Import all")).to_be_disabled()
    page.get_by_label("CSV file", exact=True).set_input_files(
        files=[{**file, "buffer": f"name,kind\n{good},bus\n".encode()}]
    )
    page.get_by_role("button", name="Import all").click()
    expect(page.get_by_role("link", name=good)).to_be_visible()


def test_a_report_on_paper_is_whole_and_bright_even_at_night(cab, client):
    page = cab.page
    cab.prefer(light="night")
    cab.sign_in()
    failed = client.get("/api/log", params={"search": "MV-21", "outcome": "fail"}).json()["runs"]
    cab.go(f"/runs/{next(line['run']['id'] for line in failed if line['run']['demo'])}")
    expect(page.locator("[data-school]").first).to_be_visible()
    page.emulate_media(media="print")
    page.set_viewport_size({"width": 710, "height": 950})  # letter paper between its margins
    expect(page.get_by_role("button", name="Print")).to_be_hidden()
    for told in ("Do not drive.", "Demo data"):
        expect(page.locator("article").get_by_text(told, exact=True)).to_be_visible()
    started = page.locator("dd").first.inner_text()
    assert re.fullmatch(r"\w+ \d+, 20\d\d \d\d:\d\d", started.strip()), started  # "today" is wrong tomorrow
    shape = page.locator("[data-try] [data-outcome] i").first
    style = "(node) => [getComputedStyle(node).printColorAdjust, getComputedStyle(node).color]"
    assert shape.evaluate(style) == ["exact", "rgb(20, 25, 26)"]
    top = "(node) => node.getBoundingClientRect().top"
    assert page.locator("h1").evaluate(top) < page.locator("aside").evaluate(top)


@pytest.mark.long
@pytest.mark.parametrize("language", [pytest.param("en", marks=pytest.mark.long), "es"])
def test_on_a_phone_the_head_takes_one_row_and_nothing_is_cut_off(cab, client, language):
    page = cab.page
    # somebody who is no demo account can be given a new code, too: the row with the most in it
    client.post("/api/people", json={"name": f"Maximiliane Longway {uuid.uuid4().hex[:4]}", "role": "driver"})
    page.set_viewport_size({"width": 390, "height": 844})
    cab.sign_in()
    cab.prefer(language=language)
    faults = []
    for path in ("", "log", "units", "people"):
        cab.go(f"/{path}")
        expect(page.locator("main").locator("tr, li, h1").first).to_be_visible()
        assert page.locator("header").bounding_box()["height"] <= 60
        faults += [f"/{path}: {each}" for each in cut_off(page)]
    assert not faults, "\n".join(faults)


def test_how_a_units_tests_went_is_drawn_and_each_quantity_can_be_chosen(cab):
    page = cab.page
    cab.sign_in()
    cab.go(f"/units/{demo_id('MV-16')}")
    chosen = page.get_by_role("button", name=re.compile("^Applied leak test"))
    expect(chosen).to_have_attribute("aria-pressed", "true")
    expect(page.get_by_role("heading", name="no more than 4 psi in 60 s")).to_be_visible()
    expect(page.get_by_role("img", name=re.compile("^Drifting by 0.5 psi a month"))).to_be_visible()
    expect(page.get_by_text(re.compile("it reaches its limit about .* [Nn]ine times in ten"))).to_be_visible()
    page.get_by_role("button", name="Report this drift as a defect").click()
    expect(page.get_by_label("What is wrong")).to_have_value(re.compile("Drifting by 0.5 psi a month"))
    page.keyboard.press("Escape")
    page.get_by_role("button", name=re.compile("^Cut-out")).click()
    expect(page.get_by_role("heading", name="120 to 140 psi")).to_be_visible()
    load_axe(page)
    assert axe_findings(page) == []
    assert list(cut_off(page)) == []
    page.locator("svg[role=img] title").first.locator("..").click(force=True)
    expect(page.locator("article")).to_be_visible()

"""Whole runs on the test screen, each ending with what ``lowhiss judge`` says of its exported record."""

from __future__ import annotations

import json

import pytest
from playwright.sync_api import expect

from lowhiss.cli import main

COMBINATION: dict[str, tuple[float, ...]] = {
    "lower": (85, 86),
    "upper": (100, 101),
    "cut_out": (125, 126),
    "cut_in": (104, 105),
    "leak_released start": (122, 123),
    "leak_released end": (121, 122),
    "leak_applied start": (112, 113),
    "leak_applied end": (110, 111),
    "warning": (64, 65),
    "popped": (31, 32),
}
# the others are led by the walks of tests/core; the three-part one by test_every_state, mark by mark
WHOLE_RUNS = [
    ("MV-12", "us-full", "us-cdl", {}),
    ("MV-18", "canada-west", "canada-west", {"lower": (50, 51), "upper": (90, 91)}),
]


def judged(cab, tmp_path, capsys) -> dict:
    """The verdict of the run whose report is open, as the command gives it for the saved record."""
    run = cab.page.url.rsplit("/", 1)[1]
    path = tmp_path / "run.json"
    with cab.page.expect_download() as download:
        cab.page.get_by_role("link", name="Export test record").click()
    download.value.save_as(path)
    assert json.loads(path.read_text())["id"] == run
    capsys.readouterr()
    assert main(["judge", str(path)]) in (0, 1, 2)
    return json.loads(capsys.readouterr().out)


def agrees(cab, tmp_path, capsys) -> dict:
    """Check the open report, attempt by attempt, against the command; returns the command's verdict."""
    verdict = judged(cab, tmp_path, capsys)
    for stage in verdict["stages"]:
        row = cab.page.locator(f"[data-try='{stage['stage']} {stage['attempt']}']")
        expect(row.locator(f"[data-outcome={stage['outcome']}]")).to_be_visible()
        expect(row).to_contain_text(stage["arithmetic"])
        expect(row.locator("[data-finding]")).to_have_count(len(stage["findings"]))
    school = cab.page.locator(f"[data-school={verdict['rules']}] [data-outcome={verdict['overall']}]")
    expect(school).to_be_visible()
    return verdict


def outcomes(verdict: dict, stage: str) -> list[str]:
    return [each["outcome"] for each in verdict["stages"] if each["stage"] == stage]


@pytest.mark.long
@pytest.mark.parametrize(("unit", "procedure", "rules", "figures"), WHOLE_RUNS)
def test_a_healthy_combination_passes_the_whole_procedure(cab, tmp_path, capsys, unit, procedure, rules, figures):
    cab.begin(unit, procedure=procedure, rules=rules)
    cab.do(COMBINATION | figures)
    cab.finish()
    verdict = agrees(cab, tmp_path, capsys)
    assert (verdict["overall"], verdict["coach"], verdict["limited"]) == ("pass", [], verdict["required"])
    held = next(stage for stage in verdict["stages"] if stage["stage"] == "leak_applied")
    # 49 CFR 393 and the licence manuals: one minute; taught in the western provinces: two (from memory)
    assert held["measured"]["duration_s"] == pytest.approx(120 if rules == "canada-west" else 60, abs=0.05)


@pytest.mark.long
def test_a_bus_whose_knob_pops_too_high_fails_and_is_not_rolled(cab, tmp_path, capsys):
    page = cab.page
    cab.begin("MV-21", procedure="single-vehicle")
    figures = COMBINATION | {"leak_applied end": (111, 111), "popped": (52, 53)}
    cab.do(figures, until="again")
    expect(page.get_by_text("Do not drive. Park the vehicle")).to_be_visible()
    page.get_by_role("button", name="Continue with the rest").click()
    cab.do(figures, until="locked")
    expect(page.get_by_text("The vehicle must not move yet.")).to_be_visible()
    page.get_by_role("button", name="End test here").click()
    expect(page.locator("article p").first).to_have_text("Do not drive.")
    verdict = agrees(cab, tmp_path, capsys)
    assert (verdict["overall"], outcomes(verdict, "spring_brakes")) == ("fail", ["fail"])
    assert outcomes(verdict, "rolling_service") == ["not_done"]


def test_a_fail_is_retested_from_full_air_and_then_stands_as_pass(cab, tmp_path, capsys):
    cab.begin("MV-12", procedure="static-only")
    figures = COMBINATION | {"leak_applied end.1": (106, 111)}
    cab.do(figures, until="again")
    cab.pass_time(1)
    cab.bar.click()
    cab.until(lambda: cab.asked() != "again")
    expect(cab.page.get_by_role("heading", level=1)).to_have_text("Safe start")  # the whole refill first
    cab.do(figures)
    cab.finish()
    verdict = agrees(cab, tmp_path, capsys)
    assert (verdict["overall"], outcomes(verdict, "leak_applied")) == ("pass", ["fail", "pass"])
    assert "retest_without_refill" not in {finding["code"] for finding in verdict["coach"]}


@pytest.mark.long
def test_a_release_before_the_end_is_void_and_leads_to_a_proper_retest(cab, tmp_path, capsys):
    cab.begin("MV-12", procedure="static-only")
    cab.do(COMBINATION, until="up")
    cab.accept(COMBINATION)
    cab.pass_time(20)
    cab.page.keyboard.down("Space")
    cab.pass_time(1.1)
    cab.page.keyboard.up("Space")
    cab.until(lambda: cab.asked() != "up")
    cab.do(COMBINATION, until="again")
    expect(cab.page.locator("[data-finding=hold_short]")).to_be_visible()
    cab.do(COMBINATION)
    cab.finish()
    verdict = agrees(cab, tmp_path, capsys)
    assert (verdict["overall"], outcomes(verdict, "leak_applied")) == ("pass", ["void", "pass"])


@pytest.mark.long
def test_a_stage_left_out_is_said_on_the_report_and_the_test_is_not_complete(cab, tmp_path, capsys):
    page = cab.page
    cab.begin("MV-12", procedure="static-only")
    cab.do(COMBINATION, until="engine_off")
    page.get_by_role("button", name="Test order: ").first.click()
    page.get_by_role("listitem").filter(has_text="Low-air warning").get_by_role("button", name="Skip").click()
    expect(page.get_by_role("dialog")).to_contain_text("Without this stage the test is incomplete.")
    page.get_by_label("Reason").fill("buzzer unplugged by the workshop")
    page.get_by_role("button", name="Skip").click()
    cab.do(COMBINATION)
    cab.finish()
    verdict = agrees(cab, tmp_path, capsys)
    assert (verdict["overall"], outcomes(verdict, "low_air_warning")) == ("incomplete", ["not_done"])
    expect(page.get_by_text("Skipped: buzzer unplugged by the workshop")).to_be_visible()

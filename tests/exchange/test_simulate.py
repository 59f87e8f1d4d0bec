"""``lowhiss simulate``: files that the rest can read, the same for the same seed, and one sentence for a wrong call."""

from __future__ import annotations

import csv
import json

import pytest

from lowhiss import rulebook
from lowhiss.cli import main
from lowhiss.core.units import KPA_PER_PSI

RIGID = {"power": {"name": "MV-50", "kind": "straight_truck", "chambers": [20, 20, 30, 30]}}


def rows(path):
    with path.open(newline="") as file:
        return list(csv.DictReader(file))


def simulated(tmp_path, *arguments, name="run"):
    return main(["simulate", "--out", str(tmp_path / name), *arguments])


def test_a_run_is_written_with_its_traces_its_truth_and_a_picture(tmp_path, capsys):
    picture = tmp_path / "run.png"
    more = ("--unit", "tractor_semitrailer", "--fault", "warning_low", "--seed", "4", "--plot", str(picture))
    assert simulated(tmp_path, *more) == 0
    written = capsys.readouterr().out.split()
    assert [path.rsplit("/run.")[1] for path in written] == [
        "run.json",
        "csv",
        "1hz.csv",
        "log",
        "mf4",
        "truth.json",
        "png",
    ]
    assert picture.read_bytes().startswith(b"\x89PNG")
    assert main(["judge", written[0]]) == 1
    verdict = json.loads(capsys.readouterr().out)
    assert [one["stage"] for one in verdict["stages"] if one["outcome"] == "fail"] == ["low_air_warning"]

    trace, broadcast = rows(tmp_path / "run.csv"), rows(tmp_path / "run.1hz.csv")
    names = "t_s primary_psi secondary_psi pedal engine_rpm tractor_knob trailer_knob warning"
    assert list(trace[0]) == names.split()
    assert {float(row["primary_kpa"]) % 8 for row in broadcast} == {0}
    assert len(trace) == pytest.approx(10 * len(broadcast), rel=0.05)
    by_second = {round(float(row["t_s"])): float(row["primary_psi"]) for row in trace}
    for row in broadcast[5:-5]:
        # the needle lags behind the tank, and the network rounds to 8 kPa: a full stroke takes up to 15 psi at once
        assert float(row["primary_kpa"]) / KPA_PER_PSI == pytest.approx(by_second[round(float(row["t_s"]))], abs=16)

    truth = json.loads((tmp_path / "run.truth.json").read_text())
    events = json.loads((tmp_path / "run.run.json").read_text())["events"]
    assert truth["set_points_psi"]["warning"] == 46
    assert len(truth["marks"]) == len(events)
    warned = next(mark for mark in truth["marks"] if mark["type"] == "warning")
    assert min(warned["true_psi"].values()) == pytest.approx(46, abs=8)


def test_the_same_seed_writes_the_same_files(tmp_path, capsys):
    for name in ("one", "two"):
        assert simulated(tmp_path, "--unit", "bus", "--seed", "9", name=name) == 0
    for kind in ("run.json", "csv", "1hz.csv", "truth.json"):
        assert (tmp_path / f"one.{kind}").read_bytes() == (tmp_path / f"two.{kind}").read_bytes()


def test_a_units_own_specification_is_simulated(tmp_path, capsys):
    old = {
        **RIGID["power"],
        "circuits": "single",
        "reservoirs_in3": [1600, 1900],
        "governor": {"cut_in_psi": 100, "cut_out_psi": 122},
    }
    file = tmp_path / "unit.json"
    file.write_text(json.dumps({"power": old}))
    assert simulated(tmp_path, "--unit", str(file)) == 0
    record = json.loads((tmp_path / "run.run.json").read_text())
    assert record["unit"]["circuits"] == "single"
    cut_out = next(event for event in record["events"] if event.get("point") == "cut_out")
    assert cut_out["primary_psi"] == pytest.approx(122, abs=3)
    assert "secondary_psi" not in cut_out


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (["--unit", "spaceship"], "unit: is 'spaceship'"),
        (["--unit", "bus", "--fault", "flat_tyre"], "fault: is 'flat_tyre'"),
        (["--unit", "bus", "--driver", "nobody"], "driver: is 'nobody'"),
        (["--unit", "bus", "--procedure", "none"], "procedure"),
        ([], "--unit is missing"),
        (["--unit", "bus", "--plot", "drive.docx"], "--plot draws PNG files"),
        (["--unit", "nowhere.json"], "can't be read"),
        (["--unit", "bus", "--out", "/nowhere/at/all"], "can't be written"),
        (["--unit", "bus", "--out", "."], "is a directory"),
    ],
)
def test_a_wrong_call_is_refused_in_one_sentence(tmp_path, capsys, arguments, words):
    assert main(["simulate", "--out", str(tmp_path / "run"), *arguments]) == 64
    said = capsys.readouterr().err
    assert words in said
    assert said.count("\n") == 1


@pytest.mark.parametrize(
    ("table", "field"),
    [
        (RIGID, "MV-50.reservoirs_in3: is missing"),
        ({"power": {**RIGID["power"], "reservoirs_in3": [1100, 1400]}}, "supply, a primary and a secondary"),
        ({"power": {**RIGID["power"], "reservoirs_in3": [-5, 1, 2]}}, "reservoirs_in3[0]"),
        ({"engine": 5}, "table of fields"),
    ],
)
def test_a_unit_file_that_says_too_little_is_refused_by_field(tmp_path, capsys, table, field):
    file = tmp_path / "unit.json"
    file.write_text(json.dumps(table))
    assert simulated(tmp_path, "--unit", str(file)) == 64
    assert field in capsys.readouterr().err


def test_faults_and_drivers_are_listed(capsys):
    assert main(["simulate", "--list"]) == 0
    text = capsys.readouterr().out
    assert "Not visible on its own" in text
    assert "clock_early" in text


def test_a_fleets_own_rules_stand_whole_in_the_record(tmp_path, capsys):
    own = {**rulebook.rule_set("us-cdl").as_dict(), "id": "marram-valley"}
    file = tmp_path / "own.json"
    file.write_text(json.dumps(own))
    assert simulated(tmp_path, "--unit", "bus", "--procedure", "leak-check", "--rules", str(file)) == 0
    capsys.readouterr()
    assert main(["judge", str(tmp_path / "run.run.json")]) == 0
    assert json.loads(capsys.readouterr().out)["rules"] == "marram-valley"


def test_a_picture_without_the_package_that_draws_is_one_sentence_and_nothing_is_driven(tmp_path, capsys, monkeypatch):
    monkeypatch.setattr("lowhiss.commands.simulate.can_plot", lambda: False)
    assert simulated(tmp_path, "--plot", str(tmp_path / "run.png")) == 64
    assert "--plot needs matplotlib" in capsys.readouterr().err
    assert list(tmp_path.iterdir()) == []

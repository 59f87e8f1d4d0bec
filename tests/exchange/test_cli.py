"""The command line: contracts of ``lowhiss judge``, on the shipped examples and on bad files."""

from __future__ import annotations

import json
import subprocess
import sys

import pytest

from lowhiss.cli import main
from lowhiss.engine import on_device as ondevice
from tests.builders import leak_record, whole_test
from tests.conftest import ROOT

EXAMPLES = ROOT / "docs" / "examples"


@pytest.mark.parametrize(
    ("name", "code", "overall"),
    [("mv-12-static-pass", 0, "pass"), ("mv-21-leak-fail", 1, "fail"), ("mv-09-hold-short-void", 2, "incomplete")],
)
def test_the_shipped_examples(name, code, overall, capsys):
    assert main(["judge", str(EXAMPLES / f"{name}.json")]) == code
    verdict = json.loads(capsys.readouterr().out)
    assert (verdict["format"], verdict["overall"]) == ("low-hiss-verdict/1", overall)


INSPECTION = EXAMPLES / "mv-05-inspection-stays.json"


def test_an_inspection_is_judged_alone_and_exits_by_what_stays_or_is_open(tmp_path, capsys):
    assert main(["judge", str(INSPECTION)]) == 1
    state = json.loads(capsys.readouterr().out)
    assert (state["format"], state["worst"], state["rules"]) == ("low-hiss-round-state/1", "stay", "us-cdl")
    # one finding, every school: the same washer may make this trip elsewhere, and most of it was never looked at
    assert main(["judge", "--rules", "us-federal", str(INSPECTION)]) == 2
    assert json.loads(capsys.readouterr().out)["worst"] == "finish"
    assert main(["judge", "--all-rules", str(INSPECTION)]) == 1
    worst = {one["rules"]: one["worst"] for one in json.loads(capsys.readouterr().out)["states"]}
    assert worst == {"us-cdl": "stay", "us-older": "stay", "us-federal": "finish", "canada-west": "finish"}
    assert main(["judge", "--text", "--lang", "es", str(INSPECTION)]) == 1
    assert "Lavaparabrisas: no funciona, débil, a veces: No circular" in capsys.readouterr().out
    broken = json.loads(INSPECTION.read_text())
    broken["marks"][2]["asks"] = ["flor@P"]
    (tmp_path / "broken.json").write_text(json.dumps(broken))
    assert main(["judge", str(tmp_path / "broken.json")]) == 64
    assert "marks[2].asks: 'flor@P' isn't an item with a place" in capsys.readouterr().err


def test_a_run_record_embeds_its_inspections_and_its_verdict_stays_its_own(tmp_path, capsys):
    run = json.loads((EXAMPLES / "mv-12-static-pass.json").read_text())
    beside = {**json.loads(INSPECTION.read_text()), "started_at": run["started_at"]}
    (tmp_path / "both.json").write_text(json.dumps({**run, "rounds": [beside]}))
    assert main(["judge", str(tmp_path / "both.json")]) == 0
    verdict = json.loads(capsys.readouterr().out)
    assert (verdict["overall"], verdict["rounds"][0]["worst"]) == ("pass", "stay")
    answered = {one["key"]: one["answer"] for one in verdict["rounds"][0]["items"]}
    assert answered["gauge_air@P.primary"] == "from_run"
    (tmp_path / "bad.json").write_text(json.dumps({**run, "rounds": [{**beside, "way": "sideways"}]}))
    assert main(["judge", str(tmp_path / "bad.json")]) == 64
    assert "rounds[0].way" in capsys.readouterr().err


def test_every_school_at_once_exits_by_the_runs_own(capsys):
    assert main(["judge", "--all-rules", str(EXAMPLES / "mv-21-leak-fail.json")]) == 1
    answer = json.loads(capsys.readouterr().out)
    assert answer["format"] == "low-hiss-verdicts/1"
    assert {v["rules"]: v["stages"][0]["outcome"] for v in answer["verdicts"]} == {
        "us-cdl": "fail",
        "us-older": "fail",
        "us-federal": "no_rule",
        "canada-west": "void",
    }


def test_several_files_print_one_verdict_a_line_and_exit_with_the_gravest(tmp_path, capsys):
    broken = tmp_path / "broken.json"
    broken.write_text('{"format": "low-hiss-run/1", "unit": {"kind": "bus"}')
    files = [str(EXAMPLES / "mv-12-static-pass.json"), str(broken), str(EXAMPLES / "mv-21-leak-fail.json")]
    assert main(["judge", *files]) == 64
    lines = [json.loads(line) for line in capsys.readouterr().out.splitlines()]
    assert [line["format"] for line in lines] == ["low-hiss-verdict/1", "low-hiss-error/1", "low-hiss-verdict/1"]
    assert lines[1]["file"] == str(broken)
    assert main(["judge", files[2], files[0]]) == 1
    assert main(["judge", files[0], str(EXAMPLES / "mv-09-hold-short-void.json")]) == 2


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"{", "the file isn't valid JSON: "),
        (b"[" * 100_000, "the file is nested too deeply"),
        (b'{"format": "\xff"}', "the file isn't UTF-8 text"),
        (b'{"format": NaN}', "the file holds NaN"),
        (b'{"format": "some-run/9"}', "format: must be low-hiss-run/1, not 'some-run/9'"),
        (b"[]", "must be a table of fields, not a list"),
        (b" " * (16 * 1024**2 + 1), "the maximum is 16 MB"),
        (b"", "the file isn't valid JSON"),
    ],
)
def test_a_bad_file_gets_one_sentence_and_exit_64(content, words, tmp_path, capsys):
    path = tmp_path / "run.json"
    path.write_bytes(content)
    assert main(["judge", str(path)]) == 64
    said = capsys.readouterr()
    assert said.out == ""
    assert words in said.err
    assert said.err.count("\n") == 1


def test_a_missing_file_and_an_unknown_rule_set(capsys):
    assert main(["judge", "nowhere.json"]) == 64
    assert "nowhere.json: can't be read: No such file" in capsys.readouterr().err
    assert main(["judge", "--rules", "metric", str(EXAMPLES / "mv-21-leak-fail.json")]) == 64
    assert "'metric' is not a built-in rule set; there are us-cdl, us-older" in capsys.readouterr().err


def test_another_rule_set_language_and_unit(tmp_path, capsys):
    path = tmp_path / "run.json"
    path.write_text(json.dumps(leak_record(100, 97, duration_s=120)))
    assert main(["judge", "--rules", "canada-west", "--lang", "es", "--unit", "bar", str(path)]) == 0
    (stage, *_) = json.loads(capsys.readouterr().out)["stages"]
    assert stage["limit"]["text"] == "no más de 0.276 bar en 120 s"


def test_as_a_real_process_reading_standard_input():
    done = subprocess.run(
        [sys.executable, "-m", "lowhiss.cli", "judge", "-"],
        input=json.dumps(leak_record(100, 95)).encode(),
        capture_output=True,
        check=False,
    )
    assert (done.returncode, json.loads(done.stdout)["overall"], done.stderr) == (1, "fail", b"")


# the other commands


def test_a_report_to_read_says_do_not_drive_first(capsys):
    assert main(["judge", "--text", str(EXAMPLES / "mv-21-leak-fail.json")]) == 1
    text = capsys.readouterr().out
    assert text.startswith("FAIL: DO NOT DRIVE   MV-21\n")
    assert "112 → 108 psi in 60 s, 4.0 psi/min, limit 3, missed by 1.0, reading error ±0.8" in text
    assert max(len(line) for line in text.splitlines()) <= 110
    assert (
        main(
            [
                "judge",
                "--text",
                "--lang",
                "es",
                "--unit",
                "kpa",
                "--all-rules",
                str(EXAMPLES / "mv-12-static-pass.json"),
            ]
        )
        == 0
    )
    spanish = capsys.readouterr().out
    assert spanish.count("APROBADA   MV-12") == 3
    assert "INCOMPLETA   MV-12" in spanish


def test_every_number_of_the_printed_rule_book_has_its_source(capsys):
    assert main(["rules"]) == 0
    assert len(capsys.readouterr().out.splitlines()) == 4
    assert main(["rules", "canada-west", "--unit", "kpa"]) == 0
    text = capsys.readouterr().out
    assert "≥ cut-out read − 172.4 kPa" in text
    limits = [line for line in text.splitlines() if "≥" in line or "≤" in line]
    assert len(limits) == 6
    assert all(line.endswith(("(from memory)", "no published source")) for line in limits)


def test_rules_print_whole_and_read_back(tmp_path, capsys):
    assert main(["rules", "us-federal", "--json"]) == 0
    path = tmp_path / "own.json"
    path.write_text(capsys.readouterr().out)
    assert main(["judge", "--rules", str(path), str(EXAMPLES / "mv-12-static-pass.json")]) == 0
    assert json.loads(capsys.readouterr().out)["rules"] == "us-federal"
    path.write_text("{}")
    assert main(["rules", str(path)]) == 64
    assert capsys.readouterr().err == f"lowhiss: {path}: id: is missing\n"


def test_plans(capsys):
    assert main(["plan", "--procedure", "us-full", "--json"]) == 0
    made = json.loads(capsys.readouterr().out)
    assert (made["refills"], made["engine_starts"]) == (3, 2)
    assert main(["plan", "--kind", "bus", "--stages", "spring_brakes,leak_applied,cut_out", "--from-psi", "110"]) == 0
    text = capsys.readouterr().out
    assert text.index("cut_out") < text.index("leak_applied") < text.index("spring_brakes")
    assert "1 refills, 1 engine starts" in text
    for order, words in (("rebuild", "steps[0]: is rebuild"), ("dance", "'dance' isn't a step"), ("", "")):
        if order:
            assert main(["plan", "--order", order]) == 64
            assert words in capsys.readouterr().err
    assert main(["plan", "--from-psi", "900"]) == 64


@pytest.mark.parametrize(
    ("arguments", "line"),
    [
        ("drop --start-psi 120", "(120 + 14.7) ÷ (12 + 1) = 10.4 psi: 120 → 109.6 psi"),
        ("strokes --start-psi 108 --end-psi 60", "= 6.2 full applications"),
        ("reservoir --chambers 30,30,20,20", "12 × (89 + 89 + 54 + 54) = 3432 in³"),
        ("reservoir --chambers 30 --trailer", "8 × (89) = 712 in³"),
        ("build-limit --limit-s 25 --actual-in3 6000 --required-in3 4000", "= 37.5 s"),
        ("flow --rate-psi-per-min 4 --volume-ft3 6", "= 1.63 ft³/min of free air"),
        ("build-time --lower-psi 83 --upper-psi 102 --duration-s 17 --window-psi 85 100", "= 13.4 s"),
        ("convert 379 kpa", "54.9693 psi = 379 kPa = 3.79 bar"),
    ],
)
def test_sums(arguments, line, capsys):
    assert main(["calc", *arguments.split()]) == 0
    assert line in capsys.readouterr().out


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        ("drop --start-psi -5", "--start-psi must be 0 or more, not -5"),
        ("reservoir --chambers 31", "--chambers 31 is not a chamber type of the table"),
        ("reservoir --chambers big", "--chambers must be type numbers"),
        ("strokes --start-psi 60 --end-psi 100", "--end-psi must not be above the start"),
    ],
)
def test_sums_without_an_answer(arguments, words, capsys):
    assert main(["calc", *arguments.split()]) == 64
    assert words in capsys.readouterr().err


def test_what_if_streams_many_runs_and_tells_what_would_change(tmp_path, capsys):
    runs = tmp_path / "runs.jsonl"
    warned = {"at_s": 140, "type": "warning", "lamp": True, "buzzer": True, "primary_psi": 57, "secondary_psi": 57}
    tables = [leak_record(100, 97), leak_record(100, 99) | {"events": [*leak_record(100, 99)["events"], warned]}]
    runs.write_text("\n".join([*(json.dumps(table) for table in tables), "", "{"]))
    assert main(["whatif", "--rules", "us-older", str(runs), "nowhere.json"]) == 64
    *lines, total = [json.loads(line) for line in capsys.readouterr().out.splitlines()]
    assert [line.get("after", "error") for line in lines] == ["pass", "fail", "error", "error"]
    assert lines[1]["stages"] == [{"stage": "low_air_warning", "before": "pass", "after": "fail"}]
    assert total == {"format": "low-hiss-whatif/1", "rules": "us-older", "runs": 2, "changed": 1, "unreadable": 2}


def test_a_reader_that_goes_away_is_no_traceback():
    command = f"{sys.executable} -m lowhiss.cli rules us-cdl --json | head -c 10"
    done = subprocess.run(["bash", "-o", "pipefail", "-c", command], capture_output=True, text=True, check=False)
    assert (done.returncode, done.stderr) == (0, "")


@pytest.mark.parametrize(
    "arguments", [[], ["hum"], ["judge"], ["judge", "--unit", "mmhg", "x"], ["plan", "--kind", "barge"]]
)
def test_a_wrong_call_is_one_sentence_and_exit_64(arguments, capsys):
    with pytest.raises(SystemExit) as ended:
        main(arguments)
    assert ended.value.code == 64
    said = capsys.readouterr().err
    assert said.startswith("lowhiss: ")
    assert said.count("\n") == 1


def test_ten_megabytes_of_events_are_refused_in_one_sentence(tmp_path, capsys):
    table = leak_record(100, 99)
    table["events"] = [{"at_s": 1, "type": "note", "text": "x" * 400}] * 25_000
    path = tmp_path / "big.json"
    path.write_text(json.dumps(table))
    assert path.stat().st_size > 10_000_000
    assert main(["judge", str(path)]) == 64
    assert "events: holds 25000 events; at most 20000 can be judged" in capsys.readouterr().err


@pytest.mark.parametrize("path", sorted(EXAMPLES.glob("*.json")), ids=lambda path: path.stem)
def test_a_device_judges_an_example_as_the_command_line_does(path, capsys):
    main(["judge", "--lang", "es", "--unit", "kpa", str(path)])
    told = json.loads(capsys.readouterr().out)
    if path == INSPECTION:
        assert json.loads(ondevice.inspection_state(path.read_text(), "", "es", "kpa")) == told
        script = json.loads(ondevice.inspection_script(path.read_text(), "es", "kpa"))
        assert {one["key"] for one in told["items"]} <= {ask["key"] for ask in script["asks"]}
        return
    here = json.loads(ondevice.judge(path.read_text(), "es", "kpa"))["verdict"]
    assert {key: here[key] for key in told} == told


HEAVY = {"scipy", "asammdf", "pandas", "weasyprint", "distributed", "cantools", "can", "openpyxl"}


@pytest.mark.parametrize(
    ("command", "spared"),
    [
        (["-c", "import lowhiss.serve"], HEAVY),
        (["-m", "lowhiss.cli", "judge", "-"], HEAVY | {"lowhiss.core.airsystem", "lowhiss.core.practice"}),
    ],
    ids=["the server", "judge"],
)
def test_what_only_one_command_needs_is_loaded_there(command, spared):
    """docs/dependencies.md says so of each; a server that starts waits for none of them."""
    asked = [sys.executable, "-X", "importtime", *command]
    loads = subprocess.run(asked, input=json.dumps(whole_test()), capture_output=True, text=True, check=False).stderr
    loaded = {line.rsplit("|", 1)[1].strip() for line in loads.splitlines() if line.startswith("import time:")}
    assert "lowhiss.rulebook" in loaded
    assert loaded & spared == set()

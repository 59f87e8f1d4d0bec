"""The command line: contracts of ``lowhiss judge``, on the shipped examples and on bad files."""

from __future__ import annotations

import json
import subprocess
import sys

import pytest

from lowhiss.cli import main
from tests.builders import leak_record
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
        (b"{", "the file is not valid JSON: "),
        (b"[" * 100_000, "the file is nested too deeply"),
        (b'{"format": "\xff"}', "the file is not UTF-8 text"),
        (b'{"format": NaN}', "the file holds NaN"),
        (b'{"format": "some-run/9"}', "format: must be low-hiss-run/1, not 'some-run/9'"),
        (b"[]", "must be a table of fields, not a list"),
        (b" " * (16 * 1024**2 + 1), "at most 16 MB are read"),
        (b"", "the file is not valid JSON"),
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
    assert "nowhere.json: cannot be read: No such file" in capsys.readouterr().err
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

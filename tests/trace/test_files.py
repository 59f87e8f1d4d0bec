"""Recordings as files: every format there and back, what columns are called, and what must be refused in a sentence."""

from __future__ import annotations

import csv
import io
import json
import zipfile

import can
import numpy as np
import openpyxl
import pytest

from lowhiss.cli import main
from lowhiss.commands.common import UNREADABLE
from lowhiss.core.errors import CoreError
from lowhiss.engine.simulating import frame_of
from lowhiss.exchange.recordings import read_recording
from lowhiss.exchange.recordings.writing import write_candump, write_measured
from lowhiss.exchange.traces import write_trace
from tests.trace.recorded import STEP_PSI, driven


@pytest.fixture(scope="module")
def files(tmp_path_factory):
    """One drive in every format that is read."""
    one, base = driven("tractor_semitrailer", "leak-check"), tmp_path_factory.mktemp("recordings")
    unit = one.spec.unit
    with (base / "a.csv").open("w", newline="") as file:
        write_trace(file, one.samples, unit.needles, trailer=True)
    rows = list(csv.reader((base / "a.csv").read_text().splitlines()))
    with (base / "a.tsv").open("w", newline="") as file:  # an office's own: tabs, decimal commas, kPa, a clock
        file.write("Clock\tPrimary kPa\tSecondary kPa\n")
        for row in rows[1:]:
            seconds = float(row[0]) + 86_390
            clock = f"{int(seconds // 3600) % 24:02d}:{int(seconds // 60) % 60:02d}:{seconds % 60:06.3f}"
            pressures = (f"{float(cell) * 6.894757:.2f}".replace(".", ",") for cell in row[1:3])
            file.write("\t".join([clock.replace(".", ","), *pressures]) + "\n")
    book = openpyxl.Workbook(write_only=True)
    sheet = book.create_sheet()
    for place, row in enumerate(rows):
        sheet.append(row if place == 0 else [float(cell) for cell in row])
    book.save(base / "a.xlsx")
    with (base / "a.jsonl").open("w") as file:
        file.writelines(json.dumps(frame_of(n, sample, one.spec)) + "\n" for n, sample in enumerate(one.samples))
    with (base / "a.log").open("w") as file:
        write_candump(file, one.samples)
    with can.LogReader(base / "a.log") as log, can.Logger(base / "a.asc") as copied:
        for message in log:
            copied(message)
    write_measured(base / "a.mf4", one.samples, unit.needles, trailer=True)
    return base, one


@pytest.mark.parametrize(
    ("name", "within"), [("a.csv", 0.01), ("a.tsv", 0.02), ("a.xlsx", 0.01), ("a.jsonl", 0.01), ("a.mf4", 1e-6)]
)
def test_every_format_gives_the_drive_back(files, name, within):
    base, one = files
    read = read_recording(base / name)
    t_s = np.array([sample.dash.t_s for sample in one.samples])
    assert read.recording.t_s - read.recording.t_s[0] == pytest.approx(t_s - t_s[0], abs=0.011)
    for place, needle in enumerate(one.spec.unit.needles):
        shown = np.array([sample.dash.needles[place] for sample in one.samples])
        assert np.abs(read.recording.needles[needle] - shown).max() <= within
    assert len(read.sha256) == 64
    if name != "a.tsv":
        assert set(read.recording.flags) == {"tractor_in", "trailer_in", "lamp"}


@pytest.mark.parametrize("name", ["a.log", "a.asc"])
def test_the_networks_messages_are_decoded_in_their_steps(files, name):
    """SAE J1939-71 from memory: AIR1 bytes 3 and 4, 8 kPa a bit, 0xFF not available. Bytes written here by hand."""
    base, one = files
    read = read_recording(base / name)
    true = np.array([sample.dash.true_psi[0] for sample in one.samples])
    at = np.interp(read.recording.t_s, [s.dash.t_s for s in one.samples], true)
    assert np.abs(read.recording.needles["primary"] - at).max() <= STEP_PSI / 2 + 0.6
    assert read.columns["sender"] == "0x0b"


def test_of_several_senders_one_is_chosen_and_an_error_is_no_number(tmp_path):
    lines = []
    for n in range(8):
        lines.append(f"({n:017.6f}) can0 18FEAE0B#FFFF6464FFFFFFFF")
        lines.append(f"({n + 0.5:017.6f}) can0 18FEAE31#FFFF{'FE' if n == 3 else '32'}FFFFFFFFFF")
        lines.append(f"({n + 0.7:017.6f}) can0 0CF00400#FFFFFF803E000000")
    path = tmp_path / "two.log"
    path.write_text("\n".join(lines) + "\n")
    both = read_recording(path)
    assert both.columns["senders"] == "0x0b (8), 0x31 (8)"
    assert both.recording.needles["primary"][0] == pytest.approx(800 / 6.894757)
    other = read_recording(path, {"sender": "0x31"}).recording
    assert list(other.needles) == ["primary"]
    assert np.isnan(other.needles["primary"][3])
    with pytest.raises(CoreError, match=r"there are 0x0b, 0x31"):
        read_recording(path, {"sender": "7"})


BAD = {
    "empty.csv": (b"", "is empty"),
    "headless.csv": (b"0,100,100\n1,100,100\n2,100,100\n3,100,100\n", "no header"),
    "clocks.csv": (b"time,clock,primary_psi\n" + b"1,1,100\n" * 5, "may be time or clock"),
    "back.csv": (b"t_s,primary_psi\n0,100\n1,100\n0.5,100\n2,100\n", "jumps back"),
    "kpa.csv": (b"t_s,primary_psi\n" + b"".join(b"%d,%d\n" % (n, 800 + n) for n in range(9)), "surely in kPa"),
    "words.csv": (b"t_s,primary_psi\n" + b"1,much\n2,more\n3,most\n4,all\n", "no numbers"),
    "nan.csv": (b"t_s,primary_psi\n" + b"1,nan\n2,nan\n3,nan\n4,nan\n", "holds no number"),
    "milk.csv": (b"farm,litres\nA,1\nB,2\nC,3\n", "none of farm, litres is a time"),
    "wide.csv": (b't_s,primary_psi\n0,"' + b"1" * 200_000 + b'"\n1,2\n2,3\n', "no table of columns"),
    "zones.csv": (
        b"time,primary_psi\n2026-01-01T08:00:00Z,100\n" + b"2026-01-01T08:00:01,100\n" * 4,
        "with a zone and times without one",
    ),
    "clock-set.csv": (b"t_s,primary_psi\n0,100\n1,100\n2,100\n1700000000,100\n1700000001,100\n", "spans 19676 days"),
    "short.csv": (b"t_s,primary_psi\n0,100\n", "2 lines"),
    "cut.jsonl": (b'{"t_s": 0, "primary_psi": 1}\n{"t_s":', "line 2 is no JSON"),
    "broken.xlsx": (b"PK\x03\x04 no more", "broken spreadsheet"),
    "picture.csv": (b"\x89PNG\x00\x00\x00\x0d", "no text"),
    "other.log": (b"(0000000000.000000) can0 123#00\n", "no message with brake pressures"),
    "cut.mf4": (b"MDF     4.10", "measurement file"),
}


@pytest.mark.parametrize("name", BAD)
def test_what_is_no_recording_is_refused_in_a_sentence(tmp_path, capsys, name):
    data, says = BAD[name]
    (tmp_path / name).write_bytes(data)
    assert main(["trace", str(tmp_path / name)]) == UNREADABLE
    told = capsys.readouterr().err
    assert says in told
    assert told.count("\n") == 1


def test_a_spreadsheet_that_unpacks_without_end_is_not_opened(tmp_path, capsys):
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as bomb:
        bomb.writestr("xl/worksheets/sheet1.xml", b"0" * (300 * 1024 * 1024))
    (tmp_path / "bomb.xlsx").write_bytes(packed.getvalue())
    assert main(["trace", str(tmp_path / "bomb.xlsx")]) == UNREADABLE
    assert "unpacks to more" in capsys.readouterr().err


def test_the_command_judges_finds_and_reads_many(files, tmp_path, capsys):
    base, _ = files
    asked = ["--procedure", "leak-check"]
    assert main(["trace", str(base / "a.csv"), *asked]) == 0
    told = json.loads(capsys.readouterr().out)
    assert (told["overall"], told["recording"]["format"], told["recording"]["columns"]["primary"]) == (
        "pass",
        "csv",
        "primary_psi",
    )
    assert main(["trace", str(base / "a.mf4"), "--stages", *asked]) == 0
    (stage,) = json.loads(capsys.readouterr().out)
    assert stage["stage"] == "leak_applied"
    assert stage["measured"]["drop_psi"]["low"] <= stage["measured"]["drop_psi"]["value"]
    (tmp_path / "none.csv").write_text("nothing")
    assert main(["trace", str(base / "a.csv"), str(tmp_path / "none.csv"), *asked]) == UNREADABLE
    lines = [json.loads(line) for line in capsys.readouterr().out.splitlines()]
    assert [line["format"] for line in lines] == ["low-hiss-verdict/1", "low-hiss-error/1"]
    assert main(["trace", str(base / "a.tsv"), "--text", "--lang", "es", *asked]) == 0
    assert "psi" in capsys.readouterr().out
    assert main(["trace", str(base / "a.csv"), "--column", "primary=nobody"]) == UNREADABLE
    assert "'nobody'" in capsys.readouterr().err
    picture = tmp_path / "found.png"
    main(["trace", str(base / "a.csv"), "--plot", str(picture), *asked])
    assert picture.read_bytes()[:4] == b"\x89PNG"

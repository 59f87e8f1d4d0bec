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
from lowhiss.commands.common import INCOMPLETE, UNREADABLE
from lowhiss.core.errors import CoreError
from lowhiss.engine.simulation import frame_of
from lowhiss.exchange.recordings import read_recording
from lowhiss.exchange.recordings.columns import Growing, Times
from lowhiss.exchange.recordings.writer import write_candump, write_measured
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
    with pytest.raises(CoreError, match=r"choose one of 0x0b, 0x31"):
        read_recording(path, {"sender": "7"})


BAD = {
    "empty.csv": (b"", "is empty"),
    "headless.csv": (b"0,100,100\n1,100,100\n2,100,100\n3,100,100\n", "no header"),
    "clocks.csv": (b"time,clock,primary_psi\n" + b"1,1,100\n" * 5, "may be time or clock"),
    "back.csv": (b"t_s,primary_psi\n0,100\n1,100\n0.5,100\n2,100\n", "jumps back"),
    "kpa.csv": (b"t_s,primary_psi\n" + b"".join(b"%d,%d\n" % (n, 800 + n) for n in range(9)), "probably in kPa"),
    "endless.csv": (b"t_s,primary_psi\n0,1\n" + b"1" * 300_000, "a line without end"),
    "words.csv": (b"t_s,primary_psi\n" + b"1,much\n2,more\n3,most\n4,all\n", "aren't numbers"),
    "nan.csv": (b"t_s,primary_psi\n" + b"1,nan\n2,nan\n3,nan\n4,nan\n", "has no numbers"),
    "milk.csv": (b"farm,litres\nA,1\nB,2\nC,3\n", "no time column found among farm, litres"),
    "wide.csv": (b't_s,primary_psi\n0,"' + b"1" * 200_000 + b'"\n1,2\n2,3\n', "isn't a table of columns"),
    "zones.csv": (
        b"time,primary_psi\n2026-01-01T08:00:00Z,100\n" + b"2026-01-01T08:00:01,100\n" * 4,
        "with and without a time zone",
    ),
    "clock-set.csv": (b"t_s,primary_psi\n0,100\n1,100\n2,100\n1700000000,100\n1700000001,100\n", "spans 19676 days"),
    "short.csv": (b"t_s,primary_psi\n0,100\n", "2 lines"),
    "cut.jsonl": (b'{"t_s": 0, "primary_psi": 1}\n{"t_s":', "line 2 isn't JSON"),
    "broken.xlsx": (b"PK\x03\x04 no more", "broken spreadsheet"),
    "picture.csv": (b"\x89PNG\x00\x00\x00\x0d", "isn't a known kind of recording"),
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


def test_what_has_many_samples_is_averaged_over_a_tenth_of_a_second_as_it_grows():
    t_s, psi = np.arange(0, 300, 0.01), 100 + np.sin(np.arange(0, 300, 0.01))
    grown = Growing(most=5_000)
    for block in np.array_split(np.arange(t_s.size), 40):
        grown.add(t_s[block], {"primary": psi[block], "lamp": (t_s[block] > 150).astype(float)})
    found = grown.recording()
    assert found.t_s.size <= 6_000
    assert np.diff(found.t_s).max() <= 0.11
    at = np.searchsorted(t_s, found.t_s + 0.05).clip(0, t_s.size - 1)
    assert np.abs(found.needles["primary"] - psi[at]).max() < 0.06
    assert found.t_s[np.flatnonzero(found.flags["lamp"])[0]] == pytest.approx(150, abs=0.11)
    endless = Growing(most=5_000)
    with pytest.raises(CoreError, match="cut it to the days"):
        endless.add(np.arange(9_000.0), {"primary": np.zeros(9_000)})
    with pytest.raises(CoreError, match="jumps back"):
        grown.add(np.array([1.0]), {"primary": np.array([1.0]), "lamp": np.array([0.0])})


def test_blocks_of_a_clock_go_past_midnight_as_one():
    times = Times("Clock", ".")
    first = times.of(["23:59:58", "23:59:59"])
    assert [*first, *times.of(["00:00:00", "00:00:01.5"])] == [0, 1, 2, 3.5]
    dated = Times("time", ".")
    assert [*dated.of(["2026-10-01T04:00:00Z"]), *dated.of(["2026-10-01T04:00:09.25Z", ""])][:2] == [0, 9.25]
    assert str(dated.began_at) == "2026-10-01 04:00:00+00:00"


def test_a_file_is_told_how_far_it_was_read_and_may_be_stopped(tmp_path):
    path = tmp_path / "long.csv"
    path.write_text("t_s,primary_psi\n" + "".join(f"{n},{100 + n % 7}\n" for n in range(300_000)))
    told = []
    read_recording(path, told=told.append)
    assert told == sorted(told)
    assert (told[-1], len(told) > 2) == (path.stat().st_size, True)

    def stop(_: int) -> None:
        raise InterruptedError

    with pytest.raises(InterruptedError):
        read_recording(path, told=stop)


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
    # R1: a minute that stands alone may be of either pedal, so that it is found and not judged
    assert main(["trace", str(base / "a.csv"), *asked]) == INCOMPLETE
    told = json.loads(capsys.readouterr().out)
    assert (told["overall"], told["recording"]["format"], told["recording"]["columns"]["primary"]) == (
        "incomplete",
        "csv",
        "primary_psi",
    )
    assert main(["trace", str(base / "a.mf4"), "--stages", *asked]) == INCOMPLETE
    (stage,) = json.loads(capsys.readouterr().out)
    assert stage["stage"] == "leak_applied"
    assert stage["measured"]["drop_psi"]["low"] <= stage["measured"]["drop_psi"]["value"]
    (tmp_path / "none.csv").write_text("nothing")
    assert main(["trace", str(base / "a.csv"), str(tmp_path / "none.csv"), *asked]) == UNREADABLE
    lines = [json.loads(line) for line in capsys.readouterr().out.splitlines()]
    assert [line["format"] for line in lines] == ["low-hiss-verdict/1", "low-hiss-error/1"]
    assert main(["trace", str(base / "a.tsv"), "--text", "--lang", "es", *asked]) == INCOMPLETE
    assert "psi" in capsys.readouterr().out
    assert main(["trace", str(base / "a.csv"), "--column", "primary=nobody"]) == UNREADABLE
    assert "choose one of" in capsys.readouterr().err
    # a folder and a zip are the files in them, whoever reads them
    (tmp_path / "day").mkdir()
    (tmp_path / "day" / "b.csv").write_bytes((base / "a.csv").read_bytes())
    with zipfile.ZipFile(tmp_path / "day" / "c.zip", "w") as packed:
        packed.write(base / "a.log", "d.log")
    assert main(["trace", str(tmp_path / "day"), "--jobs", "2", *asked]) == INCOMPLETE
    lines = [json.loads(line) for line in capsys.readouterr().out.splitlines()]
    assert [(line["recording"]["file"], line["recording"]["format"]) for line in lines] == [
        ("b.csv", "csv"),
        ("d.log", "can"),
    ]
    picture = tmp_path / "found.png"
    main(["trace", str(base / "a.csv"), "--plot", str(picture), *asked])
    assert picture.read_bytes()[:4] == b"\x89PNG"

"""The sandbox: what a hostile file might try is impossible in it, and what a file may take is bounded."""

from __future__ import annotations

import io
import os
import struct
import subprocess
import sys
import threading
import zipfile
import zlib
from pathlib import Path

import numpy as np
import pytest
from asammdf import MDF, Signal
from asammdf.blocks.conversion_utils import from_dict
from asammdf.blocks.v2_v3_blocks import ChannelConversion as Mdf3Conversion

from lowhiss import sandbox
from lowhiss.core.errors import RuleError
from lowhiss.sandbox import host, inside
from lowhiss.sandbox.documents import rule_tables
from lowhiss.sandbox.recordings import read_upload, zip_members
from lowhiss.trace.recording import TraceError

TOO_MUCH_MB = 2_000


@pytest.fixture
def secret(tmp_path: Path) -> Path:
    kept = tmp_path / "key.pem"
    kept.write_text("a private key")
    return kept


def test_what_a_hostile_file_might_try_is_impossible_inside_and_possible_outside(secret):
    args = {"secrets": [str(secret), "/etc/passwd", "/etc/hostname"], "memory_mb": TOO_MUCH_MB}
    tried = sandbox.read("self_check", b"", args).meta
    assert tried["possible"] == []
    assert tried["tried"] >= 12
    # the same attempts outside: the check can see what is possible
    written = Path(inside.__file__).with_name("written")
    try:
        outside, _ = inside.self_check(Path(), args, inside.Progress(io.BytesIO()), None)
    finally:
        written.unlink(missing_ok=True)
        Path("/var-written").unlink(missing_ok=True)
    assert {"open a socket", "fork", "run a program", "read secret 0", "take too much memory"} <= {*outside["possible"]}


def mdf(path: Path, conversion: object, version: str = "4.10") -> Path:
    t_s = np.arange(0, 60, 0.5)
    raw = np.round(100 + 10 * np.sin(t_s)).astype(np.uint16)
    file = MDF(version=version)
    file.append([Signal(raw, t_s, name="primary_psi", unit="psi", conversion=conversion)])
    return Path(str(file.save(path, overwrite=True)))


CONVERSIONS = {
    "none": None,
    "linear": {"a": 0.5, "b": 2.0},
    "rational": {"P1": 0.0, "P2": 1.0, "P3": 4.0, "P4": 0.0, "P5": 0.01, "P6": 2.0},
    "table": {f"raw_{place}": raw for place, raw in enumerate((80.0, 100.0, 120.0))}
    | {f"phys_{place}": value for place, value in enumerate((70.0, 95.0, 125.0))}
    | {"interpolation": True},
    "steps": {f"raw_{place}": raw for place, raw in enumerate((80.0, 100.0, 120.0))}
    | {f"phys_{place}": value for place, value in enumerate((70.0, 95.0, 125.0))}
    | {"interpolation": False},
}


@pytest.mark.parametrize("name", CONVERSIONS)
@pytest.mark.parametrize("version", ["3.30", "4.10"])
def test_conversions_are_those_of_the_library_that_knows_the_format(tmp_path, name, version):
    """Reference: asammdf's own conversion of the same file, of a formula-free block."""
    table = CONVERSIONS[name]
    path = mdf(tmp_path / f"{name}.mf4", from_dict(table) if table else None, version)
    ours = read_upload(path.name, path).recording
    with MDF(path) as file:
        theirs = file.get("primary_psi")
    np.testing.assert_allclose(ours.needles["primary"], np.asarray(theirs.samples, float), rtol=1e-12)


@pytest.mark.parametrize("version", ["3.30", "4.10"])
def test_a_formula_in_a_measurement_file_is_refused_and_never_evaluated(tmp_path, version):
    """H1: the formula reached an evaluator, and any driver's upload ran code on the server."""
    flag = tmp_path / "owned"
    attack = f'"\'"+(lambda:__import__("os").system("touch {flag}"))()+"\'"'
    block = from_dict({"formula": attack}) if version == "4.10" else Mdf3Conversion(conversion_type=10, formula=attack)
    path = mdf(tmp_path / "attack.mf4", block, version)
    assert b"__import__" in path.read_bytes()
    with pytest.raises(TraceError, match="formula") as refused:
        read_upload(path.name, path)
    assert refused.value.field == "primary_psi"
    assert not flag.exists()


def png_of(width: int, height: int) -> bytes:
    def chunk(kind: bytes, data: bytes) -> bytes:
        body = kind + data
        return struct.pack("!I", len(data)) + body + struct.pack("!I", zlib.crc32(body))

    packed = zlib.compressobj(9)
    row = bytes(width + 1)
    data = b"".join(packed.compress(row) for _ in range(height)) + packed.flush()
    head = struct.pack("!IIBBBBB", width, height, 8, 0, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", data) + chunk(b"IEND", b"")


def test_a_small_file_of_too_many_pixels_is_refused_before_it_is_unpacked():
    """H4: eight of these took 13 s and 2 GB."""
    with pytest.raises(sandbox.RefusedFileError, match="24 megapixels"):
        sandbox.read("photograph", png_of(7_600, 7_700))
    assert sandbox.read("photograph", png_of(640, 480)).blobs["jpeg"][:2] == b"\xff\xd8"


def test_what_needs_too_much_memory_or_time_is_refused_by_name_and_the_next_file_is_read(tmp_path, monkeypatch):
    small = host.READERS["toml"].__class__
    monkeypatch.setitem(
        host.READERS, "toml", small("toml", "", "files", "toml", memory_mb=0, cpu_s=1, cpu_s_per_mb=0.0, output_mb=1)
    )
    # the children have the limits of the table as it was loaded; the time is told with each request
    deep = "a = [" + "{b = [" * 10 + "]}" * 10 + "]\n"
    assert sandbox.read("toml", deep.encode()).meta["table"]
    with pytest.raises(sandbox.SandboxError, match=r"too long|memory"):
        sandbox.read("toml", ("[" + ".".join(["a"] * 12) + "]\n").encode() + _quadratic(900_000))
    assert sandbox.read("toml", b"a = 1").meta["table"] == {"a": 1}


def _quadratic(size: int) -> bytes:
    """Tables that each look through all of those before: what a parser takes grows with their square."""
    lines, at = [], 0
    while at < size:
        lines.append(f"[[a.b.c{len(lines) % 7}.d{len(lines)}.e.f.g.h.i]]")
        at += len(lines[-1]) + 1
    return "\n".join(lines).encode()


def test_a_key_of_many_parts_is_refused_before_it_is_parsed():
    """H4: 900 kB of one dotted key never ended, and not even SIGINT stopped the server."""
    for text in (".".join(["a"] * 400_000) + " = 1", "x = {" + ".".join(["a"] * 400_000) + " = 1}"):
        with pytest.raises(RuleError, match="parts"):
            rule_tables(text.encode())


def test_a_zip_that_unpacks_to_more_than_may_be_is_stopped_while_it_unpacks(tmp_path):
    bomb = tmp_path / "bomb.zip"
    with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED, compresslevel=9) as packed:
        packed.writestr("manifest.json", '{"runs": [{"file": "a.json"}, {"file": "b.json"}]}')
        packed.writestr("a.json", bytes(30 * 2**20))
        packed.writestr("b.json", bytes(30 * 2**20))
    asked = {"manifest": "manifest.json", "list": "runs", "most": 10, "each": 40 * 2**20, "total": 50 * 2**20}
    with pytest.raises(sandbox.RefusedFileError, match="unpacks to more than 50 MB"):
        sandbox.read("zip_texts", bomb, asked)
    assert [name for name, _ in zip_members(bomb, 10)] == ["manifest.json", "a.json", "b.json"]


def test_whoever_stops_the_reading_ends_the_child_and_the_next_file_is_read(tmp_path):
    path = tmp_path / "long.csv"
    path.write_text("t_s,primary_psi\n" + "\n".join(f"{n / 10},{100 + n % 7}" for n in range(600_000)))

    class StopError(Exception):
        pass

    def told(_: int) -> None:
        raise StopError

    with pytest.raises(StopError):
        read_upload(path.name, path, told=told)
    assert read_upload("a.csv", b"t_s,primary_psi\n0,1\n1,2\n2,3\n").recording.t_s.size == 3


def test_files_of_several_threads_are_each_answered_with_their_own():
    found: dict[int, float] = {}

    def one(place: int) -> None:
        text = f"t_s,primary_psi\n0,{place}\n1,{place}\n2,{place}\n"
        found[place] = float(read_upload("a.csv", text.encode()).recording.needles["primary"][0])

    threads = [threading.Thread(target=one, args=(place,)) for place in range(1, 9)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert found == {place: float(place) for place in range(1, 9)}


def test_without_a_sandbox_files_are_refused_in_one_sentence(monkeypatch):
    monkeypatch.setattr(host.shutil, "which", lambda _: None)
    monkeypatch.setitem(host._ZYGOTES, "files", host._Zygote("files"))
    with pytest.raises(sandbox.SandboxMissingError, match="install the Debian package bubblewrap"):
        sandbox.read("toml", b"a = 1")


def test_the_confined_processes_end_with_whoever_started_them():
    code = (
        "import os, sys\n"
        "from lowhiss import sandbox\n"
        "from lowhiss.sandbox import host\n"
        "sandbox.read('toml', b'a = 1')\n"
        "print(host._ZYGOTES['files']._process.pid, flush=True)\n"
        "os.kill(os.getpid(), 9)\n"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
    pid = int(done.stdout)
    for _ in range(200):
        try:
            state = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0]
        except FileNotFoundError:
            return
        if state == "Z":
            return
        os.sched_yield()
        threading.Event().wait(0.05)
    pytest.fail("the sandbox outlived its server")

"""What ``lowhiss trace`` does: apart, because what it needs takes longer to load than any other command to run."""

from __future__ import annotations

import argparse
import contextlib
import io
import os
import sys
import time
import zipfile
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from lowhiss import rulebook
from lowhiss.commands.common import (
    EXIT_OF_OVERALL,
    GRAVITY,
    UNREADABLE,
    Refusal,
    as_json,
    problem_of,
    refuse,
    rules_named,
    words_of,
)
from lowhiss.core.errors import CoreError
from lowhiss.core.vehicle import UNIT_KINDS
from lowhiss.core.words import text_report, verdict_record
from lowhiss.engine.executor import SCHEDULER, executor, in_order
from lowhiss.engine.judge_record import hints_for
from lowhiss.engine.recorded import Recorded, found_table, judge_recording
from lowhiss.engine.simulation import spec_named
from lowhiss.exchange.plot import can_plot, plot_recording
from lowhiss.exchange.recordings import Read
from lowhiss.sandbox import SandboxMissingError
from lowhiss.sandbox.recordings import read_upload, zip_members
from lowhiss.trace import find_sessions

_FEW = 8
"""So few files are read here; of more, other processes read some."""
_TELL_EVERY_S = 2.0
_MOST_MEMBERS = 100_000


@dataclass(frozen=True, slots=True)
class _One:
    """One file to judge, as another process may be given it. member : of a zip."""

    path: Path
    member: str | None
    shown: str
    chosen: dict[str, str]
    options: argparse.Namespace
    several: bool


def trace_files(options: argparse.Namespace) -> int:
    """Judge each file; returns the gravest exit code."""
    if options.kind not in UNIT_KINDS:
        raise Refusal(f"--kind is {options.kind[:40]!r}; choose one of {', '.join(UNIT_KINDS)}")
    if options.plot is not None and not can_plot():
        raise Refusal("--plot needs matplotlib, which is not installed: .venv/bin/uv pip install matplotlib")
    if options.jobs is not None and options.jobs < 1:
        raise Refusal(f"--jobs must be 1 or more, not {options.jobs}")
    chosen = _chosen(options)
    found = list(_files(options.files))
    if not found:
        raise Refusal(f"{options.files[0]} has no files")
    several = len(found) > 1 or len(options.files) > 1
    plain = argparse.Namespace(**{name: value for name, value in vars(options).items() if name != "run"})
    ones = [_One(path, member, shown, chosen, plain, several) for path, member, shown in found]
    codes = []
    for place, (code, out, err) in enumerate(_done(ones, options.jobs), 1):
        codes.append(code)
        print(out, end="", flush=True)
        print(err, end="", file=sys.stderr, flush=True)
        if several and sys.stderr.isatty():
            print(f"\r{place} of {len(ones)} files", end="", file=sys.stderr, flush=True)
    return min(codes, key=GRAVITY.index)


def _chosen(options: argparse.Namespace) -> dict[str, str]:
    chosen = {}
    for one in options.column:
        what, _, name = one.partition("=")
        if not name:
            raise Refusal(f"--column is {one[:40]!r}; write it as ROLE=NAME, such as primary=P1")
        chosen[what.strip()] = name.strip()
    if options.dbc is not None:
        try:
            chosen["dbc"] = options.dbc.read_text(errors="replace")
        except OSError as error:
            raise Refusal(f"--dbc {options.dbc}: {error.strerror}") from error
    return chosen


def _files(paths: Sequence[Path]) -> Iterator[tuple[Path, str | None, str]]:
    """Each file by itself: folders and zips opened, in order of name."""
    for path in paths:
        if path.is_dir():
            inside = sorted(one for one in path.rglob("*") if one.is_file() and not one.name.startswith("."))
            yield from _files(inside)
        elif path.suffix.lower() == ".zip" and zipfile.is_zipfile(path):
            members = sorted(name for name, _ in zip_members(path, _MOST_MEMBERS))
            yield from ((path, member, f"{path}/{member}") for member in members)
        else:
            yield path, None, str(path)


def _done(ones: list[_One], jobs: int | None) -> Iterator[tuple[int, str, str]]:
    """What came of each, in order."""
    if (jobs is None and len(ones) <= _FEW) or jobs == 1:
        yield from map(_judged, ones)
        return
    with executor(os.environ.get(SCHEDULER), jobs) as elsewhere:
        yield from in_order(elsewhere, _judged, ones)


def _judged(one: _One) -> tuple[int, str, str]:
    """The exit code of a file, what is printed of it, and what is said beside."""
    options, out, err = one.options, io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        code = _file(one, options)
    return code, out.getvalue(), err.getvalue()


def _file(one: _One, options: argparse.Namespace) -> int:
    path = Path(one.shown)
    try:
        rules = rules_named(options.rules)
        procedure = rulebook.procedure(options.procedure) if options.procedure else None
        told = _teller(one)
        read = read_upload(one.path.name, one.path, one.chosen, told, one.member)
        sessions = find_sessions(read.recording)
        place = options.session or 1
        if not 1 <= place <= len(sessions):
            return refuse(f"{path}: --session is {place}; {len(sessions)} were found")
        session = sessions[place - 1]
        part = read.recording.between(session.from_s, session.to_s)
        judged = judge_recording(part, rules, spec_named(options.kind).unit, procedure)
    except SandboxMissingError as error:
        return refuse(f"{path}: {error}")
    except (CoreError, OSError) as error:
        if one.several and not options.text:
            print(as_json({"format": "low-hiss-error/1", "file": str(path), "error": problem_of(error)}, compact=True))
            return UNREADABLE
        return refuse(f"{path}: {problem_of(error)}")
    if options.plot is not None:
        plot_recording(options.plot, part, found_table(judged.found), path.name)
    _print(path, read, judged, place, len(sessions), options, several=one.several)
    return EXIT_OF_OVERALL[judged.verdict.overall]


def _teller(one: _One) -> Callable[[int], None]:
    """How far a large file was read, told to whoever watches."""
    terminal, latest = sys.__stderr__, time.monotonic()

    def print_progress(read: int) -> None:
        nonlocal latest
        if terminal is None or not terminal.isatty() or time.monotonic() - latest < _TELL_EVERY_S:
            return
        latest = time.monotonic()
        print(f"\r{one.shown}: {read // 2**20} MB read", end="", file=terminal, flush=True)

    return print_progress


def _print(
    path: Path, read: Read, judged: Recorded, place: int, sessions: int, options: argparse.Namespace, *, several: bool
) -> None:
    words = words_of(options)
    stages = found_table(judged.found)
    if options.stages:
        print(as_json(stages, compact=several), flush=True)
        return
    if judged.found.open:
        sentence = "a minute at rest was not judged: the log alone doesn't show whether the pedal was held"
        print(f"{path}: {sentence}", file=sys.stderr)
    elif not judged.found.is_test:
        print(f"{path}: no brake test was found in it, so that it has no verdict", file=sys.stderr)
    if options.text:
        print(text_report(judged.verdict, words, hints_for([judged.verdict])), flush=True)
        return
    recording: dict[str, Any] = {
        "file": path.name,
        "sha256": read.sha256,
        "format": read.format,
        "columns": dict(read.columns),
        "step_psi": round(judged.found.step_psi, 3),
        "procedure": judged.found.procedure.id,
        "session": place,
        "sessions": sessions,
    }
    record = verdict_record(judged.verdict, words, hints_for([judged.verdict]))
    print(as_json({**record, "recording": recording, "found": stages}, compact=several), flush=True)

"""What ``lowhiss trace`` does: apart, because what it needs takes longer to load than any other command to run."""

from __future__ import annotations

import argparse
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
from lowhiss.core.words import text_sheet, verdict_record
from lowhiss.engine.judging import hints_for
from lowhiss.engine.recorded import Recorded, found_table, judge_recording
from lowhiss.engine.simulating import spec_named
from lowhiss.exchange.plot import can_plot, plot_recording
from lowhiss.exchange.recordings import Read, read_recording
from lowhiss.trace import find_sessions


def trace_files(options: argparse.Namespace) -> int:
    """Judge each file; returns the gravest exit code."""
    if options.kind not in UNIT_KINDS:
        raise Refusal(f"--kind is {options.kind[:40]!r}; there are {', '.join(UNIT_KINDS)}")
    if options.plot is not None and not can_plot():
        raise Refusal("--plot needs matplotlib, which is not installed: .venv/bin/uv pip install matplotlib")
    chosen = {}
    for one in options.column:
        what, _, name = one.partition("=")
        if not name:
            raise Refusal(f"--column is {one[:40]!r}; it is WHAT=NAME, such as primary=P1")
        chosen[what.strip()] = name.strip()
    several = len(options.files) > 1
    codes = [_file(path, chosen, options, several=several) for path in options.files]
    return min(codes, key=GRAVITY.index)


def _file(path: Path, chosen: dict[str, str], options: argparse.Namespace, *, several: bool) -> int:
    try:
        rules = rules_named(options.rules)
        procedure = rulebook.procedure(options.procedure) if options.procedure else None
        read = read_recording(path, chosen)
        sessions = find_sessions(read.recording)
        place = options.session or 1
        if not 1 <= place <= len(sessions):
            return refuse(f"{path}: --session is {place}; {len(sessions)} were found")
        session = sessions[place - 1]
        part = read.recording.between(session.from_s, session.to_s)
        judged = judge_recording(part, rules, spec_named(options.kind).unit, procedure)
    except (CoreError, OSError) as error:
        if several and not options.text:
            print(as_json({"format": "low-hiss-error/1", "file": str(path), "error": problem_of(error)}, compact=True))
            return UNREADABLE
        return refuse(f"{path}: {problem_of(error)}")
    if options.plot is not None:
        plot_recording(options.plot, part, found_table(judged.found), path.name)
    _print(path, read, judged, place, len(sessions), options, several=several)
    return EXIT_OF_OVERALL[judged.verdict.overall]


def _print(
    path: Path, read: Read, judged: Recorded, place: int, sessions: int, options: argparse.Namespace, *, several: bool
) -> None:
    words = words_of(options)
    stages = found_table(judged.found)
    if options.stages:
        print(as_json(stages, compact=several), flush=True)
        return
    if options.text:
        print(text_sheet(judged.verdict, words, hints_for([judged.verdict])), flush=True)
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

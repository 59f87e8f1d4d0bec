"""``lowhiss practice FILE``: drive the log of a practice again, and say what was true of it."""

from __future__ import annotations

import argparse
import json
from pathlib import Path

from lowhiss.commands.common import FAIL, PASS, Refusal, add_reader, as_json, words_of
from lowhiss.core.errors import CoreError
from lowhiss.engine.debrief import debrief
from lowhiss.engine.debrief_words import debrief_text
from lowhiss.engine.practice import replay

_DRAWN = ("run", "trace", "column", "timeline")
"""What only a screen draws."""


def add_practice(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", type=Path, help="a low-hiss-practice/1 record")
    add_reader(parser)
    parser.set_defaults(run=show)


def show(options: argparse.Namespace) -> int:
    """Print the truth; exit code 1 where the trace is not the one that was kept."""
    try:
        record = json.loads(options.file.read_text(encoding="utf-8"))
        if not isinstance(record, dict):
            raise Refusal(f"{options.file}: must be a practice record")
        drive = replay(record)
        after = debrief_text(debrief(drive, record.get("marks", [])), words_of(options))
    except (OSError, ValueError, CoreError) as error:
        raise Refusal(f"{options.file}: {error}") from error
    same = drive.digest() == record.get("digest")
    print(as_json({"same_trace": same, **{key: value for key, value in after.items() if key not in _DRAWN}}))
    return PASS if same else FAIL

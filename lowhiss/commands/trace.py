"""``lowhiss trace``: recorded pressure logs in, the stages that were found and their verdict out."""

from __future__ import annotations

import argparse
from pathlib import Path

from lowhiss import rulebook
from lowhiss.commands.common import add_reader


def add_trace(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "files",
        nargs="+",
        type=Path,
        metavar="FILE",
        help="CSV, XLSX, live-feed file, CAN log or MDF; a folder or a zip of them",
    )
    parser.add_argument("--kind", default="tractor_semitrailer", metavar="KIND", help="vehicle type")
    parser.add_argument("--rules", metavar="ID|FILE", default=rulebook.rule_set_ids()[0], help="rule set")
    parser.add_argument("--procedure", metavar="ID", help="test order (default: the one that fits best)")
    parser.add_argument(
        "--session", type=int, default=None, metavar="N", help="number of the test in the recording, from 1"
    )
    parser.add_argument(
        "--column",
        action="append",
        default=[],
        metavar="WHAT=NAME",
        help="column mapping, such as primary=P1 or time=Clock",
    )
    parser.add_argument("--dbc", type=Path, metavar="FILE.dbc", help="message definitions for a CAN log")
    parser.add_argument(
        "--jobs", type=int, default=None, metavar="N", help="files processed at once (default: number of cores)"
    )
    parser.add_argument("--stages", action="store_true", help="print only the stages found")
    parser.add_argument("--text", action="store_true", help="print a readable report instead of JSON")
    parser.add_argument("--plot", type=Path, metavar="FILE.png", help="plot the stages found")
    add_reader(parser)
    parser.set_defaults(run=trace)


def trace(options: argparse.Namespace) -> int:
    """Judge each file; returns the gravest exit code."""
    from lowhiss.commands.trace_files import (
        trace_files,  # arrays, spreadsheets and CAN: no other command waits for them
    )

    return trace_files(options)

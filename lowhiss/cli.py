"""The command line. Parses arguments, calls one command, sets the exit code."""

from __future__ import annotations

import argparse
import os
import sys
from collections.abc import Sequence
from importlib import import_module
from pathlib import Path
from typing import NoReturn

from lowhiss import __version__
from lowhiss.commands.common import PASS, UNREADABLE, Refusal, refuse
from lowhiss.core.words import Words


class _Parser(argparse.ArgumentParser):
    """Refuses a wrong call in one sentence with the exit code for what cannot be read; 2 means something else here."""

    def error(self, message: str) -> NoReturn:
        """Say what is wrong, and where help is."""
        self.exit(UNREADABLE, f"lowhiss: {message}; '{self.prog} --help' lists the commands\n")


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; returns the exit code."""
    given = sys.argv[1:] if arguments is None else list(arguments)
    options = _parser(next((one for one in given if not one.startswith("-")), "")).parse_args(given)
    try:
        code = int(options.run(options))
        sys.stdout.flush()
        return code
    except Refusal as refusal:
        return refuse(str(refusal))
    except BrokenPipeError:
        # the reader of our output has gone; Python must not try to flush the rest at its end
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return PASS
    except KeyboardInterrupt:
        return _STOPPED


_STOPPED = 130
"""As a shell says of what Ctrl-C ended."""


_COMMANDS = {
    "judge": ("judge", "judge run records"),
    "whatif": ("judge", "judge runs under another rule set and show what would change"),
    "rules": ("rules", "list rule sets, or show one with its sources"),
    "plan": ("plan", "predict refills, engine starts and minutes of a test order"),
    "calc": ("calc", "air brake calculators"),
    "simulate": ("simulate", "run a test on a simulated vehicle"),
    "practice": ("practice", "repeat a practice record and show its results"),
    "trace": ("trace", "find and judge a test in a recording"),
}
"""Commands that know nothing of an installation: the module that has each, and what it is for."""


def _parser(asked: str) -> argparse.ArgumentParser:
    parser = _Parser(prog="lowhiss", description="Conduct, judge and record the static air brake test.")
    parser.add_argument("--version", action="version", version=f"lowhiss {__version__}")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")
    start = commands.add_parser("start", help="start the database and the web application")
    start.add_argument("--demo", action="store_true", help="load the demo scenario")
    start.add_argument("--port", type=int, default=8420, help="port of the web application (default 8420)")
    start.add_argument("--data", type=Path, default=Path("var"), metavar="DIR", help="data directory (default var)")
    start.add_argument("--listen", default="127.0.0.1", metavar="ADDRESS", help="address to listen on; others need TLS")
    start.add_argument("--tls-cert", type=Path, metavar="FILE", help="certificate chain, PEM")
    start.add_argument("--tls-key", type=Path, metavar="FILE", help="private key, PEM")
    start.add_argument("--public-url", metavar="URL", help="address for other devices, such as https://name:port")
    start.add_argument("--proxy", metavar="ADDRESS", help="address of a trusted proxy")
    start.set_defaults(run=_start)
    manager = commands.add_parser("manager", help="create a one-time code for a manager")
    manager.add_argument("name", help="their sign-in name; an existing person becomes a manager")
    manager.add_argument("--data", type=Path, default=Path("var"), metavar="DIR", help="data directory (default var)")
    manager.set_defaults(run=_manager)
    status = commands.add_parser(
        "status", help="status of every unit, worst first; exit code 1 if a unit must not be driven"
    )
    status.add_argument("--csv", action="store_true", help="as CSV")
    due = commands.add_parser("due", help="due date of each unit")
    due.add_argument("--ics", type=Path, metavar="FILE", help="write an iCalendar file")
    for command, run in ((status, _status), (due, _due)):
        command.add_argument("--lang", choices=("en", "es"), default="en", help="language (default en)")
        command.add_argument(
            "--data", type=Path, default=Path("var"), metavar="DIR", help="data directory (default var)"
        )
        command.set_defaults(run=run)
    verify = commands.add_parser("verify", help="check sealed reports; exit code 1 if anything was changed")
    verify.add_argument("files", nargs="*", type=Path, metavar="FILE", help="seal files; needs no database")
    verify.add_argument("--all", action="store_true", help="every seal and every row that it covers")
    verify.add_argument("--head", metavar="HASH", help="head of the chain as saved elsewhere; it must match")
    verify.add_argument("--key", action="append", default=[], metavar="ID", help="a key id published by the fleet")
    verify.set_defaults(run=_verify)
    keys = commands.add_parser("keys", help="manage the signing keys")
    keys.add_argument(
        "do", choices=("show", "rotate", "head"), help="list keys; create a new key; show the head of the chain"
    )
    keys.set_defaults(run=_keys)
    backup = commands.add_parser("backup", help="back up everything to a file while Low Hiss runs")
    backup.add_argument(
        "file", type=Path, metavar="FILE", help="target file; replaced only when the backup is complete"
    )
    backup.set_defaults(run=_backup)
    restore = commands.add_parser("restore", help="restore a backup; Low Hiss must not be running")
    restore.add_argument("file", type=Path, metavar="FILE", help="a file made by lowhiss backup")
    restore.add_argument(
        "--foreign", action="store_true", help="accept a backup that wasn't signed by this installation"
    )
    restore.set_defaults(run=_restore)
    doctor = commands.add_parser(
        "doctor", help="check everything an installation needs; exit code 1 if something needs attention"
    )
    doctor.add_argument("--tls-cert", type=Path, metavar="FILE", help="the TLS certificate")
    doctor.set_defaults(run=_doctor)
    for command in (verify, keys, backup, restore, doctor):
        command.add_argument(
            "--data", type=Path, default=Path("var"), metavar="DIR", help="data directory (default var)"
        )
    for name, (module, about) in _COMMANDS.items():
        command = commands.add_parser(name, help=about)
        if name == asked:  # the others are listed, and what they need is not loaded
            getattr(import_module(f"lowhiss.commands.{module}"), f"add_{name}")(command)
    return parser


def _start(options: argparse.Namespace) -> int:
    from lowhiss.serve import Wider, serve  # the database and the web framework load only when they are needed

    wider = Wider(options.listen, options.tls_cert, options.tls_key, options.public_url, options.proxy)
    return serve(data_dir=options.data, port=options.port, demo=options.demo, wider=wider)


def _manager(options: argparse.Namespace) -> int:
    from lowhiss.commands.installation import make_manager

    return make_manager(options.data, options.name)


def _verify(options: argparse.Namespace) -> int:
    if options.all == bool(options.files):
        raise Refusal("give seal files, or --all")
    if options.all:
        from lowhiss.commands.installation import verify_all

        return verify_all(options.data, options.head)
    from lowhiss.commands.verify import verify_files

    return verify_files(options.files, options.head, options.key)


def _backup(options: argparse.Namespace) -> int:
    from lowhiss.commands.installation import make_backup

    return make_backup(options.data, options.file)


def _restore(options: argparse.Namespace) -> int:
    from lowhiss.commands.installation import restore_backup

    return restore_backup(options.data, options.file, foreign=options.foreign)


def _doctor(options: argparse.Namespace) -> int:
    from lowhiss.commands.installation import print_health

    return print_health(options.data, options.tls_cert)


def _keys(options: argparse.Namespace) -> int:
    from lowhiss.commands.installation import print_keys

    return print_keys(options.data, options.do)


def _status(options: argparse.Namespace) -> int:
    from lowhiss.commands.installation import print_status

    return print_status(options.data, Words(options.lang), as_csv=options.csv)


def _due(options: argparse.Namespace) -> int:
    from lowhiss.commands.installation import print_due

    return print_due(options.data, Words(options.lang), options.ics)


if __name__ == "__main__":
    sys.exit(main())

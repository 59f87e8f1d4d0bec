"""``lowhiss simulate``: a whole test driven on a simulated vehicle, as run record, traces, truth and picture."""

from __future__ import annotations

import argparse
import itertools
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from websockets.exceptions import ConnectionClosed, InvalidHandshake, InvalidURI
from websockets.sync.client import connect

from lowhiss import rulebook
from lowhiss.commands.common import PASS, Refusal, as_json, problem_of, rules_named
from lowhiss.core.airsystem import AirSpec, Sample, fault_names
from lowhiss.core.errors import CoreError
from lowhiss.engine.simulation import DRIVERS, Drive, drive, frame_of, spec_named, spec_of_table
from lowhiss.exchange.plot import can_plot, plot_drive
from lowhiss.exchange.run_json import read_json
from lowhiss.exchange.traces import write_broadcast, write_trace


def add_simulate(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--unit", metavar="KIND|FILE", help="a vehicle type, or a specification file")
    parser.add_argument(
        "--fault", action="append", default=[], metavar="F[:mild]", help="a fault (severe by default); may be repeated"
    )
    parser.add_argument("--procedure", metavar="ID", help="a test order (default: the one of the rule set)")
    parser.add_argument("--rules", metavar="ID|FILE", default=rulebook.rule_set_ids()[0], help="rule set")
    parser.add_argument("--driver", metavar="D", default="good", help="how the driver drives (default good)")
    parser.add_argument("--seed", type=int, default=0, metavar="N", help="the same seed gives the same test")
    parser.add_argument(
        "--out", type=Path, default=Path("simulated"), metavar="BASE", help="files are BASE.run.json, …"
    )
    parser.add_argument("--plot", type=Path, metavar="FILE.png", help="draw it")
    parser.add_argument("--feed", metavar="URL", help="send a live feed to ws://host:port")
    parser.add_argument("--token", metavar="T", help="the unit's token for --feed")
    parser.add_argument(
        "--speed", type=float, default=1.0, metavar="X", help="speed of --feed, times real time (default 1)"
    )
    parser.add_argument("--list", action="store_true", help="list faults and drivers, then exit")
    parser.set_defaults(run=simulate)


def simulate(options: argparse.Namespace) -> int:
    """Drive, and write what came of it."""
    if options.list:
        return _list()
    if options.plot is not None and options.plot.suffix.lower() != ".png":
        raise Refusal(f"--plot draws PNG files: call it {options.plot.with_suffix('.png')}")
    if options.plot is not None and not can_plot():
        raise Refusal("--plot needs matplotlib, which is not installed: .venv/bin/uv pip install matplotlib")
    if not options.unit:
        raise Refusal("--unit is missing: name a vehicle type, or a specification file")
    if options.out.is_dir() or options.out.name in ("", ".."):
        raise Refusal(f"--out {options.out}: this is a directory; give the start of the file names, such as drives/one")
    rules = rules_named(options.rules)
    try:
        procedure = rulebook.procedure(options.procedure) if options.procedure else None
        spec = _spec(options.unit)
        with _sender(options, spec) as seen:
            driven = drive(spec, rules, procedure, options.fault, options.driver, options.seed, seen=seen)
    except CoreError as error:
        raise Refusal(str(error)) from error
    try:
        for path in _write(driven, options.out, options.plot):
            print(path)
    except OSError as error:
        raise Refusal(f"{error.filename}: can't be written: {error.strerror}") from error
    return PASS


@contextmanager
def _sender(options: argparse.Namespace, spec: AirSpec) -> Iterator[Callable[[Sample], None] | None]:
    """Sends each sample when its time has come, where a feed is wanted."""
    if not options.feed:
        yield None
        return
    if not options.token:
        raise Refusal("--token is missing: create one on the unit's page")
    if not 0.1 <= options.speed <= 15:
        raise Refusal(f"--speed must be from 0.1 to 15, not {options.speed:g}")
    address = options.feed.replace("http", "ws", 1).rstrip("/") + "/api/feed"
    try:
        with connect(address, additional_headers={"Authorization": f"Bearer {options.token}"}) as socket:
            began, numbers = time.monotonic(), itertools.count(1)

            def send(sample: Sample) -> None:
                nonlocal began
                early_s = began + sample.dash.t_s / options.speed - time.monotonic()
                time.sleep(max(0.0, early_s))
                began -= min(0.0, early_s)  # a machine that was busy goes on from now: a flood would be closed out
                socket.send(as_json(frame_of(next(numbers), sample, spec), compact=True))

            yield send
    except ConnectionClosed as error:
        why = error.rcvd.code if error.rcvd else "no answer"
        raise Refusal(f"--feed: the connection was closed ({why}); docs/feed.md says why") from error
    except (OSError, InvalidHandshake, InvalidURI) as error:
        raise Refusal(f"--feed: {options.feed} can't be reached: {error}") from error


def _spec(name: str) -> AirSpec:
    path = Path(name)
    if not (path.suffix == ".json" or "/" in name):
        return spec_named(name)
    try:
        return spec_of_table(read_json(path.read_bytes()))
    except (CoreError, OSError) as error:
        raise Refusal(f"{name}: {problem_of(error)}") from error


_WRITTEN = ("run.json", "csv", "1hz.csv", "log", "mf4", "truth.json")


def _write_loggers(driven: Drive, paths: dict[str, Path]) -> None:
    """Write the drive as a network's log and as a measurement file."""
    from lowhiss.exchange.recordings.writer import write_candump, write_measured  # slow to load, and needed here only

    unit = driven.spec.unit
    with paths["log"].open("w", encoding="ascii", newline="") as file:
        write_candump(file, driven.samples)
    write_measured(paths["mf4"], driven.samples, unit.needles, "trailer" in unit.knobs)


def _write(driven: Drive, base: Path, plot: Path | None) -> list[Path]:
    """The run record, the trace at 10 Hz, as broadcast and as loggers write it, the truth, and a picture if wanted."""
    unit = driven.spec.unit
    paths = {name: base.with_name(f"{base.name}.{name}") for name in _WRITTEN}
    paths["run.json"].write_text(as_json(driven.record) + "\n", encoding="utf-8")
    with paths["csv"].open("w", encoding="utf-8", newline="") as file:
        write_trace(file, driven.samples, unit.needles, "trailer" in unit.knobs)
    with paths["1hz.csv"].open("w", encoding="utf-8", newline="") as file:
        write_broadcast(file, driven.samples, unit.needles)
    _write_loggers(driven, paths)
    paths["truth.json"].write_text(as_json(driven.truth) + "\n", encoding="utf-8")
    written = list(paths.values())
    if plot is not None:
        faults = ", ".join(driven.truth["faults"]) or "healthy"
        plot_drive(plot, driven.samples, driven.record["events"], unit.needles, f"{unit.name}: {faults}")
        written.append(plot)
    return written


def _list() -> int:
    faults = rulebook.air_data().tables["faults"]
    width = max(len(name) for name in faults)
    print("Faults:")
    for name in fault_names(rulebook.air_data()):
        print(f"  {name.ljust(width)}  {faults[name]['shows']['en']}")
    print("Drivers:")
    print("  " + ", ".join(DRIVERS))
    return PASS

"""How often stages in recordings are found right, and what an hour of 100 Hz costs beside one smoothing of it.

./bench trace [--drives N] [--all] [--large MB]

Every kind of vehicle in two orders of work, healthy and with faults mild and severe (`--all`: every kind, order, fault
and severity, mixed), as four senders tell it: a gauge box with knobs and lamp ten times a second, the same a hundred
times, needles alone, and the network once a second in steps of 8 kPa.
"""

from __future__ import annotations

import argparse
import itertools
import random
import subprocess
import sys
import tempfile
import time
from collections import defaultdict
from collections.abc import Callable
from typing import Any

import numpy as np
from scipy.signal import savgol_filter

from lowhiss import rulebook
from lowhiss.core.airsystem.faults import SEVERITIES, fault_names, with_faults
from lowhiss.core.errors import CoreError
from lowhiss.core.procedure import read_procedure
from lowhiss.core.stages import LIMITED_STAGES
from lowhiss.engine.executor import executor, in_order
from lowhiss.engine.recorded import judge_recording
from lowhiss.engine.simulation import spec_named
from lowhiss.trace import Found, Recording, find_sessions, find_stages
from tests.trace.recorded import as_told, driven, truth_of

ORDERS = {
    "tractor_semitrailer": ("us-full", "canada-west"),
    "multi_trailer": ("us-three-part", "holds-first"),
    "tractor": ("us-full", "static-only"),
    "straight_truck": ("us-full", "static-only"),
    "bus": ("single-vehicle", "leak-check"),
}
FAULTS = ((), ("primary_leak:mild",), ("secondary_leak:severe",), ("warning_low:severe",), ("governor_low:severe",))
WITHIN = {
    "time_s": 1.0,
    "cut_out_psi": 1.0,
    "leak_released": 1.0,
    "leak_applied": 1.0,
    "warning_psi": 1.0,
    "tractor_psi": 1.0,
    "trailer_psi": 1.0,
}


def figures(found: Found) -> dict[str, list[Any]]:
    told: dict[str, list[Any]] = defaultdict(list)
    for stage, one in found.stages:
        for name, figure in one.measured.items() if one else ():
            if name != "hold_s":
                told[stage if name == "drop_psi" else name].append(figure)
    return told


def main(arguments: list[str]) -> None:
    """Run the benchmark."""
    parser = argparse.ArgumentParser(prog="./bench trace")
    parser.add_argument("--drives", type=int, default=50)
    parser.add_argument("--all", action="store_true", help="of every kind, order, fault and severity there is, mixed")
    parser.add_argument("--large", type=int, default=64, metavar="MB", help="how large the long log is (2000 by hand)")
    asked = parser.parse_args(arguments)
    cases = _every() if asked.all else _usual()
    cases = cases[: asked.drives]
    counted: dict[tuple[str, str], list[int]] = defaultdict(lambda: [0, 0, 0])
    with executor() as elsewhere:
        for told in in_order(elsewhere, _counts, cases):
            for key, counts in told.items():
                counted[key] = [a + b for a, b in zip(counted[key], counts, strict=True)]
    print(f"{len(cases)} drives; within 1 s, 1 psi or 1 psi a minute, and covered by its interval:")
    for (sender, figure), (of, near, covered) in sorted(counted.items()):
        print(f"  {sender:8} {figure:14} {of:4}  within {near / of:6.1%}  covered {covered / of:6.1%}")
    _speed()
    _memory(asked.large)


Case = tuple[str, str, tuple[str, ...]]


def _usual() -> list[Case]:
    return [(kind, order, faults) for faults in FAULTS for kind, orders in ORDERS.items() for order in orders]


def _every() -> list[Case]:
    """Every kind in every order that suits it with every fault that it can have, mild and severe; mixed, always so."""
    faults = [(f"{name}:{how}",) for name in fault_names(rulebook.air_data()) for how in SEVERITIES]
    cases = []
    for kind, order, fault in itertools.product(ORDERS, rulebook.procedure_ids(), [(), *faults]):
        spec = spec_named(kind)
        if not any(stage in LIMITED_STAGES for stage in rulebook.procedure(order).stages(spec.unit)):
            continue
        try:
            with_faults(spec, rulebook.air_data(), fault)
        except CoreError:
            continue
        cases.append((kind, order, fault))
    random.Random(20).shuffle(cases)
    return cases


def _counts(case: Case) -> dict[tuple[str, str], list[int]]:
    """Of one drive: how many figures there were, were near, and lay within what was stated."""
    counted: dict[tuple[str, str], list[int]] = defaultdict(lambda: [0, 0, 0])
    kind, order, faults = case
    one = driven(kind, order, *faults)
    true, procedure = truth_of(one), read_procedure(one.record["procedure"])
    for sender in ("box", "fine", "needles", "network"):
        rules = rulebook.rule_set(one.record["rules"])
        told = figures(find_stages(as_told(one, sender), [procedure], rules, one.spec.unit))
        for figure, values in true.items():
            for place, want in enumerate(values):
                count = counted[sender, figure]
                count[0] += 1
                if place < len(told[figure]):
                    got = told[figure][place]
                    count[1] += abs(got.value - want) <= WITHIN[figure]
                    count[2] += got.low - 0.05 <= want <= got.high + 0.05
    return dict(counted)


def _memory(mega_bytes: int) -> None:
    """A log of many hundreds of samples a second is read by a process of its own: how long, and how much it held."""
    for size in sorted({8, mega_bytes}):
        with tempfile.NamedTemporaryFile("w", suffix=".csv") as file:
            file.write("t_s,primary_psi,secondary_psi\n")
            block = "".join(f"%d.{n:03d},{100 + n % 9},{101 + n % 7}\n" for n in range(0, 1000, 2))
            seconds = size * 2**20 // len(block)
            for second in range(seconds):
                file.write(block.replace("%d", str(second)))
            file.flush()
            told = subprocess.run([sys.executable, "-c", _READ, file.name], capture_output=True, text=True, check=True)
            print(f"a CSV of {size} MB, 500 samples a second: {told.stdout.strip()}")


_READ = """
import resource, sys, time
from pathlib import Path
from lowhiss.exchange.recordings import read_recording
from lowhiss.trace import find_sessions
began = time.perf_counter()
read = read_recording(Path(sys.argv[1]))
sessions = find_sessions(read.recording)
held = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024
print(f"{time.perf_counter() - began:.1f} s, {held} MB held, {read.recording.t_s.size} samples kept")
"""


def _speed() -> None:
    one = as_told(driven("tractor_semitrailer", "us-full"), "box")
    t_s = np.arange(0.0, 3600.0, 0.01)
    needles = {name: np.interp(t_s, one.t_s, psi) for name, psi in one.needles.items()}
    hour, spec = Recording(t_s, needles), spec_named("tractor_semitrailer")
    smoothing = _best(lambda: [savgol_filter(psi, 111, 2) for psi in needles.values()])
    rules, order = rulebook.rule_set("us-cdl"), rulebook.procedure("us-full")
    judged = _best(lambda: judge_recording(hour, rules, spec.unit, order))
    print(f"an hour at 100 Hz found and judged: {judged:.2f} s, {judged / smoothing:.1f} of one savgol_filter over it")
    days = np.arange(0.0, 3 * 86_400.0, 1.0)
    log = Recording(days, {"primary": 112 + 12 * np.sin(days / 40)})
    print(f"the sessions of a log of three days: {_best(lambda: find_sessions(log)):.2f} s")


def _best(work: Callable[[], object]) -> float:
    spent = []
    for _ in range(3):
        began = time.perf_counter()
        work()
        spent.append(time.perf_counter() - began)
    return min(spent)

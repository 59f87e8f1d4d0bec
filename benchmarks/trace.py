"""How often stages in recordings are found right, and what an hour of 100 Hz costs beside one smoothing of it.

./bench trace [--drives N]

Every kind of vehicle in two orders of work, healthy and with faults mild and severe, as three senders tell it: a gauge
box with knobs and lamp, needles alone, and the network once a second in steps of 8 kPa.
"""

from __future__ import annotations

import argparse
import itertools
import time
from collections import defaultdict

import numpy as np
from scipy.signal import savgol_filter

from lowhiss import rulebook
from lowhiss.core.procedure import read_procedure
from lowhiss.engine.recorded import judge_recording
from lowhiss.engine.simulating import spec_named
from lowhiss.trace import Recording, find_sessions, find_stages
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


def figures(found) -> dict[str, list]:
    told: dict[str, list] = defaultdict(list)
    for stage, one in found.stages:
        for name, figure in one.measured.items() if one else ():
            if name != "hold_s":
                told[stage if name == "drop_psi" else name].append(figure)
    return told


def main(arguments: list[str]) -> None:
    """Run the benchmark."""
    parser = argparse.ArgumentParser(prog="./bench trace")
    parser.add_argument("--drives", type=int, default=50)
    wanted = parser.parse_args(arguments).drives
    cases = [(kind, order, faults) for faults in FAULTS for kind, orders in ORDERS.items() for order in orders]
    counted: dict[tuple[str, str], list[int]] = defaultdict(lambda: [0, 0, 0])
    for kind, order, faults in itertools.islice(cases, wanted):
        one = driven(kind, order, *faults)
        true, procedure = truth_of(one), read_procedure(one.record["procedure"])
        for sender in ("box", "needles", "network"):
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
    print(f"{min(wanted, len(cases))} drives; within 1 s, 1 psi or 1 psi a minute, and covered by its interval:")
    for (sender, figure), (of, near, covered) in sorted(counted.items()):
        print(f"  {sender:8} {figure:14} {of:4}  within {near / of:6.1%}  covered {covered / of:6.1%}")
    _speed()


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


def _best(work) -> float:
    spent = []
    for _ in range(3):
        began = time.perf_counter()
        work()
        spent.append(time.perf_counter() - began)
    return min(spent)

"""How fast the core judges, as a ratio to parsing the same JSON with the standard library.

./bench core [--runs N] [--what-if N]
"""

from __future__ import annotations

import argparse
import json
import random
import statistics
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from typing import Any

from lowhiss import rulebook
from lowhiss.core.record import read_run
from lowhiss.engine.judge_record import judge_record, what_if

ROUNDS = 7


def full_run(rng: random.Random) -> dict[str, Any]:
    """A whole test of a combination as a run record: about forty events, as an app writes them."""
    at_s = 0.0
    events: list[dict[str, Any]] = []

    def mark(kind: str, wait_s: float, **fields: Any) -> None:
        nonlocal at_s
        at_s = round(at_s + wait_s, 3)
        place = len(events) + 1
        identity = {
            "id": f"{rng.getrandbits(64):016x}",
            "seq": place,
            "device": "d1",
            "epoch": "p1",
            "by": "Ines Aldous",
        }
        events.append({"at_s": at_s, "type": kind, **identity, **fields})

    def needles(psi: float) -> dict[str, float]:
        return {"primary_psi": round(psi), "secondary_psi": round(psi + rng.uniform(-1, 1))}

    def reading(stage: str, point: str, psi: float, wait_s: float) -> None:
        mark("reading", wait_s, stage=stage, point=point, **needles(psi))

    mark("confirmed", 0, item="wheels_chocked")
    mark("confirmed", 2, item="area_clear")
    mark("engine", 3, state="running")
    reading("build_up", "lower", 85, 90)
    reading("build_up", "upper", 100, rng.uniform(12, 30))
    for start in (120, 45):
        reading("cut_out", "cut_out", rng.uniform(122, 128), start)
        mark("said", 2, what="cut_out", value=125)
        mark("pedal", 5, state="full")
        mark("pedal", 1, state="released")
        reading("cut_in", "cut_in", rng.uniform(100, 106), 15)
    reading("cut_out", "cut_out", 125, 40)
    mark("said", 2, what="cut_out", value=125)
    mark("engine", 5, state="off")
    mark("key", 2, state="on")
    mark("knob", 4, knob="tractor", state="in", cause="hand")
    mark("knob", 1, knob="trailer", state="in", cause="hand")
    for stage, drop in (("leak_released", rng.uniform(0, 3)), ("leak_applied", rng.uniform(0, 5))):
        mark("said", 3, what=f"limit:{stage}")
        if stage == "leak_applied":
            mark("pedal", 5, state="full")
        mark("settled", 8, stage=stage)
        reading(stage, "start", 104, 14)
        reading(stage, "end", 104 - drop, 60.1)
        mark("said", 3, what=f"reading:{stage}")
    mark("pedal", 2, state="released")
    mark("warning", 25, lamp=True, buzzer=True, **needles(rng.uniform(52, 72)))
    for knob in ("trailer", "tractor"):
        mark("knob", 20, knob=knob, state="out", cause="popped", **needles(rng.uniform(24, 40)))
    mark("engine", 10, state="running")
    reading("cut_out", "cut_out", 125, 220)
    mark("said", 2, what="cut_out", value=125)
    mark("confirmed", 20, item="chocks_removed")
    mark("held", 10, stage="hold_trailer", moved=False)
    mark("held", 10, stage="hold_parking", moved=False)
    mark("rolled", 20, stopped=True, pulled=False, speed_mph=3)
    mark("finished", 10)
    return {
        "format": "low-hiss-run/1",
        "purpose": "training",
        "unit": {"kind": "tractor_semitrailer", "name": "MV-12", "governor": {"cut_in_psi": 102, "cut_out_psi": 125}},
        "rules": "us-cdl",
        "procedure": "us-full",
        "events": events,
    }


def seconds(work: Callable[[], object]) -> float:
    """Processor time of one call."""
    before = time.process_time()
    work()
    return time.process_time() - before


def ratio_to_parsing(runs: int) -> None:
    """Judge and parse in turn, several rounds; print runs per second and the ratio's spread."""
    rng = random.Random(8420)
    texts = [json.dumps(full_run(rng)) for _ in range(runs)]

    def parse() -> None:
        for text in texts:
            json.loads(text)

    def parse_and_judge() -> None:
        for text in texts:
            judge_record(read_run(json.loads(text)))

    parse_and_judge()  # warm: rule sets read, caches filled
    pairs = [(seconds(parse_and_judge), seconds(parse)) for _ in range(ROUNDS)]
    ratios = sorted(judged / parsed for judged, parsed in pairs)
    per_second = runs / statistics.median(judged for judged, _ in pairs)
    print(f"{runs} full runs of {len(json.loads(texts[0])['events'])} events, {ROUNDS} rounds, one core")
    print(f"parsed and judged: {per_second:,.0f} runs a second")
    spread = f"least {ratios[0]:.1f}, most {ratios[-1]:.1f}"
    print(f"ratio to json.loads alone: median {statistics.median(ratios):.1f} ({spread})")


def _replayed(part: tuple[int, int]) -> tuple[int, int]:
    seed, number = part
    rng = random.Random(seed)
    others = rulebook.rule_set("us-older")

    def runs() -> Iterator[Any]:
        # a thousand records, each replayed many times: what is measured is judging, not the making of records
        records = [read_run(full_run(rng)) for _ in range(min(number, 1000))]
        for place in range(number):
            yield records[place % len(records)]

    changed = sum(change.changed for change in what_if(runs(), others))
    return number, changed


def what_if_on_two_cores(total: int) -> None:
    """Re-judge many runs under another school in two processes; print the time it took."""
    begin = time.perf_counter()
    with ProcessPoolExecutor(2) as pool:
        done = list(pool.map(_replayed, [(1, total // 2), (2, total - total // 2)]))
    took_s = time.perf_counter() - begin
    runs, changed = (sum(column) for column in zip(*done, strict=True))
    print(
        f"what if: {runs:,} runs judged under two schools each on two cores in {took_s:.0f} s, {changed:,} would change"
    )


def main(arguments: list[str]) -> None:
    """Run the benchmark."""
    parser = argparse.ArgumentParser(prog="bench core")
    parser.add_argument("--runs", type=int, default=1000)
    parser.add_argument("--what-if", type=int, default=100_000)
    options = parser.parse_args(arguments)
    ratio_to_parsing(options.runs)
    if options.what_if:
        what_if_on_two_cores(options.what_if)

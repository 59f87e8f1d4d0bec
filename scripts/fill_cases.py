"""Moments of a fill with what the core offers in each, for the device's own interpreter to be held to."""

from __future__ import annotations

import random
from dataclasses import asdict
from typing import Any

from lowhiss import rulebook
from lowhiss.core.inspections import FillMoment, Open, listening, offered

_SEED = 16
_CASES = 120


def fill_cases() -> dict[str, Any]:
    """The thresholds of the rule book, and seeded moments with what is offered."""
    filling = rulebook.inspections().filling
    numbers = random.Random(_SEED)
    cases = []
    for _ in range(_CASES):
        moment = FillMoment(
            numbers.choice(("first", "refill")),
            numbers.randrange(0, 240),
            numbers.random() < 0.1,
            numbers.choice((None, numbers.randrange(0, 180))),
            numbers.choice((None, None, numbers.randrange(0, 60))),
        )
        fills = ("any", "noisy", "air", "never")
        left = [
            Open(f"item{n}", numbers.choice(fills), numbers.randrange(2, 12)) for n in range(numbers.randrange(0, 6))
        ]
        cases.append(
            {
                "moment": {
                    "fill": moment.fill,
                    "sinceS": moment.since_s,
                    "timed": moment.timed,
                    "toBlastS": moment.to_blast_s,
                    "belowPsi": moment.below_psi,
                },
                "left": [one._asdict() for one in left],
                "offered": offered(filling, moment, left),
                "listening": listening(filling, moment),
            }
        )
    return {"filling": {**asdict(filling), "order": []}, "cases": cases}

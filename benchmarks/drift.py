"""How often steady units are called drifting, and how many drifting ones are found in time.

./bench drift [--units N]

Each unit is tested once a week, every needle read to the whole psi. Steady ones lose up to 2.5 psi a minute for a year;
the others begin at 0.5 or less and lose 0.25 psi a minute more each month, until they lose what is allowed.
"""

from __future__ import annotations

import argparse
import random

from lowhiss.core.status import Point, Window, trend_of
from lowhiss.core.status.drift import DAYS_A_MONTH
from lowhiss.core.uncertainty import drop_uncertainty

WEEK = 7.0
ERROR = drop_uncertainty(1.0)
LEAK = Window(None, 4.0)
YEAR, UNTIL_IT_FAILS = 53, 80


def alarmed(rng: random.Random, start_psi: float, a_month: float, weeks: int) -> bool:
    """Whether an alarm comes in so many weekly tests while the loss is still allowed."""
    points: list[Point] = []
    for week in range(weeks):
        true = start_psi + a_month * week * WEEK / DAYS_A_MONTH
        if true >= (LEAK.high or 0.0):
            return False
        before = 100.0 + rng.random()
        points.append(Point(week * WEEK, float(max(0, round(before) - round(before - true)))))
        # what is seen two weeks later is in time all the same
        if week % 2 == 0 and trend_of(points, LEAK, ERROR).state == "drifts":
            return True
    return False


def false_alarms(rng: random.Random, units: int) -> int:
    """How many of so many steady units are called drifting within a year."""
    return sum(alarmed(rng, rng.uniform(0.0, 2.5), 0.0, YEAR) for _ in range(units))


def found_in_time(rng: random.Random, units: int) -> int:
    """How many of so many worsening units are called drifting before they lose what is allowed."""
    return sum(alarmed(rng, rng.uniform(0.0, 0.5), 0.25, UNTIL_IT_FAILS) for _ in range(units))


def main(arguments: list[str]) -> None:
    """Run the benchmark."""
    parser = argparse.ArgumentParser(prog="./bench drift")
    parser.add_argument("--units", type=int, default=1_000)
    units = parser.parse_args(arguments).units
    rng = random.Random(8420)
    print(
        f"{units} steady units, a year each: {100 * false_alarms(rng, units) / units:.1f} % false alarms (aim under 5)"
    )
    print(f"{units} worsening units: {100 * found_in_time(rng, units) / units:.1f} % found in time (aim over 90)")

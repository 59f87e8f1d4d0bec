"""The story of the demo fleet: two years of tests driven on its simulated vehicles, from a seed.

What is invented is who came when and what was wrong; every pressure comes out of the simulated air.
"""

from __future__ import annotations

import random
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any

from lowhiss import rulebook
from lowhiss.core.airsystem import AirSpec
from lowhiss.demo.scenario import DRIVERS, TRAILERS, UNITS, DemoUnit
from lowhiss.engine.simulation import drive, spec_of_table

DAY_S = 86_400
_VISITS, _EVERY_DAYS = 13, 58


@dataclass(frozen=True, slots=True)
class Visit:
    """One test in the story. leaks : psi/min by place, beside the faults.

    trailers : what it pulled that day, where not what it pulls today.  between : a test beside the regular ones, which
        takes nothing from their chances.
    """

    back_days: float
    faults: tuple[str, ...] = ()
    driver: str = "good"
    leaks: tuple[tuple[str, float], ...] = ()
    purpose: str = "dispatch"
    trailers: tuple[str, ...] | None = None
    between: bool = False


def story_of(unit: DemoUnit, rng: random.Random) -> list[Visit]:
    """The unit's visits, the oldest first: a test about every two months, and what happened to it in particular."""
    regular = [Visit(round((_VISITS - 1 - n) * _EVERY_DAYS + 1 + rng.random() * 9, 3)) for n in range(_VISITS)]
    match unit.name:
        case "MV-16":  # since it pulls another trailer the coupling wears: it will fail in a few weeks
            return _wearing(regular, "trailer_line", 3.8)
        case "MV-15":  # two trailers, and more loss with each year
            return _worse(regular, "trailer_line", 5.5)
        case "MV-21":  # the knobs stay in too long: it must not drive
            return [*regular[:-1], replace(regular[-1], faults=("knobs_low",))]
        case "MV-09":  # somebody was in a hurry
            return [*regular[:-1], replace(regular[-1], driver="hold_cut_short")]
        case "MV-07":  # failed, repaired, and rechecked the next day
            bad = replace(regular[8], faults=("secondary_leak",))
            return [*regular[:8], bad, Visit(bad.back_days - 1.1), *regular[9:]]
        case "MV-03":  # its secondary needle sticks
            return [*regular[:8], *(replace(visit, faults=("sticky_needle:mild",)) for visit in regular[8:])]
        case "MV-30":  # the trailer leaks that it shunted: alone it is tight
            shunted = Visit(3.2, leaks=(("trailer_line", 7.0),), trailers=("T-05",), between=True)
            return [*regular[:-1], replace(regular[-1], back_days=9.4), shunted, Visit(3.1, between=True)]
        case "MV-22":  # trainees learn on it
            learning = ("cut_out_not_said", "clock_early", "limit_not_said", "wrong_limit")
            taught = [
                Visit(round(30.0 - 6 * n, 3), driver=driver, purpose="training") for n, driver in enumerate(learning)
            ]
            return [*regular[:-1], *taught, regular[-1]]
        case _:
            return regular


def _worse(visits: list[Visit], place: str, end: float) -> list[Visit]:
    """Visits with a leak that grows towards its end."""
    last = len(visits) - 1
    return [replace(visit, leaks=((place, round(end * (n / last) ** 1.6, 2)),)) for n, visit in enumerate(visits)]


_NEW_TRAILER_DAYS, _LOOKED_AT_EVERY_DAYS = 200.0, 21.0


def _wearing(visits: list[Visit], place: str, end: float) -> list[Visit]:
    """Visits with another trailer until some months ago; since then a growing leak, looked at more often."""
    before = [replace(v, trailers=("T-06",)) for v in visits if v.back_days > _NEW_TRAILER_DAYS]
    since = [v for v in visits if v.back_days <= _NEW_TRAILER_DAYS]
    days = [_NEW_TRAILER_DAYS - n * _LOOKED_AT_EVERY_DAYS for n in range(1, 9)]
    since = sorted([*since, *(Visit(day, between=True) for day in days)], key=lambda visit: -visit.back_days)
    worn = [(place, round(end * (1 - visit.back_days / _NEW_TRAILER_DAYS), 2)) for visit in since]
    return [*before, *(replace(visit, leaks=(leak,)) for visit, leak in zip(since, worn, strict=True))]


def vehicle_of(unit: DemoUnit, trailers: tuple[str, ...], warning: float, pop: float) -> AirSpec:
    """The unit's simulated vehicle with these trailers; its switches are so much [psi] its own."""
    spec = spec_of_table({"power": unit.facts, "trailers": [{"name": name, **TRAILERS[name]} for name in trailers]})
    return replace(
        spec,
        warning_psi=spec.warning_psi + warning,
        tractor_pop_psi=spec.tractor_pop_psi + pop,
        trailer_pop_psi=spec.trailer_pop_psi + pop,
    )


def grow(seed: int = 8420) -> Iterator[dict[str, Any]]:
    """Every run of the story: its unit, how long ago it was, who drove, and the events."""
    rng = random.Random(seed)
    for unit in UNITS:
        rules = rulebook.rule_set(unit.rules)
        # this fleet's low-air switches stand a little low: a stricter school would see some of them
        switches = rng.uniform(-6, -2), rng.uniform(-2, 2)
        for visit in story_of(unit, rng):
            chance = random.Random(f"{seed} {unit.name} {visit.back_days}") if visit.between else rng
            trailers = unit.trailers if visit.trailers is None else visit.trailers
            spec = vehicle_of(unit, trailers, *switches)
            leaking = replace(spec, leaks=dict(visit.leaks))
            driven = drive(leaking, rules, None, visit.faults, visit.driver, chance.randrange(2**31), visit.purpose)
            yield {
                "unit": unit.name,
                **({} if visit.trailers is None else {"trailers": list(visit.trailers)}),
                "back_s": round(visit.back_days * DAY_S),
                "purpose": visit.purpose,
                "driver": chance.choice(DRIVERS),
                "procedure": driven.record["procedure"]["id"],
                "events": driven.record["events"],
            }

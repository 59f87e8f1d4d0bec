"""How fast this unit's own compressor fills it, learnt from its earlier runs."""

from __future__ import annotations

import statistics
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

from lowhiss.core.procedure.planner import Planning, Rates
from lowhiss.core.run import RunState, lower_psi

SHORTEST_S = 10.0
"""A refill predicted to be shorter than this says little about the compressor [s]."""
LEAST, MOST = 0.3, 3.0
"""Factors outside of this are no compressor's: somebody paused, or read something else."""
LATEST = 9


@dataclass(frozen=True, slots=True)
class Fill:
    """One stretch of building air that was timed: from and to [psi gauge], and how long it took [s]."""

    from_psi: float
    to_psi: float
    seconds: float


def fills_of(state: RunState) -> list[Fill]:
    """The timed stretches of a run: between build-up marks, and from a reading before the engine was started to
    the next cut-out."""
    fills: list[Fill] = []
    last_psi: float | None = None
    engine_start_s: float | None = None
    spent_psi: float | None = None
    lower: tuple[float, float] | None = None
    for event in state.events:
        psi = lower_psi(event, state.policy)
        if event.type == "engine":
            engine_start_s, spent_psi = (event.at_s, last_psi) if event.state == "running" else (None, None)
        elif event.type == "reading" and psi is not None:
            if event.point == "lower":
                lower = (psi, event.at_s)
            elif event.point == "upper" and lower is not None:
                fills.append(Fill(lower[0], psi, event.at_s - lower[1]))
            elif event.point == "cut_out" and engine_start_s is not None and spent_psi is not None:
                fills.append(Fill(spent_psi, psi, event.at_s - engine_start_s))
                spent_psi = None
        if psi is not None:
            last_psi = psi
    return [fill for fill in fills if fill.to_psi > fill.from_psi and fill.seconds > 0]


def at_own_pace(planning: Planning, fills: Iterable[Fill]) -> tuple[Planning, int]:
    """The planning with this unit's own build times, the latest fills first, and how many fills it rests on."""
    factors: list[float] = []
    for fill in fills:
        usual_s = planning.rates.build_s(fill.from_psi, fill.to_psi)
        if usual_s >= SHORTEST_S and LEAST <= fill.seconds / usual_s <= MOST:
            factors.append(fill.seconds / usual_s)
    factors = factors[:LATEST]
    if not factors:
        return planning, 0
    factor = statistics.median(factors)
    rates: Rates = planning.rates
    paced = replace(rates, build_50_90_s=rates.build_50_90_s * factor, build_85_100_s=rates.build_85_100_s * factor)
    return replace(planning, rates=paced), len(factors)


def seconds_to_full(planning: Planning, marks_psi: Sequence[float], cut_out_psi: float) -> list[float]:
    """Predicted seconds from each pressure to where the compressor stops pumping."""
    return [round(planning.rates.build_s(psi, cut_out_psi), 1) for psi in marks_psi]

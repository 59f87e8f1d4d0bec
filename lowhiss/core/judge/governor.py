"""Governor stages: where the compressor stops pumping and where it starts again."""

from __future__ import annotations

from lowhiss.core.judge.common import (
    Compared,
    JudgeContext,
    compare,
    decide,
    late_and_disagreeing,
    needle_psi,
    reading_uncertainty_of,
    single_gauge,
)
from lowhiss.core.judge.model import StageVerdict
from lowhiss.core.rules import Limit, apply_bounds
from lowhiss.core.run import Attempt, Mark
from lowhiss.core.stages import STEP_TABLE
from lowhiss.core.vehicle import Needle


def measure_governor(verdict: StageVerdict, attempt: Attempt, case: JudgeContext) -> None:
    """Every reading of the attempt, and whether one strays from the maker's figure."""
    read = [mark for mark in attempt.marks if any(needle_psi(mark.event, n) is not None for n in case.needles)]
    verdict.measured = {
        "readings": [
            {f"{n}_psi": psi for n in case.needles if (psi := needle_psi(mark.event, n)) is not None} for mark in read
        ]
    }
    late_and_disagreeing(verdict, [mark.event for mark in read], case)
    single_gauge(verdict, min((len(reading) for reading in verdict.measured["readings"]), default=0), case)
    _off_maker_figure(verdict, read, case)


def judge_governor(verdict: StageVerdict, attempt: Attempt, limit: Limit | None, case: JudgeContext) -> None:
    """Every reading is judged and the worst decides; a bound may hang on that needle's own cut-out before it."""
    relative = limit is not None and limit.hangs_on_cut_out
    worst: tuple[Compared, float, Needle] | None = None
    seen = False
    for mark in attempt.marks:
        for needle in case.needles:
            psi = needle_psi(mark.event, needle)
            if psi is None:
                continue
            seen = True
            if limit is None:
                continue
            base = _cut_out_before(mark, needle)
            bounds = apply_bounds(limit, case.unit, latest_psi=base) if relative else verdict.bounds
            if not bounds:
                continue
            compared = compare(psi, bounds)
            if relative and base is None and compared.within:
                continue  # what hangs on no cut-out may be kept, but that alone is no pass
            if not compared.within and verdict.decided_position is None:
                verdict.decided_position = mark.context.position
            if worst is None or (compared.within, compared.margin) < (worst[0].within, worst[0].margin):
                worst = (compared, psi, needle)
                verdict.bounds = bounds
    if worst is None:
        if attempt.marks and not seen:
            verdict.find("no_number")
        elif attempt.marks and relative:
            verdict.find("no_cut_out_before")
        return
    compared, psi, needle = worst
    verdict.measured |= {"psi": psi, "needle": needle}
    decide(verdict, compared, reading_uncertainty_of(compared.bound, case), case.rules)


def _cut_out_before(mark: Mark, needle: Needle) -> float | None:
    cut = mark.context.cut_out_by_needle
    return cut.primary_psi if needle == "primary" else cut.secondary_psi


def _off_maker_figure(verdict: StageVerdict, read: list[Mark], case: JudgeContext) -> None:
    """A reading away from the maker's figure, unless that figure is itself the limit."""
    governor = case.unit.governor
    maker = getattr(governor, figure) if (figure := STEP_TABLE[verdict.stage].maker) else None
    if maker is None or (verdict.limit and any(bound.of == "maker_cut_out" for bound in verdict.limit.bounds)):
        return
    values = [psi for mark in read for n in case.needles if (psi := needle_psi(mark.event, n)) is not None]
    furthest = max(values, key=lambda psi: abs(psi - maker), default=maker)
    if abs(round(furthest - maker, 9)) > case.judging.off_maker_psi:
        verdict.find("off_maker_figure", reading_psi=furthest, maker_psi=maker)

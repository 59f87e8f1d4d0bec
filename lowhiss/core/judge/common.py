"""What several stages share: needles that count, bounds worked out, comparison, and the state before a mark."""

from __future__ import annotations

from typing import NamedTuple

from lowhiss.core.judge.model import StageVerdict
from lowhiss.core.record import Event
from lowhiss.core.rules import AppliedBound, Judging, Limit, RuleSet
from lowhiss.core.run import Attempt, Context, Cut, RunState
from lowhiss.core.stages import FILL_STAGE
from lowhiss.core.uncertainty import drop_uncertainty, reading_uncertainty
from lowhiss.core.units import round_tenth
from lowhiss.core.vehicle import Holding, Needle, Unit


class JudgeContext(NamedTuple):
    """Everything a stage's judge may look at.

    needles : those that count: one under the policy ``primary`` or on a single-circuit unit.
    limits : the rule set's limit for this unit, by stage of a limited kind.  holding : what may hold it.
    """

    state: RunState
    rules: RuleSet
    unit: Unit
    judging: Judging
    needles: tuple[Needle, ...]
    limits: dict[str, Limit | None]
    holding: Holding = "gear_noted"


def needle_psi(event: Event, needle: Needle) -> float | None:
    """That needle's reading, rounded to 0.1 psi before any comparison; None when not read."""
    value = event.primary_psi if needle == "primary" else event.secondary_psi
    return None if value is None else round_tenth(value)


class Compared(NamedTuple):
    """A value held against bounds: within all of them or not, and the nearest one."""

    within: bool
    margin: float
    bound: AppliedBound


def compare(value: float, bounds: tuple[AppliedBound, ...]) -> Compared:
    """``value`` against every bound; the least margin decides. A bound itself is within, except for below and above."""
    worst: Compared | None = None
    for bound in bounds:
        distance = value - bound.value if bound.comparator in ("at_least", "above") else bound.value - value
        margin = round(distance, 9) + 0.0
        within = margin > 0 or (margin == 0 and bound.comparator in ("at_least", "at_most"))
        if worst is None or (within, margin) < (worst.within, worst.margin):
            worst = Compared(within, margin, bound)
    assert worst is not None, "a limit has at least one bound"
    return worst


def decide(verdict: StageVerdict, compared: Compared, uncertainty: float, rules: RuleSet) -> None:
    """Pass or fail by the comparison, the close call, and guarded acceptance where the fleet chose it."""
    verdict.margin = compared.margin
    verdict.uncertainty = uncertainty
    verdict.close_call = abs(compared.margin) < uncertainty
    verdict.outcome = "pass" if compared.within else "fail"
    if rules.acceptance == "guarded" and compared.within and compared.margin < uncertainty:
        verdict.outcome = "fail"
        verdict.find("inside_guard_band", margin=compared.margin, uncertainty=uncertainty)


def retest_needs_refill(attempt: Attempt, earlier: list[Attempt]) -> bool:
    """Whether this attempt was made without the engine run and a new cut-out read since the one before it.

    An engine that was never recorded is assumed to have run when a cut-out was read.
    """
    before = next((a for a in reversed(earlier) if a.marks), None)
    if before is None or not attempt.marks:
        return False
    last = before.marks[-1].context.position
    now = attempt.marks[0].context
    engine_ran = now.run_position > last or (now.engine is None and now.run_position < 0)
    return not (engine_ran and now.cut_out_position > last)


def unrecorded(verdict: StageVerdict, names: list[str]) -> None:
    """States that were never recorded are assumed right, and that is said."""
    if names:
        verdict.find("state_not_recorded", states=names)


def knob_states(context: Context, unit: Unit) -> dict[str, str | None]:
    """Each of the unit's knobs and where it was."""
    return {knob: context.tractor if knob == "tractor" else context.trailer for knob in unit.knobs}


def late_and_disagreeing(verdict: StageVerdict, events: list[Event], case: JudgeContext) -> None:
    """The findings that any reading can bear: marked late, needles too far apart."""
    share = case.judging.gauges_disagree_share
    for event in events:
        if event.late:
            verdict.find("late_reading")
        primary, secondary = event.primary_psi, event.secondary_psi
        if primary is None or secondary is None:
            continue
        primary, secondary = round_tenth(primary), round_tenth(secondary)
        apart = round(abs(primary - secondary), 9)
        # a cut-out is itself the last reading of it
        own = max(primary, secondary) if event.stage == FILL_STAGE else None
        if apart > share * (own or cut_out_psi(case, case.state.marks.get(event.place))):
            verdict.find("gauges_disagree", apart_psi=apart, primary_psi=primary, secondary_psi=secondary)


def cut_out_psi(case: JudgeContext, context: Context | None) -> float:
    """ "The cut-out": the last reading before the mark, else the maker's figure, else the usual one."""
    return cut_out_of(case, context.cut_out if context else None)


def cut_out_of(case: JudgeContext, cut: Cut | None) -> float:
    """What "the cut-out" is, from the last reading of it: the higher needle of those that count."""
    read: float | None = None
    if cut is not None:
        # both needles count, or the primary alone
        both = len(case.needles) == 2 and cut.secondary_psi is not None
        read = cut.secondary_psi if both and (cut.primary_psi or 0.0) < (cut.secondary_psi or 0.0) else cut.primary_psi
    return read or case.unit.governor.cut_out_psi or case.judging.default_cut_out_psi


def cut_in_psi(case: JudgeContext, context: Context) -> float:
    """ "The cut-in": the last reading before the mark, else the maker's figure, else the usual one."""
    return context.cut_in_psi or case.unit.governor.cut_in_psi or case.judging.default_cut_in_psi


def reading_uncertainty_of(bound: AppliedBound, case: JudgeContext) -> float:
    """Expanded uncertainty of one reading against ``bound`` [psi]; a bound that hangs on a reading adds its own."""
    resolution = case.state.run.resolution_psi
    return drop_uncertainty(resolution) if bound.relative else reading_uncertainty(resolution)


def single_gauge(verdict: StageVerdict, read: int, case: JudgeContext) -> None:
    """On a dual unit where both needles count, only one was read."""
    if read == 1 and len(case.needles) == 2:
        verdict.find("single_gauge")

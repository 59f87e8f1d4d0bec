"""What if the rules were others: many runs judged again, one at a time, telling only what would change."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from lowhiss.core.judge import Overall, RunVerdict, fold_for, judge_run, judge_state
from lowhiss.core.procedure import Procedure
from lowhiss.core.record import Run
from lowhiss.core.rules import RuleSet


@dataclass(frozen=True, slots=True)
class Change:
    """One run under its own rules and under the others. ``stages``: (stage, before, after) where they differ."""

    run: Run
    before: Overall
    after: Overall
    stages: tuple[tuple[str, str, str], ...]

    @property
    def changed(self) -> bool:
        """Whether the vehicle's result would be another."""
        return self.before != self.after


def both(run: Run, rules: RuleSet, procedure: Procedure, others: RuleSet) -> tuple[RunVerdict, RunVerdict]:
    """The run's verdict under its own rules, and under the others. Raises RecordError where it contradicts itself."""
    if any(event.after_end or event.between for event in run.events):
        before = judge_run(run, rules, procedure, candidate=False)
        return before, judge_run(run, others, procedure, candidate=False)
    state = fold_for(run, rules)
    # the same needles and conventions fold to the same state
    same = (others.policy, others.judging) == (rules.policy, rules.judging)
    other = state if same else fold_for(run, others)
    return (
        judge_state(state, rules, procedure, candidate=False),
        judge_state(other, others, procedure, candidate=False),
    )


def replay(runs: Iterable[tuple[Run, RuleSet, Procedure]], others: RuleSet) -> Iterator[Change]:
    """Each run judged by its own rules and by ``others``, in the order given; nothing is kept between runs.

    Raises RecordError where a run contradicts itself.
    """
    for run, rules, procedure in runs:
        before, after = both(run, rules, procedure, others)
        old = {stage: verdict.outcome for stage, verdict in before.standing().items()}
        new = {stage: verdict.outcome for stage, verdict in after.standing().items()}
        differing = tuple((stage, old[stage], new[stage]) for stage in old if stage in new and old[stage] != new[stage])
        yield Change(run, before.overall, after.overall, differing)

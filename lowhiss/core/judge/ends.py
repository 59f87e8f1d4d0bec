"""A run from a recording: each number lies between two ends, and a result that they do not agree on stays open."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

from lowhiss.core.findings import FINDINGS
from lowhiss.core.judge.model import DECIDED, RunVerdict, StageVerdict
from lowhiss.core.record import Event, Run

Judge = Callable[[Run], RunVerdict]
_LOW, _HIGH = 0, 1


def leaves_open(run: Run) -> bool:
    """Whether any of its marks is known only between two ends."""
    return any(event.between for event in run.events)


def judge_between(run: Run, judge: Judge) -> RunVerdict:
    """The verdict of the middle; a stage whose ends pass and fail is *not done*, with the finding ``astride_limit``."""
    middle, *ends = (judge(run), judge(_at(run, _LOW)), judge(_at(run, _HIGH)))
    for place, stage in enumerate(middle.stages):
        others = [one.stages[place] for one in ends if place < len(one.stages)]
        stage.between = _between([stage, *others])
        outcomes = {stage.outcome, *(one.outcome for one in others)}
        if stage.outcome in DECIDED and outcomes.issuperset(DECIDED):
            stage.outcome = "not_done"
            stage.withdraw_comparison()
            stage.find("astride_limit")
    return middle


def without_candidate(verdict: RunVerdict) -> None:
    """Only facts of the vehicle stay: what nobody marked says nothing of who did it."""
    for stage in verdict.stages:
        stage.findings = [one for one in stage.findings if FINDINGS[one.code].weight == "fact"]
    verdict.coach = [one for stage in verdict.stages for one in stage.findings]
    verdict.critical, verdict.minor = [], []


def _at(run: Run, end: int) -> Run:
    events = tuple(event if event.between is None else _moved(event, end) for event in run.events)
    return replace(run, events=events)


def _moved(event: Event, end: int) -> Event:
    ends: dict[str, Any] = {name: pair[end] for name, pair in (event.between or {}).items()}
    return event._replace(**ends)


def _between(stages: Sequence[StageVerdict]) -> dict[str, tuple[float, float]]:
    """The ends of each figure over all verdicts, where they differ."""
    found: dict[str, tuple[float, float]] = {}
    for name, value in stages[0].measured.items():
        values = [one.measured.get(name) for one in stages]
        numbers = [one for one in values if isinstance(one, int | float) and not isinstance(one, bool)]
        if isinstance(value, int | float) and len(numbers) == len(stages) and min(numbers) < max(numbers):
            found[name] = (min(numbers), max(numbers))
    return found

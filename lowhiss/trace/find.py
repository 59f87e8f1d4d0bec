"""Which stages a log holds: the likeliest way to lay an order of work over what was seen, for any order there is."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from lowhiss.core.procedure import Procedure
from lowhiss.core.rules import RuleSet
from lowhiss.core.stages import STEP_TABLE, Stage, is_stage
from lowhiss.core.vehicle import Unit
from lowhiss.trace.candidates import FoundStage, Shape, blasts, climbs, holds, placed, pops, shape_of, turns, warnings
from lowhiss.trace.recording import Recording, TraceError, grid_of

_FEWEST_STAGES, _LEAST_SHARE = 3, 0.5
_SLACK_S = 2.0
"""A stage may begin that much before the one before it was found to end."""


@dataclass(frozen=True, slots=True)
class Found:
    """What was found of an order of work: one entry for each of its stages that a log can show; None: not seen."""

    procedure: Procedure
    stages: tuple[tuple[Stage, FoundStage | None], ...]
    step_psi: float
    moved: frozenset[int] = frozenset()

    @property
    def share(self) -> float:
        """How much of the order was found."""
        return sum(found is not None for _, found in self.stages) / max(1, len(self.stages))

    @property
    def is_test(self) -> bool:
        """Whether what was seen can be a brake test: a part of the order, with a stage that driving never shows.

        Filling air, cut-outs and a minute at rest are in every day's log; both holds, or air pumped down to the warning
        or the knobs, are not. A stage that a person placed is one too.
        """
        seen = [stage for stage, one in self.stages if one is not None]
        if self.moved:
            return True
        kinds = {STEP_TABLE[stage].kind for stage in seen}
        holds = {stage for stage in seen if STEP_TABLE[stage].kind == "hold"}
        telling = bool(kinds & {"warning", "knobs"}) or len(holds) > 1
        return telling and (len(seen) >= _FEWEST_STAGES or self.share >= _LEAST_SHARE)

    @property
    def open(self) -> frozenset[int]:
        """The places of holds of which a log alone can't say whether the pedal was held.

        An application takes air whether the pedal stays down or not, so a minute at rest after one may be either. Only
        where the same log holds both, the one without a fall before it and the one with, are they told apart.
        """
        holds = {
            place: stage for place, (stage, one) in enumerate(self.stages) if one and STEP_TABLE[stage].kind == "hold"
        }
        if len(set(holds.values())) > 1:
            return frozenset()
        return frozenset(holds) - self.moved


def find_stages(recording: Recording, procedures: Sequence[Procedure], rules: RuleSet, unit: Unit) -> Found:
    """The order that explains the log best, with its stages. Raises TraceError for a log that is none.

    procedures : one, or all that it may be; of two that explain it equally well the shorter.
    """
    shape = shape_of(grid_of(recording))
    found = [_by_procedure(shape, one, rules, unit) for one in procedures]
    return max(found, key=lambda one: (sum(stage is not None for _, stage in one.stages) + one.share, -len(one.stages)))


def put_where(recording: Recording, found: Found, moved: Mapping[int, tuple[float, float]]) -> Found:
    """What was found, with stages measured where a person put them. Raises TraceError for a place that there is not."""
    shape = shape_of(grid_of(recording))
    stages = list(found.stages)
    for place, (from_s, to_s) in moved.items():
        if not 0 <= place < len(stages):
            raise TraceError("moved", f"names stage {place}; there are {len(stages)}")
        stage, was = stages[place]
        stages[place] = (stage, placed(shape, stage, was, from_s, to_s))
    return replace(found, stages=tuple(stages), moved=frozenset(moved))


def _by_procedure(shape: Shape, procedure: Procedure, rules: RuleSet, unit: Unit) -> Found:
    wanted: list[Stage] = [step for step in procedure.steps_on(unit) if is_stage(step) and not STEP_TABLE[step].moves]
    seen: dict[Stage, list[FoundStage]] = {
        stage: _candidates(shape, stage, rules, unit) for stage in dict.fromkeys(wanted)
    }
    chosen = _best(wanted, seen)
    return Found(procedure, tuple(zip(wanted, chosen, strict=True)), shape.grid.step_psi)


def _candidates(shape: Shape, stage: Stage, rules: RuleSet, unit: Unit) -> list[FoundStage]:
    limit = rules.limit_for(stage, unit)
    kind = STEP_TABLE[stage].kind
    if kind == "climb":
        return list(climbs(shape, limit.window_psi)) if limit is not None and limit.window_psi else []
    if kind in ("governor", "refill"):
        return list(turns(shape)) if stage == "cut_in" else list(blasts(shape))
    if kind == "hold":
        held = STEP_TABLE[stage].states.get("pedal") is not None and stage == "leak_applied"
        return list(holds(shape, (limit.hold_s if limit is not None else None) or 60.0, held))
    return list(warnings(shape)) if kind == "warning" else list(pops(shape, tuple(unit.knobs)))


def _best(wanted: Sequence[Stage], seen: dict[Stage, list[FoundStage]]) -> list[FoundStage | None]:
    """The heaviest choice in order of time: each stage once, each after the one before, or not seen at all."""
    states: list[tuple[float, float, tuple[FoundStage | None, ...]]] = [(0.0, float("-inf"), ())]
    for stage in wanted:
        following: list[tuple[float, float, tuple[FoundStage | None, ...]]] = []
        for weight, until_s, chosen in states:
            following.append((weight, until_s, (*chosen, None)))
            following += [
                (weight + one.weight, one.to_s, (*chosen, one))
                for one in seen[stage]
                if one.to_s > until_s and _begins(one) >= until_s - _SLACK_S and one not in chosen
            ]
        states = _worth_reporting(following)
    return list(max(states, key=lambda one: (one[0], -one[1]))[2])


def _begins(one: FoundStage) -> float:
    """From when a stage must lie after the one before: fanning and rises are shared, their marks are not."""
    return one.marks[0].at_s if one.marks else one.from_s


def _worth_reporting(
    states: list[tuple[float, float, tuple[FoundStage | None, ...]]],
) -> list[tuple[float, float, tuple[FoundStage | None, ...]]]:
    """Of choices that end at the same time the heaviest; of heavier ones that end sooner the others are not needed."""
    kept: list[tuple[float, float, tuple[FoundStage | None, ...]]] = []
    for state in sorted(states, key=lambda one: (one[1], -one[0])):
        if not kept or state[0] > kept[-1][0]:
            kept.append(state)
    return kept

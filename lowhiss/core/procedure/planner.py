"""The planner: whether an order of work is legal from a state, what it costs, and the cheapest order of chosen stages.

A plan is reckoned on a small state of the vehicle (pressure, engine, knobs, chocks). Where an order leaves out what a
stage needs, the planner puts the missing actions in and counts them; only what no action can mend makes it illegal.
"""

from __future__ import annotations

import heapq
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cache
from itertools import count

from lowhiss.core.errors import RuleError
from lowhiss.core.rules import RuleSet
from lowhiss.core.stages import STEP_TABLE, Stage, Step, applies, kind_of, stages_of, wants_engine_off
from lowhiss.core.vehicle import Unit


@dataclass(frozen=True, slots=True)
class Times:
    """How long each action takes [s]."""

    safe_start: float
    release: float
    settle: float
    draw_down: float
    park: float
    chocks_in: float
    chocks_out: float
    stroke: float
    mark: float
    hold_test: float
    rolling: float
    leak_hold: float


@dataclass(frozen=True, slots=True)
class Rates:
    """How this unit's air behaves: its own history where there is one, else what is usual for its kind.

    build_50_90_s, build_85_100_s : build-up times over two windows [s].
    release_drop_psi, application_drop_psi : what knobs in and one full application take at full air.
    """

    build_50_90_s: float
    build_85_100_s: float
    release_drop_psi: float
    application_drop_psi: float

    def build_s(self, from_psi: float, to_psi: float) -> float:
        """The time to pump from one pressure to another; slower above 85 psi than below [s]."""
        if to_psi <= from_psi:
            return 0.0
        low, high = (50.0, 90.0), (85.0, 100.0)  # the windows that the two times are named after
        below = max(0.0, min(to_psi, high[0]) - from_psi) * self.build_50_90_s / (low[1] - low[0])
        above = max(0.0, to_psi - max(from_psi, high[0])) * self.build_85_100_s / (high[1] - high[0])
        return below + above


@dataclass(frozen=True, slots=True)
class Pressures:
    """The pressures at which a plan turns [psi gauge]; ``stroke_share``: of a full application, what fanning takes."""

    warning_psi: float
    pop_psi: float
    charged_psi: float
    roll_psi: float
    warning_start_psi: float
    governor_band_psi: float
    build_lower_psi: float
    build_upper_psi: float
    stroke_share: float


@dataclass(frozen=True, slots=True)
class Planning:
    """All that the planner reckons with, for one kind of unit."""

    times: Times
    pressures: Pressures
    rates: Rates


@dataclass(frozen=True, slots=True)
class Standing:
    """How the vehicle stands: what a plan begins from and leaves behind.

    full_read : a cut-out was read since the engine was last started.  sprung : the knobs have popped in this test.
    unloaded : the compressor rests, and will until the pressure has fallen to cut-in.
    drawn_down : it has just been brought there, engine running, so that cut-in can be read.
    """

    pressure_psi: float = 0.0
    engine_running: bool = False
    knobs_in: bool = False
    chocked: bool = True
    full_read: bool = False
    unloaded: bool = False
    drawn_down: bool = False
    sprung: bool = False


@dataclass(frozen=True, slots=True)
class PlannedStep:
    """One step with what it takes. ``added`` : the order left it out and a stage needs it."""

    step: Step
    added: bool
    seconds: float
    refill: bool
    start_psi: float
    end_psi: float


@dataclass(frozen=True, slots=True)
class Plan:
    """A legal order with its cost.

    refills : times the compressor pumps up to where it stops.  engine_starts : times the engine is started.
    """

    steps: tuple[PlannedStep, ...]
    end: Standing

    @property
    def seconds(self) -> float:
        """Predicted time, waiting for air included [s]."""
        return sum(step.seconds for step in self.steps)

    @property
    def refills(self) -> int:
        """How often the air is pumped up to cut-out."""
        return sum(step.refill for step in self.steps)

    @property
    def engine_starts(self) -> int:
        """How often the engine is started."""
        return sum(step.step == "safe_start" for step in self.steps)


def begins_full(order: Sequence[Step]) -> bool:
    """Whether an order begins with full tanks and the engine off."""
    return bool(order) and (order[0] == "release" or wants_engine_off(order[0]))


def standing_before(order: Sequence[Step], unit: Unit, rules: RuleSet, planning: Planning) -> Standing:
    """How the vehicle stands when an order begins: full where it begins with the engine off, else where knobs pop."""
    full_psi = unit.governor.cut_out_psi or rules.judging.default_cut_out_psi
    full = begins_full(order)
    return Standing(pressure_psi=full_psi if full else planning.pressures.pop_psi, full_read=full)


class IllegalOrderError(RuleError):
    """No action can make this order right; ``field`` names the step, the sentence says what must come first.

    step, first : the step that cannot be done, and those of which one must come before it.
    """

    def __init__(self, field: str, problem: str, step: Step, first: Sequence[Step]) -> None:
        super().__init__(field, problem)
        self.step, self.first = step, tuple(first)


def plan(order: Sequence[Step], unit: Unit, rules: RuleSet, planning: Planning, start: Standing | None = None) -> Plan:
    """The order as it will be done from ``start``, with missing actions added. Raises IllegalOrderError.

    What does not apply to the unit is left out.
    """
    planner = _Planner(unit, rules, planning)
    standing = start or Standing()
    steps: list[PlannedStep] = []
    for index, step in enumerate(order):
        if not applies(step, unit):
            continue
        standing, done = planner.do(standing, step, f"steps[{index}]")
        steps += done
    return Plan(tuple(steps), standing)


def cheapest_order(
    stages: Collection[Stage], unit: Unit, rules: RuleSet, planning: Planning, start: Standing | None = None
) -> Plan:
    """The quickest legal order of the chosen stages, each done once. Raises IllegalOrderError when there is none.

    Uniform-cost search over what is done and how the vehicle stands.
    """
    wanted = [stage for stage in dict.fromkeys(stages) if applies(stage, unit)]
    planner = _Planner(unit, rules, planning)
    ticket = count()
    begin = start or Standing()

    @cache
    def reach(standing: Standing, stage: Stage) -> tuple[Standing, tuple[PlannedStep, ...], float] | None:
        try:
            after, added = planner.do(standing, stage, stage)
        except IllegalOrderError:
            return None
        return _rounded(after), added, sum(step.seconds for step in added)

    heap: list[tuple[float, int, frozenset[Stage], Standing, tuple[PlannedStep, ...]]] = []
    heapq.heappush(heap, (0.0, next(ticket), frozenset(), begin, ()))
    settled: set[tuple[frozenset[Stage], Standing]] = set()
    while heap:
        seconds, _, done, standing, steps = heapq.heappop(heap)
        if (done, standing) in settled:
            continue
        settled.add((done, standing))
        if len(done) == len(wanted):
            return Plan(steps, standing)
        for stage in wanted:
            if stage in done:
                continue
            reached = reach(standing, stage)
            if reached is not None:
                after, added, takes_s = reached
                heapq.heappush(heap, (seconds + takes_s, next(ticket), done | {stage}, after, steps + added))
    names, refill, first = ", ".join(wanted), stages_of("refill")[0], stages_of("knobs")
    problem = f"there is no legal order of {names}: {refill} needs {first[0]} before it"
    raise IllegalOrderError("stages", problem, refill, first)


def _rounded(standing: Standing) -> Standing:
    return replace(standing, pressure_psi=round(standing.pressure_psi))


class _Planner:
    """Does one step at a time on a Standing, adding the actions that the step needs."""

    def __init__(self, unit: Unit, rules: RuleSet, planning: Planning) -> None:
        self.unit, self.rules = unit, rules
        self.times, self.pressures, self.rates = planning.times, planning.pressures, planning.rates
        governor = unit.governor
        self.cut_out_psi = governor.cut_out_psi or rules.judging.default_cut_out_psi
        self.cut_in_psi = governor.cut_in_psi or self.cut_out_psi - self.pressures.governor_band_psi

    def do(
        self, standing: Standing, step: Step, at: str, *, added: bool = False, down_to_psi: float | None = None
    ) -> tuple[Standing, tuple[PlannedStep, ...]]:
        """The step, with the actions it needs before it."""
        done: list[PlannedStep] = []
        # what spends air to a pressure of its own is already part of a sequence that was thought out
        if down_to_psi is None:
            for action, target_psi in self.missing(standing, step, at):
                standing, taken = self.do(standing, action, at, added=True, down_to_psi=target_psi)
                done += taken
        after, seconds, refill = self.apply(standing, step, down_to_psi)
        after = replace(after, drawn_down=step == "draw_down" and standing.unloaded and standing.engine_running)
        if after.pressure_psi <= self.cut_in_psi:
            after = replace(after, unloaded=False)
        done.append(PlannedStep(step, added, round(seconds, 1), refill, standing.pressure_psi, after.pressure_psi))
        return after, tuple(done)

    def missing(self, standing: Standing, step: Step, at: str) -> Iterator[tuple[Step, float | None]]:
        """The actions that the step needs first, each with the pressure it spends air down to, if it does."""
        row = STEP_TABLE[step]
        if row.kind == "refill" and not standing.sprung:
            first = stages_of("knobs")
            problem = f"is {step}, which passes only after {' or '.join(first)}: put that before it"
            raise IllegalOrderError(at, problem, step, first)
        if step == "release":
            yield from self._before_release(standing)
        elif step == "draw_down":
            yield from self._before_draw_down(standing)
        elif row.kind == "climb":
            yield from self._before_climb(standing)
        elif row.fills or row.kind == "refill":
            yield from self._before_filling(standing)
        elif row.kind == "governor":
            yield from self._before_cut_in(standing)
        elif wants_engine_off(step):
            yield from self._before_still(standing, step)
        elif row.moves:
            yield from self._before_moving(standing)

    def _before_release(self, standing: Standing) -> Iterator[tuple[Step, float | None]]:
        if not standing.chocked:
            yield "chocks_in", None

    def _before_draw_down(self, standing: Standing) -> Iterator[tuple[Step, float | None]]:
        if not standing.engine_running:
            yield "safe_start", None

    def _before_climb(self, standing: Standing) -> Iterator[tuple[Step, float | None]]:
        lower = self.build_window()[0]
        if standing.pressure_psi >= lower:
            # with the engine running the compressor would work against it
            yield "release", None
            yield "draw_down", lower - 1.0
            yield "safe_start", None
        elif not standing.engine_running:
            yield "safe_start", None

    def _before_filling(self, standing: Standing) -> Iterator[tuple[Step, float | None]]:
        if not standing.engine_running:
            yield "safe_start", None
        if standing.unloaded and standing.pressure_psi > self.cut_in_psi:
            yield "draw_down", None  # a full system never cycles the governor

    def _before_cut_in(self, standing: Standing) -> Iterator[tuple[Step, float | None]]:
        if standing.drawn_down:
            return
        if not standing.unloaded:
            yield "cut_out", None
        yield "draw_down", None

    def _before_still(self, standing: Standing, step: Step) -> Iterator[tuple[Step, float | None]]:
        released_psi = standing.pressure_psi - (0.0 if standing.knobs_in else self.rates.release_drop_psi)
        stale = STEP_TABLE[step].refill == "stale" and not standing.full_read
        if released_psi < self.needed_psi(step) or stale:
            yield "cut_out", None
            yield "release", None
        elif standing.engine_running or not standing.knobs_in:
            yield "release", None
        elif not standing.chocked:
            yield "chocks_in", None

    def _before_moving(self, standing: Standing) -> Iterator[tuple[Step, float | None]]:
        if not standing.engine_running:
            yield "safe_start", None
        if standing.pressure_psi < self.pressures.roll_psi:
            yield "cut_out", None
        if standing.chocked:
            yield "chocks_out", None

    def needed_psi(self, step: Step) -> float:
        """The pressure that an engine-off stage begins from at the least."""
        kind = kind_of(step)
        if kind == "hold":
            return self.pressures.charged_psi + self.taken_by_pedal_psi(step)
        return self.pressures.warning_start_psi if kind == "warning" else self.pressures.pop_psi

    def taken_by_pedal_psi(self, step: Step) -> float:
        """What the full application of a hold takes, where it has one."""
        return self.rates.application_drop_psi if STEP_TABLE[step].states.get("pedal") == "full" else 0.0

    def build_window(self) -> tuple[float, float]:
        """The marks of a build-up under these rules; the usual ones where there is no limit."""
        limit = self.rules.limit_for(stages_of("climb")[0], self.unit)
        if limit is not None and limit.window_psi is not None:
            return limit.window_psi
        return self.pressures.build_lower_psi, self.pressures.build_upper_psi

    def apply(self, standing: Standing, step: Step, down_to_psi: float | None) -> tuple[Standing, float, bool]:
        """What the step does to the vehicle, how long it takes [s], and whether it is a refill."""
        before = standing.pressure_psi
        row = STEP_TABLE[step]
        if row.kind == "action":
            return *self._act(standing, step, down_to_psi), False
        if row.fills or row.kind == "refill":
            full = replace(standing, pressure_psi=self.cut_out_psi, full_read=True, unloaded=True)
            return full, self.rates.build_s(before, self.cut_out_psi) + self.times.mark, before < self.cut_out_psi
        if row.kind == "governor":
            return replace(standing, pressure_psi=min(before, self.cut_in_psi)), self.times.mark, False
        if row.kind == "climb":
            upper = self.build_window()[1]
            return replace(standing, pressure_psi=upper), self.rates.build_s(before, upper) + self.times.mark, False
        if row.kind == "hold":
            limit = self.rules.limit_for(step, self.unit)
            drop = self.taken_by_pedal_psi(step)
            hold_s = (limit.hold_s if limit else None) or self.times.leak_hold
            return replace(standing, pressure_psi=before - drop), self.times.settle + hold_s, False
        if row.kind == "warning":
            target = min(before, self.pressures.warning_psi)
            return replace(standing, pressure_psi=target), self.fanning_s(before, target) + self.times.mark, False
        if row.kind == "knobs":
            target = min(before, self.pressures.pop_psi)
            sprung = replace(standing, pressure_psi=target, knobs_in=False, sprung=True)
            return sprung, self.fanning_s(before, target) + self.times.mark, False
        return standing, self.times.rolling if row.kind == "roll" else self.times.hold_test, False

    def _act(self, standing: Standing, action: Step, down_to_psi: float | None) -> tuple[Standing, float]:
        times, psi = self.times, standing.pressure_psi
        match action:
            case "safe_start":
                return replace(standing, engine_running=True, knobs_in=False, full_read=False), times.safe_start
            case "release":
                psi = max(0.0, psi - (0.0 if standing.knobs_in else self.rates.release_drop_psi))
                still = replace(standing, engine_running=False, knobs_in=True, pressure_psi=psi)
                return still, times.release + times.settle
            case "draw_down":
                target = min(psi, self.cut_in_psi if down_to_psi is None else down_to_psi)
                return replace(standing, pressure_psi=target), max(times.draw_down, self.fanning_s(psi, target))
            case "park":
                return replace(standing, knobs_in=False), times.park
            case "chocks_in":
                return replace(standing, chocked=True), times.chocks_in
            case _:
                return replace(standing, chocked=False), times.chocks_out

    def fanning_s(self, from_psi: float, to_psi: float) -> float:
        """The time to spend air by strokes of the pedal, each taking a share of a full application [s]."""
        each = self.rates.application_drop_psi * self.pressures.stroke_share
        return max(0.0, from_psi - to_psi) / each * self.times.stroke

"""The guide: which step a run stands at, what it still needs, and what is to be marked and said in it.

An interpreter of a led order, without a word of the trade of its own: steps, effects and needs come from the table of
stages. A device leads by the same data without contact (`web/src/run/guide.ts`); generated walks hold the two together.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

from lowhiss.core.procedure.model import Procedure
from lowhiss.core.record import ASIDE_TYPES
from lowhiss.core.stages import (
    EFFECTS,
    FILL_AFTER,
    FRESH,
    REFILL_STEPS,
    STEP_TABLE,
    Body,
    Effect,
    Facts,
    MarkPrompt,
    Need,
    NeedRow,
    Refill,
    Stage,
    Step,
    after,
    holds,
    is_stage,
    needs_of,
    needs_table,
    prompts_of,
    says_of,
)
from lowhiss.core.vehicle import Holding, Knob, Unit

RefillAfter = Literal["always", "rolling"]


@dataclass(frozen=True, slots=True)
class LedStep:
    """A step as it is led on one unit; one with nothing to mark is done when all that it needs is so.

    refill : ``stale`` goes through the order's refill first where the air is not fresh, and like ``again`` when it was
        marked before.
    refill_after : once the order's filling up afterwards was marked, it comes again after this step: ``always``, or
        where something that rolls is still to come.
    straight_on : the stage that follows without a pause, because air goes on building or being spent.
    by_the_way : done by doing the stage after it.  rolls : locked until nothing stands failed or unjudged.
    marked_as : the stage that its marks are of; another than itself cannot be begun again by its own name.
    """

    step: Step
    needs: tuple[Need, ...]
    prompts: tuple[MarkPrompt, ...]
    says: tuple[str, ...]
    refill: Refill | None = None
    refill_after: RefillAfter | None = None
    straight_on: Stage | None = None
    by_the_way: bool = False
    rolls: bool = False
    marked_as: Step | None = None


def marked_as(step: Step) -> Step:
    """The step that a step's marks are of."""
    return STEP_TABLE[step].marked_as or step


def led_step(step: Step, unit: Unit, *, unchocked: bool = False) -> LedStep:
    """How a step is led on this unit; ``unchocked`` where the order took the chocks out before."""
    row = STEP_TABLE[step]
    refill_after: RefillAfter | None = ("always" if row.drains else "rolling") if row.refill else None
    return LedStep(
        step=step,
        needs=needs_of(step, unit, unchocked=unchocked),
        prompts=prompts_of(step, unit),
        says=says_of(step),
        refill=row.refill,
        refill_after=refill_after,
        straight_on=row.straight_on,
        by_the_way=row.by_the_way,
        rolls=row.moves,
        marked_as=marked_as(step),
    )


@dataclass(frozen=True)
class LedOrder:
    """An order of work as it is led on one unit.

    refill : the steps of a refill.  fill_after : what fills up again what was spent, by name.
    fresh : how the vehicle stands on air that is not old.
    needs, effects : when each need is so, and what each event says of the vehicle.
    aside : types of events that say nothing of where the run stands.
    """

    steps: tuple[LedStep, ...]
    refill: tuple[LedStep, ...]
    fill_after: tuple[Step, ...]
    fresh: Facts
    knobs: tuple[Knob, ...]
    needs: dict[Need, NeedRow]
    effects: tuple[Effect, ...]
    aside: tuple[str, ...]

    @cached_property
    def effects_of(self) -> dict[str, tuple[Effect, ...]]:
        """The effects by the type of their event."""
        types = dict.fromkeys(effect.event["type"] for effect in self.effects)
        return {kind: tuple(e for e in self.effects if e.event["type"] == kind) for kind in types}


def led_order(procedure: Procedure, unit: Unit, holding: Holding = "gear_noted") -> LedOrder:
    """The procedure as it is led on this unit, held as ``holding`` says."""
    led = []
    unchocked = False
    steps = procedure.steps_on(unit)
    for place, step in enumerate(steps):
        unchocked = step == "chocks_out" or (unchocked and step != "chocks_in")
        one = led_step(step, unit, unchocked=unchocked)
        following = steps[place + 1] if place + 1 < len(steps) else None
        # what is marked as the stage that follows straight on follows as well, such as the refill after the knobs
        if one.straight_on and following and is_stage(following) and marked_as(following) == one.straight_on:
            one = replace(one, straight_on=following)
        led.append(one)
    return LedOrder(
        steps=tuple(led),
        refill=tuple(led_step(step, unit) for step in REFILL_STEPS),
        fill_after=FILL_AFTER,
        fresh=FRESH,
        knobs=unit.knobs,
        needs=needs_table(unit, holding),
        effects=EFFECTS,
        aside=ASIDE_TYPES,
    )


@dataclass(frozen=True, slots=True)
class Entry:
    """A step in the order of work; ``index`` is its place in the procedure, None where a retest or refill put it in."""

    step: LedStep
    index: int | None


@dataclass(frozen=True, slots=True)
class Lead:
    """Where a run stands.

    queue : what is still to be done, the present step first; empty when all is done.
    done : what was done, in order.  skipped : what was left out.
    unmet : what the present step needs and is not so.  marks : what is still to be marked in it, in order.
    missing : the marks that the first of those marks still lacks.  says : what is still to be said in it.
    untouched : nothing has been marked yet since the present step came up.
    turned : a stage was turned to, or begun again, and nothing has been marked since.  fresh : the air is not old.
    """

    queue: tuple[Entry, ...]
    done: tuple[Entry, ...]
    skipped: tuple[Entry, ...]
    unmet: tuple[Need, ...]
    prompts: tuple[MarkPrompt, ...]
    missing: tuple[Body, ...]
    says: tuple[str, ...]
    untouched: bool
    turned: bool
    fresh: bool

    @property
    def step(self) -> Step | None:
        """The present step; None when all is done."""
        return self.queue[0].step.step if self.queue else None


def lead(order: LedOrder, events: Iterable[Body]) -> Lead:
    """Where the run stands after ``events``, those that stand, in order; withdrawn ones are left out before."""
    guide = Guide(order)
    for event in events:
        guide.take(event)
    return guide.lead()


class Guide:
    """The order of work while events are taken one by one."""

    def __init__(self, order: LedOrder) -> None:
        self.order = order
        # what a refill puts in stands on chocks, whatever the order itself does
        self.steps = {step.step: step for step in (*order.steps, *order.refill)}
        self.queue = [Entry(step, index) for index, step in enumerate(order.steps)]
        self.done: list[Entry] = []
        self.skipped: list[Entry] = []
        self.vehicle: Facts = {}
        self.marked: set[Step] = set()
        self.turned = False
        self._come_up()

    def _come_up(self) -> None:
        """Another step is the present one now."""
        self.seen: list[Body] = []
        self.said: set[str] = set()
        self.denied: set[Need] = set()
        self.untouched = True

    def take(self, event: Body) -> None:
        """The next event that stands."""
        kind = event["type"]
        if (effects := self.order.effects_of.get(kind)) is not None:
            self.vehicle = after(self.vehicle, event, effects)
        if kind == "attempt":
            self._turn_to(event["stage"])
        elif kind == "skipped":
            self._leave_out(event["stage"])
        elif kind == "said":
            self.said.add(event["what"])
        elif kind not in self.order.aside:
            self._mark(event)
        while self.queue and self._is_done(self.queue[0].step):
            self.done.append(self.queue.pop(0))
            self._come_up()

    def _mark(self, event: Body) -> None:
        self._catch_up(event)
        if not self.queue:
            return
        present = self.queue[0].step
        self.untouched = False
        self.seen.append(event)
        if _fits(event, present):
            self.marked.add(present.step)
        for need in present.needs:
            if any(_matches(event, body) for body in self.order.needs[need].denied):
                self.denied.add(need)
            elif self._meets(need):
                self.denied.discard(need)

    def _catch_up(self, event: Body) -> None:
        """A mark of a stage further on shows that the actions before it were done, though nobody marked them."""
        for place, entry in enumerate(self.queue):
            if any(prompt.leads and _makes(event, prompt) for prompt in entry.step.prompts):
                self.turned = False
                self.done += self.queue[:place]
                del self.queue[:place]
                if place:
                    self._come_up()
                return
            if entry.step.prompts:
                return

    def _turn_to(self, stage: Step) -> None:
        """Another stage now, or the same one again."""
        place = next((n for n, entry in enumerate(self.queue) if entry.step.step == stage), None)
        if place is None and stage not in self.steps:
            return
        entry = self.queue.pop(place) if place is not None else Entry(self.steps[stage], None)
        step = entry.step
        put_in: tuple[LedStep, ...] = ()
        fills: tuple[LedStep, ...] = ()
        stale = step.refill == "stale" and not holds(self.order.fresh, self.vehicle)
        if step.refill and (stage in self.marked or stale):
            put_in = self.order.refill
        rolls_later = any(waiting.step.rolls for waiting in self.queue)
        spent = step.refill_after == "always" or (step.refill_after == "rolling" and rolls_later)
        if spent and self.order.fill_after[-1] in self.marked:
            fills = tuple(self.steps[name] for name in self.order.fill_after)
        self.queue[:0] = [*(Entry(one, None) for one in put_in), entry, *(Entry(one, None) for one in fills)]
        self._come_up()
        self.turned = True

    def _leave_out(self, stage: Step) -> None:
        place = next((n for n, entry in enumerate(self.queue) if entry.step.step == stage), None)
        if place is not None:
            self.skipped.append(self.queue.pop(place))
            if place == 0:
                self._come_up()

    def _is_done(self, present: LedStep) -> bool:
        if present.prompts:
            return all(prompt.optional or not self._lacking(prompt) for prompt in present.prompts)
        return not self._unmet(present)

    def _lacking(self, prompt: MarkPrompt) -> tuple[Body, ...]:
        return tuple(mark for mark in prompt.marks if not any(_matches(event, mark) for event in self.seen))

    def _meets(self, need: Need) -> bool:
        return any(holds(facts, self.vehicle) for facts in self.order.needs[need].met)

    def _unmet(self, present: LedStep) -> tuple[Need, ...]:
        return tuple(need for need in present.needs if not self._meets(need) and need not in self.denied)

    def lead(self) -> Lead:
        """Where the run stands now."""
        queue, done, skipped = tuple(self.queue), tuple(self.done), tuple(self.skipped)
        fresh = holds(self.order.fresh, self.vehicle)
        if not queue:
            return Lead((), done, skipped, (), (), (), (), self.untouched, self.turned, fresh)
        present = queue[0].step
        # an advised mark is over once a later one was made
        last = max((n for n, s in enumerate(present.prompts) if len(self._lacking(s)) < len(s.marks)), default=-1)
        prompts = tuple(s for n, s in enumerate(present.prompts) if self._lacking(s) and not (s.optional and n <= last))
        begun = any(_fits(event, present) for event in self.seen)  # then nothing that it needed is asked again
        return Lead(
            queue=queue,
            done=done,
            skipped=skipped,
            unmet=() if begun else self._unmet(present),
            prompts=prompts,
            missing=self._lacking(prompts[0]) if prompts else (),
            says=tuple(what for what in present.says if what not in self.said),
            untouched=self.untouched,
            turned=self.turned,
            fresh=fresh,
        )


def _matches(event: Body, mark: Body) -> bool:
    for key, value in mark.items():
        found = event.get(key)
        if found is None if value is None else found != value:
            return False
    return True


def _makes(event: Body, prompt: MarkPrompt) -> bool:
    return any(_matches(event, mark) for mark in prompt.marks)


def _fits(event: Body, step: LedStep) -> bool:
    return any(_makes(event, prompt) for prompt in step.prompts)

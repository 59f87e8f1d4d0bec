"""The guide: which step a run stands at, what it still needs, and what is to be struck and said in it.

A device leads by the same rules without contact: everything here works on the steps of a run script and on events as
they are struck, and `web/src/live/guide.cases.gen.json` holds worked cases that both sides must answer alike.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal, cast

from lowhiss.core.procedure.model import Procedure, Step, is_stage
from lowhiss.core.procedure.needs import Need, needs_of
from lowhiss.core.rules import LIMITED_STAGES, Stage
from lowhiss.core.vehicle import Knob, Unit

Body = Mapping[str, Any]
"""The fields of one event's type, as in the open run record."""
Refill = Literal["stale", "again"]
REFILL_STEPS: tuple[Step, ...] = ("safe_start", "cut_out", "release")
"""What a stage repeated, or begun on old air, must go through first."""

_REFILL: dict[Step, Refill] = {
    "leak_released": "stale",
    "leak_applied": "stale",
    "low_air_warning": "again",
    "spring_brakes": "again",
}
_STRAIGHT_ON: dict[Step, Stage] = {"build_up": "cut_out", "low_air_warning": "spring_brakes"}
_MOVING = frozenset({"hold_trailer", "hold_parking", "rolling_service"})
_ASIDE = frozenset({"note", "valued", "finished", "abandoned"})
_MARKS = frozenset({"reading", "warning", "knob", "held", "rolled"})


@dataclass(frozen=True, slots=True)
class Strike:
    """One thing to strike. ``marks``: each event it makes; an empty value stands for any.

    optional : advised, never required.  reads : its marks want numbers.
    """

    name: str
    marks: tuple[Body, ...]
    optional: bool = False
    reads: bool = False


@dataclass(frozen=True, slots=True)
class LedStep:
    """A step as it is led.

    refill : ``stale`` goes through `REFILL_STEPS` first where no cut-out was read since the engine was started, and
        like ``again`` when it was marked before.
    straight_on : the stage that follows without a pause, because air goes on building or being spent.
    """

    step: Step
    needs: tuple[Need, ...]
    strikes: tuple[Strike, ...]
    says: tuple[str, ...]
    refill: Refill | None = None
    straight_on: Stage | None = None


def led_step(step: Step, unit: Unit, *, unchocked: bool = False) -> LedStep:
    """How a step is led on this unit; ``unchocked`` where the order took the chocks out before."""
    needs = needs_of(step, unit, unchocked=unchocked)
    return LedStep(step, needs, strikes_of(step, unit), says_of(step), _REFILL.get(step), _STRAIGHT_ON.get(step))


@dataclass(frozen=True, slots=True)
class LedOrder:
    """An order of work as it is led: its steps, those of a refill, and the knobs that "all knobs" means."""

    steps: tuple[LedStep, ...]
    refill: tuple[LedStep, ...]
    knobs: tuple[Knob, ...]


def led_order(procedure: Procedure, unit: Unit) -> LedOrder:
    """The procedure as it is led on this unit; the trailer's hold test is left out without a trailer."""
    steps = [step for step in procedure.steps if not (step == "hold_trailer" and unit.group == "single")]
    led = []
    unchocked = False
    for step in steps:
        unchocked = step == "chocks_out" or (unchocked and step != "chocks_in")
        led.append(led_step(step, unit, unchocked=unchocked))
    return LedOrder(
        tuple(led),
        tuple(led_step(step, unit) for step in REFILL_STEPS),
        unit.knobs,
    )


def strikes_of(step: Step, unit: Unit) -> tuple[Strike, ...]:
    """What is struck in a step, in order; an action is done by what it needs alone."""

    def reading(stage: str, *points: str) -> tuple[Strike, ...]:
        return tuple(Strike(p, ({"type": "reading", "stage": stage, "point": p},), reads=True) for p in points)

    def held(stage: str) -> tuple[Strike, ...]:
        return (Strike("held", ({"type": "held", "stage": stage},)),)

    pedal = Strike("pedal_full", ({"type": "pedal", "state": "full"},))
    settled = Strike("settled", ({"type": "settled", "stage": step},), optional=True)
    came_on: tuple[Body, ...] = ({"type": "warning", "lamp": None}, {"type": "warning", "buzzer": None})
    popped: tuple[Body, ...] = tuple(
        {"type": "knob", "knob": knob, "state": "out", "cause": "popped"} for knob in reversed(unit.knobs)
    )
    table: dict[Step, tuple[Strike, ...]] = {
        "build_up": reading("build_up", "lower", "upper"),
        "cut_out": reading("cut_out", "cut_out"),
        "cut_in": reading("cut_in", "cut_in"),
        "leak_released": (settled, *reading("leak_released", "start", "end")),
        "leak_applied": (pedal, settled, *reading("leak_applied", "start", "end")),
        "low_air_warning": (Strike("warning", came_on, reads=True),),
        "spring_brakes": (Strike("popped", popped, reads=True),),
        "rebuild": reading("cut_out", "cut_out"),
        "hold_trailer": held("hold_trailer"),
        "hold_parking": held("hold_parking"),
        "rolling_service": (Strike("rolled", ({"type": "rolled"},)),),
    }
    return table.get(step, ())


def says_of(step: Step) -> tuple[str, ...]:
    """What is said aloud in a step, as the ``what`` of a ``said`` event: the limit first, reading and verdict after."""
    if step in ("cut_out", "rebuild"):
        return ("cut_out",)
    if step in LIMITED_STAGES:
        return (f"limit:{step}", f"reading:{step}", f"verdict:{step}")
    return ()


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
    unmet : what the present step needs and is not so.  strikes : what is still to be struck in it, in order.
    missing : the marks that the first of those strikes still lacks.  says : what is still to be said in it.
    untouched : nothing has been struck yet since the present step came up.
    """

    queue: tuple[Entry, ...]
    done: tuple[Entry, ...]
    skipped: tuple[Entry, ...]
    unmet: tuple[Need, ...]
    strikes: tuple[Strike, ...]
    missing: tuple[Body, ...]
    says: tuple[str, ...]
    untouched: bool

    @property
    def step(self) -> Step | None:
        """The present step; None when all is done."""
        return self.queue[0].step.step if self.queue else None


def lead(order: LedOrder, events: Iterable[Body]) -> Lead:
    """Where the run stands after ``events``, those that stand, in order; withdrawn ones are left out before."""
    guide = _Guide(order)
    for event in events:
        guide.take(event)
    return guide.lead()


@dataclass(slots=True)
class _Vehicle:
    """How the vehicle stands, as far as it was recorded; None where it never was."""

    engine: str | None = None
    key: str | None = None
    pedal: str | None = None
    knobs: dict[str, str] = field(default_factory=dict)
    chocked: bool | None = None
    belt: bool = False
    clear: bool = False
    neutral: bool = False
    in_gear: bool = False
    """Low gear holds the vehicle, as long as the engine is off."""
    fresh: bool = False

    def take(self, event: Body) -> None:
        kind, state = event["type"], event.get("state")
        if kind == "confirmed":
            self.confirm(event["item"])
        elif kind == "engine":
            if state != self.engine:
                self.fresh = False if state == "running" else self.fresh
            if state == "running":
                self.in_gear = False
            if state == "off":
                self.belt = self.neutral = False
                self.key = None  # stopped by the key, which then is to be turned on again: no key, no buzzer
            self.engine, self.clear = state, False  # somebody may have come near meanwhile
        elif kind == "key":
            self.key = state
        elif kind == "pedal":
            self.clear = self.clear and not (state == "released" and self.pedal == "full")
            self.pedal = state
        elif kind == "knob":
            self.knobs[event["knob"]] = cast(str, state)
        elif kind == "reading" and event["point"] == "cut_out":
            self.fresh = True

    def confirm(self, item: str) -> None:
        match item:
            case "wheels_chocked":
                self.chocked = True
            case "chocks_removed":
                self.chocked = False
            case "area_clear":
                self.clear = True
            case "seat_belt":
                self.belt = True
            case "neutral":
                self.neutral, self.in_gear = True, False
            case "in_gear":
                self.neutral, self.in_gear = False, self.engine == "off"

    def meets(self, need: Need, knobs: Sequence[str]) -> bool:
        match need:
            case "wheels_chocked":
                return self.chocked is True or self.in_gear
            case "chocks_removed":
                return self.chocked is False
            case "area_clear":
                return self.clear
            case "seat_belt":
                return self.belt
            case "neutral":
                return self.neutral
            case "engine_running":
                return self.engine == "running"
            case "engine_off":
                return self.engine == "off"
            case "key_on":
                return self.key == "on"
            case "pedal_up":
                return self.pedal == "released"
            case "knobs_in":
                return all(self.knobs.get(knob) == "in" for knob in knobs)
            case "knobs_out":
                return all(self.knobs.get(knob) == "out" for knob in knobs)
            case "tractor_in_trailer_out":
                return self.knobs.get("tractor") == "in" and self.knobs.get("trailer", "out") == "out"
            case "trailer_in_tractor_out":
                return self.knobs.get("tractor") == "out" and self.knobs.get("trailer") == "in"


def _denies(event: Body, need: Need) -> bool:
    """Whether an event says outright that a need is not so."""
    kind, state = event["type"], event.get("state")
    if kind == "confirmed":
        return (need, event["item"]) in {
            ("wheels_chocked", "chocks_removed"),
            ("chocks_removed", "wheels_chocked"),
            ("neutral", "in_gear"),
        }
    denied = {
        ("engine", "running"): "engine_off",
        ("engine", "off"): "engine_running",
        ("key", "off"): "key_on",
        ("pedal", "full"): "pedal_up",
        ("knob", "out"): "knobs_in",
        ("knob", "in"): "knobs_out",
    }
    return denied.get((kind, state or "")) == need


class _Guide:
    """The order of work while events are taken one by one; used once and thrown away."""

    def __init__(self, order: LedOrder) -> None:
        self.order = order
        # what a refill puts in stands on chocks, whatever the order itself does
        self.steps = {step.step: step for step in (*order.steps, *order.refill)}
        self.queue = [Entry(step, index) for index, step in enumerate(order.steps)]
        self.done: list[Entry] = []
        self.skipped: list[Entry] = []
        self.vehicle = _Vehicle()
        self.marked: set[Step] = set()
        self.come_up()

    def come_up(self) -> None:
        """Another step is the present one now."""
        self.seen: list[Body] = []
        self.said: set[str] = set()
        self.denied: set[Need] = set()
        self.untouched = True

    def take(self, event: Body) -> None:
        self.vehicle.take(event)
        kind = event["type"]
        if kind == "attempt":
            self.turn_to(event["stage"])
        elif kind == "skipped":
            self.leave_out(event["stage"])
        elif kind == "said":
            self.said.add(event["what"])
        elif kind not in _ASIDE and self.queue:
            self.strike(event)
        self.go_on()

    def strike(self, event: Body) -> None:
        if event["type"] in _MARKS and not _fits(event, self.queue[0].step):
            self.catch_up(event)
        self.untouched = False
        self.seen.append(event)
        if self.begun():
            self.marked.add(self.queue[0].step.step)
        for need in self.queue[0].step.needs:
            if _denies(event, need):
                self.denied.add(need)
            elif self.vehicle.meets(need, self.order.knobs):
                self.denied.discard(need)

    def catch_up(self, event: Body) -> None:
        """A mark of a stage further on shows that the actions before it were done, though nobody struck them."""
        for place, entry in enumerate(self.queue):
            if _fits(event, entry.step):
                self.done += self.queue[:place]
                del self.queue[:place]
                if place:
                    self.come_up()
                return
            if is_stage(entry.step.step):
                return

    def turn_to(self, stage: Step) -> None:
        """Another stage now, or the same one again."""
        place = next((n for n, entry in enumerate(self.queue) if entry.step.step == stage), None)
        entry = self.queue.pop(place) if place is not None else Entry(self.steps[stage], None)
        before: list[Entry] = []
        after: list[Entry] = []
        wants = entry.step.refill
        if wants and (stage in self.marked or (wants == "stale" and not self.vehicle.fresh)):
            before = [Entry(step, None) for step in self.order.refill]
        rolls_later = any(waiting.step.step in _MOVING for waiting in self.queue)
        if wants and "rebuild" in self.marked and (rolls_later or stage == "spring_brakes"):
            # what was filled up for the moving checks is spent again
            after = [Entry(self.steps[step], None) for step in ("safe_start", "rebuild")]
        self.queue[:0] = [*before, entry, *after]
        self.come_up()

    def leave_out(self, stage: Step) -> None:
        place = next((n for n, entry in enumerate(self.queue) if entry.step.step == stage), None)
        if place is not None:
            self.skipped.append(self.queue.pop(place))
            if place == 0:
                self.come_up()

    def go_on(self) -> None:
        while self.queue and self.is_done():
            self.done.append(self.queue.pop(0))
            self.come_up()

    def is_done(self) -> bool:
        present = self.queue[0].step
        if is_stage(present.step):
            return all(not self.lacking(strike) for strike in present.strikes if not strike.optional)
        return not self.unmet()

    def lacking(self, strike: Strike) -> tuple[Body, ...]:
        return tuple(mark for mark in strike.marks if not any(_matches(event, mark) for event in self.seen))

    def begun(self) -> bool:
        """Whether the stage has a mark already: then nothing that it needed is asked again."""
        return any(_fits(event, self.queue[0].step) for event in self.seen)

    def unmet(self) -> tuple[Need, ...]:
        needs = self.queue[0].step.needs
        return tuple(
            need for need in needs if not self.vehicle.meets(need, self.order.knobs) and need not in self.denied
        )

    def lead(self) -> Lead:
        if not self.queue:
            return Lead((), tuple(self.done), tuple(self.skipped), (), (), (), (), self.untouched)
        present = self.queue[0].step
        strikes = self.open_strikes(present)
        return Lead(
            queue=tuple(self.queue),
            done=tuple(self.done),
            skipped=tuple(self.skipped),
            unmet=() if self.begun() else self.unmet(),
            strikes=strikes,
            missing=self.lacking(strikes[0]) if strikes else (),
            says=tuple(what for what in present.says if what not in self.said),
            untouched=self.untouched,
        )

    def open_strikes(self, present: LedStep) -> tuple[Strike, ...]:
        """What is still to be struck; an advised strike is over once a later one was made."""
        last = max((n for n, s in enumerate(present.strikes) if len(self.lacking(s)) < len(s.marks)), default=-1)
        return tuple(s for n, s in enumerate(present.strikes) if self.lacking(s) and not (s.optional and (n <= last)))


def _matches(event: Body, mark: Body) -> bool:
    return all(event.get(key) is not None if value is None else event.get(key) == value for key, value in mark.items())


def _fits(event: Body, step: LedStep) -> bool:
    return any(_matches(event, mark) for strike in step.strikes for mark in strike.marks)

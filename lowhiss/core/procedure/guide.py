"""The guide: which step comes next in a run, what it still needs, what to strike now and what to say aloud."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from lowhiss.core.procedure.model import Procedure, Step, is_stage
from lowhiss.core.procedure.needs import Need
from lowhiss.core.procedure.planner import Standing, unmet_needs
from lowhiss.core.record import Event
from lowhiss.core.rules import LIMITED_STAGES
from lowhiss.core.run import RunState, lower_psi
from lowhiss.core.vehicle import Unit


@dataclass(frozen=True, slots=True)
class Strike:
    """One thing to mark, by a stable name, and how to see in an event that it was marked."""

    name: str
    seen: Callable[[Event], bool]


def _state(name: str, kind: str, **fields: str) -> Strike:
    return Strike(name, lambda event: event.type == kind and all(getattr(event, k) == v for k, v in fields.items()))


def _reading(stage: str, point: str) -> Strike:
    return _state(point, "reading", stage=stage, point=point)


_HOLD = {stage: (_reading(stage, "start"), _reading(stage, "end")) for stage in ("leak_released", "leak_applied")}


def strikes_of(step: Step, unit: Unit) -> tuple[Strike, ...]:
    """What is struck in a step, in order."""
    knobs_in = tuple(_state(f"{knob}_knob_in", "knob", knob=knob, state="in") for knob in unit.knobs)
    pops = tuple(_state(f"{k}_knob_popped", "knob", knob=k, state="out", cause="popped") for k in reversed(unit.knobs))
    settled = _state("settled", "settled")
    table: dict[Step, tuple[Strike, ...]] = {
        "safe_start": (_state("engine_running", "engine", state="running"),),
        "release": (_state("engine_off", "engine", state="off"), _state("key_on", "key", state="on"), *knobs_in),
        "draw_down": (),
        "park": tuple(_state(f"{knob}_knob_out", "knob", knob=knob, state="out") for knob in unit.knobs),
        "chocks_in": (_state("wheels_chocked", "confirmed", item="wheels_chocked"),),
        "chocks_out": (_state("chocks_removed", "confirmed", item="chocks_removed"),),
        "build_up": (_reading("build_up", "lower"), _reading("build_up", "upper")),
        "cut_out": (_reading("cut_out", "cut_out"),),
        "cut_in": (_reading("cut_in", "cut_in"),),
        "leak_released": (settled, *_HOLD["leak_released"]),
        "leak_applied": (_state("pedal_full", "pedal", state="full"), settled, *_HOLD["leak_applied"]),
        "low_air_warning": (_state("warning", "warning"),),
        "spring_brakes": pops,
        "rebuild": (_reading("cut_out", "cut_out"),),
        "hold_trailer": (_state("held", "held", stage="hold_trailer"),),
        "hold_parking": (_state("held", "held", stage="hold_parking"),),
        "rolling_service": (_state("rolled", "rolled"),),
    }
    return table[step]


def says_of(step: Step) -> tuple[str, ...]:
    """What is said aloud in a step, as the ``what`` of a ``said`` event: the limit first, reading and verdict after."""
    if step == "cut_out":
        return ("cut_out",)
    if step in LIMITED_STAGES:
        return (f"limit:{step}", f"reading:{step}", f"verdict:{step}")
    return ()


@dataclass(frozen=True, slots=True)
class Next:
    """Where a run stands in its procedure. ``step`` is None when every step is done.

    done : the indices of the steps that are done.  unmet : what the step needs and the run does not show.
    strikes : what is still to be marked in this step, in order.  says : what is still to be said in it.
    """

    index: int
    step: Step | None
    done: tuple[int, ...]
    unmet: tuple[Need, ...]
    strikes: tuple[str, ...]
    says: tuple[str, ...]


def next_step(state: RunState, procedure: Procedure) -> Next:
    """The first step of the procedure that the run's events have not done, each step after the one before it."""
    unit = state.run.unit
    steps = [step for step in procedure.steps if not (step == "hold_trailer" and unit.group == "single")]
    done: list[int] = []
    position = -1
    for index, step in enumerate(steps):
        end = _done_at(step, state, position)
        if end is None and not is_stage(step):
            # an action nobody marked is taken as done when a later stage is
            later = (_done_at(following, state, position) for following in steps[index + 1 :] if is_stage(following))
            end = position if next(later, None) is not None else None
        if end is None:
            return _next(index, step, tuple(done), state, position)
        position = end
        done.append(index)
    return Next(len(steps), None, tuple(done), (), (), ())


def _done_at(step: Step, state: RunState, after: int) -> int | None:
    """The position of the event that completed the step after a position; None while it is not complete."""
    strikes = strikes_of(step, state.run.unit)
    if not strikes:
        return None
    last = after
    for strike in strikes:
        if strike.name == "settled":
            continue  # advised, never required: a hold without it is complete too
        # knobs and lamps come in any order; holds and windows have their own
        begin = last if strike.name == "end" or strike.name == "upper" else after
        found = _find(strike, state.events, begin)
        if found is None:
            return _skipped(step, state.events, after)
        last = max(last, found)
    return last


def _find(strike: Strike, events: Sequence[Event], after: int) -> int | None:
    return next((n for n in range(after + 1, len(events)) if strike.seen(events[n])), None)


def _skipped(step: Step, events: Sequence[Event], after: int) -> int | None:
    skip = (n for n in range(after + 1, len(events)) if events[n].type == "skipped" and events[n].stage == step)
    return next(skip, None)


def _next(index: int, step: Step, done: tuple[int, ...], state: RunState, after: int) -> Next:
    strikes = tuple(s.name for s in strikes_of(step, state.run.unit) if _find(s, state.events, after) is None)
    said = {event.what for event in state.events[after + 1 :] if event.type == "said"}
    says = tuple(what for what in says_of(step) if what not in said)
    standing, key_on = standing_of(state)
    return Next(index, step, done, unmet_needs(step, standing, key_on=key_on), strikes, says)


def standing_of(state: RunState) -> tuple[Standing, bool]:
    """How the vehicle stands at the end of the run, and whether the key is on; never recorded counts as not."""
    engine = key = chocked = full_read = seen = sprung = False
    knobs = dict.fromkeys(state.run.unit.knobs, False)
    psi = 0.0
    for event in state.events:
        if event.type == "engine":
            full_read = full_read and (engine or event.state == "off")
            engine = event.state == "running"
        elif event.type == "key":
            key = event.state == "on"
        elif event.type == "knob" and event.knob is not None:
            knobs[event.knob] = event.state == "in"
            sprung = sprung or event.cause == "popped"
        elif event.type == "confirmed" and event.item in ("wheels_chocked", "chocks_removed"):
            chocked = event.item == "wheels_chocked"
        elif event.type == "reading" and event.stage == "cut_out":
            full_read = seen = True
        read = lower_psi(event, state.policy)
        psi = psi if read is None else read
    standing = Standing(
        pressure_psi=psi,
        engine_running=engine,
        knobs_in=all(knobs.values()),
        chocked=chocked,
        full_read=full_read,
        cut_out_seen=seen,
        sprung=sprung,
    )
    return standing, key

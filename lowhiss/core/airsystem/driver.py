"""Drivers of the simulated vehicle: they do what the guide asks, on the dash, and mark what a person would mark.

A good driver yields a run that is technically clean; ``Habits`` makes clumsy ones, a mistake at a time.
"""

from __future__ import annotations

import random
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from lowhiss.core.airsystem.model import AirSystem, Dash
from lowhiss.core.judge import judge_run
from lowhiss.core.procedure import Procedure
from lowhiss.core.procedure.guide import Guide, Lead, LedStep, led_order
from lowhiss.core.procedure.planner import Planning
from lowhiss.core.record import RUN_FORMAT, read_run
from lowhiss.core.rules import RuleSet
from lowhiss.core.stages import FILL_STAGE, MarkPrompt, Need, kind_of, pedal_held, stages_of
from lowhiss.core.vehicle import Knob, unit_table

Body = dict[str, Any]

_IDLE_RPM, _FAST_IDLE_RPM = 650.0, 1100.0
_LOOK_S = 0.1
"""How often a driver looks at the needles."""
_PATIENCE_S = 900.0
"""Nobody waits longer for a compressor, or fans longer for a knob."""
_STILL_PSI = 0.25
_STILL_FOR_S = 3.0
_NOISE_PSI = 0.2
_MAX_STROKES = 150
_OTHER = {"pass": "fail", "fail": "pass"}
_TOLD_WRONG = next(stage for stage in stages_of("hold") if pedal_held(stage))
"""Of which stage a driver who has the habit says a wrong limit or verdict."""
_LIGHT = 0.3
"""A light stroke: a full one moves the needles too far to say where something began."""
_LEVEL_PSI = 2.5
"""Needles further apart are brought level before one of them is read against the other."""


@dataclass(frozen=True, slots=True)
class Habits:
    """How somebody drives a test; every field away from its default is a mistake (common practice, no source).

    wait_s : from the last move to the clock.  hold_by_s : over (or, negative, short of) the rule's time.
    """

    settles: bool = True
    wait_s: float = 22.0
    hold_by_s: float = 0.2
    leaves_engine_running: bool = False
    leaves_key_off: bool = False
    leaves_knob_out: bool = False
    one_needle: bool = False
    skips_fresh_cut_out: bool = False
    says_cut_out: bool = True
    forgets_limit_of: str = ""
    forgets_reading_of: str = ""
    wrong_limit: float | None = None
    wrong_verdict: bool = False
    says_cut_in: bool = False
    warning_without_number: bool = False
    hears_buzzer: bool = True
    stops_at_first_knob: bool = False
    pulls_knob: bool = False
    half_pedal: bool = False
    retests_without_refill: bool = False
    holds_with_low_air: bool = False
    never_chocks: bool = False
    leaves_chocks_in: bool = False
    rolls_at_mph: float = 3.0


@dataclass(frozen=True, slots=True)
class Sample:
    """One moment of a drive, for a trace: what the dash shows and what the controls are."""

    dash: Dash
    rpm: float
    pedal: float
    key: bool


class Driver:
    """One run on one vehicle. ``drive`` may be called once and yields samples; what was marked is in ``events``."""

    def __init__(
        self,
        system: AirSystem,
        procedure: Procedure,
        rules: RuleSet,
        planning: Planning,
        seed: int = 0,
        habits: Habits | None = None,
        resolution_psi: float = 1.0,
        purpose: str = "training",
        knows_tanks: bool = False,
    ) -> None:
        """knows_tanks : reads the tanks themselves, to the tenth, where a person reads needles."""
        self.system, self.procedure, self.rules, self.planning = system, procedure, rules, planning
        self.unit = system.spec.unit
        self.habits = habits or Habits()
        self.resolution_psi, self.purpose = resolution_psi, purpose
        self._knows_tanks = knows_tanks
        self.events: list[Body] = []
        self._order = led_order(procedure, self.unit)
        self._guide = Guide(self._order)
        self._rng = random.Random(seed)
        self._last_move_s = 0.0
        self._start_s = 0.0
        self._told = 0
        self._retested = False

    def record(self) -> dict[str, Any]:
        """The run record so far."""
        return {
            "format": RUN_FORMAT,
            "purpose": self.purpose,
            "unit": unit_table(self.unit),
            "rules": self.rules.id,
            "procedure": self.procedure.as_dict(),
            "gauges": {"resolution_psi": self.resolution_psi},
            "events": self.events,
        }

    def drive(self) -> Iterator[Sample]:
        """Do the whole procedure; yields a sample at every look at the dash."""
        for _ in range(400):
            now = self._guide.lead()
            if now.step is None:
                break
            yield from self._say_before(now)
            if now.unmet:
                yield from self._meet(now.unmet[0])
            elif now.prompts:
                # what is only advised may be left out
                hasty = now.prompts[0].optional and not self.habits.settles
                yield from self._mark(now, now.prompts[1 if hasty else 0])
            else:
                self._note("skipped", stage=now.step, why="nothing to do")
            yield from self._say_after()
        self._note("finished")

    # doing

    def _wait(self, seconds: float) -> Iterator[Sample]:
        end = self.system.t_s + seconds
        while self.system.t_s < end - 1e-9:
            dash = self.system.advance(min(_LOOK_S, end - self.system.t_s))
            controls = self.system.controls
            yield Sample(dash, controls.rpm, controls.pedal, controls.key)

    def _note(self, kind: str, **fields: Any) -> None:
        self.events.append({"at_s": round(self.system.t_s, 3), "type": kind, **fields})
        self._guide.take(self.events[-1])

    def _move(self) -> None:
        self._last_move_s = self.system.t_s

    def _meet(self, need: Need) -> Iterator[Sample]:
        """Do what a step needs, or, as a habit has it, do not and say so."""
        controls, habits = self.system.controls, self.habits
        row = self._order.needs[need]
        yes, no = row.yes, row.no
        answer = yes
        yield from self._wait(2.0)
        match need:
            case "wheels_chocked" if not habits.never_chocks:
                controls.chocks = True
            case "wheels_chocked":
                answer = no
            case "chocks_removed" if not habits.leaves_chocks_in:
                controls.chocks = False
            case "chocks_removed":
                answer = no
            case "engine_running":
                controls.key, controls.rpm = True, _FAST_IDLE_RPM
            case "engine_off" if not habits.leaves_engine_running:
                controls.rpm, controls.key = 0.0, False
            case "engine_off":
                answer = no
                controls.rpm = _IDLE_RPM
            case "key_on" if not habits.leaves_key_off:
                controls.key = True
            case "key_on":
                answer = no
            case "pedal_up":
                controls.pedal = 0.0
                self._move()
            case "knobs_out":
                self._set_knobs(tractor=False, trailer=False)
            case "knobs_in":
                self._set_knobs(tractor=True, trailer=not habits.leaves_knob_out)
                if habits.leaves_knob_out:
                    answer = tuple({**one, "state": "out"} if one["knob"] == "trailer" else one for one in yes)
            case "tractor_in_trailer_out":
                self._set_knobs(tractor=True, trailer=False)
            case "trailer_in_tractor_out":
                self._set_knobs(tractor=False, trailer=False)
                yield from self._wait(0.5)  # on a linked dash the red knob follows: it is pushed again
                self._set_knobs(tractor=False, trailer=True)
            case _:
                pass
        for body in answer:
            self._note(**_as_note(body))
        yield from self._wait(1.0)

    def _set_knobs(self, *, tractor: bool, trailer: bool) -> None:
        controls = self.system.controls
        controls.tractor_in = tractor
        controls.trailer_in = trailer and "trailer" in self.unit.knobs
        self._move()

    # striking

    def _mark(self, now: Lead, prompt: MarkPrompt) -> Iterator[Sample]:
        step = now.step
        match prompt.name:
            case "lower" | "upper":
                yield from self._climb(str(step), prompt.name)
            case "cut_out":
                yield from self._fill(step)
            case "cut_in":
                yield from self._draw_down(str(step))
            case "pedal_full":
                self.system.controls.pedal = 0.9 if self.habits.half_pedal else 1.0
                self._move()
                self._note("pedal", state="full")
                if self.habits.half_pedal:  # marked, and then not held hard down
                    self._note("pedal", state="released")
                yield from self._wait(0.5)
            case "settled":
                yield from self._settle(str(step))
            case "start":
                yield from self._wait(max(0.0, self._last_move_s + self.habits.wait_s - self.system.t_s))
                self._start_s = self.system.t_s
                self._read("reading", stage=step, point="start")
                yield from self._wait(0.5)
            case "end":
                limit = self.rules.limit_for(step, self.unit)  # type: ignore[arg-type]
                hold_s = limit.hold_s if limit and limit.hold_s else self.planning.times.leak_hold
                hold_s += self.habits.hold_by_s
                yield from self._wait(max(0.5, self._start_s + hold_s - self.system.t_s))
                self._read("reading", stage=step, point="end")
                yield from self._wait(1.0)
                if self.habits.retests_without_refill and not self._retested:
                    self._retested = True
                    yield from self._retest_at_once(str(step), hold_s)
            case "warning":
                yield from self._fan_to_warning()
            case "popped":
                yield from self._fan_to_knobs(now)
            case "held":
                yield from self._wait(8.0)
                self._note("held", stage=step, moved=False)
            case "rolled":
                yield from self._wait(6.0)
                self._note("rolled", stopped=True, pulled=False, speed_mph=self.habits.rolls_at_mph)

    def _retest_at_once(self, stage: str, hold_s: float) -> Iterator[Sample]:
        """Press again and hold again, with what air there is left."""
        yield from self._let_go()
        self._note("attempt", stage=stage)
        self.system.controls.pedal = 1.0
        self._move()
        self._note("pedal", state="full")
        yield from self._settle(stage)
        yield from self._wait(max(0.0, self._last_move_s + self.habits.wait_s - self.system.t_s))
        self._read("reading", stage=stage, point="start")
        yield from self._wait(hold_s)
        self._read("reading", stage=stage, point="end")
        yield from self._let_go()

    def _needles(self) -> dict[str, float]:
        """The numbers a person reads now: to the dial's marks, with a little of the eye's own error."""
        dash = self.system.dash()
        if self._knows_tanks:
            return {f"{name}_psi": round(psi, 2) for name, psi in zip(self.unit.needles, dash.true_psi, strict=False)}
        shown = dash.needles
        if self.habits.one_needle:
            shown = shown[:1]
        step = self.resolution_psi
        return {
            f"{name}_psi": max(0.0, round((psi + self._rng.gauss(0, _NOISE_PSI)) / step) * step)
            for name, psi in zip(self.unit.needles, shown, strict=False)
        }

    def _read(self, kind: str, **fields: Any) -> None:
        self._note(kind, **fields, **self._needles())

    def _lowest(self) -> float:
        return min(self.system.dash().needles)

    def _reaction(self) -> Iterator[Sample]:
        yield from self._wait(self._rng.uniform(0.15, 0.3))

    def _climb(self, stage: str, point: str) -> Iterator[Sample]:
        limit = self.rules.limit_for(stage, self.unit)
        usual = self.planning.pressures
        window = (limit.window_psi if limit else None) or (usual.build_lower_psi, usual.build_upper_psi)
        mark = window[0] if point == "lower" else window[1]
        if point == "lower":
            while self._lowest() > mark - 3:
                yield from self._stroke(hold_s=1.0)
        yield from self._until(lambda: self._lowest() >= mark)
        yield from self._reaction()
        self._read("reading", stage=stage, point=point)

    def _fill(self, step: Any) -> Iterator[Sample]:
        """Run the engine until it stops pumping; a full system is drawn down first, or there is nothing to hear."""
        system = self.system
        if self.habits.holds_with_low_air and kind_of(step) == "refill":
            self._note("skipped", stage=step, why="no time")
            return
        if self.habits.skips_fresh_cut_out and kind_of(step) != "refill":
            self._note("skipped", stage=step, why="no time")
            return
        while not system.pumping and system.controls.rpm > 0:
            yield from self._stroke(hold_s=1.0)
        heard = False
        end = system.t_s + _PATIENCE_S
        while not heard and system.t_s < end:
            for sample in self._wait(_LOOK_S):
                heard = heard or sample.dash.blast
                yield sample
        if not heard:
            self._note("skipped", stage=step, why="the governor never cut out")
            return
        yield from self._reaction()
        self._read("reading", stage=FILL_STAGE, point="cut_out")
        if self.habits.says_cut_out:
            yield from self._wait(1.5)
            value = self.system.spec.cut_in_psi if self.habits.says_cut_in else self.events[-1]["primary_psi"]
            self._note("said", what=FILL_STAGE, value=round(value))

    def _draw_down(self, stage: str) -> Iterator[Sample]:
        """Light strokes until it starts pumping again: the needles begin to rise there.

        Where the procedure says to draw the air down, the release of the brakes does much of it: a trailer is charged
        so, and the parking knob takes from the higher needle, which keeps the two level.
        """
        levels = "draw_down" in self.procedure.steps
        for _ in range(_MAX_STROKES):
            if self.system.pumping:
                break
            needles = self.system.dash().needles
            if levels and max(needles) - min(needles) > _LEVEL_PSI:
                yield from self._knobs_by_hand("out")
            if levels and not self.system.controls.tractor_in:
                yield from self._knobs_by_hand("in")
                continue
            self.system.controls.pedal = _LIGHT
            yield from self._wait(0.8)
            self.system.controls.pedal = 0.0
            # tanks and needles come to rest between strokes
            yield from self._until(lambda: self.system.pumping, 2.5)
        yield from self._reaction()
        self._read("reading", stage=stage, point="cut_in")

    def _knobs_by_hand(self, state: str) -> Iterator[Sample]:
        """Every knob pulled or pushed, and noted."""
        self._set_knobs(tractor=state == "in", trailer=state == "in")
        for knob in self.unit.knobs:
            self._note("knob", knob=knob, state=state, cause="hand")
        yield from self._wait(2.5)

    def _settle(self, stage: str) -> Iterator[Sample]:
        yield from self._wait(max(0.0, self._last_move_s + 3.0 - self.system.t_s))
        for _ in range(20):
            before = self.system.dash().needles
            yield from self._wait(_STILL_FOR_S)
            now = self.system.dash().needles
            if max(abs(a - b) for a, b in zip(before, now, strict=True)) < _STILL_PSI:
                break
        self._note("settled", stage=stage)

    def _stroke(self, depth: float = 1.0, hold_s: float = 1.3) -> Iterator[Sample]:
        """Press and release once."""
        self.system.controls.pedal = depth
        yield from self._wait(hold_s)
        self.system.controls.pedal = 0.0
        yield from self._wait(1.1)
        self._move()

    def _stroke_until_lamp(self, depth: float) -> Iterator[Sample]:
        """Press once, and stop where the lamp lights: that is the moment, not the end of the stroke."""
        for sample in self._stroke(depth):
            yield sample
            if sample.dash.lamp:
                self.system.controls.pedal = 0.0
                self._move()
                return

    def _until(self, reached: Callable[[], bool], longest_s: float = _PATIENCE_S) -> Iterator[Sample]:
        end = self.system.t_s + longest_s
        while not reached() and self.system.t_s < end:
            yield from self._wait(_LOOK_S)

    def _let_go(self) -> Iterator[Sample]:
        """The pedal comes up after a hold, and that is noted."""
        if self.system.controls.pedal > 0:
            self.system.controls.pedal = 0.0
            self._move()
            self._note("pedal", state="released")
            yield from self._wait(2.0)

    def _fan_to_warning(self) -> Iterator[Sample]:
        """Full strokes, light ones near the place, until the lamp comes on; below 40 nobody believes in it any more."""
        yield from self._let_go()
        yield from self._wait(6.0)  # what came on with the key is the lamp check
        for _ in range(_MAX_STROKES):
            if self.system.dash().lamp:
                break
            if self._lowest() < 40:
                self._note("warning", lamp=False, buzzer=False)
                return
            yield from self._stroke_until_lamp(depth=0.55 if self._lowest() < 78 else 1.0)
        yield from self._reaction()
        seen = {"lamp": True, "buzzer": True} if self.habits.hears_buzzer else {"lamp": True, "buzzer": False}
        if self.habits.warning_without_number:
            self._note("warning", **seen)
        else:
            self._read("warning", **seen)

    def _fan_to_knobs(self, now: Lead) -> Iterator[Sample]:
        """Even strokes until every knob has come out by itself."""
        yield from self._let_go()
        waiting: list[Knob] = [mark["knob"] for mark in now.missing]
        if self.habits.pulls_knob:
            yield from self._wait(1.0)
            self._set_knobs(tractor=False, trailer=False)
            for knob in waiting:
                self._read("knob", knob=knob, state="out", cause="hand")
            self._give_up(str(now.step), "pulled by hand")
            return
        for _ in range(_MAX_STROKES):
            if not waiting:
                return
            yield from self._stroke(depth=0.7)
            dash = self.system.dash()
            out = {"tractor": not dash.tractor_in, "trailer": not dash.trailer_in}
            for knob in [knob for knob in waiting if out[knob]]:
                self._read("knob", knob=knob, state="out", cause="popped")
                waiting.remove(knob)
                if self.habits.stops_at_first_knob and waiting:
                    self._give_up(str(now.step), "one came out")
                    return
            if waiting and self._lowest() < 5:
                break
        if waiting:
            self._give_up(str(now.step), "a knob never came out")

    def _give_up(self, stage: str, why: str) -> None:
        """Say what was read so far, and leave the rest of the stage out."""
        if f"reading:{stage}" not in {event.get("what") for event in self.events}:
            self._note("said", what=f"reading:{stage}")
        self._note("skipped", stage=stage, why=why)

    # saying

    def _say_before(self, now: Lead) -> Iterator[Sample]:
        """The limit, before the first mark of its stage."""
        for what in now.says:
            part, _, stage = what.partition(":")
            if part != "limit" or stage == self.habits.forgets_limit_of or not now.untouched:
                continue
            limit = self.rules.limit_for(stage, self.unit)
            if limit is None:
                continue
            yield from self._wait(1.0)
            wrong = self.habits.wrong_limit if stage == _TOLD_WRONG else None
            self._note("said", what=what, **({"value": wrong} if wrong is not None else {}))

    def _say_after(self) -> Iterator[Sample]:
        """Reading and verdict of the stages that were just brought to their end."""
        done = self._guide.lead().done
        for entry in done[self._told :]:
            yield from self._say(entry.step)
        self._told = len(done)

    def _say(self, step: LedStep) -> Iterator[Sample]:
        stage = step.step
        if not step.prompts or self.rules.limit_for(stage, self.unit) is None or f"reading:{stage}" not in step.says:
            return
        yield from self._wait(1.0)
        if stage != self.habits.forgets_reading_of:
            self._note("said", what=f"reading:{stage}")
        outcome = self._outcome(stage)
        if outcome in _OTHER:
            wrong = self.habits.wrong_verdict and stage == _TOLD_WRONG
            self._note("said", what=f"verdict:{stage}", value=_OTHER[outcome] if wrong else outcome)

    def _outcome(self, stage: str) -> str:
        """What a good driver calls the stage: what the rules say of what was read."""
        verdict = judge_run(read_run(self.record()), self.rules, self.procedure)
        return next((one.outcome for one in reversed(verdict.stages) if one.stage == stage), "not_done")


def _as_note(body: Mapping[str, Any]) -> Body:
    fields = dict(body)
    return {"kind": fields.pop("type"), **fields}

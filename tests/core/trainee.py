"""A trainee who drives a lesson: does what the guide asks with hands and feet, marks what came, and says what it was.

A ``Slip`` makes one mistake; without one everything is done as it is taught. Deterministic.
"""

from __future__ import annotations

from typing import Any

from lowhiss import rulebook
from lowhiss.core.judge import judge_run
from lowhiss.core.procedure.guide import Guide, Lead, led_order
from lowhiss.core.procedure.model import holding_of
from lowhiss.core.record import read_run
from lowhiss.core.stages import FILL_STAGE, STEP_TABLE, is_limited, kind_of
from lowhiss.engine.debrief import debrief, diagnoses
from lowhiss.engine.practice import CLAIM, Drive

REACTION_S = 0.3
_OTHER = {"pass": "fail", "fail": "pass"}


class Trainee:
    """One drive of a lesson. ``drive_it`` does all of it; ``debrief`` is what comes of it."""

    def __init__(self, choice: dict[str, Any], slip: str = "", seed: int = 1) -> None:
        self.drive = Drive({**choice, "seed": seed, "resolution_psi": 1.0, "salt": "test"})
        self.slip = slip
        self.unit = self.drive.spec.unit
        self.order = led_order(
            self.drive.procedure, self.unit, holding_of(self.unit, self.drive.procedure, self.drive.rules)
        )
        self.guide = Guide(self.order)
        self.marks: list[dict[str, Any]] = []
        self.taken = self.drive.world.found
        self.told = 0
        self.clock_s = 0.0
        self.stages = self.drive.procedure.stages(self.unit)
        self.manual = self.drive.world.start.gearbox == "manual"
        self.slipped = False

    # what a person does

    @property
    def world(self):
        return self.drive.world

    def wait(self, seconds: float) -> None:
        self.drive.advance(self.world.tick + max(1, round(seconds * 100)))
        self.follow()

    def until(self, condition, longest_s: float = 600.0, look_s: float = 0.1) -> bool:
        end = self.world.t_s + longest_s
        while not condition() and self.world.t_s < end:
            self.wait(look_s)
        return bool(condition())

    def do(self, **controls: Any) -> None:
        for name, value in controls.items():
            self.drive.control(name, value)
        self.follow()

    def follow(self) -> None:
        """What the vehicle says by itself, told to the guide."""
        states = self.world.states
        for state in states[self.taken :]:
            self.guide.take(state)
        self.taken = len(states)

    def note(self, kind: str, **fields: Any) -> dict[str, Any]:
        mark = {"at_s": round(self.world.t_s, 3), "type": kind, "id": f"m{len(self.marks)}", **fields}
        self.marks.append(mark)
        if kind != CLAIM:
            self.guide.take(mark)
        return mark

    def claim(self, what: str, **fields: Any) -> None:
        self.note(CLAIM, what=what, **fields)

    def use_air(self) -> None:
        """Strokes until it pumps again: a full system has nothing to be heard."""
        for _ in range(60):
            if self.world.air.pumping or not self.world.engine.alive:
                return
            self.stroke(0.9)

    def eyes(self) -> dict[str, float]:
        shown = self.world.panel.needles
        if self.slip == "single_gauge":
            shown = shown[:1]
        off = 8.0 if self.slip == "reading_off" else 0.0
        return {
            f"{name}_psi": float(max(0, round(psi) - off)) for name, psi in zip(self.unit.needles, shown, strict=False)
        }

    def lowest(self) -> float:
        return min(self.world.panel.needles)

    # the drive

    def drive_it(self, until: str = "") -> Trainee:
        """All of it, or no further than the end of a stage."""
        if self.world.hands.gear != "N" and self.slip != "started_in_gear":
            self.gear("N")
        for _ in range(200):
            now = self.guide.lead()
            if now.step is None or self.given_up() or until in {entry.step.step for entry in now.done}:
                break
            if self.slip == "order_changed" and not self.slipped and kind_of(now.step) == "hold":
                self.slipped = True
                self.note("attempt", stage="low_air_warning")
                continue
            self.say_before(now)
            if now.unmet:
                self.meet(now.unmet[0])
            elif now.prompts and self.stays(now):
                break
            elif now.prompts:
                hasty = now.prompts[0].optional and self.slip in ("settle_not_recorded", "clock_before_settle")
                self.mark(now, now.prompts[1 if hasty else 0].name)
            else:
                self.note("skipped", stage=now.step, why="nothing to do")
            self.say_after()
        self.close()
        if self.drive.choice["mode"] == "diagnosis":
            self.diagnose()
        self.note("finished")
        return self

    def stays(self, now: Lead) -> bool:
        """Nothing rolls while a part stands failed."""
        if not STEP_TABLE[now.step].moves or self.slip == "moved_after_fail":
            return False
        standing = self.judged().standing().values()
        return any(one.outcome == "fail" for one in standing)

    def given_up(self) -> bool:
        return bool(self.marks) and self.marks[-1].get("what") == "stop"

    def debrief(self) -> dict[str, Any]:
        return debrief(self.drive, self.marks)["debrief"]

    def close(self) -> None:
        if self.slip != "left_unsafe":
            self.gear("N")
            self.do(pedal=0.0, parking="out", **({"trailer": "out"} if "trailer" in self.unit.knobs else {}))
            self.wait(1)
        if self.slip == "no_closing":
            return
        standing = self.judged().standing().values()
        said = {one["what"]: one["value"] for one in self.marks if str(one.get("what")).startswith("verdict:")}
        bad = "fail" in said.values() or any(one.outcome == "fail" for one in standing)
        if self.slip == "bad_called_good":
            bad = False
        self.claim("closing", value="fail" if bad else "pass")

    def diagnose(self) -> None:
        """Hand in the sheet: what is right, or, as a slip has it, that it may move."""
        answers = {part: values[0] for part, values in diagnoses(self.world.faults)[0].items()}
        if self.slip == "bad_called_good":
            answers["may_move"] = "yes"
        self.claim("sheet", **answers)

    # what a step needs

    def gear(self, place: str) -> None:
        if self.world.hands.gear == place:
            return
        if self.manual:
            self.do(clutch=1.0)
            self.wait(0.3)
        else:
            self.do(pedal=1.0)
            self.wait(0.3)
        self.do(gear=place)
        self.wait(0.2)
        if self.manual:
            if place == "N":
                self.do(clutch=0.0)
        else:
            self.do(pedal=0.0)
            self.wait(0.4)

    def meet(self, need: str) -> None:
        getattr(self, f"_{need}", lambda: None)()
        self.wait(0.5)
        self.follow()
        if self.guide.lead().unmet[:1] == (need,):
            bodies = self.order.needs[need].yes
            if all(self.world.is_so(body) for body in bodies):
                for body in bodies:
                    fields = dict(body)
                    self.note(fields.pop("type"), **fields)
                return
            # the vehicle is not so: whoever ticks it all the same claims it
            self.claimed(need)

    def claimed(self, need: str) -> None:
        row = self.order.needs[need]
        bodies = row.yes
        if self.slip not in _LEFT_OUT:
            raise AssertionError(f"{need} did not come about; the vehicle is {self.guide.lead()}")
        self.slipped = True
        self.claim("not_so", need=need)
        for body in bodies:
            self.guide.take({"at_s": self.world.t_s, **body})

    def _wheels_chocked(self) -> None:
        if self.slip == "chocks_missing" or (self.slip == "chocks_left_in" and self.world.hands.chock_front == "under"):
            return
        self.out(lambda: self.do(chock_front="under", chock_back="under"))

    def _chocks_removed(self) -> None:
        if self.slip == "chocks_left_in":
            return
        if self.slip == "left_cab_unsecured":
            self.do(parking="in")
            self.wait(1)
        self.out(lambda: self.do(**dict.fromkeys(("chock_front", "chock_back"), self.stowed())))

    def stowed(self) -> str:
        return "ground" if self.slip == "chocks_left_behind" else "stowed"

    def out(self, work) -> None:
        self.do(where="outside")
        self.until(lambda: self.world.hands.where == "outside", 40)
        work()
        self.do(where="cab")
        self.until(lambda: self.world.hands.where == "cab", 40)

    def _area_clear(self) -> None:
        if self.slip in ("not_clear", "claimed_not_so"):
            return
        self.do(mirror="left")
        self.wait(1)
        self.do(mirror="right")

    def _seat_belt(self) -> None:
        if self.slip != "no_belt":
            self.do(belt="on")

    def _neutral(self) -> None:
        if self.slip != "started_in_gear":
            self.gear("N")

    def _engine_running(self) -> None:
        world = self.world
        if world.engine.alive:
            return
        if self.manual:
            self.do(clutch=1.0)
        self.do(key="on")
        if self.slip == "read_in_sweep" and not self.slipped:
            self.slipped = True
        self.wait(4)
        self.do(key="start")
        self.until(lambda: world.engine.alive, 4, 0.05)
        self.do(key="on")
        caught_s = world.t_s
        self.until(lambda: world.panel.oil_psi > 10, 5)
        if world.panel.oil_psi <= 10 and self.slip != "oil_not_seen":
            self.wait(max(0.0, caught_s + 6 - world.t_s))
            self.do(key="off")
            self.wait(2)
            self.claim("stop", why="no oil pressure")
            return
        if self.manual:
            self.do(clutch=0.0)
        self.wait(1)
        while world.engine.idle_rpm < 1100:
            self.do(idle=1)
            self.wait(0.1)
        if self.slip == "started_in_gear":
            self.gear("N")
        if self.slip == "over_revved":
            self.do(throttle=0.8)
            self.wait(4)
            self.do(throttle=0.0)

    def _engine_off(self) -> None:
        if self.slip == "engine_running":
            return
        self.do(key="off")
        self.wait(2)

    def _key_on(self) -> None:
        if self.slip == "key_off":
            return
        self.do(key="on")
        self.wait(6)

    def _pedal_up(self) -> None:
        if self.slip != "pedal_down":
            self.do(pedal=0.0)
            self.wait(1)

    def look(self) -> None:
        """Into both mirrors, where nobody has looked since the seat was left."""
        latest = [one.name for one in self.world.moments if one.name in ("mirrors", "left_cab")][-1:]
        if latest != ["mirrors"] and self.slip not in ("not_clear", "claimed_not_so"):
            self._area_clear()
            self.wait(0.3)

    def knobs(self, parking: str, trailer: str) -> None:
        self.look()
        self.do(parking=parking)
        if "trailer" in self.unit.knobs:
            self.wait(0.6)
            self.do(trailer=trailer)
        self.wait(1)

    def _knobs_in(self) -> None:
        self.knobs("in", "out" if self.slip == "knobs_not_released" else "in")
        if any(kind_of(stage) == "hold" for stage in self.stages) and self.slip != "not_charged":
            self.wait(8)
            self.charge()

    def charge(self) -> None:
        """An empty trailer takes so much that it must be filled again before anything is measured."""
        if self.slip == "no_fresh_cut_out":
            return
        first = not any(one["type"] == "attempt" for one in self.marks)
        if self.drive.lesson is not None and self.drive.lesson["id"] == "again" and first:
            return  # the lesson is about what comes of it
        if self.lowest() >= 96 or self.world.engine.alive or FILL_STAGE not in self.stages:
            return
        self.note("note", text="filled again")
        self._engine_running()
        self.use_air()
        self.until(lambda: not self.world.air.pumping, 900)
        self.wait(REACTION_S)
        self.note("reading", stage=FILL_STAGE, point="cut_out", **self.eyes())
        self.say_cut_out()
        self._engine_off()
        self._key_on()

    def _knobs_out(self) -> None:
        self.knobs("out", "out")

    def _tractor_in_trailer_out(self) -> None:
        self.look()
        if self.slip == "both_set":
            return
        self.do(parking="in")
        self.wait(0.4)
        self.do(trailer="out")
        self.wait(3)

    def _trailer_in_tractor_out(self) -> None:
        if self.slip == "both_set":
            self.knobs("out", "out")
            return
        self.do(parking="out")
        self.wait(0.6)
        self.do(trailer="in")
        self.wait(3)

    # what is marked

    def mark(self, now: Lead, name: str) -> None:
        stage = str(now.step)
        act = getattr(self, f"_mark_{name}")
        act(stage, now)

    def _mark_lower(self, stage: str, _now: Lead) -> None:
        window = self.drive.rules.limit_for(stage, self.unit).window_psi or (85.0, 100.0)
        mark = window[0] + (0.66 * (window[1] - window[0]) if self.slip == "window_too_short" else 0)
        while self.lowest() > window[0] - 3:
            self.stroke()
        self.until(lambda: self.lowest() >= mark, 900)
        self.wait(REACTION_S)
        self.note("reading", stage=stage, point="lower", **self.eyes())

    def _mark_upper(self, stage: str, _now: Lead) -> None:
        window = self.drive.rules.limit_for(stage, self.unit).window_psi or (85.0, 100.0)
        self.until(lambda: self.lowest() >= window[1], 900)
        self.wait(REACTION_S)
        self.note("reading", stage=stage, point="upper", **self.eyes())

    def _mark_cut_out(self, _stage: str, _now: Lead) -> None:
        if self.slip in ("no_fresh_cut_out", "low_pressure_hold_test"):
            self.note("skipped", stage=FILL_STAGE, why="no time")
            return
        self.use_air()
        if self.slip == "read_in_sweep" and not any(one["type"] == "reading" for one in self.marks):
            self.do(key="off")
            self.wait(2)
            self._sweep()
        came = len([one for one in self.world.moments if one.name == "unloaded"])
        if not self.until(lambda: len([one for one in self.world.moments if one.name == "unloaded"]) > came, 900):
            self.note("skipped", stage=FILL_STAGE, why="the governor never cut out")
            return
        self.wait(6.0 if self.slip == "late_strike" else REACTION_S)
        if self.slip == "late_strike":
            self.stroke()
        self.note("reading", stage=FILL_STAGE, point="cut_out", **self.eyes())
        self.say_cut_out()

    def _sweep(self) -> None:
        """Struck before the needles have come to rest after the key."""
        if self.manual:
            self.do(clutch=1.0)
        self.do(key="on")
        self.wait(1.2)
        self.note("reading", stage=FILL_STAGE, point="cut_out", **self.eyes())
        self._engine_running()

    def say_cut_out(self) -> None:
        self.wait(1.5)
        if self.slip == "cut_out_not_said":
            return
        said = 102 if self.slip == "cut_in_said_for_cut_out" else self.marks[-1].get("primary_psi")
        self.note("said", what=FILL_STAGE, value=said)

    def _mark_cut_in(self, stage: str, _now: Lead) -> None:
        for _ in range(80):
            if self.world.air.pumping:
                break
            needles = self.world.panel.needles
            if "draw_down" in self.drive.procedure.steps and max(needles) - min(needles) > 2.5:
                # the parking knob takes from the higher needle, which keeps the two level
                self.do(parking="in" if self.is_out("tractor") else "out")
                self.until(lambda: self.world.air.pumping, 3)
                continue
            self.do(pedal=0.3)
            self.wait(0.8)
            self.do(pedal=0.0)
            self.until(lambda: self.world.air.pumping, 2.5)
        self.wait(REACTION_S)
        self.note("reading", stage=stage, point="cut_in", **self.eyes())

    def _mark_pedal_full(self, _stage: str, _now: Lead) -> None:
        self.do(pedal=0.8 if self.slip == "pedal_not_full" else 1.0)
        self.wait(0.5)
        if self.slip == "pedal_not_full":
            self.claim("not_so", need="pedal_full")
            self.guide.take({"at_s": self.world.t_s, "type": "pedal", "state": "full"})

    def _mark_settled(self, stage: str, _now: Lead) -> None:
        self.until(lambda: all(self.world._settled), 14)
        self.wait(REACTION_S)
        self.note("settled", stage=stage)

    def _mark_start(self, stage: str, _now: Lead) -> None:
        moves = [one["at_s"] for one in self.marks if one["type"] in ("pedal", "knob")]
        moved_s = max([self.world._moved_tick / 100, *moves])
        wait_s = {"clock_before_settle": 1.0, "short_wait": 8.0}.get(self.slip, 22.0)
        self.wait(max(0.05, moved_s + wait_s - self.world.t_s))
        if self.slip == "pedal_down":
            self.do(pedal=1.0)
            self.wait(0.3)
        self.clock_s = self.world.t_s
        self.note("reading", stage=stage, point="start", **self.eyes())

    def _mark_end(self, stage: str, _now: Lead) -> None:
        limit = self.drive.rules.limit_for(stage, self.unit)
        hold_s = limit.hold_s if limit is not None and limit.hold_s else 60.0
        by = {"hold_short": -12.0, "hold_over": 9.0}.get(self.slip, 0.2)
        self.wait(self.clock_s + hold_s + by - self.world.t_s)
        self.note("reading", stage=stage, point="end", **self.eyes())
        self.wait(0.5)
        self.do(pedal=0.0)
        self.wait(1)

    def _mark_warning(self, _stage: str, _now: Lead) -> None:
        self.wait(6)  # the lamp check is over
        before = len(self.world.moments)

        def came(part: str):
            return next(
                (
                    one
                    for one in self.world.moments[before:]
                    if one.name == f"{part}_on" and not one.detail.get("check")
                ),
                None,
            )

        marked: set[str] = set()
        if self.slip == "invented_mark":
            self.note("warning", lamp=True, buzzer=True, **self.eyes())
            return
        for _ in range(200):
            if len(marked) == 2 or self.lowest() < 38:
                break
            self.stroke(
                0.3 if self.lowest() < 74 else 1.0,
                stop=lambda: any(came(part) and part not in marked for part in ("lamp", "buzzer")),
            )
            for part in ("lamp", "buzzer"):
                if came(part) and part not in marked:
                    self.wait(REACTION_S)
                    if self.slip == "late_strike":
                        self.stroke()
                        self.stroke()
                    read = {} if self.slip == "no_number" else self.eyes()
                    self.note("warning", **{part: True}, **read)
                    marked.add(part)
                    if self.slip == "half_warning":
                        self.note("warning", buzzer=False)
                        return
        missing = {part: False for part in ("lamp", "buzzer") if part not in marked}
        if missing:
            self.note("warning", **missing)

    def _mark_popped(self, stage: str, now: Lead) -> None:
        waiting = [mark["knob"] for mark in now.missing]
        if self.slip == "knob_by_hand":
            while self.lowest() > 50:
                self.stroke()
            for knob in waiting:
                self.do(**{"parking" if knob == "tractor" else "trailer": "out"})
                self.note("knob", knob=knob, state="out", cause="hand", **self.eyes())
            self.note("skipped", stage=stage, why="pulled")
            return
        if self.slip == "invented_mark":
            for knob in waiting:
                self.note("knob", knob=knob, state="out", cause="popped", **self.eyes())
            return
        seen = 0 if not self.world.air.popped else len(self.world.air.popped) - len(waiting)
        seen = max(0, seen) if not self.any_out(waiting) else 0
        for _ in range(200):
            out = [knob for knob in waiting if self.is_out(knob)]
            for knob in out:
                self.wait(REACTION_S)
                if self.slip == "late_strike":
                    self.stroke(0.9)
                    self.stroke(0.9)
                self.note("knob", knob=knob, state="out", cause="popped", **self.eyes())
                waiting.remove(knob)
                if self.slip == "second_knob_missing" and waiting:
                    self.note("skipped", stage=stage, why="one came out")
                    self.wait(0.5)
                    return
            if not waiting or self.lowest() < 4:
                break
            self.stroke(0.6, stop=lambda: any(self.is_out(knob) for knob in waiting))
        if waiting:
            self.note("skipped", stage=stage, why="a knob never came out")
            self.say_verdict(stage)
            self.wait(0.5)

    def is_out(self, knob: str) -> bool:
        controls = self.world.air.controls
        return not (controls.tractor_in if knob == "tractor" else controls.trailer_in)

    def any_out(self, knobs: list[str]) -> bool:
        return any(self.is_out(knob) for knob in knobs)

    def stroke(self, depth: float = 1.0, stop=None) -> None:
        """Press and let go once; broken off where something comes."""
        self.do(pedal=depth)
        if stop is None:
            self.wait(1.3)
        else:
            self.until(stop, 1.3, 0.05)
        self.do(pedal=0.0)
        if stop is None or not stop():
            self.wait(1.1)

    def _mark_held(self, stage: str, _now: Lead) -> None:
        before = self.world.x_m
        if self.slip == "low_pressure_hold_test":
            while self.lowest() > 90:
                self.stroke()
        else:
            self.wait(4)
            self.until(lambda: self.lowest() >= 104, 120)  # a trailer that was empty took its share
        if self.slip != "no_tug":
            self.gear("L" if self.manual else "D")
            self.tug()
        moved = abs(self.world.x_m - before) > 0.05
        if self.slip == "bad_called_good":
            moved = False
        self.note("held", stage=stage, moved=moved)
        self.wait(0.5)
        self.gear("N")

    def tug(self) -> None:
        """The clutch comes up to where the engine leans on the brake, and goes down again."""
        if not self.manual:
            self.wait(2.5)
            return
        if self.slip == "tugged_hard":
            self.do(throttle=0.3)
            self.wait(1)
        bites = 0.50 if self.slip == "tugged_hard" else 0.63
        for step in range(1, 26):
            self.do(clutch=round(1.0 + (bites - 1.0) * step / 25, 3))
            self.wait(0.04)
        if self.slip == "stalled":
            self.do(clutch=0.0)
        self.wait(1.2)
        self.do(clutch=1.0, throttle=0.0)
        self.wait(0.5)

    def _mark_rolled(self, _stage: str, _now: Lead) -> None:
        world = self.world
        wheel = len(world.moments)
        if self.slip != "trailer_dragged" and world.air.spec.towed:
            self.until(lambda: world.air.volumes["trailer_line"].psi - 14.7 > 75, 30)
        self.gear("L" if self.manual else "D")
        if self.slip != "no_roll":
            if self.slip == "too_fast":
                self.do(throttle=1.0)
            if self.manual:
                for step in range(1, 26):
                    self.do(clutch=round(1.0 - 0.65 * step / 25, 3))
                    self.wait(0.04)
            fast = 5.2 if self.slip == "too_fast" else 2.0
            self.until(lambda: world.mph > fast, 25)
            self.wait(1.5)
            self.do(throttle=0.0, **({"clutch": 1.0} if self.manual else {}))
            self.do(pedal=0.4)
            self.until(lambda: world.v_m_per_s == 0, 20)
        pulled = any(one.name == "wheel_turned" and one.detail.get("with_pedal") for one in world.moments[wheel:])
        if world.air.spec.parts.get("linings") == "grind":
            self.note("note", text="grinding when braking")
        if self.slip == "bad_called_good":
            pulled = False
        self.note("rolled", stopped=True, pulled=pulled, speed_mph=round(world.panel.mph_shown, 1))
        self.gear("N")
        self.do(pedal=0.0)

    # what is said

    def say_before(self, now: Lead) -> None:
        for what in now.says:
            part, _, stage = what.partition(":")
            limit = self.drive.rules.limit_for(stage, self.unit) if part == "limit" else None
            if limit is None or self.slip == "limit_not_said":
                continue
            self.wait(1)
            kpa = round(limit.bounds[0].value * 6.894757)
            wrong = {"wrong_limit_said": 9.0, "unit_mixed": float(kpa)}.get(self.slip)
            self.note("said", what=what, **({"value": wrong} if wrong is not None and stage.startswith("leak") else {}))

    def say_after(self) -> None:
        done = self.guide.lead().done
        for entry in done[self.told :]:
            stage = entry.step.step
            if not entry.step.prompts:
                continue
            limited = is_limited(stage) and self.drive.rules.limit_for(stage, self.unit) is not None
            if not limited:
                continue
            self.wait(1)
            if f"reading:{stage}" in entry.step.says and self.slip != "reading_not_said":
                self.note("said", what=f"reading:{stage}")
            self.say_verdict(stage)
            if self.drive.choice["mode"] == "exam" and kind_of(stage) == "hold":
                self.again(stage)
        self.told = len(done)

    def again(self, stage: str) -> None:
        """What went wrong is named and asked for again; a lesson on it goes on to the third bad one."""
        verdict = self.judged()
        outcome = verdict.standing()[stage].outcome
        fails = sum(one.stage == stage and one.outcome == "fail" for one in verdict.stages)
        most = 4 if self.slip == "third_failure_ignored" else 3
        repeats = self.drive.lesson is not None and self.drive.lesson["id"] == "again" and 0 < fails < most
        if outcome == "void" and self.slip == "retest_without_refill" and not self.slipped:
            self.slipped = True
            self.at_once(stage)
        elif (outcome == "void" and self.slip not in ("did_not_ask", "retest_without_refill")) or repeats:
            self.claim("redo", stage=stage, named=True, granted=True)
            self.note("attempt", stage=stage)
            self.told -= 1

    def at_once(self, stage: str) -> None:
        """Over again with what air there is left."""
        self.claim("redo", stage=stage, named=True, granted=True)
        self.note("attempt", stage=stage)
        self.do(pedal=1.0)
        self.wait(12)
        self.note("settled", stage=stage)
        self.wait(12)
        self.note("reading", stage=stage, point="start", **self.eyes())
        self.wait(60.2)
        self.note("reading", stage=stage, point="end", **self.eyes())
        self.do(pedal=0.0)

    def judged(self):
        return judge_run(read_run(self.drive.record(self.marks)), self.drive.rules, self.drive.procedure)

    def say_verdict(self, stage: str) -> None:
        own = self.own(stage)
        if own is None:
            return
        if self.slip == "bad_called_good":
            own = "pass"
        elif self.slip == "good_called_bad":
            own = "fail"
        elif self.slip in ("inequality_backwards", "wrong_verdict_said"):
            own = _OTHER[own]
        self.note("said", what=f"verdict:{stage}", value=own)

    def own(self, stage: str) -> str | None:
        """What one's own numbers say, and one's own eyes where a knob never came."""
        mine = self.judged().standing().get(stage)
        if mine is None:
            return None
        if mine.outcome in ("pass", "fail"):
            return mine.outcome
        if (
            any(finding.code == "second_knob_missing" for finding in mine.findings)
            and self.slip != "second_knob_missing"
        ):
            return "fail"
        return None


_LEFT_OUT = (
    "chocks_missing",
    "chocks_left_in",
    "not_clear",
    "claimed_not_so",
    "no_belt",
    "started_in_gear",
    "engine_running",
    "key_off",
    "pedal_down",
    "knobs_not_released",
    "both_set",
)


def trainee_of(lesson: str, drive: int, slip: str = "", seed: int = 1) -> Trainee:
    """Somebody in a drive of a built-in lesson."""
    return Trainee(rulebook.lessons()[lesson].choice(drive), slip, seed)

"""The practice vehicle whole: air, engine, motion and dash on one clock of ticks. The same inputs give the same bits.

Only + − × ÷ and √ and shipped tables are used, so that a server and a browser compute the same drive. What a driver
does is a log of ``(tick, control, value)``; replayed on the same vehicle it gives the same trace.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from lowhiss.core.airsystem.drivetrain import RPM, Driveline, Engine
from lowhiss.core.airsystem.driving import DriveData, Hands, Start, gear_places
from lowhiss.core.airsystem.faults import with_faults
from lowhiss.core.airsystem.gauges import MPH, Panel
from lowhiss.core.airsystem.model import AirSystem
from lowhiss.core.airsystem.motion import Body, Brakes, Chocks, braked_by
from lowhiss.core.airsystem.spec import AirData, AirSpec, AirSystemError

FULL_PEDAL = "full_pedal"
_FEET = 3.280839895013123
_INCHES = 39.37007874015748


@dataclass(frozen=True, slots=True)
class WorldEvent:
    """Something that truly happened. psi : of the service tanks in truth.  shown : by the needles then."""

    t_s: float
    name: str
    detail: Mapping[str, Any]
    psi: tuple[float, ...]
    shown: tuple[float, ...]


class World:
    """One vehicle that is driven. ``control`` moves something now; ``advance`` lets time go on to a tick."""

    def __init__(
        self,
        spec: AirSpec,
        air: AirData,
        data: DriveData,
        start: Start | None = None,
        seed: int = 0,
        faults: Sequence[str] = (),
        step_scale: int = 1,
    ) -> None:
        """faults : as ``with_faults`` takes them.  step_scale : the air's steps as a part of a tick, for measuring."""
        self.start = start or Start()
        self.healthy, self.air_data, self.data = spec, air, data
        self.faults = list(faults)
        spec = with_faults(spec, air, faults)
        self.air = AirSystem(spec, air, self.start.tanks_psi, self.start.trailer_psi if spec.towed else None)
        self._air_parts = step_scale
        kind = spec.kind
        self.power = data.power(kind)
        low, high = data.tables["engine"]["fires_after_s"]
        self.engine = Engine(self.power, data, low + (high - low) * (seed * 2654435761 % 1000) / 1000)
        self.driveline = Driveline(self.power, data, self.start.gearbox)
        self.brakes = Brakes(kind, data, self.start)
        self.brakes.weak = spec.brakes
        self.chocks = Chocks(kind, data, self.brakes)
        self.body = Body(data, self.start.camber)
        needles = [needle.shown for needle in self.air._needles]
        self.panel = Panel(data, spec.parts, self.start.gauges, needles, self.start.coolant_f)
        under = "under" if self.start.chocked else "stowed"
        self.hands = Hands(gear=self.start.gear, idle_rpm=self.power.idle_rpm, chock_front=under, chock_back=under)
        self.gears = gear_places(kind, self.start.gearbox, data)
        self.tick = 0
        self.v_m_per_s = self.x_m = 0.0
        self.log: list[tuple[int, str, Any]] = []
        self.moments: list[WorldEvent] = []
        self.states: list[dict[str, Any]] = []
        self._pedal = 0.0
        self._lit_was = (False, False)
        self._arrives = 0
        self._told_full = False
        self._blast_until = 0
        self._quiet_ticks = self._still_ticks = 0
        self._still_psi: tuple[float, ...] = ()
        self._settled = [True, True]
        self._moved_tick = 0
        self._warm = True
        self._loading = self.air.pumping
        self._oil_up = False
        self._tug = 0.0
        self._tug_ticks = 0
        self._rolled_from = self._fastest_m_per_s = 0.0
        self._rev_ticks = 0
        self._wheel_told = False
        self._pops = 0
        self._goes_to = "cab"
        self._touched = self._ramping = False
        self._target = spec
        self._ramp_from: tuple[dict[str, float], dict[str, float]] = ({}, {})
        self._ramp_began = 0
        self._grade_n = self._gravity()
        self._say_how_it_stands()
        self.found = len(self.states)
        """So many of its states are how it stood when somebody got in."""

    def _say_how_it_stands(self) -> None:
        """What anybody who gets in can see: nothing runs, the knobs are out, the gear, the chocks."""
        self.states.append(self._state("engine", state="off"))
        self.states.append(self._state("key", state="off"))
        self.states.append(self._state("pedal", state="released"))
        for knob in self.air.spec.unit.knobs:
            self.states.append(self._state("knob", knob=knob, state="out", cause="hand"))
        self.states.append(self._state("confirmed", item="neutral" if self.hands.gear == "N" else "in_gear"))
        if self.start.chocked:
            self.states.append(self._state("confirmed", item="wheels_chocked"))

    # what is done

    @property
    def t_s(self) -> float:
        """The vehicle's own time [s]."""
        return self.tick * 0.01

    def control(self, name: str, value: Any) -> str:
        """Move a control now; returns why it did not move, empty where it did.

        Raises AirSystemError for a control that there is not, or a value out of its range.
        """
        does = _CONTROLS.get(name)
        if does is None:
            raise AirSystemError("control", f"is {str(name)[:40]!r}; choose one of {', '.join(_CONTROLS)}")
        if name in _POSITIONS:
            number = isinstance(value, int | float) and not isinstance(value, bool)
            if not number or not (math.isfinite(value) and 0 <= value <= 1):
                raise AirSystemError(name, f"is {str(value)[:40]}; it must be from 0 to 1")
            value = float(value)
        if self.hands.where != "cab" and name in _FROM_THE_SEAT:
            return "not_in_cab"
        refused: str = does(self, value)
        if not refused:
            self.log.append((self.tick, name, value))
        return refused

    def _key(self, value: str) -> str:
        _one_of("key", value, ("off", "on", "start"))
        hands = self.hands
        if value == hands.key:
            return ""
        was_on, hands.key = hands.key != "off", value
        if value == "start" and not self._may_start():
            self._note("no_crank")
        if was_on != (value != "off"):
            state = "on" if value != "off" else "off"
            self.states.append(self._state("key", state=state))
            self._note(f"key_{state}")
            if value == "off" and self.engine.alive:
                self.states.append(self._state("engine", state="off"))
                self._note("engine_off")
        return ""

    def _may_start(self) -> bool:
        if self.start.gearbox == "automatic":
            return self.hands.gear == "N"
        return not self.start.interlock or self.hands.clutch >= self.data.number("driveline", "open_above")

    def _throttle(self, value: float) -> str:
        self.hands.throttle = value
        return ""

    def _idle(self, value: Any) -> str:
        table = self.data.tables["engine"]
        if value not in (-1, 1):
            raise AirSystemError("idle", "is one step up (1) or down (-1)")
        wanted = self.engine.idle_rpm + value * table["idle_step_rpm"]
        self.engine.idle_rpm = min(max(wanted, self.power.idle_rpm), table["highest_idle_rpm"])
        self.hands.idle_rpm = self.engine.idle_rpm
        return ""

    def _gear(self, value: str) -> str:
        _one_of("gear", value, self.gears)
        hands = self.hands
        if value == hands.gear:
            return ""
        if (
            self.start.gearbox == "manual"
            and self.engine.alive
            and hands.clutch < self.data.number("driveline", "open_above")
            and value != "N"
        ):
            self._note("gear_ground")
            return "clutch_up"
        was = hands.gear
        hands.gear = value
        self.driveline.locked = False
        if (was == "N") != (value == "N"):
            self.states.append(self._state("confirmed", item="neutral" if value == "N" else "in_gear"))
        return ""

    def _clutch(self, value: float) -> str:
        if self.start.gearbox != "manual":
            return "no_clutch"
        self.hands.clutch = value
        return ""

    def _pedal_to(self, value: float) -> str:
        self.hands.pedal = value
        return ""

    def _parking(self, value: str) -> str:
        return self._knob("tractor", value)

    def _trailer(self, value: str) -> str:
        if "trailer" not in self.air.spec.unit.knobs:
            return "no_trailer_knob"
        return self._knob("trailer", value)

    def _knob(self, knob: str, value: str) -> str:
        _one_of("knob", value, ("in", "out"))
        controls = self.air.controls
        if getattr(controls, f"{knob}_in") == (value == "in"):
            return ""
        setattr(controls, f"{knob}_in", value == "in")
        self._moved()
        self.states.append(self._state("knob", knob=knob, state=value, cause="hand"))
        self._note(f"knob_{value}", knob=knob, cause="hand")
        return ""

    def _window(self, value: str) -> str:
        _one_of("window", value, ("up", "down"))
        if value != self.hands.window:
            self.hands.window = value
            if value == "down":
                self.states.append(self._state("confirmed", item="window_down"))
        return ""

    def _belt(self, value: str) -> str:
        _one_of("belt", value, ("on", "off"))
        if value != self.hands.belt:
            self.hands.belt = value
            self._note("belt", state=value)
            if value == "on":
                self.states.append(self._state("confirmed", item="seat_belt"))
        return ""

    def _mirror(self, value: str) -> str:
        _one_of("mirror", value, ("left", "right"))
        self.hands.mirrors[value] = self.t_s
        if len(self.hands.mirrors) == 2:
            self.hands.mirrors = {}
            self.states.append(self._state("confirmed", item="area_clear"))
            self._note("mirrors")
        return ""

    def _where(self, value: str) -> str:
        _one_of("where", value, ("cab", "outside"))
        hands = self.hands
        if hands.where == "walking" or hands.where == value:
            return ""
        if value == "outside":
            hands.pedal = hands.clutch = hands.throttle = 0.0
            self._note("left_cab", rolling=self.v_m_per_s != 0, knob_in=self.air.controls.tractor_in)
        self._arrives = self.tick + round(self.data.number("clock", "walk_s") * 100)
        hands.where = "walking"
        self._goes_to = value
        return ""

    def _chock_front(self, value: str) -> str:
        return self._chock("front", value)

    def _chock_back(self, value: str) -> str:
        return self._chock("back", value)

    def _chock(self, which: str, value: str) -> str:
        _one_of("chock", value, ("under", "ground", "stowed"))
        hands = self.hands
        if hands.where != "outside":
            return "not_outside"
        if self.v_m_per_s != 0:
            return "rolling"
        was = (hands.chock_front == "under", hands.chock_back == "under")
        setattr(hands, f"chock_{which}", value)
        now = (hands.chock_front == "under", hands.chock_back == "under")
        if value == "under":
            setattr(self.chocks, f"{which}_at", self.x_m)
        if all(now) and not all(was):
            self.states.append(self._state("confirmed", item="wheels_chocked"))
        if any(was) and not any(now):
            self.states.append(self._state("confirmed", item="chocks_removed"))
        return ""

    def _set_faults(self, value: Any) -> str:
        """From outside the cab: these faults and no others from now on. Leaks and weak brakes come on over 5 s."""
        if not isinstance(value, list) or not all(isinstance(one, str) for one in value):
            raise AirSystemError("faults", "must be a list of faults")
        spec = with_faults(self.healthy, self.air_data, value)
        self.faults = list(value)
        was = self.air.spec
        self._target = spec
        keep = replace(spec, leaks=was.leaks, brakes=was.brakes)
        self._ramp_from = (dict(was.leaks), dict(was.brakes))
        self._ramp_began = self.tick
        self._ramping = True
        self.air.respec(keep)
        self.panel.parts = spec.parts
        self._note("faults", faults=list(value))
        return ""

    def _empty(self, value: Any) -> str:
        """From outside: drain a tank."""
        if value not in self.air.tanks:
            raise AirSystemError("empty", f"is {str(value)[:40]!r}; choose one of {', '.join(self.air.tanks)}")
        self.air.drain(str(value))
        self._moved()
        self._note("drained", tank=value)
        return ""

    # how it goes on

    def advance(self, tick: int) -> None:
        """Let time go on until ``tick``, or up to 0.04 s before it where nothing moves: the state alone says."""
        coarse = int(self.data.number("clock", "coarse_ticks"))
        while self.tick < tick:
            count = 1
            if self.tick % coarse == 0 and self._calm():
                count = coarse
                if self.tick + count > tick:
                    return
            self._go(count)

    def _calm(self) -> bool:
        return self.v_m_per_s == 0 and self._pedal == self.hands.pedal and self.air.quiet() and not self._ramping

    def _go(self, count: int) -> None:
        for _ in range(count):
            self._mechanics()
        parts = self._air_parts
        for _ in range(parts):
            self.air.step(count * 0.01 / parts)
        self.tick += count
        self._after(count)

    def _mechanics(self) -> None:
        """One tick of foot, engine, driveline, brakes and motion."""
        dt, hands, air = 0.01, self.hands, self.air
        clock = self.data.tables["clock"]
        if hands.pedal > self._pedal:
            self._pedal = min(hands.pedal, self._pedal + dt / clock["pedal_down_s"])
        elif hands.pedal < self._pedal:
            self._pedal = max(hands.pedal, self._pedal - dt / clock["pedal_up_s"])
        air.controls.pedal = self._pedal
        air.controls.key = hands.key != "off"
        engine, line = self.engine, self.driveline
        was_alive = engine.alive
        torque = engine.torque(hands.throttle, hands.key, self._may_start(), air.pumping, dt)
        if engine.alive and not was_alive:
            self.states.append(self._state("engine", state="running"))
            self._note("engine_running", gear=hands.gear)
        ratio = line.ratio(hands.gear)
        capacity = line.capacity(hands.clutch, hands.gear, self._pedal, hands.throttle, dt)
        if self.v_m_per_s == 0 and engine.rpm == 0 and torque == 0 and self._grade_n == 0:
            force = 0.0
        elif self.power.converter and hands.gear != "N":
            force = self._through_converter(torque, ratio, dt)
        elif capacity > 0:
            force = self._through_clutch(torque, ratio, capacity, dt)
        else:
            line.locked = False
            engine.turn(torque, dt)
            force = 0.0
            self._roll(0.0, self.brakes.mass_kg, dt)
        if engine.dies(biting=capacity > 0 and ratio != 0):
            self.states.append(self._state("engine", state="off"))
            self._note("stalled")
        air.controls.rpm = min(engine.rpm, 3400.0)
        weight = self.brakes.mass_kg * self.data.number("brakes", "gravity")
        braked = math.fsum(self.brakes.forces) if self.v_m_per_s > 0 else 0.0
        self.body.feel((force - braked) / weight, self.brakes.left_minus_right, self.v_m_per_s != 0, dt)
        self._feel_tug(force, dt)
        self.panel.step(
            key=hands.key != "off",
            cranking=engine.cranking,
            alive=engine.alive,
            rpm=engine.rpm,
            speed_m_per_s=self.v_m_per_s,
            dt=dt,
        )

    def _through_clutch(self, torque: float, ratio: float, capacity: float, dt: float) -> float:
        """A slipping or a locked clutch: what it pushes with at the wheels [N]."""
        engine, line, mass = self.engine, self.driveline, self.brakes.mass_kg
        geared = self.v_m_per_s * ratio / line.radius_m * RPM
        slip = engine.rpm - geared
        if not line.locked:
            carried = capacity if slip > 0 else -capacity
            force = line.force(carried, ratio)
            engine.turn(torque - carried, dt)
            self._roll(force, mass, dt)
            after = engine.rpm - self.v_m_per_s * ratio / line.radius_m * RPM
            if after * slip <= 0:
                line.locked = True
                engine.rpm = max(0.0, self.v_m_per_s * ratio / line.radius_m * RPM)
            return force
        inertia = engine.power.inertia_kg_m2 * ratio * ratio / (line.radius_m * line.radius_m)
        force = line.force(torque, ratio)
        before = self.v_m_per_s
        self._roll(force, mass + inertia, dt)
        engine.rpm = max(0.0, self.v_m_per_s * ratio / line.radius_m * RPM)
        turned = engine.power.inertia_kg_m2 * (self.v_m_per_s - before) * ratio / line.radius_m / dt
        if abs(torque - turned) > capacity:
            line.locked = False
        return force

    def _through_converter(self, torque: float, ratio: float, dt: float) -> float:
        engine, line = self.engine, self.driveline
        turbine = self.v_m_per_s * ratio / line.radius_m * RPM
        taken, given = line.converted(engine.rpm, turbine)
        force = line.force(given, ratio)
        engine.turn(torque - taken, dt)
        self._roll(force, self.brakes.mass_kg, dt)
        return force

    def _gravity(self) -> float:
        """The grade's part of the weight [N], uphill against the vehicle."""
        slope = self.start.grade_percent / 100
        weight = self.brakes.mass_kg * self.data.number("brakes", "gravity")
        return -weight * slope / math.sqrt(1 + slope * slope)

    def _roll(self, force: float, mass: float, dt: float) -> None:
        """Motion under a drive force, against brakes, rolling, grade and chocks; friction holds what stands."""
        hands, table = self.hands, self.data.tables["brakes"]
        front, back = hands.chock_front == "under", hands.chock_back == "under"
        pushed = force + self._grade_n
        if front or back:
            pushed += self.chocks.force(self.x_m, front, back)
        if pushed == 0 and self.v_m_per_s == 0:
            return  # it stands, however hard it is braked
        volumes = self.air.volumes
        pressures = {name: volume.psi for name, volume in volumes.items()}
        pressed = braked_by(pressures, len(self.air.spec.towed), self.air.data.gas.ambient_psi)
        held = self.brakes.press(pressed) + table["rolling"] * self.brakes.mass_kg * table["gravity"]
        v = self.v_m_per_s
        if abs(v) < table["still_m_per_s"] and abs(pushed) <= held:
            if v != 0:
                self._stopped()
            self.v_m_per_s = 0.0
            return
        way = (1.0 if v > 0 else -1.0) if v != 0 else (1.0 if pushed > 0 else -1.0)
        after = v + (pushed - way * held) / mass * dt
        if v != 0 and after * v < 0:
            after = 0.0
        if v == 0 and after != 0:
            self._rolled_from = self.x_m
            self._fastest_m_per_s = 0.0
            self._wheel_told = False
            self._note("moved", **self._how_it_moves())
        self.v_m_per_s = after
        self._fastest_m_per_s = max(self._fastest_m_per_s, abs(after))
        self.x_m += after * dt
        if after == 0 and v != 0:
            self._stopped()
        if (front or back) and not self._touched and self.chocks.touched(self.x_m, front, back):
            self._touched = True
            self._note("chock_touched")

    def _stopped(self) -> None:
        self._touched = False
        feet = round((self.x_m - self._rolled_from) * _FEET, 2)
        self._note("stopped", feet=feet, mph=round(self._fastest_m_per_s * MPH, 2))

    def _how_it_moves(self) -> dict[str, Any]:
        """What a wheel should not turn without, as it was when it began to."""
        hands, controls = self.hands, self.air.controls
        held_off = self.data.number("brakes", "spring_off_psi") + self.air.data.gas.ambient_psi
        dragging = bool(self.air.spec.towed) and self.air.volumes["trailer_line"].psi < held_off
        return {
            "gear": hands.gear,
            "belt": hands.belt,
            "chocks": sorted({hands.chock_front, hands.chock_back}),
            "released": controls.tractor_in and (controls.trailer_in or not self.air.spec.towed),
            "dragging": controls.trailer_in and dragging,
        }

    def _feel_tug(self, force: float, dt: float) -> None:
        """How hard a brake that is set is pulled against, as a share of what a healthy one holds."""
        controls = self.air.controls
        place = None
        if not controls.tractor_in:
            place = 1
        elif self.air.spec.towed and not controls.trailer_in:
            place = 2
        if place is None or force == 0 or self.hands.gear == "N":
            if self._tug_ticks:
                self._note("tug", share=round(self._tug, 3), seconds=round(self._tug_ticks * dt, 2))
            self._tug, self._tug_ticks = 0.0, 0
            return
        towed = math.fsum(self.brakes.holding(n) for n in range(2, len(self.brakes.axles)))
        healthy = self.brakes.holding(1) if place == 1 else towed
        self._tug = max(self._tug, abs(force) / healthy)
        self._tug_ticks += 1

    # what is noticed

    def _after(self, count: int) -> None:
        """What came of a step: moments, states, and how the needles stand."""
        air, hands = self.air, self.hands
        dt = count * 0.01
        if self._ramping:
            self._ramp()
        if hands.where == "walking" and self.tick >= self._arrives:
            hands.where = self._goes_to
        self.panel.follow([needle.shown for needle in air._needles], air.data.number("needles", "lag_s"), dt)
        self._foot()
        for pop in air.popped[self._pops :]:
            self._note("knob_out", knob=pop.knob, cause=pop.cause)
            if pop.cause == "linked":
                self.states.append(self._state("knob", knob=pop.knob, state="out", cause="hand"))
            self._moved()
        self._pops = len(air.popped)
        if air._blast:
            air._blast = False
            self._blast_until = self.tick + round(self.data.number("sound", "blast_s") * 100)
            self._note("unloaded")
        if air.pumping != self._loading:
            self._loading = air.pumping
            if self._loading:
                self._note("loading")
        lit = self.lamps()
        for name, was, now in zip(("lamp", "buzzer"), self._lit_was, lit, strict=True):
            if was != now:
                self._note(f"{name}_{'on' if now else 'off'}", check=self.panel.checking)
        self._lit_was = lit
        self._listen_to_revs(count)
        if not self._oil_up and self.panel.oil_psi > self.data.number("gauges", "oil_up_psi"):
            self._oil_up = True
            self._note("oil_up")
        elif self._oil_up and not self.engine.alive:
            self._oil_up = False
        if self.v_m_per_s != 0 and abs(self.body.wheel_deg) > 5 and not self._wheel_told:
            self._wheel_told = True
            self._note("wheel_turned", deg=round(self.body.wheel_deg, 1), with_pedal=self._pedal > 0.08)
        self._settle(count)

    def _listen_to_revs(self, count: int) -> None:
        """An engine that stands too fast for a while is noted once each time."""
        table = self.data.tables["engine"]
        before = self._rev_ticks
        self._rev_ticks = before + count if self.engine.rpm > table["over_rev_rpm"] else 0
        if before < table["over_rev_s"] * 100 <= self._rev_ticks:
            self._note("over_revved")

    def _foot(self) -> None:
        full = self._pedal >= self.air.data.number("valves", FULL_PEDAL)
        if full and not self._told_full:
            self.states.append(self._state("pedal", state="full"))
            self._note("pedal_full")
            self._moved()
        elif self._told_full and not full:
            self.states.append(self._state("pedal", state="released"))
            self._note("pedal_left_full")
            self._moved()
        self._told_full = full

    def _settle(self, count: int) -> None:
        """Whether the valves are quiet and the needles still, since something was moved last."""
        table = self.data.tables["settled"]
        self._quiet_ticks = 0 if self.air.flowing >= table["quiet_flow"] else self._quiet_ticks + count
        needles = tuple(needle.shown for needle in self.air._needles)
        if not self._still_psi or any(
            abs(a - b) >= table["still_psi"] for a, b in zip(needles, self._still_psi, strict=True)
        ):
            self._still_psi, self._still_ticks = needles, 0
        else:
            self._still_ticks += count
        for place, (name, done) in enumerate(
            (
                ("valves_quiet", self._quiet_ticks >= table["quiet_for_s"] * 100),
                ("needles_still", self._still_ticks >= table["still_for_s"] * 100),
            )
        ):
            if done and not self._settled[place]:
                self._settled[place] = True
                self._note(name)
        if not self._warm and self.tick - self._moved_tick >= table["warm_s"] * 100:
            self._warm = True
            self._note("warm")

    def _moved(self) -> None:
        """Pedal or knobs were moved: what was settled is so no longer."""
        self._settled = [False, False]
        self._quiet_ticks = self._still_ticks = 0
        self._moved_tick, self._warm = self.tick, False

    def _ramp(self) -> None:
        """Bring leaks and weak brakes from what they were to what was set."""
        share = min(1.0, (self.tick - self._ramp_began) / 500)
        leaks, brakes = self._ramp_from
        target = self._target

        def between(was: Mapping[str, float], wanted: Mapping[str, float], usual: float) -> dict[str, float]:
            names = sorted({*was, *wanted})
            return {
                name: was.get(name, usual) + (wanted.get(name, usual) - was.get(name, usual)) * share for name in names
            }

        spec = replace(target, leaks=between(leaks, target.leaks, 0.0), brakes=between(brakes, target.brakes, 1.0))
        self.air.respec(spec)
        self.brakes.weak = spec.brakes
        self._ramping = share < 1

    def _note(self, name: str, **detail: Any) -> None:
        shown = tuple(self.panel.needles)
        self.moments.append(WorldEvent(self.t_s, name, detail, self.air.true_psi, shown))

    def _state(self, kind: str, **fields: Any) -> dict[str, Any]:
        return {"at_s": round(self.t_s, 3), "type": kind, **fields}

    # what it gives the senses

    def lamps(self) -> tuple[bool, bool]:
        """Low-air lamp and buzzer as they are now, their check with the key among it."""
        spec = self.air.spec
        key = self.hands.key != "off"
        low = self.air.low
        checking = self.panel.checking
        return key and spec.lamp_works and (low[0] or checking), key and spec.buzzer_works and (low[1] or checking)

    @property
    def mph(self) -> float:
        """The true speed."""
        return self.v_m_per_s * MPH

    @property
    def ground_in(self) -> float:
        """The position in inches, as the picture outside moves."""
        return self.x_m * _INCHES

    @property
    def blasting(self) -> bool:
        """Whether the dryer blows off now."""
        return self.tick < self._blast_until

    def holds(self, place: int, pull_nm: float) -> bool:
        """Whether the spring brakes of an axle group (1: of the power unit, 2: of its trailers) stand a pull.

        pull_nm : at the clutch, in the lowest gear, with their air out.
        """
        brakes, line = self.brakes, self.driveline
        groups = range(1, 2) if place == 1 else range(2, len(brakes.axles))
        weak = brakes.weak.get("park" if place == 1 else "trailer_park", 1.0)
        held = math.fsum(brakes.holding(n) for n in groups) * weak
        gear = next(gear for gear in self.gears if gear not in ("R", "N"))
        return held >= line.force(pull_nm, line.ratio(gear))

    @property
    def no_crank(self) -> bool:
        """Whether the key is held at start and nothing turns: the clutch is up, or the selector is not in neutral."""
        return self.hands.key == "start" and not self.engine.alive and not self._may_start()

    @property
    def grinding(self) -> bool:
        """Whether worn linings are heard."""
        spec = self.air.spec
        chamber = self.air.volumes["primary_brakes"].psi - self.air.data.gas.ambient_psi
        pressed = chamber > self.data.number("brakes", "service_from_psi")
        return spec.parts.get("linings") == "grind" and self.v_m_per_s != 0 and pressed

    def is_so(self, body: Mapping[str, Any]) -> bool:
        """Whether the vehicle is as somebody says it is, in the words of a run's event."""
        kind, state, item = body.get("type"), body.get("state"), body.get("item")
        hands, controls = self.hands, self.air.controls
        if kind == "engine":
            return self.engine.alive == (state == "running")
        if kind == "key":
            return (hands.key != "off") == (state == "on")
        if kind == "pedal":
            return self._told_full == (state == "full")
        if kind == "knob":
            inside = controls.trailer_in if body.get("knob") == "trailer" else controls.tractor_in
            return inside == (state == "in")
        chocks = (hands.chock_front == "under", hands.chock_back == "under")
        looked = [one.t_s for one in self.moments if one.name == "mirrors"]
        so = {
            "wheels_chocked": all(chocks),
            "chocks_removed": not any(chocks),
            "seat_belt": hands.belt == "on",
            "window_down": hands.window == "down",
            "neutral": hands.gear == "N",
            "in_gear": hands.gear != "N",
            "area_clear": bool(looked) and self.t_s - looked[-1] < self.data.number("clock", "looked_s"),
        }
        return so.get(str(item), False)

    @property
    def pedal(self) -> float:
        """How far the pedal is down."""
        return self._pedal


def _one_of(name: str, value: Any, allowed: Sequence[str]) -> None:
    if value not in allowed:
        raise AirSystemError(name, f"is {str(value)[:40]!r}; it is one of {', '.join(allowed)}")


_CONTROLS: dict[str, Any] = {
    "key": World._key,
    "throttle": World._throttle,
    "idle": World._idle,
    "gear": World._gear,
    "clutch": World._clutch,
    "pedal": World._pedal_to,
    "parking": World._parking,
    "trailer": World._trailer,
    "window": World._window,
    "belt": World._belt,
    "mirror": World._mirror,
    "where": World._where,
    "chock_front": World._chock_front,
    "chock_back": World._chock_back,
    "faults": World._set_faults,
    "empty": World._empty,
}
CONTROLS = tuple(_CONTROLS)
_POSITIONS = ("throttle", "clutch", "pedal")
FROM_OUTSIDE = ("faults", "empty")
"""What a trainer may do to the vehicle, and no driver can."""
_FROM_THE_SEAT = frozenset(CONTROLS) - {"where", "chock_front", "chock_back", *FROM_OUTSIDE}

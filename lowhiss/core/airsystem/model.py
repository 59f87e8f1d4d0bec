"""The simulated vehicle: lumped volumes and valves, stepped in time. Deterministic; conserves air to rounding."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from lowhiss.core.airsystem.gas import (
    Piece,
    Shape,
    decay,
    energy_at,
    leak_conductance,
    passing,
    pieces,
    pressure,
    re_expanded,
    rigid,
)
from lowhiss.core.airsystem.spec import AirData, AirSpec, AirSystemError

Flow = Callable[..., None]
_COMES_OUT_S = 0.3
"""After so long a knob that was pushed without air is out again."""
_TANKS = ("supply", "primary", "secondary", "bags")
_FOLLOWS_S = 0.15
"""So long the red knob takes to follow the yellow one."""

FINE_S = 0.01
"""The step while air moves fast; halving it changed no pressure by more than 0.19 psi in 200 random schedules."""
COARSE_S = 0.05
"""The step while nothing but leaks, compressor and warming goes on."""
_FAST_PSI_PER_S = 4.0
_MAX_RPM = 3500.0
SERVICE_PLACES = {"primary_brakes": "service_rear", "secondary_brakes": "service_front"}
"""Where a service chamber of the power unit lets its air be heard."""
LEAK_PLACES = {
    "supply": "supply",
    "primary": "supply",
    "secondary": "supply",
    "springs": "springs",
    "trailer_line": "coupling",
    "control": "coupling",
    **SERVICE_PLACES,
}
"""Where a leak of a volume is heard; those of a trailer at the trailer."""


@dataclass(slots=True)
class Controls:
    """What a driver does. rpm : of the engine, 0 when it stands.  pedal : depth, 0 to 1.  knobs : in means released."""

    key: bool = False
    rpm: float = 0.0
    gear: bool = False
    pedal: float = 0.0
    tractor_in: bool = False
    trailer_in: bool = False
    chocks: bool = False


@dataclass(frozen=True, slots=True)
class Dash:
    """What the vehicle shows and lets hear. Pressures in psi gauge.

    needles : primary, and secondary on a dual circuit, as the dials show them.  true_psi : the same tanks in truth.
    blast : the dryer blows off.  hiss : air that escapes [psi·in³/s].  escaping : the same by place.
    """

    t_s: float
    needles: tuple[float, ...]
    true_psi: tuple[float, ...]
    supply_psi: float
    trailer_psi: tuple[float, ...]
    lamp: bool
    buzzer: bool
    tractor_in: bool
    trailer_in: bool
    blast: bool
    hiss: float
    escaping: Mapping[str, float]


@dataclass(frozen=True, slots=True)
class Popped:
    """A knob that moved out by itself. cause : ``low_air``, or ``linked`` where the other knob let it go."""

    t_s: float
    knob: str
    cause: str


@dataclass(slots=True)
class Volume:
    """A volume with air in it: amount, energy, and what follows from them."""

    name: str
    steps: tuple[Piece, ...]
    tau_s: float
    amount: float = 0.0
    energy: float = 0.0
    psi: float = 0.0
    in3: float = 0.0
    room: float = 0.0
    """How much air one psi more takes [in³]."""
    theta: float = 1.0
    d_amount: float = field(default=0.0)
    d_energy: float = field(default=0.0)

    def fill(self, psi: float) -> None:
        """Hold air of an absolute pressure at ambient temperature."""
        self.energy = energy_at(self.steps, psi)
        self.psi, self.in3, slope = pressure(self.steps, self.energy)
        self.amount = self.psi * self.in3
        self.room = self.in3 + self.psi * slope
        self.theta = 1.0


class AirSystem:
    """One vehicle under simulation; ``controls`` may be changed between two calls of ``advance``."""

    def __init__(
        self,
        spec: AirSpec,
        data: AirData,
        charge_psi: float = 0.0,
        trailer_psi: float | None = None,
        step_scale: float = 1.0,
    ) -> None:
        """charge_psi, trailer_psi : gauge pressure in the tanks at the start.  step_scale : of the time step."""
        trailer_psi = charge_psi if trailer_psi is None else trailer_psi
        for name, psi in (("tanks_psi", charge_psi), ("trailer_psi", trailer_psi)):
            if not 0 <= psi <= 150:
                raise AirSystemError(name, f"is {psi:g}; a vehicle is charged to 0 to 150 psi")
        self.spec, self.data = spec, data
        self.controls = Controls()
        self.t_s = 0.0
        self.compressed = self.vented = 0.0
        self._scale = step_scale
        self._ambient = data.gas.ambient_psi
        self._loading = True
        self._passing = 0.0
        self._purge_left = 0.0
        self._bags_open = False
        self._blast = False
        self.escaping: dict[str, float] = {}
        self.popped: list[Popped] = []
        self._fastest = math.inf
        self._fast_until = 0.0
        self._was: tuple[object, ...] | None = None
        self._in_since = {"tractor": 0.0, "trailer": 0.0}
        self._was_in = {"tractor": False, "trailer": False}
        self._red_follows_s = math.inf
        self._build({"trailer": trailer_psi, "": charge_psi})
        self._needles = [_Needle(spec, name, data.number("needles", "lag_s")) for name in spec.unit.needles]
        for needle, psi in zip(self._needles, self.true_psi, strict=True):
            needle.jump(psi)
        lowest = min(self.true_psi)
        self._low = [lowest < spec.warning_psi, lowest < spec.warning_psi + spec.buzzer_offset_psi]

    # what it is made of

    def _build(self, charges: dict[str, float]) -> None:
        spec, gas = self.spec, self.data.gas
        dry = [1 - share for share in spec.water_share]
        tanks = {"supply": spec.supply_in3 * dry[0], "primary": spec.primary_in3 * dry[1]}
        if spec.secondary_in3:
            tanks["secondary"] = spec.secondary_in3 * dry[2]
        tanks |= {f"trailer{n}": one.tank_in3 for n, one in enumerate(spec.towed)}
        if spec.suspension_in3:
            tanks["bags"] = spec.suspension_in3
        self.volumes: dict[str, Volume] = {
            name: Volume(name, pieces(rigid(in3), gas.gamma), gas.tank_tau_s) for name, in3 in tanks.items()
        }
        small = {"primary_brakes": self._brakes(spec.primary_chambers), "springs": self._springs()}
        if spec.secondary_chambers and spec.secondary_in3:
            small["secondary_brakes"] = self._brakes(spec.secondary_chambers)
        if spec.towed:
            small["trailer_line"] = self._trailer_line()
            small["control"] = rigid(self.data.number("chambers", "control_line_in3") * len(spec.towed))
            small |= {f"brakes{n}": self._brakes(one.chambers) for n, one in enumerate(spec.towed)}
        self.volumes |= {name: Volume(name, pieces(shape, gas.gamma), gas.small_tau_s) for name, shape in small.items()}
        for name, volume in self.volumes.items():
            charge = charges["trailer" if name.startswith("trailer") else ""]
            volume.fill(self._ambient + (charge if name in tanks else 0.0))
        self._all = list(self.volumes.values())
        self._leaks = self._leak_list()

    def _brakes(self, types: Sequence[int]) -> Shape:
        """The service side of some chambers, with their lines."""
        table = self.data.tables["chambers"]
        rated = math.fsum(self.data.volumes_in3[one] for one in types)
        empty = rated * table["dead_share"] + table["line_in3"] * len(types)
        stroke = rated * self.spec.applied_stroke * table["stroke_share"]
        low, high = table["slack_psi"]
        at = self._ambient
        return Shape(
            (
                (at + low, empty),
                (at + high, empty + stroke * table["slack_share"]),
                (at + table["full_psi"], empty + stroke),
            )
        )

    def _springs(self) -> Shape:
        return self._spring_shape(len(self.spec.primary_chambers), 0.0)

    def _trailer_line(self) -> Shape:
        chambers = len([chamber for one in self.spec.towed for chamber in one.chambers])
        line = self.data.number("chambers", "trailer_line_in3") * len(self.spec.towed)
        return self._spring_shape(chambers, line)

    def _spring_shape(self, count: int, line_in3: float) -> Shape:
        table = self.data.tables["chambers"]
        low, high = table["spring_psi"]
        empty = table["spring_dead_in3"] * count + line_in3
        at = self._ambient
        return Shape(((at + low, empty), (at + high, empty + table["spring_sweep_in3"] * count)))

    def _leak_list(self) -> list[tuple[Volume, float, str]]:
        """Every leak with its conductance: healthy ones of each circuit, and those that the specification adds."""
        spec, table = self.spec, self.data.tables["leaks"]
        at = table["at_psi"] + self._ambient
        power = [self.volumes[name].in3 for name in ("supply", "primary", "secondary") if name in self.volumes]
        circuits = {"primary": "primary_brakes", "secondary": "secondary_brakes"}
        found: dict[str, float] = {}

        def add(place: str, rate: float, volume_in3: float) -> None:
            if place in self.volumes:
                found[place] = found.get(place, 0.0) + leak_conductance(rate, volume_in3, at)

        for tank, brakes in circuits.items():
            if tank in self.volumes:
                # the supply tank makes up for half of what leaks from each circuit
                add(tank, table["released_psi_per_min"], math.fsum(power) / len(spec.unit.needles))
                add(brakes, table["applied_psi_per_min"], math.fsum(power) / len(spec.unit.needles))
        for n, one in enumerate(spec.towed):
            add(f"trailer{n}", table["released_psi_per_min"], one.tank_in3)
        named = {
            "supply": ("supply", power[0]),
            "primary": ("primary", self.volumes["primary"].in3),
            "secondary": ("secondary", self.volumes["secondary"].in3 if "secondary" in self.volumes else 0.0),
            "trailer_line": ("trailer_line", math.fsum(power)),
            "primary_chamber": ("primary_brakes", self.volumes["primary"].in3),
            "secondary_chamber": ("secondary_brakes", power[-1]),
            "trailer_chamber": ("brakes0", math.fsum(power)),
            "spring_chamber": ("springs", math.fsum(power)),
            "control": ("control", math.fsum(power)),
        }
        for place, rate in spec.leaks.items():
            if place not in named:
                raise AirSystemError("leaks", f"has {place!r}, which isn't a place; choose one of {', '.join(named)}")
            name, volume_in3 = named[place]
            add(name, rate, volume_in3)
        return [
            (self.volumes[name], conductance, LEAK_PLACES.get(name, "trailer_service"))
            for name, conductance in found.items()
        ]

    @property
    def tanks(self) -> tuple[str, ...]:
        """The tanks that can be drained, by name."""
        trailers = {f"trailer{n}" for n in range(len(self.spec.towed))}
        return tuple(name for name in self.volumes if name in _TANKS or name in trailers)

    def drain(self, tank: str) -> None:
        """Let all the air out of a tank at once."""
        volume = self.volumes[tank]
        before = volume.amount
        volume.fill(self._ambient)
        self.vented += before - volume.amount

    def respec(self, spec: AirSpec) -> None:
        """Go on with other set points and leaks in the same tanks."""
        self.spec = spec
        for needle, name in zip(self._needles, spec.unit.needles, strict=True):
            needle.set_up(spec, name)
        self._leaks = self._leak_list()

    # what it shows

    @property
    def true_psi(self) -> tuple[float, ...]:
        """The service tanks' pressures in truth [psi gauge]."""
        return tuple(self.volumes[name].psi - self._ambient for name in self.spec.unit.needles)

    @property
    def air(self) -> float:
        """All the air that is inside [psi·in³ at ambient temperature]."""
        return math.fsum(volume.amount for volume in self._all)

    @property
    def pumping(self) -> bool:
        """Whether the compressor fills, as one hears."""
        return self._loading and self._turning

    @property
    def _turning(self) -> bool:
        """Whether the engine turns fast enough for the compressor to give anything."""
        return self.controls.rpm >= self.data.number("compressor", "least_rpm")

    @property
    def low(self) -> tuple[bool, bool]:
        """Whether the switches of lamp and buzzer stand at low air, with or without the key."""
        return self._low[0], self._low[1]

    @property
    def flowing(self) -> float:
        """Air that passes valves now, leaks and compressor left out [psi·in³/s]."""
        return self._passing

    def dash(self) -> Dash:
        """What the driver sees and hears now."""
        true = self.true_psi
        key = self.controls.key
        return Dash(
            t_s=self.t_s,
            needles=tuple(needle.shown for needle in self._needles),
            true_psi=true,
            supply_psi=self.volumes["supply"].psi - self._ambient,
            trailer_psi=tuple(self.volumes[f"trailer{n}"].psi - self._ambient for n in range(len(self.spec.towed))),
            lamp=key and self._low[0] and self.spec.lamp_works,
            buzzer=key and self._low[1] and self.spec.buzzer_works,
            tractor_in=self.controls.tractor_in,
            trailer_in=self.controls.trailer_in,
            blast=self._blast,
            hiss=math.fsum(self.escaping.values()),
            escaping=dict(self.escaping),
        )

    # how it goes on

    def advance(self, seconds: float) -> Dash:
        """Let time go on with the controls as they are; what it shows then. Raises AirSystemError for a bad control."""
        if not (math.isfinite(seconds) and 0 <= seconds <= 36_000):
            raise AirSystemError("seconds", f"is {seconds}; time goes on by 0 to 36000 s at once")
        self._check()
        self._blast = False
        left = seconds
        while left > 1e-9:
            dt = min(left, (COARSE_S if self.quiet() else FINE_S) * self._scale)
            self.step(dt)
            left -= dt
        return self.dash()

    def step(self, dt: float) -> None:
        """One step of ``dt`` seconds, the controls taken as they are: ``FINE_S``, or ``COARSE_S`` where it is quiet."""
        self._step(dt)
        self.t_s += dt
        self._switches()
        for needle, psi in zip(self._needles, self.true_psi, strict=True):
            needle.follow(psi, dt)

    def _check(self) -> None:
        controls = self.controls
        for name, value, most in (("rpm", controls.rpm, _MAX_RPM), ("pedal", controls.pedal, 1.0)):
            if not (math.isfinite(value) and 0 <= value <= most):
                raise AirSystemError(name, f"is {value}; it must be from 0 to {most:g}")
        if controls.trailer_in and "trailer" not in self.spec.unit.knobs:
            raise AirSystemError("trailer_in", "can't be pushed: this unit has no trailer supply knob")

    def quiet(self) -> bool:
        """Whether nothing moves fast: the last step's flows, and no valve that the driver has just moved."""
        controls = self.controls
        now = (controls.pedal, controls.tractor_in, controls.trailer_in, self._bags_open)
        if now != self._was:
            self._was = now
            self._fast_until = self.t_s + 0.2
        return self.t_s > self._fast_until and self._fastest < _FAST_PSI_PER_S

    def _switches(self) -> None:
        """Governor, protection valve and knobs, by what they sense."""
        spec, volumes = self.spec, self.volumes
        supply = volumes["supply"].psi - self._ambient
        if self._loading and supply >= spec.cut_out_psi and self._turning:
            self._loading = False
            self._purge_left = self.data.number("compressor", "purge_psi_in3")
            self._blast = True
        elif not self._loading and supply <= spec.cut_in_psi:
            self._loading = True
        self._knobs(max(self.true_psi))
        lowest = min(self.true_psi)
        for place, set_psi in enumerate((spec.warning_psi, spec.warning_psi + spec.buzzer_offset_psi)):
            self._low[place] = lowest < set_psi + (spec.hysteresis_psi if self._low[place] else 0.0)
        if "bags" in volumes:
            secondary = self.true_psi[-1]
            valves = self.data.tables["valves"]
            limit = valves["protection_closes_psi"] if self._bags_open else valves["protection_opens_psi"]
            self._bags_open = secondary > limit

    def _knobs(self, higher_psi: float) -> None:
        """Knobs that stay in only with air, and a red one that follows the yellow one where they are linked."""
        spec, controls = self.spec, self.controls
        for knob, at_psi in (("tractor", spec.tractor_pop_psi), ("trailer", spec.trailer_pop_psi)):
            is_in = bool(getattr(controls, f"{knob}_in"))
            if is_in and not self._was_in[knob]:
                self._in_since[knob] = self.t_s
            held_s = self.t_s - self._in_since[knob]
            if is_in and higher_psi < at_psi and held_s >= _COMES_OUT_S and not (knob == "trailer" and spec.red_stuck):
                self._pop(knob, "low_air")
        if self._was_in["tractor"] and not controls.tractor_in and spec.dash_linked and not spec.red_stuck:
            self._red_follows_s = self.t_s + _FOLLOWS_S
        if self.t_s >= self._red_follows_s:
            self._red_follows_s = math.inf
            if controls.trailer_in and not controls.tractor_in:
                self._pop("trailer", "linked")
        self._was_in = {"tractor": controls.tractor_in, "trailer": controls.trailer_in}

    def _pop(self, knob: str, cause: str) -> None:
        setattr(self.controls, f"{knob}_in", False)
        self.popped.append(Popped(self.t_s, knob, cause))

    def _step(self, dt: float) -> None:
        """One time step."""
        gamma, ambient, critical = self.data.gas.gamma, self._ambient, self.data.gas.critical_ratio
        half = 0.5 / (gamma * dt)
        passed = 0.0
        for volume in self._all:
            volume.d_amount = volume.d_energy = 0.0

        def flow(a: Volume, b: Volume, conductance: float, crack: float = 0.0, up_to: float = math.inf) -> None:
            nonlocal passed
            drop = a.psi - b.psi - crack
            if drop <= 0.0:
                return
            amount = min(
                conductance * a.psi * passing(a.psi - crack, b.psi, critical),
                drop * half / (1 / a.room + 1 / b.room),  # no step may overshoot where both would be equal,
                (up_to - b.psi) * b.room * half,  # nor a pressure that is asked for
            )
            passed += amount
            warm = gamma * amount * a.theta
            a.d_amount -= amount
            b.d_amount += amount
            a.d_energy -= warm
            b.d_energy += warm

        vented = 0.0

        escaping: dict[str, float] = {}

        def vent(a: Volume, conductance: float, place: str, down_to: float = ambient) -> None:
            nonlocal vented
            drop = a.psi - down_to
            if drop <= 0.0:
                return
            amount = min(conductance * a.psi * passing(a.psi, ambient, critical), drop * a.room * half)
            a.d_amount -= amount
            a.d_energy -= gamma * amount * a.theta
            vented += amount
            escaping[place] = escaping.get(place, 0.0) + amount

        self._compress(dt)
        self._valves(flow, vent)
        self._passing = passed + vented
        purged = self._purge(dt)
        if purged:
            vented += purged
            escaping["dryer"] = purged
        for volume, conductance, place in self._leaks:
            vent(volume, conductance, place)
        self.escaping = escaping
        fastest = 0.0
        for volume in self._all:
            before = volume.psi
            volume.amount += volume.d_amount * dt
            volume.energy += (volume.d_energy - (before * volume.in3 - volume.amount) / volume.tau_s) * dt
            volume.psi, volume.in3, slope = pressure(volume.steps, volume.energy)
            volume.room = volume.in3 + volume.psi * slope
            volume.theta = volume.psi * volume.in3 / volume.amount
            fastest = max(fastest, abs(volume.psi - before))
        self._fastest = fastest / dt
        self.vented += vented * dt

    def _compress(self, dt: float) -> None:
        rpm = self.controls.rpm
        if not (self._loading and self._turning):
            return
        table = self.data.tables["compressor"]
        supply = self.volumes["supply"]
        clearance = table["clearance"]
        share = 1 + clearance - clearance * re_expanded(table["re_expanded"], supply.psi / self._ambient)
        displacement = self.spec.compressor_cfm * 1728 / 1250
        amount = max(0.0, self.spec.health * table["efficiency"] * share * displacement * rpm / 60 * self._ambient)
        supply.d_amount += amount
        supply.d_energy += self.data.gas.gamma * amount * table["delivery_theta"]
        self.compressed += amount * dt

    def _purge(self, dt: float) -> float:
        if self._purge_left <= 0:
            return 0.0
        table = self.data.tables["compressor"]
        supply = self.volumes["supply"]
        amount: float = min(table["purge_psi_in3"] / table["purge_s"], self._purge_left / dt)
        amount = min(amount, max(0.0, supply.psi - self._ambient) * supply.room * 0.5 / (self.data.gas.gamma * dt))
        supply.d_amount -= amount
        supply.d_energy -= self.data.gas.gamma * amount * supply.theta
        self._purge_left -= amount * dt
        return amount

    def _valves(self, flow: Flow, vent: Flow) -> None:
        """Every path that the valves leave open as they stand."""
        volumes, controls, spec = self.volumes, self.controls, self.spec
        pass_ = self.data.tables["conductance"]
        valves = self.data.tables["valves"]
        supply, primary = volumes["supply"], volumes["primary"]
        secondary = volumes.get("secondary")
        for tank in (primary, secondary):
            if tank is None:
                continue
            stuck = tank.name in spec.stuck_checks
            waits = spec.priority and tank is secondary and supply.psi - self._ambient < valves["priority_psi"]
            if not waits:
                flow(supply, tank, pass_["check"], 0.0 if stuck else valves["check_crack_psi"])
            if stuck:
                flow(tank, supply, pass_["check"])
        if "bags" in volumes and secondary is not None and self._bags_open:
            flow(secondary, volumes["bags"], pass_["protection"])  # bags never feed back
        self._brake(flow, vent, primary, volumes["primary_brakes"], pass_["foot"], "foot_valve")
        if secondary is not None and "secondary_brakes" in volumes:
            self._brake(flow, vent, secondary, volumes["secondary_brakes"], pass_["foot_secondary"], "service_front")
        higher = primary if secondary is None or primary.psi >= secondary.psi else secondary
        if controls.tractor_in:
            flow(higher, volumes["springs"], pass_["parking"])
            flow(volumes["springs"], higher, pass_["parking"])  # the springs follow their supply down
        else:
            vent(volumes["springs"], pass_["parking"], "dash_valve")
        if not spec.towed:
            return
        line, control = volumes["trailer_line"], volumes["control"]
        fed, asked = (control, line) if spec.lines_crossed else (line, control)
        if controls.trailer_in:
            flow(higher, fed, pass_["trailer_supply"])
            flow(fed, higher, pass_["trailer_supply"])
            self._brake(flow, vent, higher, asked, pass_["control"], "foot_valve")
        else:
            vent(line, pass_["trailer_supply"], "trailer_line")
            vent(control, pass_["control"], "trailer_line")
        for n in range(len(spec.towed)):
            tank, brakes = volumes[f"trailer{n}"], volumes[f"brakes{n}"]
            flow(line, tank, pass_["trailer_check"], valves["check_crack_psi"])
            # the relay gives what the control line asks for
            if control.psi > brakes.psi:
                flow(tank, brakes, pass_["foot"], up_to=control.psi)
            else:
                vent(brakes, pass_["exhaust"], "trailer_service", control.psi)

    def _brake(self, flow: Flow, vent: Flow, tank: Volume, brakes: Volume, conductance: float, place: str) -> None:
        """The foot valve between a tank and what it feeds: it gives, holds or exhausts by the depth of the pedal."""
        valves = self.data.tables["valves"]
        depth, free = self.controls.pedal, valves["free_travel"]
        wanted = tank.psi
        if depth < valves["full_pedal"]:
            given = depth / valves["full_pedal"] * valves["part_pedal_psi"] if depth > free else 0.0
            wanted = min(tank.psi, self._ambient + given)
        if brakes.psi < wanted:
            flow(tank, brakes, conductance, up_to=wanted)
        else:
            vent(brakes, self.data.tables["conductance"]["exhaust"], place, wanted)


class _Needle:
    """A dial's needle: it lags, may stick until it breaks loose, and may be off."""

    def __init__(self, spec: AirSpec, name: str, lag_s: float) -> None:
        self._lag_s = lag_s
        self.set_up(spec, name)
        self._at = 0.0
        self._moving = True

    def set_up(self, spec: AirSpec, name: str) -> None:
        """Stick and be off as the vehicle has it."""
        self._stiction = spec.stiction_psi.get(name, 0.0)
        self._offset = spec.offset_psi.get(name, 0.0)

    @property
    def shown(self) -> float:
        """Where it points [psi gauge]; a dial ends at nothing."""
        return max(0.0, self._at)

    def jump(self, psi: float) -> None:
        """Stand there at once."""
        self._at = psi + self._offset

    def follow(self, psi: float, dt: float) -> None:
        """Follow the pressure for a step."""
        behind = psi + self._offset - self._at
        if self._stiction:
            if abs(behind) > self._stiction:
                self._moving = True
            elif abs(behind) < self._stiction / 10:
                self._moving = False
            if not self._moving:
                return
        self._at += behind * (1 - decay(dt / self._lag_s))

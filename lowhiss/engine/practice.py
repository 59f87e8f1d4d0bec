"""A practice drive: a vehicle that may hide something, its senses frame by frame, its log, and afterwards its truth.

Server and device run this same module, the device in WebAssembly: what comes of a log of controls is the same bits.
"""

from __future__ import annotations

import base64
import hashlib
import math
import pickle
import zlib
from array import array
from bisect import bisect_right
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from typing import Any

from lowhiss import rulebook
from lowhiss.core.airsystem import (
    CONTROLS,
    FROM_OUTSIDE,
    AirSpec,
    World,
    WorldEvent,
    fault_names,
    read_start,
    with_traits,
)
from lowhiss.core.fields import Fields, Language
from lowhiss.core.practice import (
    Lesson,
    Mode,
    PracticeError,
    TrueMark,
    code_of,
    commitment,
    draw,
    read_code,
    read_lesson,
    true_marks,
)
from lowhiss.core.practice.lesson import PRACTICE_FORMAT
from lowhiss.core.procedure import Procedure, read_procedure
from lowhiss.core.record import RUN_FORMAT, Event, Run, read_run
from lowhiss.core.rules import RuleSet, read_rule_set
from lowhiss.core.run import standing_events
from lowhiss.core.script import compile_script
from lowhiss.core.words import Words
from lowhiss.engine.judge_record import judge_record, judged_by, report_of
from lowhiss.engine.simulation import spec_named, spec_of_table

CLAIM = "claim"
"""The type of what a trainee says or ticks beside the run record."""
_TRACE_TICKS = 20
"""How far apart the samples of the truth are kept."""
_LOG_PLACES = 3
_MOST_CONTROLS = 200_000


class Drive:
    """One practice: its world, what it hides, and what is kept of it."""

    def __init__(self, table: Mapping[str, Any]) -> None:
        """table : what was chosen (``read_choice``). Raises CoreError naming the field."""
        self.choice = read_choice(table)
        choice = self.choice
        self.spec = _spec(choice)
        self.lesson = choice["lesson"]
        self.rules, self.procedure = _led_by(choice, self.spec)
        self.faults = _hidden(choice, self.spec)
        data = rulebook.driving()
        start = read_start(choice["start"], self.spec.kind, data)
        self.worlds = [
            World(self.spec, rulebook.air_data(), data, start, choice["seed"], self.faults)
            for _ in range(choice["repeat"])
        ]
        self.samples = array("d")
        self._told_states, self._told_pops = self.world.found, 0
        self._sample()

    @property
    def world(self) -> World:
        """The vehicle; further ones only burn the time of a slower device."""
        return self.worlds[0]

    # driving

    def control(self, name: str, value: Any) -> str:
        """Move a control; why it did not move, empty where it did. Raises AirSystemError."""
        if len(self.world.log) >= _MOST_CONTROLS:
            raise PracticeError("controls", "are too many: this practice is full. Start a new one")
        refused = ""
        for world in self.worlds:
            refused = world.control(name, value)
        return refused

    def advance(self, tick: int) -> None:
        """Let time go on to a tick; the truth is sampled on a grid of its own, whoever looks when."""
        world = self.world
        while world.tick < tick:
            before = world.tick
            for one in self.worlds:
                one.advance(min(tick, (before // _TRACE_TICKS + 1) * _TRACE_TICKS))
            if world.tick == before:
                return
            if world.tick % _TRACE_TICKS == 0:
                self._sample()

    def _sample(self) -> None:
        world = self.world
        self.samples.extend((world.t_s, *world.panel.needles, *world.air.true_psi))

    def at(self, t_s: float) -> tuple[tuple[float, ...], tuple[float, ...]]:
        """What the needles showed and the tanks held at a time, between the samples in a straight line."""
        needles = len(self.spec.unit.needles)
        width = 1 + 2 * needles
        times = self.samples[::width]
        place = min(max(bisect_right(times, t_s) - 1, 0), len(times) - 1)
        low = self.samples[place * width : (place + 1) * width]
        high = self.samples[(place + 1) * width : (place + 2) * width] or low
        share = (t_s - low[0]) / (high[0] - low[0]) if high[0] > low[0] else 0.0
        share = min(max(share, 0.0), 1.0)
        values = tuple(round(a + (b - a) * share, 2) for a, b in zip(low[1:], high[1:], strict=True))
        return values[:needles], values[needles:]

    # what goes out while it runs: senses, and states that are no secret

    def frame(self) -> dict[str, Any]:
        """What a driver's eyes, ears, hands and seat get now, and nothing else."""
        world = self.world
        hands, panel, air = world.hands, world.panel, world.air
        lamp, buzzer = world.lamps()
        first, self._told_states = self._told_states, len(world.states)
        pops = [
            {"at_s": round(one.t_s, 3), "knob": one.knob}
            for one in air.popped[self._told_pops :]
            if one.cause == "low_air"
        ]
        self._told_pops = len(air.popped)
        return {
            "t_s": round(world.t_s, 2),
            "tick": world.tick,
            "needles": [round(psi, 2) for psi in panel.needles],
            "lamp": lamp,
            "buzzer": buzzer,
            "abs_power": panel.abs_lamp("abs_power"),
            "abs_trailer": bool(air.spec.towed) and panel.abs_lamp("abs_trailer"),
            "rpm": round(panel.rpm_shown),
            "mph": round(panel.mph_shown, 1),
            "oil_psi": round(panel.oil_psi, 1),
            "coolant_f": round(panel.coolant_f, 1),
            "volts": panel.volts,
            "parking": air.controls.tractor_in,
            "trailer": air.controls.trailer_in,
            "pitch_deg": round(world.body.pitch_deg, 3),
            "ground_in": round(world.ground_in, 2),
            "rolls": abs(world.v_m_per_s) > 0.02,
            "wheel_deg": round(world.body.wheel_deg, 1),
            "key": hands.key,
            "no_crank": world.no_crank,
            "gear": hands.gear,
            "pedal": round(world.pedal, 3),
            "clutch": hands.clutch,
            "throttle": hands.throttle,
            "idle_rpm": hands.idle_rpm,
            "window": hands.window,
            "belt": hands.belt,
            "where": hands.where,
            "chocks": {"front": hands.chock_front, "back": hands.chock_back},
            "sounds": sounds_of(world),
            "first_state": first,
            "states": world.states[first:],
            "pops": pops,
        }

    def repeat_report(self) -> None:
        """Tell every state with the next frame: whoever goes on may have lost the last ones."""
        self._told_states, self._told_pops = self.world.found, 0

    def truth(self) -> dict[str, Any]:
        """What only a trainer's screen may show: true pressures and what is wrong."""
        world = self.world
        air = world.air
        return {
            "psi": {name: round(volume.psi - air.data.gas.ambient_psi, 1) for name, volume in air.volumes.items()},
            "faults": list(world.faults),
            "mph": round(world.mph, 2),
            "tanks": list(air.tanks),
            "possible": sorted(possible_faults(self.spec)),
        }

    # what is kept

    def log(self) -> list[list[Any]]:
        """Everything that was moved: tick, control, value."""
        return [list(one) for one in self.world.log]

    def keep(self) -> str:
        """The whole drive as it stands, to go on from later; not to be read by who drives."""
        kept = pickle.dumps((rulebook.version(), self), protocol=5)
        return base64.b64encode(zlib.compress(kept, 1)).decode()

    def record(self, marks: Sequence[Mapping[str, Any]]) -> dict[str, Any]:
        """The run record of this practice: the vehicle's own states and the trainee's marks; claims are none of it."""
        marked = [one for one in marks if one.get("type") != CLAIM]
        events = sorted([*self.world.states, *self._late_pops(marked), *marked], key=lambda one: one["at_s"])
        return {
            "format": RUN_FORMAT,
            "purpose": "rehearsal",
            "simulated": True,
            **judged_by(self.rules, self.procedure, self.spec.unit, self.choice["resolution_psi"]),
            "events": events,
        }

    def _late_pops(self, marked: Sequence[Mapping[str, Any]]) -> list[dict[str, Any]]:
        """A knob that came out and that nobody marked, at its true time and without a number."""
        told = {one.get("knob") for one in marked if one.get("type") == "knob" and one.get("cause") == "popped"}
        return [
            {"at_s": round(one.t_s, 3), "type": "knob", "knob": one.knob, "state": "out", "cause": "popped"}
            for one in self.world.air.popped
            if one.cause == "low_air" and one.knob not in told
        ]

    def script(self) -> dict[str, Any]:
        """What leads this practice on the test screen."""
        planning = rulebook.planning(self.spec.kind)
        compiled = compile_script(self.procedure, self.rules, self.spec.unit, planning)
        judged = judged_by(self.rules, self.procedure, self.spec.unit, self.choice["resolution_psi"])
        return {**compiled, "record": {**judged, "simulated": True}}

    def described(self) -> dict[str, Any]:
        """What the dash must know to be drawn: nothing that is hidden."""
        world, unit = self.world, self.spec.unit
        return {
            "kind": self.spec.kind,
            "needles": list(unit.needles),
            "knobs": list(unit.knobs),
            "trailers": len(self.spec.towed),
            "gears": list(world.gears),
            "gearbox": world.start.gearbox,
            "clutch": world.start.gearbox == "manual",
            "full_pedal": rulebook.air_data().number("valves", "full_pedal"),
            "free_travel": rulebook.air_data().number("valves", "free_travel"),
            "governed_rpm": world.power.governed_rpm,
            "idle_rpm": world.power.idle_rpm,
            "start": asdict(world.start),
            "commitment": commitment(self.choice["salt"], self.faults),
            "mode": self.choice["mode"],
            "lesson": self.lesson,
            "presents": lesson_of(self.lesson).presents(self.lesson["drive"]) if self.lesson else None,
            "closing": rulebook.scoring().tables["closing"],
            "examiner": rulebook.scoring().tables["examiner"],
            "soft_pop": self.spec.parts.get("knobs") == "soft",
            "controls": [name for name in CONTROLS if name not in FROM_OUTSIDE],
            "script": self.script(),
        }

    # afterwards

    def after(self, marks: Sequence[Mapping[str, Any]]) -> dict[str, Any]:
        """The truth beside what was marked, in figures and ids: ``verdict_text`` puts it into words."""
        record = self.record(marks)
        run = read_run(record)
        data = rulebook.practice()
        moments = self.world.moments
        found = self.true_marks(run)
        return {
            "run": record,
            "outcome": judge_record(run).headline,
            "needles": list(self.spec.unit.needles),
            "trace": self.trace(),
            "moments": [_moment_out(one) for one in moments],
            "marks": [asdict(one) for one in found],
            "late_s": data.marks["late_s"],
            "pedal": [[one.t_s, one.name == "pedal_full"] for one in moments if one.name.startswith("pedal_")],
            "faults": list(self.world.faults),
            "changed": any(name == "faults" for _, name, _ in self.world.log),
            "opened": {
                "salt": self.choice["salt"],
                "faults": self.faults,
                "commitment": commitment(self.choice["salt"], self.faults),
            },
            "set_points_psi": self.set_points(),
        }

    def true_marks(self, run: Run) -> list[TrueMark]:
        """Every mark of a run of this practice, with its truth."""
        standing = standing_events(run.events)[0]
        return true_marks(rulebook.practice(), standing, self.world.moments, self.at, set_at(run.events))

    def slower_reaches(self, psi: float, near_s: float) -> float | None:
        """When the slower tank truly came up to a pressure, nearest to a time [s]; None where it never did."""
        needles = len(self.spec.unit.needles)
        width = 1 + 2 * needles
        found: list[float] = []
        for place in range(width, len(self.samples), width):
            before = min(self.samples[place - needles : place])
            after = min(self.samples[place + 1 + needles : place + width])
            if before < psi <= after:
                was_s, now_s = self.samples[place - width], self.samples[place]
                found.append(was_s + (now_s - was_s) * (psi - before) / (after - before))
        return min(found, key=lambda at: abs(at - near_s)) if found else None

    def set_points(self) -> dict[str, float]:
        """Where this vehicle truly does what is tested."""
        spec = self.world.air.spec
        points = {
            "cut_out": spec.cut_out_psi,
            "cut_in": spec.cut_in_psi,
            "warning": spec.warning_psi,
            "tractor": spec.tractor_pop_psi,
        }
        return {**points, "trailer": spec.trailer_pop_psi} if "trailer" in spec.unit.knobs else points

    def trace(self) -> dict[str, list[float]]:
        """Needles and truth over time, five a second, as columns."""
        names = self.spec.unit.needles
        width = 1 + 2 * len(names)
        columns = ["t_s", *(f"{name}_shown" for name in names), *(f"{name}_true" for name in names)]
        return {name: [round(value, 2) for value in self.samples[place::width]] for place, name in enumerate(columns)}

    def saved_record(self, marks: Sequence[Mapping[str, Any]]) -> dict[str, Any]:
        """The open record of a practice: enough to replay and to judge it anywhere."""
        world = self.world
        return {
            "format": PRACTICE_FORMAT,
            "core": rulebook.version(),
            "choice": {key: value for key, value in self.choice.items() if key != "repeat"},
            "ticks": world.tick,
            "controls": self.log(),
            "marks": [dict(one) for one in marks],
            "opened": {"salt": self.choice["salt"], "faults": self.faults},
            "digest": self.digest(),
        }

    def digest(self) -> str:
        """A hash of the whole trace, bit for bit: what a replay must give again."""
        return hashlib.sha256(self.samples.tobytes()).hexdigest()


def set_at(events: Sequence[Event]) -> dict[str, float]:
    """When the number of a mark was set, by the mark's id, where that was later."""
    return {str(one.event): one.at_s for one in events if one.type == "valued" and one.event}


def verdict_text(after: Mapping[str, Any], words: Words) -> dict[str, Any]:
    """What ``Drive.after`` found, in a reader's language and unit: what was hidden, and the judged record.

    Raises CoreError for one that cannot be read.
    """
    return {
        **after,
        "faults": [fault_in_words(fault, words.language) for fault in after["faults"]],
        **report_of(judge_record(read_run(after["run"])), words),
    }


def fault_in_words(fault: str, language: Language) -> dict[str, str]:
    """A fault with its title and what a test can see of it."""
    name, _, severity = fault.partition(":")
    table = rulebook.air_data().tables["faults"].get(name)
    if table is None:
        raise PracticeError("faults", f"holds {name[:40]!r}, which isn't a fault")
    shown = {what: table[what][language] for what in ("title", "shows")}
    return {"id": fault, "severity": severity or "severe", **shown}


def go_on(kept: str) -> Drive:
    """A drive that was kept. Raises PracticeError where it cannot be read; its log can be replayed then.

    Only ever called with what this device itself has written.
    """
    try:
        version, drive = pickle.loads(zlib.decompress(base64.b64decode(kept)))
    except Exception as broken:
        raise PracticeError("kept", "can't be read: it is replayed from its log") from broken
    if version != rulebook.version() or not isinstance(drive, Drive):
        raise PracticeError("kept", "was made by a different core: it is replayed from its log")
    return drive


def replay(record: Mapping[str, Any]) -> Drive:
    """Drive the log of a practice record again. Raises CoreError naming what is malformed."""
    fields = Fields(record, "", PracticeError)
    if fields.raw("format") != PRACTICE_FORMAT:
        raise PracticeError("format", f"must be {PRACTICE_FORMAT}: this is not a practice record")
    choice, controls, ticks = fields.raw("choice"), fields.raw("controls"), fields.raw("ticks")
    if not isinstance(choice, dict):
        raise PracticeError("choice", "must be a table")
    if not isinstance(controls, list) or len(controls) > _MOST_CONTROLS:
        raise PracticeError("controls", "must be a list of tick, control and value")
    if isinstance(ticks, bool) or not isinstance(ticks, int) or not 0 <= ticks <= 100 * 36_000:
        raise PracticeError("ticks", "must be a whole number, ten hours at most")
    return _driven_on(Drive(choice), controls, ticks)


def resume(kept: str, record: Mapping[str, Any]) -> Drive:
    """Go on where a practice was: from what was kept of it and what was moved since; from its log where that is lost.

    Raises CoreError for a record that cannot be read.
    """
    if not kept:
        return replay(record)
    try:
        drive = go_on(kept)
    except PracticeError:
        return replay(record)
    return _driven_on(drive, record["controls"], max(record["ticks"], drive.world.tick))


def _driven_on(drive: Drive, controls: Sequence[Any], ticks: int) -> Drive:
    """Drive what of a log was not driven yet. Raises PracticeError naming the place of what is malformed."""
    for place, one in enumerate(controls):
        if place < len(drive.world.log):
            continue
        whole = isinstance(one, list) and len(one) == _LOG_PLACES and isinstance(one[0], int)
        if not whole or not drive.world.tick <= one[0] <= ticks:
            raise PracticeError(f"controls[{place}]", "must be a tick in order, a control and its value")
        drive.advance(one[0])
        drive.control(str(one[1]), one[2])
    drive.advance(ticks)
    return drive


def read_choice(table: Mapping[str, Any]) -> dict[str, Any]:
    """What was chosen for a practice, checked, with what was left out as usual.

    ``kind`` or ``vehicle`` (as ``simulate`` takes it); ``faults`` in sight, or a ``pool`` or a ``code`` that draws
    them; ``seed``, ``salt``, ``start``, ``rules``, ``procedure``, ``mode``. Raises CoreError naming the field.
    """
    fields = Fields(table, "", PracticeError)
    seed = fields.number("seed", 0.0, low=0, high=2**53)
    repeat = fields.number("repeat", 1.0, low=1, high=12)
    start = fields.raw("start") or {}
    if not isinstance(start, dict):
        raise fields.refuse("start", "must be a table")
    choice = {
        "kind": fields.text("kind", None),
        "vehicle": fields.raw("vehicle"),
        "faults": list(fields.texts("faults")) if fields.has("faults") else [],
        "pool": fields.text("pool", None),
        "code": fields.text("code", None),
        "seed": int(seed),
        "salt": fields.text("salt", ""),
        "start": start,
        "rules": fields.raw("rules"),
        "procedure": fields.raw("procedure"),
        "traits": fields.raw("traits") or {},
        "lesson": _lesson(fields.raw("lesson")),
        "mode": fields.choice("mode", Mode, "free"),
        "resolution_psi": fields.number("resolution_psi", 2.0, low=0.5, high=10),
        "repeat": int(repeat),
    }
    fields.done()
    if not isinstance(choice["traits"], dict):
        raise PracticeError("traits", "must be a table")
    if (choice["kind"] is None) == (choice["vehicle"] is None):
        raise PracticeError("kind", "or vehicle must be given, one of the two")
    if choice["code"] is not None:
        choice["pool"], choice["seed"] = read_code(rulebook.practice(), choice["code"])
    return choice


def _lesson(value: object) -> dict[str, Any] | None:
    """Which drive of which lesson a practice is. Raises PracticeError."""
    if value is None:
        return None
    fields = Fields(value, "lesson", PracticeError)
    table = fields.raw("table")
    if table is not None:
        read_lesson(table, rulebook.lesson_names())
    drive = int(fields.number("drive", low=0, high=19))
    found: dict[str, Any] = {"id": fields.text("id"), "drive": drive}
    fields.done()
    lesson_of({**found, "table": table}).choice(drive)
    return {**found, **({"table": table} if table is not None else {})}


def lesson_of(named: Mapping[str, Any]) -> Lesson:
    """The lesson that a choice names: built in, or a fleet's own that it carries whole. Raises PracticeError."""
    if named.get("table") is not None:
        return read_lesson(named["table"], rulebook.lesson_names())
    known = rulebook.lessons()
    if named["id"] not in known:
        raise PracticeError("lesson.id", f"is {str(named['id'])[:40]!r}; choose one of {', '.join(known)}")
    return known[named["id"]]


def _spec(choice: Mapping[str, Any]) -> AirSpec:
    spec = spec_named(choice["kind"]) if choice["vehicle"] is None else spec_of_table(choice["vehicle"])
    return with_traits(spec, choice["traits"])


def _led_by(choice: Mapping[str, Any], spec: AirSpec) -> tuple[RuleSet, Procedure]:
    given = choice["rules"]
    if isinstance(given, dict):
        rules = read_rule_set(given, rulebook.judging(), rulebook.rule_set)
    else:
        rules = rulebook.rule_set(given or rulebook.rule_set_ids()[0])
    order = choice["procedure"]
    if isinstance(order, dict):
        return rules, read_procedure(order)
    return rules, rulebook.procedure(order) if order else rulebook.default_procedure(rules, spec.unit)


def _hidden(choice: Mapping[str, Any], spec: AirSpec) -> list[str]:
    if choice["pool"] is None:
        return list(choice["faults"])
    return draw(rulebook.practice(), choice["pool"], choice["seed"], possible_faults(spec))


def possible_faults(spec: AirSpec) -> frozenset[str]:
    """What can be wrong with this vehicle at all."""
    air = rulebook.air_data()
    table = air.tables["faults"]
    return frozenset(name for name in fault_names(air) if spec.towed or table[name].get("needs") != "trailer")


def new_code(pool: str, seed: int) -> str:
    """Six letters by which a trainee's device sets up what a trainer has drawn. Raises PracticeError."""
    data = rulebook.practice()
    if pool not in data.pools:
        raise PracticeError("pool", f"is {pool[:40]!r}; choose one of {', '.join(data.pools)}")
    return code_of(data, pool, seed)


def _moment_out(moment: WorldEvent) -> dict[str, Any]:
    return {
        "t_s": round(moment.t_s, 2),
        "name": moment.name,
        **moment.detail,
        "psi": [round(psi, 2) for psi in moment.psi],
        "shown": [round(psi, 2) for psi in moment.shown],
    }


def sounds_of(world: World) -> list[dict[str, Any]]:
    """What can be heard from the seat, by source and level 0 to 10; what nobody could hear is left out."""
    table = rulebook.driving().tables["sound"]
    engine, hands = world.engine, world.hands
    found: list[dict[str, Any]] = []
    inside = hands.where == "cab"
    mask = 0.0
    if engine.rpm > 50:
        mask = table["fast_idle"] if engine.rpm >= table["fast_idle_rpm"] else table["idle"]
        found.append({"name": "engine", "place": "engine", "level": 5.0})
        if world.air.pumping:
            found.append({"name": "compressor", "place": "engine", "level": 2.0})
    elif inside and hands.window == "up":
        mask = table["window_up"]
    if engine.cranking:
        found.append({"name": "starter", "place": "engine", "level": 6.0})
    for place, flow in sorted(world.air.escaping.items()):
        if flow <= 0:
            continue
        away = table["distance"].get(place, 0.0) if inside else 0.0
        level = table["per_decade"] * math.log10(flow / table["from_flow"]) - away - mask
        if level >= table["silent_below"]:
            found.append({"name": "hiss", "place": place, "level": round(min(level, table["loudest"]), 1)})
    if world.blasting:
        faint = world.air.spec.parts.get("blast") == "faint"
        level = table["faint_blast_level" if faint else "blast_level"]
        level -= table["blast_masked"] if engine.rpm > table["fast_idle_rpm"] else 0.0
        if level >= table["silent_below"]:
            found.append({"name": "blast", "place": "dryer", "level": round(level, 1)})
    if world.lamps()[1]:
        found.append({"name": "buzzer", "place": "dash", "level": 7.0})
    if world.grinding:
        found.append({"name": "grinding", "place": "service_rear", "level": 5.0})
    return found

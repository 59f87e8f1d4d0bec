"""What a perfect test of a practice vehicle shows: a good driver on it, judged on what the tanks truly hold."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from lowhiss import rulebook
from lowhiss.core.airsystem import AirSpec, AirSystem, Driver, World, with_faults
from lowhiss.core.judge import RunVerdict
from lowhiss.core.procedure import Procedure
from lowhiss.core.record import read_run
from lowhiss.core.rules import RuleSet
from lowhiss.core.stages import FILL_STAGE, STEP_TABLE, stages_of
from lowhiss.engine.judge_record import judge_record, rules_in_record

Truth = Literal["good", "bad", "grey"]
_CHARGED_PSI = 108.0
"""A good driver fills the trailer before anything is measured."""


@dataclass(frozen=True, slots=True)
class Reference:
    """The drive that a practice is held to: its record, its verdict, and what it took."""

    record: dict[str, Any]
    verdict: RunVerdict
    truths: Mapping[str, Truth]
    minutes: float
    refills: int


def reference_drive(
    spec: AirSpec,
    world: World,
    rules: RuleSet,
    procedure: Procedure,
    faults: Sequence[str],
    resolution_psi: float,
) -> Reference:
    """Drive it as it should be, and judge that by the true pressures.

    spec : the vehicle without its faults.  world : for what is felt in the seat.  resolution_psi : of its gauges; what
    lies nearer to its limit than a reading can tell is grey.
    """
    faulty = with_faults(spec, rulebook.air_data(), faults)
    trailer = _CHARGED_PSI if faulty.towed else None
    system = AirSystem(faulty, rulebook.air_data(), world.start.tanks_psi, trailer)
    driver = Driver(system, procedure, rules, rulebook.planning(faulty.kind), purpose="training", knows_tanks=True)
    for _ in driver.drive():
        pass
    events = [_as_it_is(event, faulty, world) for event in driver.events]
    record = {
        **driver.record(),
        "purpose": "rehearsal",
        "simulated": True,
        "rules": rules_in_record(rules),
        "gauges": {"resolution_psi": resolution_psi},
        "events": [event for event in events if event is not None],
    }
    verdict = judge_record(read_run(record))
    return Reference(
        record=record,
        verdict=verdict,
        truths=_truths(verdict, faulty),
        minutes=round(system.t_s / 60, 2),
        refills=sum(event["type"] == "reading" and event["stage"] == FILL_STAGE for event in driver.events),
    )


def _as_it_is(event: dict[str, Any], spec: AirSpec, world: World) -> dict[str, Any] | None:
    """A mark of the good driver with the set point that it stands for; None for what does not come by itself."""
    names = [f"{needle}_psi" for needle in spec.unit.needles]
    kind = event["type"]
    if kind == "reading" and event["point"] == FILL_STAGE:
        return {**event, **dict.fromkeys(names, spec.cut_out_psi)}
    if kind == "reading" and event["point"] == "cut_in":
        return {**event, **dict.fromkeys(names, spec.cut_in_psi)}
    if kind == "warning":
        works = {"lamp": spec.lamp_works, "buzzer": spec.buzzer_works}
        later = spec.warning_psi + min(0.0, spec.buzzer_offset_psi if spec.buzzer_works else 0.0)
        read = dict.fromkeys(names, later) if any(works.values()) else {}
        return {**{key: event[key] for key in ("at_s", "type")}, **works, **read}
    if kind == "knob" and event.get("cause") == "popped":
        if event["knob"] == "trailer" and spec.red_stuck:
            return None
        psi = spec.trailer_pop_psi if event["knob"] == "trailer" else spec.tractor_pop_psi
        return {**event, **dict.fromkeys(names, psi)}
    if kind == "held":
        place = 2 if STEP_TABLE[event["stage"]].wants_trailer else 1
        pull_nm = rulebook.scoring().number("felt", "pull_nm")
        return {**event, "moved": not world.holds(place, pull_nm)}
    if kind == "rolled":
        left, right = (spec.brakes.get(f"service_{side}", 1.0) for side in ("left", "right"))
        return {**event, "pulled": left != right}
    return event


def _truths(verdict: RunVerdict, spec: AirSpec) -> dict[str, Truth]:
    found: dict[str, Truth] = {}
    for stage, one in verdict.standing().items():
        if one.close_call:
            found[stage] = "grey"
        elif one.outcome in ("pass", "fail"):
            found[stage] = "good" if one.outcome == "pass" else "bad"
    knobs = stages_of("knobs")[0]
    if spec.red_stuck and knobs in verdict.standing():
        found[knobs] = "bad"
    return found

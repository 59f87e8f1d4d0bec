"""A test driven on a simulated vehicle: its run record, what was true of it, and every sample of the drive."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from lowhiss import rulebook
from lowhiss.core.airsystem import (
    AirSpec,
    AirSystem,
    AirSystemError,
    Driver,
    Habits,
    Sample,
    kind_spec,
    unit_spec,
    with_faults,
)
from lowhiss.core.fields import Fields
from lowhiss.core.fleet import assemble, check_reservoirs, read_power_unit, read_trailer
from lowhiss.core.procedure import Procedure
from lowhiss.core.procedure.planner import begins_full
from lowhiss.core.rules import RuleSet
from lowhiss.core.vehicle import UNIT_KINDS
from lowhiss.engine.judge_record import rules_in_record

TRUTH_FORMAT = "low-hiss-truth/1"
STARTS_AT_PSI, FULL_PSI, TRAILER_PSI = 60.0, 118.0, 108.0
"""What a vehicle that stood since yesterday still has; one that comes from the road; and their trailers."""

DRIVERS: dict[str, Habits] = {
    "good": Habits(),
    "clock_early": Habits(settles=False, wait_s=1.0),
    "settle_not_marked": Habits(settles=False),
    "hold_cut_short": Habits(hold_by_s=-12.0),
    "hold_overrun": Habits(hold_by_s=9.0),
    "engine_left_running": Habits(leaves_engine_running=True),
    "key_left_off": Habits(leaves_key_off=True),
    "knob_left_out": Habits(leaves_knob_out=True),
    "half_pedal": Habits(half_pedal=True),
    "one_needle": Habits(one_needle=True),
    "no_fresh_cut_out": Habits(skips_fresh_cut_out=True),
    "cut_out_not_said": Habits(says_cut_out=False),
    "says_cut_in": Habits(says_cut_in=True),
    "limit_not_said": Habits(forgets_limit_of="leak_applied"),
    "reading_not_said": Habits(forgets_reading_of="leak_applied"),
    "wrong_limit": Habits(wrong_limit=3.0),
    "wrong_verdict": Habits(wrong_verdict=True),
    "warning_without_number": Habits(warning_without_number=True),
    "lamp_without_buzzer": Habits(hears_buzzer=False),
    "stops_at_first_knob": Habits(stops_at_first_knob=True),
    "pulls_knob": Habits(pulls_knob=True),
    "retests_without_refill": Habits(retests_without_refill=True),
    "holds_with_low_air": Habits(holds_with_low_air=True),
    "never_chocks": Habits(never_chocks=True),
    "leaves_chocks_in": Habits(leaves_chocks_in=True),
    "rolls_fast": Habits(rolls_at_mph=9.0),
}
"""Drivers by name: a good one, and one for each mistake to guard against (common practice, no source)."""


@dataclass(frozen=True, slots=True)
class Drive:
    """A test that was driven: the run record, the truth behind it, and the samples, ten a second."""

    record: dict[str, Any]
    truth: dict[str, Any]
    samples: list[Sample]
    spec: AirSpec


def spec_named(name: str) -> AirSpec:
    """The usual vehicle of a kind. Raises AirSystemError naming the kinds."""
    if name not in UNIT_KINDS:
        raise AirSystemError("unit", f"is {name[:40]!r}; it is a file or one of {', '.join(UNIT_KINDS)}")
    return kind_spec(rulebook.air_data(), name)


def spec_of_table(table: object) -> AirSpec:
    """The vehicle of a unit's own specification: ``{"power": {…}, "trailers": [{…}]}``.

    Raises CoreError naming the field that is malformed or missing.
    """
    chambers = rulebook.chambers()
    fields = Fields(table, "", AirSystemError)
    power = read_power_unit(fields.raw("power"), chambers.volumes_in3)
    given = fields.raw("trailers") or []
    if not isinstance(given, list):
        raise fields.refuse("trailers", "must be a list of trailers")
    trailers = [read_trailer(one, chambers.volumes_in3) for one in given]
    fields.done()
    checked = check_reservoirs(power, chambers.volumes_in3, chambers.power_unit_ratio)
    unit = assemble(power, [one.name for one in trailers], checked.ratio if checked else 1.0)
    return unit_spec(rulebook.air_data(), unit, power, trailers)


def drive(
    spec: AirSpec,
    rules: RuleSet,
    procedure: Procedure | None = None,
    faults: Sequence[str] = (),
    driver: str = "good",
    seed: int = 0,
    purpose: str = "training",
    seen: Callable[[Sample], None] | None = None,
) -> Drive:
    """Drive one whole test; ``seen`` is told each sample as it comes. Raises AirSystemError for what there is not."""
    data = rulebook.air_data()
    spec = with_faults(spec, data, faults)
    if driver not in DRIVERS:
        raise AirSystemError("driver", f"is {driver[:40]!r}; choose one of {', '.join(DRIVERS)}")
    order = procedure or rulebook.default_procedure(rules, spec.unit)
    full = begins_full(order.steps) or driver == "no_fresh_cut_out"
    system = AirSystem(spec, data, FULL_PSI if full else STARTS_AT_PSI, TRAILER_PSI if spec.towed else None)
    driven = Driver(system, order, rules, rulebook.planning(spec.kind), seed, DRIVERS[driver], purpose=purpose)
    samples = []
    for sample in driven.drive():
        samples.append(sample)
        if seen is not None:
            seen(sample)
    truth = _truth(spec, faults, driver, seed, driven.events, samples)
    return Drive({**driven.record(), "rules": rules_in_record(rules)}, truth, samples, spec)


def frame_of(seq: int, sample: Sample, spec: AirSpec) -> dict[str, Any]:
    """A sample as a frame of the live feed."""
    dash = sample.dash
    knobs = {"tractor_in": dash.tractor_in, **({"trailer_in": dash.trailer_in} if "trailer" in spec.unit.knobs else {})}
    needles = {f"{name}_psi": round(psi, 2) for name, psi in zip(spec.unit.needles, dash.needles, strict=True)}
    return {"seq": seq, "t_s": round(dash.t_s, 3), **needles, "lamp": dash.lamp, **knobs}


def _truth(
    spec: AirSpec, faults: Sequence[str], driver: str, seed: int, events: list[dict[str, Any]], samples: list[Sample]
) -> dict[str, Any]:
    """What nobody in the cab can know: the faults, the set points, and the tanks' true pressures at every mark."""
    place = 0
    marks: list[dict[str, Any]] = []
    for event in events:
        while place + 1 < len(samples) and samples[place + 1].dash.t_s <= event["at_s"] + 1e-9:
            place += 1
        named: dict[str, Any] = {key: event[key] for key in ("type", "stage", "point", "knob") if key in event}
        tanks = samples[place].dash.true_psi if samples else ()
        true: dict[str, float] = {name: round(psi, 2) for name, psi in zip(spec.unit.needles, tanks, strict=False)}
        marks.append({"at_s": event["at_s"], **named, "true_psi": true})
    return {
        "format": TRUTH_FORMAT,
        "unit": spec.unit.kind,
        "faults": list(faults),
        "driver": driver,
        "seed": seed,
        "set_points_psi": {
            "cut_out": spec.cut_out_psi,
            "cut_in": spec.cut_in_psi,
            "warning": spec.warning_psi,
            "tractor_pop": spec.tractor_pop_psi,
            **({"trailer_pop": spec.trailer_pop_psi} if "trailer" in spec.unit.knobs else {}),
        },
        "marks": marks,
    }

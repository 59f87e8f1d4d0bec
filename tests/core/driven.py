"""Drives of the practice vehicle as tests script them: what is done and when, in the vehicle's own time."""

from __future__ import annotations

from typing import Any

from lowhiss import rulebook
from lowhiss.core.airsystem import World, kind_spec, read_start

FEET = 3.280839895
FINDS = {
    "good": set(),
    "clock_early": {"clock_before_settle", "settle_not_recorded"},
    "settle_not_marked": {"settle_not_recorded"},
    "hold_cut_short": {"hold_short"},
    "hold_overrun": {"hold_over"},
    # the compressor goes on pumping, and without the key neither lamp nor buzzer can come on
    "engine_left_running": {"engine_running", "end_above_start"},
    "key_left_off": {"key_off", "lamp_missing", "buzzer_missing"},
    "knob_left_out": {"knobs_not_released"},
    "half_pedal": {"pedal_not_full"},
    # the knobs feel the higher needle: who reads the lower one alone sees them pop too late
    "one_needle": {"single_gauge", "moved_after_fail"},
    "no_fresh_cut_out": {"no_fresh_cut_out"},
    "cut_out_not_said": {"cut_out_not_said"},
    "says_cut_in": {"cut_in_said_for_cut_out"},
    "limit_not_said": {"limit_not_said"},
    "reading_not_said": {"reading_not_said"},
    "wrong_limit": {"wrong_limit_said"},
    "wrong_verdict": {"wrong_verdict_said"},
    "warning_without_number": {"no_number"},
    "lamp_without_buzzer": {"buzzer_missing", "moved_after_fail"},
    "stops_at_first_knob": {"second_knob_missing"},
    "pulls_knob": {"knob_by_hand"},
    "retests_without_refill": {"retest_without_refill"},
    "holds_with_low_air": {"low_pressure_hold_test"},
    "never_chocks": {"chocks_missing"},
    "leaves_chocks_in": {"chocks_left_in"},
    "rolls_fast": {"too_fast"},
}
"""What each clumsy driver of the simulated vehicle is found to do."""


class Cab:
    """A seat in a vehicle: ``wait`` lets time pass, the rest moves a control."""

    def __init__(self, kind: str = "tractor_semitrailer", *faults: str, seed: int = 1, parts: int = 1, **start: Any):
        start = {"tanks_psi": 118.0, "trailer_psi": 108.0, "chocked": False, **start}
        air, data = rulebook.air_data(), rulebook.driving()
        self.world = World(kind_spec(air, kind), air, data, read_start(start, kind, data), seed, faults, parts)
        self._at = 0

    def wait(self, seconds: float) -> Cab:
        self._at += round(seconds * 100)
        self.world.advance(self._at)
        return self

    def do(self, **controls: Any) -> Cab:
        for name, value in controls.items():
            refused = self.world.control(name, value)
            assert not refused, (name, value, refused)
        return self

    def knobs(self, parking: str = "in", trailer: str = "in") -> Cab:
        self.do(parking=parking)
        return self.do(trailer=trailer) if self.world.air.spec.towed else self

    def start(self) -> Cab:
        manual = self.world.start.gearbox == "manual"
        if manual:
            self.do(clutch=1.0)
        self.do(key="on").wait(0.5).do(key="start").wait(2.2).do(key="on").wait(2)
        assert self.world.engine.alive
        return self.do(clutch=0.0) if manual else self

    def in_low(self) -> Cab:
        return self.do(clutch=1.0).wait(0.2).do(gear="L").wait(0.3)

    def clutch_to(self, position: float, seconds: float) -> Cab:
        was, steps = self.world.hands.clutch, max(1, round(seconds * 50))
        for step in range(1, steps + 1):
            self.do(clutch=was + (position - was) * step / steps).wait(0.02)
        return self

    def at_mph(self, mph: float) -> Cab:
        """Rolling freely, as if it had been driven to this speed."""
        self.world.v_m_per_s = mph / 2.2369362920544025
        return self

    def feet_to_stop(self, longest_s: float = 30) -> float:
        began = self.world.x_m
        for _ in range(round(longest_s * 100)):
            self.wait(0.01)
            if self.world.v_m_per_s == 0:
                break
        return (self.world.x_m - began) * FEET

    def moment(self, name: str) -> Any:
        return next((one for one in self.world.moments if one.name == name), None)

    def names(self) -> list[str]:
        return [one.name for one in self.world.moments]

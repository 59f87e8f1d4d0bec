"""Pressure logs as CSV: one column for each quantity, named with its unit."""

from __future__ import annotations

import csv
from collections.abc import Iterable
from typing import TextIO

from lowhiss.core.airsystem import Sample
from lowhiss.core.units import KPA_PER_PSI
from lowhiss.core.vehicle import Needle

BROADCAST_STEP_KPA = 8.0
"""Broadcast pressures step by 8 kPa per bit: SAE J1939-71 AIR1, from memory."""


def write_trace(file: TextIO, samples: Iterable[Sample], needles: tuple[Needle, ...], trailer: bool) -> None:
    """Every sample: what the dash shows, and the controls. Columns as ``lowhiss trace`` is to read them."""
    writer = csv.writer(file, lineterminator="\n")
    knobs = ["tractor_knob", *(["trailer_knob"] if trailer else [])]
    writer.writerow(["t_s", *(f"{name}_psi" for name in needles), "pedal", "engine_rpm", *knobs, "warning"])
    for sample in samples:
        dash = sample.dash
        out = [dash.tractor_in, *([dash.trailer_in] if trailer else [])]
        shown = (f"{psi:.2f}" for psi in dash.needles)
        states = (*(int(knob) for knob in out), int(dash.lamp))
        writer.writerow([f"{dash.t_s:.2f}", *shown, f"{sample.pedal:g}", f"{sample.rpm:g}", *states])


def write_broadcast(file: TextIO, samples: Iterable[Sample], needles: tuple[Needle, ...]) -> None:
    """As the vehicle's own network would tell it: once a second, in steps of 8 kPa, the tanks' true pressures."""
    writer = csv.writer(file, lineterminator="\n")
    writer.writerow(["t_s", *(f"{name}_kpa" for name in needles)])
    due = 0.0
    for sample in samples:
        if sample.dash.t_s + 1e-9 < due:
            continue
        due += 1.0
        steps = (round(psi * KPA_PER_PSI / BROADCAST_STEP_KPA) for psi in sample.dash.true_psi)
        writer.writerow([f"{sample.dash.t_s:.1f}", *(f"{step * BROADCAST_STEP_KPA:g}" for step in steps)])

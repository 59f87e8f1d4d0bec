"""Recordings to find tests in: our simulated drives as three senders tell them, and traces of a second, plain model."""

from __future__ import annotations

import math

import numpy as np

from lowhiss import rulebook
from lowhiss.core.units import KPA_PER_PSI
from lowhiss.engine.simulation import Drive, drive, spec_named
from lowhiss.trace import Recording

STEP_PSI = 8 / KPA_PER_PSI


def driven(kind: str, procedure: str, *faults: str) -> Drive:
    rules = rulebook.rule_set("canada-west" if procedure == "canada-west" else "us-cdl")
    return drive(spec_named(kind), rules, rulebook.procedure(procedure), faults)


def as_told(one: Drive, sender: str) -> Recording:
    """``box``: needles, knobs, lamp, ten times a second.  ``fine``: the same a hundred times.

    ``needles`` : needles alone.  ``network`` : once a second, in steps of 8 kPa.
    """
    if sender == "fine":
        box = as_told(one, "box")
        t_s = np.arange(box.t_s[0], box.t_s[-1], 0.01)
        needles = {name: np.interp(t_s, box.t_s, psi) for name, psi in box.needles.items()}
        held = np.searchsorted(box.t_s, t_s, side="right") - 1
        return Recording(t_s, needles, {name: flag[held] for name, flag in box.flags.items()})
    samples, spec = one.samples, one.spec
    t_s = np.array([sample.dash.t_s for sample in samples])
    if sender == "network":
        keep = np.unique(np.searchsorted(t_s, np.arange(t_s[0], t_s[-1], 1.0)))
        true = np.array([sample.dash.true_psi for sample in samples])[keep]
        told = np.round(true / STEP_PSI) * STEP_PSI
        return Recording(t_s[keep], {name: told[:, n] for n, name in enumerate(spec.unit.needles)})
    shown = np.array([sample.dash.needles for sample in samples])
    needles = {name: shown[:, n] for n, name in enumerate(spec.unit.needles)}
    if sender == "needles":
        return Recording(t_s, needles)
    flags = {
        f"{knob}_in": np.array([float(getattr(s.dash, f"{knob}_in")) for s in samples]) for knob in spec.unit.knobs
    }
    return Recording(t_s, needles, {**flags, "lamp": np.array([float(sample.dash.lamp) for sample in samples])})


def truth_of(one: Drive) -> dict[str, list[float]]:
    """What was so, in order: times and losses on the needles themselves where the driver marked, and the set points."""
    t_s = np.array([sample.dash.t_s for sample in one.samples])
    shown = np.array([sample.dash.needles for sample in one.samples])
    points = one.truth["set_points_psi"]

    def at(event) -> np.ndarray:
        return np.array([np.interp(event["at_s"], t_s, shown[:, n]) for n in range(shown.shape[1])])

    found: dict[str, list[float]] = {}
    last = {}
    for event in one.record["events"]:
        if event["type"] == "reading":
            point = event["point"]
            if point == "upper":
                found.setdefault("time_s", []).append(event["at_s"] - last["lower"]["at_s"])
            elif point == "end":
                found.setdefault(event["stage"], []).append(float((at(last["start"]) - at(event)).max()))
            elif point == "cut_out":
                found.setdefault("cut_out_psi", []).append(float(at(event).min()))
            last[point] = event
        elif event["type"] == "warning" and event.get("lamp"):
            found.setdefault("warning_psi", []).append(points["warning"])
        elif event["type"] == "knob" and event.get("cause") == "popped":
            found.setdefault(f"{event['knob']}_psi", []).append(points[f"{event['knob']}_pop"])
    return found


def plain_trace(cut_out: float, build_psi_per_s: float, drop: float, loss_a_minute: float, pop: float) -> Recording:
    """A second model, of straight lines and equal strokes: full, a minute's hold, strokes to the knob, ten a second."""
    steps: list[tuple[float, float]] = [
        (0.0, 70.0),
        ((cut_out - 70.0) / build_psi_per_s, cut_out),
        (25.0, cut_out - 0.4),
    ]
    level = cut_out - 0.4 - drop
    steps += [(1.0, level), (75.0, level - loss_a_minute * 75 / 60)]
    level -= loss_a_minute * 75 / 60
    while level > pop:
        stroke = 0.9 + 0.035 * level
        steps += [(0.7, level - stroke), (1.5, level - stroke + 0.2)]
        level -= stroke - 0.2
    steps += [(30.0, level)]
    times = np.cumsum([span for span, _ in steps])
    t_s = np.arange(0.0, math.floor(times[-1] * 10) / 10, 0.1)
    psi = np.interp(t_s, times, [value for _, value in steps])
    return Recording(t_s, {"primary": psi, "secondary": psi + 0.3})

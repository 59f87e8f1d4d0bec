"""Worked cases of the guide, for the front end's own copy of it: seeded walks that follow it, and that wander off."""

from __future__ import annotations

import random
from typing import Any

from lowhiss import rulebook
from lowhiss.core.procedure.guide import Lead, LedOrder, lead, led_order
from lowhiss.core.procedure.needs import answers_of
from lowhiss.core.procedure.script import compile_script
from lowhiss.core.vehicle import Unit

WALKS = (
    ("us-three-part", "tractor_semitrailer", 1),
    ("us-full", "tractor", 2),
    ("canada-west", "multi_trailer", 3),
    ("holds-first", "tractor_semitrailer", 4),
    ("single-vehicle", "bus", 5),
    ("static-only", "straight_truck", 6),
    ("leak-check", "tractor_semitrailer", 7),
    ("us-full", "tractor_semitrailer", 8),
)
MOST_STEPS = 90
Event = dict[str, Any]


def guide_cases() -> dict[str, Any]:
    """Each walk with the part of its script that the guide reads, its events, and the answer after each of them."""
    return {
        "cases": [_case(*walk, wander=wander) for walk in WALKS for wander in ((0.0, 0.25) if walk[2] < 3 else (0.25,))]
    }


def _case(procedure: str, kind: Any, seed: int, wander: float) -> dict[str, Any]:
    unit = Unit(kind)
    chosen = rulebook.procedure(procedure)
    script = compile_script(chosen, rulebook.rule_set("us-cdl"), unit, rulebook.planning(kind))
    read = ("step", "needs", "strikes", "says", "refill", "straight_on")
    order = {
        "knobs": script["knobs"],
        **{part: [{key: step[key] for key in read} for step in script[part]] for part in ("steps", "refill")},
    }
    events = walk(led_order(chosen, unit), unit, random.Random(seed), wander)
    answers = [answer(lead(led_order(chosen, unit), events[:n])) for n in range(len(events) + 1)]
    return {"name": f"{procedure} {kind} {wander:g}", "order": order, "events": events, "answers": answers}


def walk(order: LedOrder, unit: Unit, rng: random.Random, wander: float) -> list[Event]:
    """Events that follow the guide to its end, now and then doing something else instead."""
    events: list[Event] = []
    stages = [step.step for step in order.steps if step.strikes]
    while len(events) < MOST_STEPS:
        now = lead(order, events)
        if rng.random() < wander:
            events += rng.choice(_detours(unit, rng, rng.choice(stages)))
        elif now.unmet:
            yes, no, _ = answers_of(now.unmet[0], unit)
            events += no if no and rng.random() < wander else yes
        elif now.strikes:
            strike = now.strikes[0]
            marks = now.missing if rng.random() > wander else now.missing[:1]
            events += [_made(dict(mark)) for mark in marks]
            if strike.name == "end" and rng.random() < 0.5:
                events.append({"type": "pedal", "state": "released"})
        else:
            break
        if now.says and rng.random() < 0.3:
            events.append({"type": "said", "what": now.says[0]})
    return events


def _made(mark: Event) -> Event:
    """The event that a mark stands for; whatever it leaves open is answered well."""
    answers = {"lamp": True, "buzzer": True}
    event = {key: answers[key] if value is None else value for key, value in mark.items()}
    if event["type"] == "held":
        event["moved"] = False
    if event["type"] == "rolled":
        event |= {"stopped": True, "pulled": False}
    return event


def _detours(unit: Unit, rng: random.Random, stage: str) -> list[list[Event]]:
    knob = rng.choice(unit.knobs)
    return [
        [{"type": "attempt", "stage": stage}],
        [{"type": "skipped", "stage": stage}],
        [{"type": "engine", "state": rng.choice(["running", "off"])}],
        [{"type": "knob", "knob": knob, "state": rng.choice(["in", "out"]), "cause": "hand"}],
        [{"type": "reading", "stage": "leak_applied", "point": rng.choice(["start", "end"])}],
        [{"type": "reading", "stage": "cut_out", "point": "cut_out"}],
        [{"type": "warning", "lamp": rng.random() < 0.5}],
        [{"type": "note", "text": "a note"}, {"type": "valued", "event": "some"}],
        [{"type": "settled", "stage": "leak_applied"}],
        [{"type": "confirmed", "item": rng.choice(["wheels_chocked", "chocks_removed", "area_clear", "in_gear"])}],
    ]


def answer(now: Lead) -> list[str]:
    """Where a run stands, in the words that both sides compare."""
    return [
        " ".join(f"{entry.step.step}/{'-' if entry.index is None else entry.index}" for entry in now.queue),
        f"{len(now.done)} done, skipped {' '.join(entry.step.step for entry in now.skipped) or 'none'}",
        " ".join(now.unmet),
        " ".join(strike.name for strike in now.strikes) + f" lacking {len(now.missing)}",
        " ".join(now.says),
        "untouched" if now.untouched else "begun",
    ]

"""Seeded walks through an order of work: they follow the guide, and now and then wander off."""

from __future__ import annotations

import random
from typing import Any

from lowhiss.core.procedure.guide import Guide, Lead, LedOrder
from lowhiss.core.vehicle import Unit

MAX_STEPS = 90
Event = dict[str, Any]


def walk(order: LedOrder, unit: Unit, rng: random.Random, wander: float) -> list[Event]:
    """Events that follow the guide to its end, now and then doing something else instead."""
    events: list[Event] = []
    guide = Guide(order)
    stages = [step.step for step in order.steps if step.prompts]
    while len(events) < MAX_STEPS:
        now = guide.lead()
        before = len(events)
        if rng.random() < wander:
            events += rng.choice(_detours(unit, rng, rng.choice(stages)))
        elif now.unmet:
            row = order.needs[now.unmet[0]]
            events += [dict(body) for body in (row.no if row.no and rng.random() < wander else row.yes)]
        elif now.prompts:
            prompt = now.prompts[0]
            marks = now.missing if rng.random() > wander else now.missing[:1]
            events += [_made(dict(mark)) for mark in marks]
            if prompt.name == "end" and rng.random() < 0.5:
                events.append({"type": "pedal", "state": "released"})
        else:
            break
        if now.says and rng.random() < 0.3:
            events.append({"type": "said", "what": now.says[0]})
        for event in events[before:]:
            guide.take(event)
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
        " ".join(prompt.name for prompt in now.prompts) + f" lacking {len(now.missing)}",
        " ".join(now.says),
        f"{'untouched' if now.untouched else 'begun'}{' turned' if now.turned else ''}{' fresh' if now.fresh else ''}",
    ]

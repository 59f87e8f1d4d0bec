"""A judged run along time: its readings, the spans of its stages, and what was done to the vehicle between them."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from lowhiss.core.judge.model import RunVerdict
from lowhiss.core.judge.unlimited_stages import last_sprung
from lowhiss.core.record import EVENT_KINDS
from lowhiss.core.run import Mark, RunState, counted_psi
from lowhiss.core.stages import FILL_STAGE, stages_of

(_REFILL,) = stages_of("refill")


def timeline(verdict: RunVerdict) -> dict[str, Any]:
    """The run as a chart needs it, as plain values; pressures in psi gauge, times in seconds of the run.

    points : every reading that stands, ``{at_s, event, psi, other_psi}``: the lower needle that counts and the other.
    deeds : what was done between them, ``{at_s, event}``.  spans : each attempt, ``{stage, attempt, outcome, from_s,
    to_s}``.  ``event`` is the event's own fields: its type and what tells it apart.
    """
    state = verdict.state
    points: list[dict[str, Any]] = []
    deeds: list[dict[str, Any]] = []
    for event in state.events:
        told = {"type": event.type, **_telling(event)}
        values = sorted(counted_psi(event, "both"))
        if values:
            other = values[-1] if len(values) > 1 else None
            points.append({"at_s": event.at_s, "event": told, "psi": values[0], "other_psi": other})
        elif EVENT_KINDS[event.type].deed:
            deeds.append({"at_s": event.at_s, "event": told})
    outcomes: dict[tuple[str, int], str] = {(stage.stage, stage.attempt): stage.outcome for stage in verdict.stages}
    spans = [
        {
            "stage": stage,
            "attempt": number,
            "outcome": outcomes.get((stage, number), "not_done"),
            "from_s": marks[0].event.at_s,
            "to_s": marks[-1].event.at_s,
        }
        for stage, number, marks in _tries(state, refills=any(stage.stage == _REFILL for stage in verdict.stages))
    ]
    return {"points": points, "deeds": deeds, "spans": sorted(spans, key=lambda span: span["from_s"])}


def _tries(state: RunState, refills: bool) -> Iterator[tuple[str, int, list[Mark]]]:
    """Every attempt that has marks; a cut-out is a moment of its own.

    One after the knobs popped is the refill, where the order has one.
    """
    sprung = last_sprung(state) if refills else None
    for stage, attempts in state.attempts.items():
        for attempt in attempts:
            if stage == FILL_STAGE:
                for mark in attempt.marks:
                    refill = sprung is not None and mark.context.position > sprung
                    yield (_REFILL, 1, [mark]) if refill else (stage, attempt.number, [mark])
            elif attempt.marks:
                yield stage, attempt.number, attempt.marks


def _telling(event: Any) -> dict[str, Any]:
    names = ("stage", "point", "state", "knob", "cause", "lamp", "buzzer")
    return {name: value for name in names if (value := getattr(event, name)) is not None}

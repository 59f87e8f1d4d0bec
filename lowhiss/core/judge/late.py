"""What came in after a run's end: which of it counts, and why.

The result as it stood when the end was received is kept. A later mark counts only where it worsens that result, gives
a number to a mark that had none, or was confirmed by somebody who may.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable

from lowhiss.core.errors import RecordError
from lowhiss.core.judge.model import LateMark, RunVerdict
from lowhiss.core.record import EVENT_KINDS, READABLE_TYPES, Event
from lowhiss.core.run import withdrawn_ids

MAX_LOOKED_AT_SINGLY = 200
"""So many late marks are weighed one by one; a flood of them is weighed as one."""

_CANDIDATE = "candidate "
_RANK = {"fail": -1, "void": 0, "not_done": 0, "no_rule": 0, "pass": 1}


def settle(events: Iterable[Event], judge: Callable[[list[Event]], RunVerdict]) -> tuple[list[Event], list[LateMark]]:
    """The events that count, and what became of each that came after the end, in the order of arrival.

    ``judge`` gives the verdict on some of the run's events. Raises RecordError where those on time contradict
    themselves.
    """
    events = list(events)
    late = sorted((e for e in events if e.after_end and not EVENT_KINDS[e.type].silent), key=_arrival)
    counted = [e for e in events if not e.after_end]
    if not late:
        return counted, []
    confirmed = _confirmed(events)
    lacking = _without_number(counted)
    marks: list[LateMark] = []
    waiting: list[Event] = []
    for event in late:
        needles = {(event.event, needle) for needle in _needles(event)}
        if event.id in confirmed:
            counted.append(event)
            marks.append(LateMark(event, "confirmed"))
        elif event.type == "valued" and needles and needles <= lacking:
            lacking -= needles
            counted.append(event._replace(late=True))
            marks.append(LateMark(event, "number"))
        else:
            waiting.append(event)
    worse = _worsening(_closed(counted), waiting, judge)
    marks += [LateMark(event, "worse" if event in worse else "waits") for event in waiting]
    return _closed([*counted, *worse]), sorted(marks, key=lambda mark: _arrival(mark.event))


def _worsening(counted: list[Event], waiting: list[Event], judge: Callable[[list[Event]], RunVerdict]) -> list[Event]:
    """Those of the waiting marks that make the result worse, together with what they hang on."""
    taken: list[Event] = []
    pending: list[Event] = []
    on_time = now = _steps(judge(counted))
    groups = [[event] for event in waiting] if len(waiting) <= MAX_LOOKED_AT_SINGLY else [waiting]
    for group in groups:
        try:
            then = _steps(judge(_closed([*counted, *taken, *pending, *group])))
        except RecordError:
            continue
        if _gains(_vehicle(on_time), _vehicle(then)):
            continue  # no stage is improved by what came too late
        worse = _gains(_vehicle(then), _vehicle(now))
        if not worse and _gains(on_time, then):
            continue  # nor is the candidate, where it changes nothing of the vehicle
        pending += group
        if worse or _gains(then, now):
            taken += pending
            pending = []
            now = then
    return taken


def _vehicle(steps: dict[str, int]) -> dict[str, int]:
    """The stages alone: what worsens one counts, whatever it does to the candidate's findings."""
    return {name: step for name, step in steps.items() if not name.startswith(_CANDIDATE)}


def _gains(before: dict[str, int], after: dict[str, int]) -> bool:
    """Whether anything is better afterwards; what is missing counts as nought, above a finding and below a pass."""
    return any(after.get(name, 0) > before.get(name, 0) for name in before.keys() | after.keys())


def _steps(verdict: RunVerdict) -> dict[str, int]:
    """How good everything about a verdict is, by name: each stage, and minus one for each finding of the candidate."""
    steps: dict[str, int] = {one.stage: _RANK[one.outcome] for one in verdict.stages if one.stands}
    return steps | {f"{_CANDIDATE}{code}": -1 for code in (*verdict.critical, *verdict.minor)}


def _confirmed(events: list[Event]) -> set[str]:
    """The marks that were confirmed and whose confirmation stands."""
    gone = withdrawn_ids([(e.id, e.event) for e in sorted(events, key=_arrival) if e.type == "withdrawn"])
    return {e.event for e in events if e.type == "late_confirmed" and e.event and e.id not in gone}


def _without_number(events: list[Event]) -> set[tuple[str | None, str]]:
    """Each needle of each mark that has no number."""
    lacking: set[tuple[str | None, str]] = set()
    for event in events:
        if event.type in READABLE_TYPES and event.id is not None:
            lacking |= {(event.id, needle) for needle in ("primary", "secondary")} - {
                (event.id, needle) for needle in _needles(event)
            }
    for event in events:
        if event.type == "valued":
            lacking -= {(event.event, needle) for needle in _needles(event)}
    return lacking


def _needles(event: Event) -> set[str]:
    read = {"primary": event.primary_psi, "secondary": event.secondary_psi}
    return {needle for needle, psi in read.items() if psi is not None}


def _closed(events: list[Event]) -> list[Event]:
    """Without what refers to a mark that is not among them."""
    names = {event.id for event in events}
    return [event for event in events if event.event is None or event.event in names]


def _arrival(event: Event) -> tuple[int, float]:
    return (event.place if event.seq is None else event.seq, event.at_s)

"""A run is its events: one pure fold from events to what was the case at every mark that a judge needs.

Nothing is decided here beyond what happened: which events stand, which attempt each mark belongs to, and the state
of engine, key, knobs and pedal at that mark.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

from lowhiss.core.errors import RecordError
from lowhiss.core.record import END_TYPES, EVENT_KINDS, READABLE_TYPES, Event, Run
from lowhiss.core.rules import Judging, Policy
from lowhiss.core.stages import FILL_STAGE, stages_of
from lowhiss.core.uncertainty import drop_uncertainty
from lowhiss.core.units import round_tenth

_GATHERED = stages_of("governor")
_KNOBS, _WARNING, _ROLL = (stages_of(kind)[0] for kind in ("knobs", "warning", "roll"))
"""The stages that knobs, warnings and rolls are marks of."""


class Cut(NamedTuple):
    """Where the compressor stopped [psi gauge, rounded to 0.1], needle by needle; None where not read."""

    primary_psi: float | None
    secondary_psi: float | None


class Context(NamedTuple):
    """What was the case when a mark was made; None where it was never recorded.

    position : the mark's place among the events that stand.
    last_move_at_s : the last pedal or knob move.  settled : a ``settled`` event came since that move.
    fresh_cut_out : a cut-out was read since the engine was last started.
    run_position, cut_out_position : the last event with the engine running, the last cut-out reading; -1 for none.
    cut_out : the last cut-out as it was read.  cut_out_by_needle : each needle's own last one.
    in_gear : low gear was confirmed since the engine was stopped, and neutral not since.
    """

    position: int
    engine: str | None
    key: str | None
    tractor: str | None
    trailer: str | None
    pedal: str | None
    chocked: bool | None
    last_move_at_s: float | None
    settled: bool
    fresh_cut_out: bool
    run_position: int
    cut_out_position: int
    cut_out: Cut | None
    cut_out_by_needle: Cut
    cut_in_psi: float | None
    last_reading_psi: float | None
    in_gear: bool


class Mark(NamedTuple):
    """An event that an attempt is judged by, with its circumstances."""

    event: Event
    context: Context


@dataclass(slots=True)
class Attempt:
    """One try at a stage.

    changes : the moves of engine, key, knobs and pedal between a hold's start and its end, or the attempt's own.
    hold : a leak stage's last start, and the first end after it, as far as they were marked.
    popped : the knobs that have popped in it.
    """

    stage: str
    number: int
    marks: list[Mark] = field(default_factory=list)
    changes: list[Event] = field(default_factory=list)
    hold: tuple[Mark | None, Mark | None] = (None, None)
    popped: set[str] = field(default_factory=set)
    closed: bool = False


@dataclass(slots=True)
class RunState:
    """A run folded: the events that stand, in order, and every attempt of every stage.

    lamp_checks : warnings that were only the lamp check after key-on.
    withdrawn : events taken back, by the id of the withdrawal's target.
    """

    run: Run
    policy: Policy
    events: list[Event]
    attempts: dict[str, list[Attempt]]
    lamp_checks: list[Mark]
    marks: dict[int, Context]
    withdrawn: list[Event]
    closed_by: Event | None
    cut_outs: list[Mark]
    first_released: Context | None
    """How the vehicle stood when a knob went in by hand for the first time; None when none did."""

    def cut_out_before(self, event: Event) -> tuple[Cut | None, Cut]:
        """The last cut-out read before ``event``, and each needle's own last one."""
        last: Cut | None = None
        by_needle = Cut(None, None)
        for mark in self.cut_outs:
            if mark.event.order < event.order:
                last, by_needle = _cut_after(last, by_needle, mark.event)
        return last, by_needle


def fold(run: Run, policy: Policy, judging: Judging) -> RunState:
    """The run's state. ``policy`` says which needles count; ``judging`` what a lamp check is.

    Raises RecordError for a withdrawal or number of nothing, or one id with two contents.
    """
    standing, withdrawn, closed_by = standing_events(run.events)
    folder = _Folder(run, policy, judging, [e.at_s for e in standing if e.type == "key" and e.state == "on"])
    for position, event in enumerate(standing):
        folder.take(position, event)
    return RunState(
        run=run,
        policy=policy,
        events=standing,
        attempts=folder.attempts,
        lamp_checks=folder.lamp_checks,
        marks=folder.contexts,
        withdrawn=withdrawn,
        closed_by=closed_by,
        cut_outs=folder.cut_outs,
        first_released=folder.first_released,
    )


def withdrawn_ids(removals: Sequence[tuple[str | None, str | None]]) -> set[str | None]:
    """The ids of what is withdrawn and stays so: a withdrawal that was itself withdrawn takes nothing back.

    removals : each withdrawal as its own id and the id that it withdraws, in order of time.

    >>> sorted(withdrawn_ids([("w1", "mark"), ("w2", "w1")]))
    ['w1']
    """
    gone: set[str | None] = set()
    for own, target in reversed(removals):
        if own is None or own not in gone:
            gone.add(target)
    return gone


def standing_events(events: Iterable[Event]) -> tuple[list[Event], list[Event], Event | None]:
    """Events in order with what was withdrawn, resent or marked after the end left out, and numbers put in place.

    Returns the events that stand, those withdrawn, and the event that closed the run, if any.
    """
    by_id: dict[str, Event] = {}
    ordered: list[Event] = []
    numbers: list[Event] = []
    removals: list[Event] = []
    for event in sorted(events, key=_order):
        if event.id is not None:
            known = by_id.get(event.id)
            if known is not None:
                if known._replace(place=0, seq=None) != event._replace(place=0, seq=None):
                    raise RecordError(
                        f"events[{event.place}].id",
                        f"{event.id!r} was already used by an event with other content",
                    )
                continue
            by_id[event.id] = event
        if event.type == "withdrawn":
            removals.append(event)
        elif event.type == "valued":
            numbers.append(event)
        ordered.append(event)
    for event in reversed(removals):
        if event.event not in by_id:
            raise RecordError(
                f"events[{event.place}].event",
                f"{event.event!r} isn't an event of this test; nothing was withdrawn",
            )
    gone = {name for name in withdrawn_ids([(one.id, one.event) for one in removals]) if name is not None}
    closed_by = next((e for e in ordered if e.type in END_TYPES and e.id not in gone), None)
    if not removals and not numbers and closed_by is None:
        return ordered, [], None
    values = _numbers(numbers, by_id, gone)
    end = closed_by.order if closed_by else None
    standing = []
    for event in ordered:
        if EVENT_KINDS[event.type].refers or (event.id is not None and event.id in gone):
            continue
        if end is not None and event.order > end and not EVENT_KINDS[event.type].counts_closed:
            continue
        standing.append(values.get(event.id, event) if event.id is not None else event)
    return standing, [by_id[name] for name in gone if by_id[name].type != "withdrawn"], closed_by


def _order(event: Event) -> tuple[float, int]:
    return (event.at_s, event.place if event.seq is None else event.seq)


def _numbers(numbers: list[Event], by_id: dict[str, Event], gone: set[str]) -> dict[str, Event]:
    """The events whose numbers came later, with the last number for each needle in place."""
    values: dict[str, Event] = {}
    for event in numbers:
        target = by_id.get(event.event or "")
        if target is None or target.type not in READABLE_TYPES:
            raise RecordError(
                f"events[{event.place}].event",
                f"{event.event!r} isn't a reading of this test; the reading was not used",
            )
        if event.id is not None and event.id in gone:
            continue
        target = values.get(event.event or "", target)
        values[event.event or ""] = target._replace(
            primary_psi=target.primary_psi if event.primary_psi is None else event.primary_psi,
            secondary_psi=target.secondary_psi if event.secondary_psi is None else event.secondary_psi,
            late=target.late or event.late,
        )
    return values


def lower_psi(event: Event, policy: Policy) -> float | None:
    """The lower of the needles that count, rounded; None when none was read."""
    values = counted_psi(event, policy)
    return min(values) if values else None


def higher_psi(event: Event, policy: Policy) -> float | None:
    """The higher of the needles that count, rounded; None when none was read."""
    values = counted_psi(event, policy)
    return max(values) if values else None


def counted_psi(event: Event, policy: Policy) -> list[float]:
    """The readings that count under ``policy``, rounded to 0.1 psi."""
    values = []
    if event.primary_psi is not None:
        values.append(round_tenth(event.primary_psi))
    if event.secondary_psi is not None and policy == "both":
        values.append(round_tenth(event.secondary_psi))
    return values


class _Folder:
    """The running state while events are taken one by one; used once and thrown away.

    key_ons_at_s : when the key was turned on, over the whole run: people tap late, so a key-on may follow what it lit.
    """

    def __init__(self, run: Run, policy: Policy, judging: Judging, key_ons_at_s: list[float]) -> None:
        self.policy = policy
        self.judging = judging
        self.key_ons_at_s = key_ons_at_s
        self.maker_cut_in_psi = run.unit.governor.cut_in_psi
        self.drop_uncertainty_psi = drop_uncertainty(run.resolution_psi)
        self.attempts: dict[str, list[Attempt]] = {}
        self.lamp_checks: list[Mark] = []
        self.contexts: dict[int, Context] = {}
        self.cut_outs: list[Mark] = []
        self.position = -1
        self.engine: str | None = None
        self.key: str | None = None
        self.knobs: dict[str, str | None] = {"tractor": None, "trailer": None}
        self.pedal: str | None = None
        self.chocked: bool | None = None
        self.last_move_at_s: float | None = None
        self.settled = False
        self.engine_start_position = -1
        self.run_position = -1
        self.cut_out_position = -1
        self.cut_out: Cut | None = None
        self.cut_out_by_needle = Cut(None, None)
        self.cut_in_psi: float | None = None
        self.last_reading_psi: float | None = None
        self.knob_stage_open = False
        self.in_gear = False
        self.first_released: Context | None = None

    def take(self, position: int, event: Event) -> None:
        self.position = position
        handler = _HANDLERS.get(event.type)
        if handler is not None:
            handler(self, event)
        if self.engine == "running":
            self.run_position = position

    def context(self) -> Context:
        return Context(
            self.position,
            self.engine,
            self.key,
            self.knobs["tractor"],
            self.knobs["trailer"],
            self.pedal,
            self.chocked,
            self.last_move_at_s,
            self.settled,
            self.cut_out_position > self.engine_start_position,
            self.run_position,
            self.cut_out_position,
            self.cut_out,
            self.cut_out_by_needle,
            self.cut_in_psi,
            self.last_reading_psi,
            self.in_gear,
        )

    def attempt_for(self, stage: str, again: Callable[[Attempt], bool]) -> Attempt:
        """The stage's open attempt, or a new one when there is none or ``again`` says that it is over."""
        tries = self.attempts.setdefault(stage, [])
        if not tries or tries[-1].closed or again(tries[-1]):
            tries.append(Attempt(stage, len(tries) + 1))
        return tries[-1]

    def mark(self, event: Event, attempt: Attempt) -> Mark:
        mark = Mark(event, self.context())
        attempt.marks.append(mark)
        self.contexts[event.place] = mark.context
        self.noticed(event)
        return mark

    def noticed(self, event: Event) -> None:
        value = lower_psi(event, self.policy)
        if value is not None:
            self.last_reading_psi = value

    def changed(self, event: Event) -> None:
        """A state was recorded: it belongs to every hold that goes on, and to none that is over."""
        for tries in self.attempts.values():
            if tries and not tries[-1].closed:
                start, end = tries[-1].hold
                if start is not None and end is None:
                    tries[-1].changes.append(event)

    def since_engine_start(self, attempt: Attempt) -> bool:
        """Whether the engine was started after the attempt's last mark."""
        return bool(attempt.marks) and self.engine_start_position > attempt.marks[-1].context.position

    # one method for each event type

    def on_confirmed(self, event: Event) -> None:
        if event.item == "wheels_chocked":
            self.chocked = True
        elif event.item == "chocks_removed":
            self.chocked = False
        elif event.item == "in_gear":
            self.in_gear = self.engine != "running"
        elif event.item == "neutral":
            self.in_gear = False

    def on_engine(self, event: Event) -> None:
        if event.state == "running":
            if self.engine != "running":
                self.engine_start_position = self.position
            self.in_gear = False
        elif self.engine != "off" and self.key_ons_at_s:
            # the key stops it, and must be turned on again; a run that never records a key-on says nothing of keys
            self.key = "off"
        if event.state != self.engine:
            self.knob_stage_open = False
        self.engine = event.state
        self.changed(event)

    def on_key(self, event: Event) -> None:
        self.key = event.state
        self.changed(event)

    def on_pedal(self, event: Event) -> None:
        self.pedal = event.state
        self.moved(event)

    def moved(self, event: Event) -> None:
        self.last_move_at_s = event.at_s
        self.settled = False
        self.changed(event)

    def on_settled(self, _: Event) -> None:
        self.settled = True

    def on_knob(self, event: Event) -> None:
        knob = event.knob or "tractor"
        if event.state == "out":
            if event.cause == "popped":
                attempt = self.attempt_for(_KNOBS, self.since_engine_start)
                self.mark(event, attempt)
                self.knob_stage_open = self.engine != "running"
                attempt.popped.add(knob)
            elif self.knob_stage_open and self.engine != "running" and self.knobs[knob] != "out":
                tries = self.attempts.get(_KNOBS, [])
                over = not tries or tries[-1].closed or self.since_engine_start(tries[-1])
                if over or knob not in tries[-1].popped:
                    self.mark(event, self.attempt_for(_KNOBS, self.since_engine_start))
        elif self.first_released is None:
            self.first_released = self.context()
        self.knobs[knob] = event.state
        self.moved(event)

    def on_reading(self, event: Event) -> None:
        stage = event.stage or ""
        if event.point == "end" and not self.holds(stage):
            self.noticed(event)  # no hold goes on: this end belongs to nothing
            return
        attempt = self.attempt_for(stage, _again_reading(event))
        mark = self.mark(event, attempt)
        if event.point == "start":
            attempt.hold = (mark, None)
            attempt.changes.clear()
        elif event.point == "end":
            attempt.hold = (attempt.hold[0], mark)
        elif stage == FILL_STAGE:
            self.cut_outs.append(mark)
            if event.primary_psi is not None or event.secondary_psi is not None:
                self.cut_out_position = self.position
                self.cut_out, self.cut_out_by_needle = _cut_after(self.cut_out, self.cut_out_by_needle, event)
        elif stage == "cut_in":
            self.cut_in_psi = lower_psi(event, self.policy) or self.cut_in_psi

    def holds(self, stage: str) -> bool:
        """Whether a hold of this stage goes on: started, not ended, its attempt still open."""
        tries = self.attempts.get(stage, [])
        if not tries or tries[-1].closed:
            return False
        start, end = tries[-1].hold
        return start is not None and end is None

    def on_warning(self, event: Event) -> None:
        if self.is_lamp_check(event):
            self.lamp_checks.append(Mark(event, self.context()))
            return
        self.mark(event, self.attempt_for(_WARNING, self.since_engine_start))
        if self.engine != "running":
            self.knob_stage_open = True

    def is_lamp_check(self, event: Event) -> bool:
        """Lamp and buzzer prove themselves at key-on; only a reading that has clearly fallen below cut-in is more."""
        before_s, after_s = self.judging.key_tapped_late_s, self.judging.lamp_check_s
        if not any(-before_s <= event.at_s - key_on_s <= after_s for key_on_s in self.key_ons_at_s):
            return False
        value = lower_psi(event, self.policy)
        if value is None or self.last_reading_psi is None:
            return True
        cut_in_psi = self.cut_in_psi or self.maker_cut_in_psi or self.judging.default_cut_in_psi
        return not (value < cut_in_psi and self.last_reading_psi - value > self.drop_uncertainty_psi)

    def on_held(self, event: Event) -> None:
        self.mark(event, self.attempt_for(event.stage or "", _has_marks))

    def on_rolled(self, event: Event) -> None:
        self.mark(event, self.attempt_for(_ROLL, _has_marks))

    def on_attempt(self, event: Event) -> None:
        self.close_open_attempts()
        self.knob_stage_open = False
        tries = self.attempts.setdefault(event.stage or "", [])
        tries.append(Attempt(event.stage or "", len(tries) + 1))

    def on_skipped(self, event: Event) -> None:
        self.knob_stage_open = False
        for attempt in self.attempts.get(event.stage or "", [])[-1:]:
            attempt.closed = True

    def on_made_safe(self, _: Event) -> None:
        self.knob_stage_open = False
        self.close_open_attempts()

    def close_open_attempts(self) -> None:
        """A new attempt or *make safe* ends what was open; governor readings are gathered over the whole run."""
        for stage, tries in self.attempts.items():
            if tries and stage not in _GATHERED:
                tries[-1].closed = True


def _cut_after(last: Cut | None, by_needle: Cut, event: Event) -> tuple[Cut | None, Cut]:
    """The last cut-out and each needle's own last one, once this one was read; one without a number changes nothing."""
    primary_psi, secondary_psi = _rounded(event.primary_psi), _rounded(event.secondary_psi)
    if primary_psi is None and secondary_psi is None:
        return last, by_needle
    return Cut(primary_psi, secondary_psi), Cut(
        by_needle.primary_psi if primary_psi is None else primary_psi,
        by_needle.secondary_psi if secondary_psi is None else secondary_psi,
    )


def _rounded(value: float | None) -> float | None:
    return None if value is None else round_tenth(value)


def _has_marks(attempt: Attempt) -> bool:
    return bool(attempt.marks)


def _never(_: Attempt) -> bool:
    return False


def _ended(attempt: Attempt) -> bool:
    return attempt.hold[1] is not None


def _again_reading(event: Event) -> Callable[[Attempt], bool]:
    """When a reading of this point belongs to a new attempt."""
    if event.point == "start":
        return _ended
    if event.point == "lower":
        return lambda attempt: _climbed(attempt, event)
    return _never


def _climbed(attempt: Attempt, lower: Event) -> bool:
    """Whether every needle of a new lower mark has already passed the upper one in this attempt."""
    uppers = [mark.event for mark in attempt.marks if mark.event.point == "upper"]
    if not uppers:
        return False
    through_primary = any(upper.primary_psi is not None for upper in uppers)
    through_secondary = any(upper.secondary_psi is not None for upper in uppers)
    return (lower.primary_psi is None or through_primary) and (lower.secondary_psi is None or through_secondary)


_HANDLERS: dict[str, Callable[[_Folder, Event], None]] = {
    "confirmed": _Folder.on_confirmed,
    "engine": _Folder.on_engine,
    "key": _Folder.on_key,
    "pedal": _Folder.on_pedal,
    "settled": _Folder.on_settled,
    "knob": _Folder.on_knob,
    "reading": _Folder.on_reading,
    "warning": _Folder.on_warning,
    "held": _Folder.on_held,
    "rolled": _Folder.on_rolled,
    "attempt": _Folder.on_attempt,
    "skipped": _Folder.on_skipped,
    "made_safe": _Folder.on_made_safe,
}

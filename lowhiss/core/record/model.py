"""What a run record holds: its events, who tested what, and what an event of each type is beyond its own fields."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal, NamedTuple, get_args

from lowhiss.core.rules import Policy
from lowhiss.core.vehicle import Knob, Unit

RUN_FORMAT = "low-hiss-run/1"
Purpose = Literal["dispatch", "training", "rehearsal"]
COUNTING_PURPOSES: tuple[Purpose, ...] = ("dispatch", "training")
"""What a run must be for, so that its verdict counts for the vehicle."""
MAX_EVENTS = 20_000
LOWEST_PSI, HIGHEST_PSI = 0.0, 200.0
"""What a reading can possibly be; a dash gauge ends well below the upper figure."""

Item = Literal[
    "wheels_chocked",
    "chocks_removed",
    "area_clear",
    "seat_belt",
    "neutral",
    "in_gear",
    "abs_lamps_out",
    "window_down",
    "level_ground",
]
ITEMS: tuple[Item, ...] = get_args(Item)
"""What can be confirmed."""
EndType = Literal["finished", "abandoned"]


class EventKind(NamedTuple):
    """What an event of a type is beyond its own fields.

    reads : it may carry needle readings.  deed : something done to the vehicle, or seen of it.
    ends : it closes the run.  refers : it is about another event.  counts_closed : after the run's end it still counts.
    taken_closed : after the end it is still taken in.  silent : it says nothing that a result could hang on.
    aside : it says nothing of where the run stands.  watched : somebody who only watches may mark it.
    """

    reads: bool = False
    deed: bool = False
    ends: bool = False
    refers: bool = False
    counts_closed: bool = False
    taken_closed: bool = False
    silent: bool = False
    aside: bool = False
    watched: bool = False


BOUNDED_FIELDS = ("at_s", "primary_psi", "secondary_psi")
"""What a mark from a recording may leave open between two ends."""
EVENT_KINDS: dict[str, EventKind] = {
    "confirmed": EventKind(),
    "engine": EventKind(deed=True),
    "key": EventKind(deed=True),
    "knob": EventKind(reads=True, deed=True),
    "pedal": EventKind(deed=True),
    "settled": EventKind(deed=True, watched=True),
    "reading": EventKind(reads=True, watched=True),
    "warning": EventKind(reads=True, watched=True),
    "said": EventKind(watched=True),
    "held": EventKind(reads=True, deed=True),
    "rolled": EventKind(reads=True, deed=True),
    "attempt": EventKind(),
    "skipped": EventKind(),
    "made_safe": EventKind(deed=True),
    "finished": EventKind(ends=True, aside=True),
    "abandoned": EventKind(ends=True, aside=True),
    "withdrawn": EventKind(refers=True, counts_closed=True, taken_closed=True),
    "note": EventKind(counts_closed=True, taken_closed=True, silent=True, aside=True, watched=True),
    "valued": EventKind(refers=True, counts_closed=True, taken_closed=True, aside=True),
    "shown": EventKind(taken_closed=True, silent=True, aside=True, watched=True),
    "late_confirmed": EventKind(refers=True, taken_closed=True, silent=True, aside=True),
}


def types_that(fact: str) -> tuple[str, ...]:
    """The event types that are so.

    >>> types_that("ends")
    ('finished', 'abandoned')
    """
    return tuple(name for name, kind in EVENT_KINDS.items() if getattr(kind, fact))


READABLE_TYPES = frozenset(types_that("reads"))
END_TYPES = types_that("ends")
ASIDE_TYPES = types_that("aside")


class Event(NamedTuple):
    """One event, checked. Fields that its type does not have are None.

    place : index in the record, for sentences about it.  at_s : [s] since the run began.
    seq : the run's own order among events of the same instant.
    primary_psi, secondary_psi : needle readings [psi gauge], unrounded.
    entered : the readings as they were entered, with their unit's key.
    wall : the device's wall clock, ISO 8601, as given.
    after_end : it came in when the run's end had been received already.
    by, sent_by : who marked it, and who sent it where that was somebody else.  received : when the server had it.
    between : from a recording, the ends between which its time [s] and its needles [psi] lie, by the field's name.
    """

    place: int
    at_s: float
    type: str
    id: str | None = None
    seq: int | None = None
    stage: str | None = None
    point: str | None = None
    item: str | None = None
    attempt: int | None = None
    outcome: str | None = None
    state: str | None = None
    knob: Knob | None = None
    cause: str | None = None
    primary_psi: float | None = None
    secondary_psi: float | None = None
    lamp: bool | None = None
    buzzer: bool | None = None
    moved: bool | None = None
    stopped: bool | None = None
    pulled: bool | None = None
    speed_mph: float | None = None
    what: str | None = None
    value: str | float | None = None
    event: str | None = None
    why: str | None = None
    text: str | None = None
    late: bool = False
    after_end: bool = False
    sent_by: str | None = None
    received: str | None = None
    device: str | None = None
    epoch: str | None = None
    by: str | None = None
    wall: str | float | None = None
    entered: tuple[tuple[str, float], ...] = ()
    between: Mapping[str, Sequence[float]] | None = None

    @property
    def order(self) -> tuple[float, int]:
        """Where it stands among the others: by time, then by the run's sequence."""
        return (self.at_s, self.place if self.seq is None else self.seq)


@dataclass(frozen=True, slots=True)
class Run:
    """A run as recorded: who tested what, under which rules, and everything that happened.

    rules, procedure : the id of a built-in one, a whole one as plain values, or None for the default.
    resolution_psi : what a needle is read to.  policy : overrides the rule set's own where given.
    inspections : the inspection records that were done beside it, not read here; they never change its verdict.
    simulated : it was driven on the practice vehicle, and says nothing of any unit.
    recording : what it was found in, where nobody made a mark: the file, its hash, its columns, what was moved.
    """

    unit: Unit
    events: tuple[Event, ...]
    id: str | None = None
    started_at: str | None = None
    purpose: Purpose = "dispatch"
    rules: str | dict[str, Any] | None = None
    procedure: str | dict[str, Any] | None = None
    resolution_psi: float = 1.0
    policy: Policy | None = None
    people: tuple[tuple[str, str], ...] = ()
    inspections: tuple[dict[str, Any], ...] = ()
    simulated: bool = False
    recording: Mapping[str, Any] | None = None

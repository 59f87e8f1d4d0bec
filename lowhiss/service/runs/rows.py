"""A run as it lies in its rows: how it is set up, found, put together as a record, and judged."""

from __future__ import annotations

import dataclasses
import datetime as dt
from dataclasses import dataclass
from typing import Any, Literal, cast

from sqlalchemy import select
from sqlalchemy.orm import Session

from lowhiss.core.fields import Language
from lowhiss.core.judge import RunVerdict, judge_run
from lowhiss.core.procedure import read_procedure
from lowhiss.core.record import RUN_FORMAT, Event, Purpose, Run, read_event, read_run
from lowhiss.core.rules import RuleSet
from lowhiss.core.vehicle import Unit
from lowhiss.engine.judge_record import judged_by
from lowhiss.exchange.run_json import run_record
from lowhiss.service.errors import NotFoundError
from lowhiss.service.fleet.counted_runs import begun_doubtfully, is_reported
from lowhiss.service.fleet.units import unit_of
from lowhiss.service.rules.saved_rules import saved_rules
from lowhiss.service.runs.participants import Part, members_of
from lowhiss.store.people_models import PersonRow
from lowhiss.store.run_models import EventRow, RunRow

_TIMEKEEPERS = {"tool": "", "driver": "driver", "watcher": "watcher"}
"""Who keeps the time, as a run record says it; the tool does where nobody is named."""


def timekeeper_of(named: str) -> str:
    """Who keeps the time, from what a run record says."""
    return named if named in _TIMEKEEPERS else "tool"


@dataclass(frozen=True, slots=True)
class Setup:
    """How a run is led, as chosen before it began; whatever is left out is the house's own way.

    timekeeper : ``tool``, ``driver`` or ``watcher``.  policy : which needles count, None for the rule set's own.
    calls : whether what is to be said aloud is shown, taken down from memory, or left alone.
    readings : whether needles are read by ``eye``, or a live ``feed`` fills in the numbers.
    examined : the driver is a candidate; an examiner on a second device has the result, and tells it at the end.
    """

    watcher: str = ""
    timekeeper: str = "tool"
    policy: str | None = None
    calls: str = "off"
    readings: str = "eye"
    examined: bool = False


@dataclass(frozen=True, slots=True)
class RunHead:
    """What stands beside a run's events."""

    id: str
    unit_id: str
    unit: Unit
    procedure: str
    rules: str
    rules_title: dict[Language, str]
    purpose: Purpose
    driver: str
    setup: Setup
    started_at: dt.datetime
    last_seq: int
    demo: bool
    begun_by: str
    ended_by: Literal["finished", "abandoned"] | None
    doubtful: bool
    """Its begin lies further back than any device is promised to be without contact."""
    members: list[tuple[str, Part]]
    recording: dict[str, Any] | None = None
    """What it was found in, where nobody made a mark."""
    sealed: bool = False
    """Its report was signed."""
    origin: str = ""
    """The installation that its record came from; empty for one that was made here."""
    reported: bool = False
    """It comes from elsewhere, and nobody has decided yet whether it counts."""
    decision: dict[str, Any] | None = None
    part: Part | None = None
    """The part that the asker takes in it, where that was asked."""


def find_run(session: Session, run_id: str) -> RunRow:
    row = session.get(RunRow, run_id)
    if row is None:
        raise NotFoundError("run_unknown", "This test doesn't exist.", "run_id")
    return row


def event_rows(session: Session, run_id: str, after: int = 0) -> list[EventRow]:
    query = select(EventRow).where(EventRow.run_id == run_id, EventRow.seq > after).order_by(EventRow.seq)
    return list(session.scalars(query))


def head_of(session: Session, run: RunRow, part: Part | None = None, *, procedure: str | None = None) -> RunHead:
    """What stands beside a run's events. procedure : its id, where the whole of it was not loaded."""
    rules = saved_rules(session, run.rules_hash)
    return RunHead(
        id=run.id,
        unit_id=run.unit_id,
        unit=unit_of(run.unit),
        procedure=run.procedure["id"] if procedure is None else procedure,
        rules=rules.id,
        rules_title=rules.title,
        purpose=cast(Purpose, run.purpose),
        driver=run.driver,
        setup=Setup(**run.setup),
        started_at=run.started_at,
        last_seq=run.last_seq,
        demo=run.demo,
        begun_by=person_name(session, run.person_id),
        ended_by=cast(Literal["finished", "abandoned"] | None, run.ended_by),
        doubtful=begun_doubtfully(run),
        members=[(name, part) for _, name, part in members_of(session, run.id)] if part is not None else [],
        recording=run.recording,
        sealed=run.sealed,
        origin=run.origin or "",
        reported=is_reported(run),
        decision=run.decision,
        part=part,
    )


def person_name(session: Session, person_id: str | None) -> str:
    """The name of a person; empty for nobody."""
    row = session.get(PersonRow, person_id) if person_id else None
    return row.name if row is not None else ""


def names_of(session: Session, run_id: str) -> dict[str, str]:
    """The names of everybody who sent something to a run, by id."""
    senders = select(EventRow.sent_by).where(EventRow.run_id == run_id).distinct()
    query = select(PersonRow.id, PersonRow.name).where(PersonRow.id.in_(senders))
    return {row.id: row.name for row in session.execute(query)}


def record_of(session: Session, run: RunRow) -> dict[str, Any]:
    """The run as an open run record."""
    names = names_of(session, run.id)
    events = [_event_table(row, names) for row in event_rows(session, run.id)]
    return run_record(_head_table(session, run), unit_of(run.unit), events)


def _head_table(session: Session, run: RunRow) -> dict[str, Any]:
    setup = Setup(**run.setup)
    rules = saved_rules(session, run.rules_hash)
    judged = judged_by(rules, read_procedure(run.procedure), unit_of(run.unit), run.resolution_psi)
    people = {"driver": run.driver, "watcher": setup.watcher, "timekeeper": _TIMEKEEPERS[setup.timekeeper]}
    return {
        "id": run.id,
        "started_at": run.started_at.isoformat(),
        "purpose": run.purpose,
        "people": {part: name for part, name in people.items() if name},
        **judged,
        "gauges": {**judged["gauges"], **({"policy": setup.policy} if setup.policy else {})},
        **({"recording": run.recording} if run.recording else {}),
    }


def _event_table(row: EventRow, names: dict[str, str]) -> dict[str, Any]:
    return {
        "at_s": row.at_s,
        "seq": row.seq,
        "id": row.id,
        "device": row.device,
        "epoch": row.epoch,
        "wall": row.wall.isoformat(),
        **({"by": row.author} if row.author else {}),
        **row.body,
        **_came(row, names),
    }


_CHECKED: dict[tuple[str, int, dt.datetime], Event] = {}
"""Events that were checked before; a kept one never changes."""
_MAX_CHECKED = 100_000


def run_of(session: Session, run: RunRow) -> Run:
    """The run as the judge takes it: what `read_run` makes of its record, but for who sent each mark, and when."""
    head = read_run({**_head_table(session, run), "format": RUN_FORMAT, "events": []})
    return dataclasses.replace(head, events=tuple(_checked(row, head.unit) for row in event_rows(session, run.id)))


def _checked(row: EventRow, unit: Unit) -> Event:
    key = (row.run_id, row.seq, row.wall)
    event = _CHECKED.get(key)
    if event is None:
        if len(_CHECKED) >= _MAX_CHECKED:
            _CHECKED.clear()
        event = _CHECKED[key] = read_event(_event_table(row, {}), row.seq - 1, unit)
    return event


_SOON = dt.timedelta(seconds=60)
"""What the server had so soon after it was marked was not on its way for long: then only its own time is told."""


def _came(row: EventRow, names: dict[str, str]) -> dict[str, Any]:
    """Who sent an event and when the server had it, where that says more than who marked it and when."""
    told: dict[str, Any] = {"after_end": True} if row.after_end else {}
    if row.after_end or abs(row.received_at - row.wall) > _SOON:
        told["received"] = row.received_at.isoformat()
    sender = names.get(row.sent_by or "")
    if sender and sender != row.author:
        told["sent_by"] = sender
    return told


def judge_row(session: Session, run: RunRow) -> RunVerdict:
    """The run judged under its own rule set."""
    return judge_under(session, run, saved_rules(session, run.rules_hash))


def judge_upto(session: Session, run: RunRow, last: EventRow) -> RunVerdict:
    """The run judged as it stood when one of its events was received."""
    whole = run_of(session, run)
    events = tuple(event for event in whole.events if event.seq is not None and event.seq <= last.seq)
    names = {event.id for event in events}
    closed = tuple(event for event in events if event.event is None or event.event in names)
    then = dataclasses.replace(whole, events=closed)
    return judge_run(then, saved_rules(session, run.rules_hash), read_procedure(run.procedure))


def judge_under(session: Session, run: RunRow, rules: RuleSet) -> RunVerdict:
    """The run judged under a rule set."""
    return judge_run(run_of(session, run), rules, read_procedure(run.procedure))

"""How a fleet stands in the formats that offices and calendars take: CSV and iCalendar (RFC 4180, RFC 5545)."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import NamedTuple
from zoneinfo import ZoneInfo

from icalendar import Calendar, Event

from lowhiss.exchange.tables import csv_text

STATUS_COLUMNS = ("unit", "status", "stays", "why", "last_passed", "due")


@dataclass(frozen=True, slots=True)
class StatusLine:
    """A unit in a list: ``due`` is the first moment at which it is too late."""

    unit_id: str
    unit: str
    status: str
    stays: bool
    why: str
    passed_at: dt.datetime | None
    due_at: dt.datetime | None


class LastDay(NamedTuple):
    """The last day of a paper. ``id`` stays from one calendar to the next."""

    id: str
    title: str
    day: dt.date


def last_day(due_at: dt.datetime, zone: ZoneInfo) -> dt.date:
    """The last local day on which a test is in time."""
    return (due_at - dt.timedelta(seconds=1)).astimezone(zone).date()


def status_csv(lines: Iterable[StatusLine], zone: ZoneInfo) -> str:
    """A table with one line a unit; days are the fleet's own. No cell is ever taken for a formula."""
    rows: list[tuple[str, ...]] = [STATUS_COLUMNS]
    for line in lines:
        passed = line.passed_at.astimezone(zone).date().isoformat() if line.passed_at else ""
        due = last_day(line.due_at, zone).isoformat() if line.due_at else ""
        rows.append((line.unit, line.status, "yes" if line.stays else "no", line.why, passed, due))
    return csv_text(rows)


def due_calendar(
    lines: Sequence[StatusLine], zone: ZoneInfo, title: str, now: dt.datetime, papers: Sequence[LastDay] = ()
) -> bytes:
    """An iCalendar with an all-day event on the last day of each unit that is due, and of each paper.

    title : with ``{unit}`` for the unit's name.
    """
    calendar = Calendar()
    calendar.add("prodid", "-//Low Hiss//due//EN")
    calendar.add("version", "2.0")
    for line in lines:
        if line.due_at is None:
            continue
        due = LastDay(f"due-{line.unit_id}", title.format(unit=line.unit), last_day(line.due_at, zone))
        calendar.add_component(_all_day(due, line.status, now))
    for paper in papers:
        calendar.add_component(_all_day(paper._replace(id=f"paper-{paper.id}"), "", now))
    return bytes(calendar.to_ical())


def _all_day(last: LastDay, description: str, now: dt.datetime) -> Event:
    event = Event()
    event.add("uid", f"{last.id}@low-hiss")
    event.add("dtstamp", now)
    event.add("dtstart", last.day)
    event.add("dtend", last.day + dt.timedelta(days=1))
    event.add("summary", last.title)
    event.add("description", description)
    event.add("transp", "TRANSPARENT")
    return event

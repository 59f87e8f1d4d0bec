"""How a fleet stands as CSV and iCalendar: read back by the libraries that offices and calendars use."""

from __future__ import annotations

import csv
import datetime as dt
import io
from zoneinfo import ZoneInfo

import icalendar
import pytest

from lowhiss.exchange.status_files import STATUS_COLUMNS, StatusLine, due_calendar, last_day, status_csv

DENVER = ZoneInfo("America/Denver")
NOW = dt.datetime(2026, 11, 27, 12, tzinfo=dt.UTC)
DUE = dt.datetime(2026, 12, 1, 7, tzinfo=dt.UTC)
"""Midnight in Denver: the last day is 30 November."""


def line(name="MV-12", due_at=DUE, **more):
    facts = {"status": "May be driven", "stays": False, "why": "", "passed_at": NOW, **more}
    return StatusLine(unit_id=f"id of {name}", unit=name, due_at=due_at, **facts)


def rows(*lines):
    return list(csv.reader(io.StringIO(status_csv(lines, DENVER))))


def test_a_line_a_unit_with_the_fleets_own_days():
    head, first, second = rows(line(), line("MV-09", None, stays=True, why="late", passed_at=None))
    assert tuple(head) == STATUS_COLUMNS
    assert first == ["MV-12", "May be driven", "no", "", "2026-11-27", "2026-11-30"]
    assert second == ["MV-09", "May be driven", "yes", "late", "", ""]


@pytest.mark.parametrize("name", ["=1+1", "+1", "-1", "@sum", "\tx", "\rx", '=cmd|"/c calc"!A1'])
def test_no_cell_is_taken_for_a_formula(name):
    # from memory: a cell that begins with one of these is worked out by office programs
    unit, *_ = rows(line(name))[1]
    assert unit == f"'{name}"
    assert rows(line(why=name))[1][3] == f"'{name}"


@pytest.mark.parametrize("name", ['a "b", c', "two\nlines", "Ñandú; 1,5"])
def test_every_name_comes_back_as_it_was(name):
    assert rows(line(name))[1][0] == name


def test_an_all_day_event_on_the_last_day_with_an_id_that_stays():
    lines = [line(), line("MV-09", None), line("Über, schräg; \\ 1")]
    calendar = icalendar.Calendar.from_ical(due_calendar(lines, DENVER, "{unit}: due", NOW))
    events = list(calendar.walk("VEVENT"))
    assert [str(event["summary"]) for event in events] == ["MV-12: due", "Über, schräg; \\ 1: due"]
    first = events[0]
    assert (first.decoded("dtstart"), first.decoded("dtend")) == (dt.date(2026, 11, 30), dt.date(2026, 12, 1))
    assert str(first["uid"]) == "due-id of MV-12@low-hiss"
    again = icalendar.Calendar.from_ical(due_calendar(lines, DENVER, "{unit}: due", NOW + dt.timedelta(days=1)))
    assert [event["uid"] for event in again.walk("VEVENT")] == [event["uid"] for event in events]
    # RFC 5545: a calendar needs its version and who made it; lines end in CR LF and are folded at 75 octets
    raw = due_calendar(lines, DENVER, "{unit}: due", NOW)
    assert {"version", "prodid"} <= {name.lower() for name in calendar}
    assert all(len(one) <= 75 for one in raw.split(b"\r\n"))


def test_the_last_day_is_local_whatever_the_clocks_do():
    for end, day in (("2026-03-09T06:00", "2026-03-08"), ("2026-11-02T07:00", "2026-11-01")):
        assert last_day(dt.datetime.fromisoformat(f"{end}:00+00:00"), DENVER).isoformat() == day

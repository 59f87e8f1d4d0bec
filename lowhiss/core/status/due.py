"""When a vehicle is to be tested next, by the fleet's own rule and its own calendar. Pure: the clock is handed in."""

from __future__ import annotations

import calendar
import datetime as dt
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from lowhiss.core.errors import RecordError
from lowhiss.core.fields import Fields

Every = Literal["days", "months", "trip"]


@dataclass(frozen=True, slots=True)
class DueRule:
    """How often a vehicle is tested: every so many days or months, or before the first trip of each day."""

    every: Every
    count: int = 1


def read_due_rule(table: object) -> DueRule:
    """A rule from plain values. Raises RecordError naming the field."""
    fields = Fields(table, "", RecordError)
    every = fields.choice("every", Every)
    most = {"days": 3650, "months": 120, "trip": 1}[every]
    count = fields.number("count", 1, low=1, high=most)
    fields.done()
    if count != int(count):
        raise fields.refuse("count", "must be a whole number")
    return DueRule(every, int(count))


def zone_of(name: str) -> ZoneInfo:
    """A time zone by its IANA name. Raises RecordError for an unknown one."""
    try:
        return ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError):
        raise RecordError("time_zone", f"{name[:60]!r} isn't a known time zone; an example is America/Denver") from None


@lru_cache(maxsize=4096)
def end_of_day(day: dt.date, zone: ZoneInfo) -> dt.datetime:
    """The first moment after a local day, whatever the clocks do in it."""
    return dt.datetime.combine(day + dt.timedelta(days=1), dt.time(), zone).astimezone(dt.UTC)


def good_until(passed_at: dt.datetime, rule: DueRule, zone: ZoneInfo) -> dt.datetime:
    """Until when a pass is good: the end of the local day so many days or months later, of a month's last day at most.

    >>> good_until(dt.datetime(2026, 1, 31, 20, tzinfo=dt.UTC), DueRule("months"), ZoneInfo("UTC")).isoformat()
    '2026-03-01T00:00:00+00:00'
    """
    day = passed_at.astimezone(zone).date()
    if rule.every == "days":
        day += dt.timedelta(days=rule.count)
    elif rule.every == "months":
        months = day.year * 12 + day.month - 1 + rule.count
        year, month = months // 12, months % 12 + 1
        day = day.replace(year=year, month=month, day=min(day.day, calendar.monthrange(year, month)[1]))
    return end_of_day(day, zone)

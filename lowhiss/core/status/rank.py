"""How a vehicle stands: the worst of what is open on it and of when it was tested last. Pure."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Literal, get_args
from zoneinfo import ZoneInfo

from lowhiss.core.status.acts import UnitPart
from lowhiss.core.status.defects import Defect
from lowhiss.core.status.due import DueRule, end_of_day, good_until
from lowhiss.core.status.holds import Hold

Status = Literal["on_hold", "unfit", "overdue", "never_tested", "due", "restricted", "fit"]
STATUSES: tuple[Status, ...] = get_args(Status)
"""Worst first."""
STAYS: frozenset[Status] = frozenset({"on_hold", "unfit", "overdue", "never_tested"})
"""A vehicle that stands like this does not leave the yard as it is."""


@dataclass(frozen=True)
class Clock:
    """What time it is, and where the fleet's days begin and end."""

    now: dt.datetime
    zone: ZoneInfo

    @cached_property
    def tomorrow_ends(self) -> dt.datetime:
        """The end of tomorrow."""
        return end_of_day(self.now.astimezone(self.zone).date() + dt.timedelta(days=1), self.zone)


@dataclass(frozen=True, slots=True)
class PartFacts:
    """What stands of one part.

    passed_at : when it last passed every stage that its own rules require, in one finished run.
    rule : how often it is tested; its own, or the fleet's.
    """

    part: UnitPart
    holds: tuple[Hold, ...] = ()
    defects: tuple[Defect, ...] = ()
    passed_at: dt.datetime | None = None
    rule: DueRule | None = None

    def until(self, zone: ZoneInfo) -> dt.datetime | None:
        """Until when its last pass is good; None without a rule or a pass."""
        return good_until(self.passed_at, self.rule, zone) if self.rule and self.passed_at else None


def status_of(parts: Sequence[PartFacts], clock: Clock) -> Status:
    """How a set stands as it is coupled today, the power unit first: the worst of its members.

    A trailer counts as tested with whatever pulled it.
    """
    return min((_status_of(facts, clock) for facts in parts), key=STATUSES.index)


def _status_of(facts: PartFacts, clock: Clock) -> Status:
    if any(facts.part in hold.held for hold in facts.holds):
        return "on_hold"
    consequences = {defect.consequence(clock.now) for defect in facts.defects}
    if "stay" in consequences:
        return "unfit"
    until = facts.until(clock.zone)
    if facts.passed_at is None:
        return "never_tested"
    if until is not None and until <= clock.now:
        return "overdue"
    if until is not None and until <= clock.tomorrow_ends:
        return "due"
    return "restricted" if "finish" in consequences else "fit"

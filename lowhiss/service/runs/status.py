"""How vehicles stand, whoever asks and however: open tests are judged first, so that a fail shows at once."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence

from lowhiss.core.words import Words
from lowhiss.exchange.status_files import LastDay
from lowhiss.service.fleet import status_export, unit_status
from lowhiss.service.fleet.unit_status import DefectView, HoldView, UnitStatus
from lowhiss.service.runs.log import judge_open_runs
from lowhiss.store.engine import Store

__all__ = ["as_calendar", "as_csv", "judge_open_runs", "status_of_unit", "statuses", "workshop"]


def statuses(store: Store, words: Words, now: dt.datetime) -> list[UnitStatus]:
    """Every unit in use, worst first, then by when it is due, then by name."""
    judge_open_runs(store)
    return unit_status.statuses(store, words, now)


def status_of_unit(store: Store, unit_id: str, words: Words, now: dt.datetime) -> tuple[UnitStatus, list[HoldView]]:
    """One unit, and every hold that accuses or has accused it, the latest first. Raises NotFoundError."""
    judge_open_runs(store)
    return unit_status.unit_view(store, unit_id, words, now)


def workshop(store: Store, words: Words, now: dt.datetime) -> tuple[list[HoldView], list[DefectView]]:
    """Every open hold and every defect that is not closed, in the order to take them."""
    judge_open_runs(store)
    return unit_status.workshop(store, words, now)


def as_csv(store: Store, words: Words, now: dt.datetime) -> str:
    """How every unit in use stands, as CSV."""
    judge_open_runs(store)
    return status_export.as_csv(store, words, now)


def as_calendar(store: Store, words: Words, now: dt.datetime, papers: Sequence[LastDay] = ()) -> bytes:
    """When each unit in use is due, and the last day of each paper, as iCalendar."""
    judge_open_runs(store)
    return status_export.as_calendar(store, words, now, papers)

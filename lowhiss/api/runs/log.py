"""The log of runs, and what this installation is."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Literal

from fastapi import APIRouter, Query

from lowhiss import __version__
from lowhiss.api.careful import CarefulRoute
from lowhiss.api.deps import StoreDep
from lowhiss.api.runs.schemas import LogLineOut, LogOut
from lowhiss.api.schemas import UUID_PATTERN, AboutOut
from lowhiss.service.copies import copies_of
from lowhiss.service.fleet import choosing
from lowhiss.service.runs import log

router = APIRouter(prefix="/api", tags=["log"], route_class=CarefulRoute)


@router.get("/log", operation_id="readLog")
def read_log(
    store: StoreDep,
    search: Annotated[str, Query(max_length=100)] = "",
    outcome: Annotated[Literal["pass", "fail", "void", "incomplete", "close_call"] | None, Query()] = None,
    before: Annotated[str | None, Query(pattern=UUID_PATTERN)] = None,
) -> LogOut:
    """Runs, the latest first."""
    lines = log.log_page(store, search, outcome, before)
    more = len(lines) == log.LOG_PAGE
    return LogOut(runs=[LogLineOut.of(line) for line in lines], next_before=lines[-1].head.id if more else None)


@router.get("/about", operation_id="about")
def about(store: StoreDep) -> AboutOut:
    """Whose installation this is, and whether it holds demo data."""
    owner, demo = choosing.installation(store)
    late = copies_of(store).late(dt.datetime.now(dt.UTC))
    return AboutOut(version=__version__, owner=owner, demo=demo, copies_late=late)

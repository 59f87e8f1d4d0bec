"""How the fleet stands, what the workshop has to do, what people did about vehicles, and when tests are due."""

from __future__ import annotations

import datetime as dt

from fastapi import APIRouter

from lowhiss.api.auth import DeviceDep, PersonDep
from lowhiss.api.careful import CarefulRoute
from lowhiss.api.deps import StoreDep, WordsDep
from lowhiss.api.fleet.standing_schemas import (
    ActsBody,
    CalendarBody,
    CalendarOut,
    DefectOut,
    GroupOut,
    HoldOut,
    ReceivedActsOut,
    UnitStandingOut,
    WorkshopOut,
)
from lowhiss.rulebook import consequences
from lowhiss.service.fleet import acts, standing

router = APIRouter(prefix="/api", tags=["standing"], route_class=CarefulRoute)


@router.get("/standing", operation_id="getStanding")
def get_standing(store: StoreDep, words: WordsDep) -> list[UnitStandingOut]:
    """How every unit in use stands, the worst first."""
    return [UnitStandingOut.of(one) for one in standing.standings(store, words, dt.datetime.now(dt.UTC))]


@router.get("/workshop", operation_id="getWorkshop")
def get_workshop(store: StoreDep, words: WordsDep) -> WorkshopOut:
    """Open holds and defects that are not closed, in the order to take them."""
    holds, defects = standing.workshop(store, words, dt.datetime.now(dt.UTC))
    return WorkshopOut(holds=[HoldOut.of(one) for one in holds], defects=[DefectOut.of(one) for one in defects])


@router.post("/acts", operation_id="addActs")
def add_acts(body: ActsBody, store: StoreDep, by: PersonDep, device: DeviceDep) -> ReceivedActsOut:
    """Keep what people did about vehicles: each once, however often it is sent; what cannot be kept is set aside."""
    return ReceivedActsOut.of(acts.add_acts(store, body.sent.to_service(), body.to_service(), by, device))


@router.get("/groups", operation_id="listGroups")
def list_groups() -> list[GroupOut]:
    """The groups of parts that may be found not right, and what follows under each rule set."""
    return [GroupOut.of(group) for group in consequences().values()]


@router.get("/calendar", operation_id="getCalendar")
def get_calendar(store: StoreDep) -> CalendarOut:
    """The fleet's time zone, and how often it tests."""
    return CalendarOut.of(standing.get_calendar(store))


@router.put("/calendar", operation_id="setCalendar")
def set_calendar(body: CalendarBody, store: StoreDep, by: PersonDep) -> CalendarOut:
    """Change the fleet's time zone, and how often it tests."""
    return CalendarOut.of(standing.set_calendar(store, by, body.time_zone, body.rule_table()))

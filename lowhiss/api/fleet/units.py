"""Power units, how they are coupled, and the scripts that lead a test of one."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Any

from fastapi import APIRouter, Body, Path, Query

from lowhiss.api.auth import PersonDep
from lowhiss.api.deps import StoreDep, WordsDep
from lowhiss.api.fleet.schemas import (
    CoupleBody,
    EditUnitBody,
    FeedTokenOut,
    ImportedOut,
    TrendOut,
    UnitBody,
    UnitOut,
    UnitPageOut,
    YardUnitOut,
)
from lowhiss.api.fleet.status_schemas import CourseOut, DueBody, HoldOut, UnitStatusOut
from lowhiss.api.json_requests import CarefulRoute
from lowhiss.api.people.schemas import RetireBody
from lowhiss.api.runs.schemas import LatestOut
from lowhiss.api.runs.script_schemas import ScriptOut
from lowhiss.api.workers import JUDGED_FIRST
from lowhiss.core.fields import UUID_PATTERN
from lowhiss.rulebook import chambers
from lowhiss.service.fleet import couplings, trends, unit_csv, unit_history, unit_status, units
from lowhiss.service.runs import log, run_feeds, scripts, status

router = APIRouter(prefix="/api/units", tags=["units"], route_class=CarefulRoute)
UnitId = Annotated[str, Path(pattern=UUID_PATTERN)]


def _source() -> str:
    return chambers().source


@router.get("", operation_id="listUnits", dependencies=JUDGED_FIRST)
def list_units(store: StoreDep, words: WordsDep, retired: Annotated[bool, Query()] = False) -> list[YardUnitOut]:
    """Every unit in use with its latest run and how it stands, the worst first; ``retired`` adds the others."""
    latest = log.yard(store)
    stands = {one.unit_id: one for one in status.statuses(store, words, dt.datetime.now(dt.UTC))}
    order = {unit_id: place for place, unit_id in enumerate(stands)}
    listed = sorted(units.list_units(store, retired=retired), key=lambda unit: order.get(unit.id, len(order)))
    return [YardUnitOut.in_yard(unit, _source(), latest.get(unit.id), stands.get(unit.id)) for unit in listed]


@router.post("", operation_id="addUnit")
def add_unit(body: UnitBody, store: StoreDep, by: PersonDep) -> UnitOut:
    """A new power unit."""
    return UnitOut.of(units.add_unit(store, by, body.to_service()), _source())


@router.post("/import", operation_id="importUnits")
def import_units(
    store: StoreDep,
    by: PersonDep,
    data: Annotated[bytes, Body(media_type="text/csv")],
    dry_run: Annotated[bool, Query()] = True,
) -> ImportedOut:
    """Units from a CSV file: checked line by line; kept only without ``dry_run`` and when every line is good."""
    return ImportedOut.of(unit_csv.import_units(store, by, data, dry_run=dry_run))


@router.post("/{unit_id}/feed-token", operation_id="makeFeedToken")
def make_feed_token(unit_id: UnitId, store: StoreDep) -> FeedTokenOut:
    """A token by which one sender may feed this unit's pressures; shown once, and the one before it is void."""
    return FeedTokenOut(token=run_feeds.make_feed_token(store, unit_id))


@router.get("/{unit_id}", operation_id="getUnit", dependencies=JUDGED_FIRST)
def get_unit(unit_id: UnitId, store: StoreDep, words: WordsDep) -> UnitPageOut:
    """One unit: how it stands, and what happened to it."""
    unit = units.get_unit(store, unit_id)
    stands, holds = status.status_of_unit(store, unit_id, words, dt.datetime.now(dt.UTC))
    return UnitPageOut(
        unit=UnitOut.of(unit, _source()),
        status=UnitStatusOut.of(stands),
        tests=[LatestOut.of(one) for one in log.last_tests(store, unit_id)],
        holds=[HoldOut.of(one) for one in holds],
        course=CourseOut.of(*unit_history.course_of(store, unit_id, words)),
    )


@router.get("/{unit_id}/course", operation_id="getCourse")
def get_course(unit_id: UnitId, store: StoreDep, words: WordsDep, before: dt.datetime) -> CourseOut:
    """More of what happened to a unit, before a moment."""
    return CourseOut.of(*unit_history.course_of(store, unit_id, words, before))


@router.get("/{unit_id}/trends", operation_id="getTrends")
def get_trends(unit_id: UnitId, store: StoreDep, words: WordsDep) -> list[TrendOut]:
    """Each measured quantity of a unit from test to test, the drifting ones first."""
    return [TrendOut.of(one) for one in trends.trends_of(store, unit_id, words)]


@router.put("/{unit_id}", operation_id="editUnit")
def edit_unit(unit_id: UnitId, body: EditUnitBody, store: StoreDep, by: PersonDep) -> UnitOut:
    """Change a power unit; refused when somebody else changed it meanwhile."""
    return UnitOut.of(units.edit_unit(store, by, unit_id, body.version, body.to_service()), _source())


@router.post("/{unit_id}/retired", operation_id="retireUnit")
def retire_unit(unit_id: UnitId, body: RetireBody, store: StoreDep, by: PersonDep) -> UnitOut:
    """Take a unit out of use, or back into it; its runs stay."""
    return UnitOut.of(units.retire_unit(store, by, unit_id, body.version, retired=body.retired), _source())


@router.put("/{unit_id}/due", operation_id="setUnitDue")
def set_unit_due(unit_id: UnitId, body: DueBody, store: StoreDep, by: PersonDep, words: WordsDep) -> UnitStatusOut:
    """Say how often this unit is tested; without a rule of its own it is as often as the fleet."""
    unit_status.set_unit_due(store, by, unit_id, body.rule_table())
    return UnitStatusOut.of(status.status_of_unit(store, unit_id, words, dt.datetime.now(dt.UTC))[0])


@router.put("/{unit_id}/coupling", operation_id="coupleUnit")
def couple_unit(unit_id: UnitId, body: CoupleBody, store: StoreDep, by: PersonDep) -> UnitOut:
    """Say which trailers it pulls today."""
    return UnitOut.of(couplings.couple(store, by, unit_id, body.version, body.trailer_ids), _source())


@router.get("/{unit_id}/script", operation_id="getScript", response_model=ScriptOut)
def get_script(
    unit_id: UnitId,
    store: StoreDep,
    procedure: Annotated[str | None, Query(max_length=60)] = None,
    rules: Annotated[str | None, Query(max_length=60)] = None,
) -> dict[str, Any]:
    """All that a device needs to lead a run of this unit without contact."""
    return scripts.script_for(store, unit_id, procedure, rules)

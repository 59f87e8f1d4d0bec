"""Inspections: what one begins with, begin one, send its marks, read it back, judge it; and the papers of a set."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Any

from fastapi import APIRouter, Path, Query, Request, Response

from lowhiss.api.auth import DeviceDep, PersonDep
from lowhiss.api.deps import StoreDep, WordsDep
from lowhiss.api.inspections.schemas import (
    BeginInspection,
    InspectionHeadOut,
    InspectionOut,
    InspectionScriptOut,
    InspectionStartOut,
    InspectionStateOut,
    PaperBody,
    PaperOut,
)
from lowhiss.api.json_requests import CarefulRoute
from lowhiss.api.marks.live import nudges_of
from lowhiss.api.marks.schemas import EventBatch, JoinCodeOut, ReceivedOut, SavedEventOut
from lowhiss.core.fields import UUID_PATTERN
from lowhiss.core.record import Purpose
from lowhiss.service.fleet.unit_status import get_calendar
from lowhiss.service.inspections import inspection_marks, lifecycle, papers
from lowhiss.service.inspections.papers import HolderKind

router = APIRouter(prefix="/api", tags=["inspections"], route_class=CarefulRoute)
InspectionId = Annotated[str, Path(pattern=UUID_PATTERN)]
UnitId = Annotated[str, Path(pattern=UUID_PATTERN)]
Id = Annotated[str | None, Query(max_length=60)]


@router.get("/units/{unit_id}/inspection", operation_id="startInspection")
def start_inspection(
    unit_id: UnitId,
    store: StoreDep,
    words: WordsDep,
    way: Id = None,
    rules: Id = None,
    purpose: Annotated[Purpose, Query()] = "dispatch",
) -> InspectionStartOut:
    """What an inspection of this unit, as it is coupled now, would begin with."""
    return InspectionStartOut.of(lifecycle.start_of(store, unit_id, way, rules, purpose, words), words.language)


@router.post("/inspections", operation_id="beginInspection")
def begin_inspection(body: BeginInspection, store: StoreDep, by: PersonDep, device: DeviceDep) -> InspectionOut:
    """Begin an inspection; the same one sent again is found again."""
    return InspectionOut.of(lifecycle.begin_inspection(store, body.to_service(), body.sent.to_service(), by, device))


@router.get("/inspections", operation_id="listInspections")
def list_inspections(
    store: StoreDep,
    by: PersonDep,
    unit: Annotated[str | None, Query(pattern=UUID_PATTERN)] = None,
    run: Annotated[str | None, Query(pattern=UUID_PATTERN)] = None,
) -> list[InspectionOut]:
    """The inspections of a unit or beside an air test; without either, the open ones that the asker may resume."""
    heads = lifecycle.inspections_of(store, by, unit_id=unit, run_id=run, going_on=unit is None and run is None)
    return [InspectionOut.of(head) for head in heads]


@router.get("/inspections/{inspection_id}", operation_id="getInspection")
def get_inspection(inspection_id: InspectionId, store: StoreDep, by: PersonDep, device: DeviceDep) -> InspectionHeadOut:
    """What stands beside the inspection's marks, the asker's part in it, and its record without marks."""
    head, record = lifecycle.inspection_head(store, inspection_id, by, device)
    return InspectionHeadOut(head=InspectionOut.of(head), record=record)


@router.post("/inspections/{inspection_id}/marks", operation_id="addInspectionMarks")
def add_marks(
    inspection_id: InspectionId, body: EventBatch, request: Request, store: StoreDep, by: PersonDep, device: DeviceDep
) -> ReceivedOut:
    """Append marks. What is answered as accepted is committed; a resent mark is accepted again, once."""
    marks, malformed = body.to_service()
    received = inspection_marks.add_marks(store, inspection_id, body.sent.to_service(), marks, by, device)
    received.set_aside += malformed
    nudges_of(request).grown("inspection", inspection_id, received.last_seq)
    return ReceivedOut.of(received)


@router.get("/inspections/{inspection_id}/marks", operation_id="listInspectionMarks")
def list_marks(
    inspection_id: InspectionId, store: StoreDep, after: Annotated[int, Query(ge=0, lt=2**31)] = 0
) -> list[SavedEventOut]:
    """The inspection's marks with a sequence number above ``after``."""
    return [SavedEventOut.of(kept) for kept in lifecycle.marks_after(store, inspection_id, after)]


@router.get("/inspections/{inspection_id}/script", operation_id="getInspectionScript")
def get_script(inspection_id: InspectionId, store: StoreDep, words: WordsDep) -> InspectionScriptOut:
    """The script of this inspection, with everything that was said of the set in it."""
    return InspectionScriptOut.model_validate(lifecycle.script(store, inspection_id, words))


@router.get("/inspections/{inspection_id}/state", operation_id="getInspectionState")
def get_state(
    inspection_id: InspectionId, store: StoreDep, words: WordsDep, rules: Annotated[str, Query(max_length=60)] = ""
) -> InspectionStateOut:
    """How the inspection stands, under its own rule set or another."""
    return InspectionStateOut.model_validate(lifecycle.state(store, inspection_id, words, rules))


@router.get("/inspections/{inspection_id}/record", operation_id="getInspectionRecord")
def get_record(inspection_id: InspectionId, store: StoreDep, response: Response) -> dict[str, Any]:
    """The round as an open round record, ``low-hiss-round/1``."""
    response.headers["Content-Disposition"] = f'attachment; filename="low-hiss-round-{inspection_id}.json"'
    return lifecycle.open_record(store, inspection_id)


@router.post("/inspections/{inspection_id}/join-code", operation_id="makeInspectionCode")
def make_code(inspection_id: InspectionId, store: StoreDep, by: PersonDep, device: DeviceDep) -> JoinCodeOut:
    """A code for a helper; it lasts ten minutes, and the one before it is void."""
    code, until = lifecycle.make_code(store, inspection_id, by, device)
    return JoinCodeOut(code=code, until=until)


@router.get("/units/{unit_id}/papers", operation_id="listPapers")
def list_papers(unit_id: UnitId, store: StoreDep, words: WordsDep, by: PersonDep) -> list[PaperOut]:
    """The papers of the set as it is coupled today, and the asker's own; the worst first."""
    today = dt.datetime.now(get_calendar(store).zone).date()
    return [PaperOut.of_saved(one) for one in papers.papers_of_unit(store, unit_id, words.language, today, by)]


@router.put("/papers/{holder_kind}/{holder_id}/{paper}", operation_id="setPaper", status_code=204)
def set_paper(
    holder_kind: HolderKind,
    holder_id: Annotated[str, Path(pattern=UUID_PATTERN)],
    paper: Annotated[str, Path(max_length=40)],
    body: PaperBody,
    store: StoreDep,
    by: PersonDep,
) -> None:
    """Enter until when a paper is good, and its number."""
    papers.set_paper(store, by, holder_kind, holder_id, paper, body.until, body.number)

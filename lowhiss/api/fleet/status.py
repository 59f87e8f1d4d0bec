"""How the fleet stands, what the workshop has to do, what people did about vehicles, and when tests are due."""

from __future__ import annotations

import datetime as dt
from dataclasses import asdict
from typing import Annotated

from fastapi import APIRouter, Body, Path, Query, Request, Response

from lowhiss.api.auth import DeviceDep, MaybePersonDep, PersonDep
from lowhiss.api.deps import StoreDep, WordsDep
from lowhiss.api.fleet.status_schemas import (
    ActsBody,
    CalendarBody,
    CalendarOut,
    DefectOut,
    GroupOut,
    HoldOut,
    MadeTokenOut,
    PhotoOut,
    ReadingOut,
    ReadTokenBody,
    ReadTokenOut,
    ReceivedActsOut,
    UnitStatusOut,
    WorkshopOut,
)
from lowhiss.api.json_requests import CarefulRoute
from lowhiss.api.threads import PICTURES
from lowhiss.api.workers import JUDGED_FIRST
from lowhiss.core.fields import UUID_PATTERN
from lowhiss.service.fleet import acts, photographs, readers, status_export, unit_status
from lowhiss.service.fleet.status_export import Reads
from lowhiss.service.inspections.papers import dated_papers
from lowhiss.service.people.signin import SignedOutError
from lowhiss.service.rules.editions import inspection_tables
from lowhiss.service.runs import status

router = APIRouter(prefix="/api", tags=["status"], route_class=CarefulRoute)


def _reader(request: Request, store: StoreDep, person: MaybePersonDep, reads: Reads, token: str = "") -> None:
    """Somebody who is signed in, or whoever holds a token for it. Raises SignedOutError."""
    given = token or request.headers.get("authorization", "").removeprefix("Bearer ").strip()
    if person is None and not (given and status_export.may_read(store, given, reads)):
        raise SignedOutError("signed_out", "Sign in, or send a token with access to this.")


@router.get("/status", operation_id="getStatus", dependencies=JUDGED_FIRST)
def get_status(request: Request, store: StoreDep, words: WordsDep, person: MaybePersonDep) -> list[UnitStatusOut]:
    """How every unit in use stands, the worst first; for a barrier or another system with a token of its own."""
    _reader(request, store, person, "status")
    return [UnitStatusOut.of(one) for one in status.statuses(store, words, dt.datetime.now(dt.UTC))]


@router.get("/status.csv", operation_id="getStatusCsv", dependencies=JUDGED_FIRST, response_class=Response)
def get_status_csv(request: Request, store: StoreDep, words: WordsDep, person: MaybePersonDep) -> Response:
    """The status of every unit as CSV."""
    _reader(request, store, person, "status")
    kept = {"Content-Disposition": 'attachment; filename="low-hiss-status.csv"'}
    return Response(status.as_csv(store, words, dt.datetime.now(dt.UTC)), media_type="text/csv", headers=kept)


@router.get("/due.ics", operation_id="getDueCalendar", dependencies=JUDGED_FIRST, response_class=Response)
def get_due_calendar(
    request: Request,
    store: StoreDep,
    words: WordsDep,
    person: MaybePersonDep,
    token: Annotated[str, Query(max_length=200)] = "",
) -> Response:
    """When each unit is due, as iCalendar; a calendar program brings its token in the address."""
    _reader(request, store, person, "calendar", token)
    kept = {"Content-Disposition": 'attachment; filename="low-hiss-due.ics"'}
    return Response(
        status.as_calendar(store, words, dt.datetime.now(dt.UTC), dated_papers(store, words.language)),
        media_type="text/calendar",
        headers=kept,
    )


@router.get("/read-tokens", operation_id="listReadTokens")
def list_read_tokens(store: StoreDep) -> list[ReadTokenOut]:
    """The tokens by which other systems may read, without their secrets."""
    return [ReadTokenOut.model_validate(asdict(one)) for one in status_export.read_tokens(store)]


@router.post("/read-tokens", operation_id="makeReadToken")
def make_read_token(body: ReadTokenBody, store: StoreDep, by: PersonDep) -> MadeTokenOut:
    """A token for another system; shown once."""
    return MadeTokenOut(token=status_export.make_read_token(store, by, body.reads, body.name))


@router.delete("/read-tokens/{token_id}", operation_id="voidReadToken", status_code=204)
def void_read_token(token_id: Annotated[str, Path(pattern=UUID_PATTERN)], store: StoreDep) -> None:
    """Nobody reads by this token any more."""
    status_export.void_read_token(store, token_id)


@router.get("/workshop", operation_id="getWorkshop", dependencies=JUDGED_FIRST)
def get_workshop(store: StoreDep, words: WordsDep) -> WorkshopOut:
    """Open holds and defects that are not closed, in the order to take them."""
    holds, defects = status.workshop(store, words, dt.datetime.now(dt.UTC))
    return WorkshopOut(holds=[HoldOut.of(one) for one in holds], defects=[DefectOut.of(one) for one in defects])


@router.post("/acts", operation_id="addActs", dependencies=JUDGED_FIRST)
def add_acts(body: ActsBody, store: StoreDep, by: PersonDep, device: DeviceDep) -> ReceivedActsOut:
    """Keep what people did about vehicles: each once, however often it is sent; what cannot be kept is set aside."""
    status.judge_open_runs(store)
    return ReceivedActsOut.of(acts.add_acts(store, body.sent.to_service(), body.to_service(), by, device))


@router.put("/photos/{photo_id}", operation_id="savePhoto")
async def save_photo(
    photo_id: Annotated[str, Path(pattern=UUID_PATTERN)],
    act: Annotated[str, Query(pattern=UUID_PATTERN)],
    store: StoreDep,
    by: PersonDep,
    data: Annotated[bytes, Body(media_type="image/*")],
) -> PhotoOut:
    """Keep a photograph with an act, once; it is made anew, at most 400 kB, without metadata."""
    return PhotoOut(hash=await PICTURES.run(photographs.save_photo, store, photo_id, act, data, by))


@router.get("/photos/{digest}", operation_id="getPhoto", response_class=Response)
def get_photo(digest: Annotated[str, Path(pattern="^[0-9a-f]{64}$")], store: StoreDep) -> Response:
    """A photograph by its hash, JPEG; it never changes."""
    kept = {"Cache-Control": "private, max-age=31536000, immutable"}
    return Response(photographs.photo_file(store, digest), media_type="image/jpeg", headers=kept)


@router.get("/groups", operation_id="listGroups")
def list_groups(store: StoreDep) -> list[GroupOut]:
    """The groups of parts that may be found not right, and what follows under each rule set."""
    with store.transaction() as session:
        groups = inspection_tables(session).consequences.groups
    return [GroupOut.of(group) for group in groups.values()]


@router.get("/readers/{person_id}", operation_id="getReading")
def get_reading(person_id: Annotated[str, Path(pattern=UUID_PATTERN)], store: StoreDep, words: WordsDep) -> ReadingOut:
    """How somebody reads the loss against the lines of the vehicles that they tested, in words; for trainers."""
    return ReadingOut.of(readers.reading_of(store, person_id, words))


@router.get("/calendar", operation_id="getCalendar")
def get_calendar(store: StoreDep) -> CalendarOut:
    """The fleet's time zone, and how often it tests."""
    return CalendarOut.of(unit_status.get_calendar(store))


@router.put("/calendar", operation_id="setCalendar")
def set_calendar(body: CalendarBody, store: StoreDep, by: PersonDep) -> CalendarOut:
    """Change the fleet's time zone, and how often it tests."""
    return CalendarOut.of(unit_status.set_calendar(store, by, body.time_zone, body.rule_table()))

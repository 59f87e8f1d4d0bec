"""Trailers."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path

from lowhiss.api.auth import PersonDep
from lowhiss.api.deps import StoreDep
from lowhiss.api.fleet.schemas import EditTrailerBody, TrailerBody, TrailerOut
from lowhiss.api.json_requests import CarefulRoute
from lowhiss.api.people.schemas import RetireBody
from lowhiss.core.fields import UUID_PATTERN
from lowhiss.rulebook import chambers
from lowhiss.service.fleet import trailers

router = APIRouter(prefix="/api/trailers", tags=["units"], route_class=CarefulRoute)
TrailerId = Annotated[str, Path(pattern=UUID_PATTERN)]


@router.get("", operation_id="listTrailers")
def list_trailers(store: StoreDep) -> list[TrailerOut]:
    """Every trailer, the retired last."""
    return [TrailerOut.of(trailer, chambers().source) for trailer in trailers.list_trailers(store)]


@router.post("", operation_id="addTrailer")
def add_trailer(body: TrailerBody, store: StoreDep, by: PersonDep) -> TrailerOut:
    """A new trailer."""
    return TrailerOut.of(trailers.add_trailer(store, by, body.to_service()), chambers().source)


@router.put("/{trailer_id}", operation_id="editTrailer")
def edit_trailer(trailer_id: TrailerId, body: EditTrailerBody, store: StoreDep, by: PersonDep) -> TrailerOut:
    """Change a trailer; refused when somebody else changed it meanwhile."""
    edited = trailers.edit_trailer(store, by, trailer_id, body.version, body.to_service())
    return TrailerOut.of(edited, chambers().source)


@router.post("/{trailer_id}/retired", operation_id="retireTrailer")
def retire_trailer(trailer_id: TrailerId, body: RetireBody, store: StoreDep, by: PersonDep) -> TrailerOut:
    """Take a trailer out of use, or back into it."""
    changed = trailers.retire_trailer(store, by, trailer_id, body.version, retired=body.retired)
    return TrailerOut.of(changed, chambers().source)

"""A fleet's own lessons over HTTP: listed for whoever practises, kept from a file or a copy, taken as a file."""

from __future__ import annotations

import datetime as dt
from dataclasses import asdict
from typing import Annotated, Any

from fastapi import APIRouter, Path, Response
from pydantic import BaseModel, Field

from lowhiss.api.auth import PersonDep
from lowhiss.api.deps import StoreDep
from lowhiss.api.json_requests import CarefulRoute
from lowhiss.api.schemas import Strict
from lowhiss.sandbox.documents import lesson_tables
from lowhiss.service.errors import RefusedError
from lowhiss.service.learning import lessons

router = APIRouter(prefix="/api/learning/lessons", tags=["learning"], route_class=CarefulRoute)
LessonId = Annotated[str, Path(pattern=r"^[A-Za-z0-9_-]{1,40}$")]


class OwnLessonOut(BaseModel):
    """A lesson of the fleet's own, as its file holds it."""

    id: str
    table: dict[str, Any]
    version: int
    by: str
    changed_at: dt.datetime


class OwnLessonBody(Strict):
    """A lesson to be kept: as a table, or as the text of its file. ``version``: the one that was changed, 0: new."""

    table: dict[str, Any] | None = None
    text: Annotated[str | None, Field(max_length=200_000)] = None
    version: Annotated[int, Field(ge=0)] = 0


@router.get("", operation_id="listOwnLessons")
def list_lessons(store: StoreDep) -> list[OwnLessonOut]:
    """The fleet's own lessons."""
    return [OwnLessonOut.model_validate(asdict(one)) for one in lessons.listed(store)]


@router.put("", operation_id="saveOwnLesson")
def save_lesson(body: OwnLessonBody, store: StoreDep, by: PersonDep) -> OwnLessonOut:
    """Keep a lesson of the fleet's own; it is checked whole, and every drive of it is set up once."""
    if (body.table is None) == (body.text is None):
        raise RefusedError("lesson_empty", "text: send the lesson as a table or as the text of its file.", "text")
    table = lesson_tables(body.text.encode()) if body.text is not None else body.table
    return OwnLessonOut.model_validate(asdict(lessons.save(store, by, table, body.version)))


@router.delete("/{lesson_id}", operation_id="retireOwnLesson", status_code=204)
def retire_lesson(lesson_id: LessonId, store: StoreDep) -> None:
    """Take a lesson of the fleet's own from the ladder."""
    lessons.retire(store, lesson_id)


@router.get("/{lesson_id}/file", operation_id="getLessonFile", response_class=Response)
def get_file(lesson_id: LessonId, store: StoreDep) -> Response:
    """A lesson as a file, built in or the fleet's own."""
    headers = {"Content-Disposition": f'attachment; filename="lesson-{lesson_id}.toml"'}
    return Response(lessons.file_of(store, lesson_id), media_type="application/toml", headers=headers)

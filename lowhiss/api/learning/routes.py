"""Learning: one's own progress, a trainer's classes and board, notes, and what may be taken along or forgotten."""

from __future__ import annotations

import datetime as dt
from dataclasses import asdict
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Path, Query, Response
from pydantic import AwareDatetime, BaseModel, Field

from lowhiss.api.auth import PersonDep
from lowhiss.api.deps import StoreDep
from lowhiss.api.json_requests import CarefulRoute
from lowhiss.api.practice.counts import DRIVEN_FIRST
from lowhiss.api.schemas import Strict
from lowhiss.core.fields import UUID_PATTERN
from lowhiss.core.practice.progress import LessonState
from lowhiss.service.learning import classes, progress, reviews
from lowhiss.service.learning.progress import NoteKind

router = APIRouter(prefix="/api/learning", tags=["learning"], route_class=CarefulRoute)
ClassId = Annotated[str, Path(pattern=UUID_PATTERN)]
PersonId = Annotated[str, Path(pattern=UUID_PATTERN)]
Id = Annotated[str, Field(pattern=UUID_PATTERN)]


class AssignedOut(BaseModel):
    """A lesson that is to be driven by a time; without a person by the whole class."""

    id: str
    lesson: str
    due_at: dt.datetime
    person_id: str | None
    class_name: str


class LessonStatusOut(BaseModel):
    """How a lesson stands for somebody; of each drive whether it was passed, null where it was not driven."""

    id: str
    state: LessonState
    drives: list[bool | None]
    last_at: dt.datetime | None
    tries: int
    worst: str | None


class RuleOut(BaseModel):
    """One rule of readiness."""

    name: str
    met: bool
    found: float
    wanted: float


class ReadinessOut(BaseModel):
    """The latest examinations as marks, and the rule that is missing first."""

    marks: list[str]
    rules: list[RuleOut]
    ready: bool
    missing: str | None


class NoteOut(BaseModel):
    """What a trainer wrote, or decided over the rule."""

    id: str
    kind: str
    about: str
    text: str
    by: str
    at: dt.datetime
    private: bool
    practice_id: str | None


class ProgressOut(BaseModel):
    """How far somebody has come."""

    person_id: str
    person: str
    lessons: list[LessonStatusOut]
    readiness: ReadinessOut
    overruled: NoteOut | None
    assigned: list[AssignedOut]
    notes: list[NoteOut]
    practices: int
    hours: float
    exam_on: dt.date | None


class MemberOut(BaseModel):
    """Somebody in a class. ``agreed``: whether they have agreed to it; until then nothing of theirs is seen."""

    id: str
    name: str
    agreed: bool


class ClassOut(BaseModel):
    """A class."""

    id: str
    name: str
    trainer: str
    licence: dict[str, Any]
    exam_on: dt.date | None
    version: int
    members: list[MemberOut]
    assigned: list[AssignedOut]


class WrongOut(BaseModel):
    """A practice in which a mistake was made."""

    practice_id: str
    person: str
    began_at: dt.datetime


class BoardOut(BaseModel):
    """A class at a glance."""

    of: ClassOut
    rows: list[ProgressOut]
    wrong: list[WrongOut]


class InvitationOut(BaseModel):
    """A class that one is asked into, and by whom."""

    class_id: str
    class_name: str
    trainer: str


class InvitationAnswer(Strict):
    """Whether one joins the class."""

    agree: bool


class NewClass(Strict):
    """A class to be made."""

    name: Annotated[str, Field(min_length=1, max_length=80)]


class ClassBody(Strict):
    """A class as it is to be."""

    version: int
    name: Annotated[str, Field(min_length=1, max_length=80)]
    exam_on: dt.date | None = None
    members: Annotated[list[Id], Field(max_length=2000)]
    licence: Annotated[dict[str, Any], Field(default_factory=dict)]


class AssignBody(Strict):
    """A lesson to be set."""

    lesson: Annotated[str, Field(max_length=40)]
    due_at: AwareDatetime
    person_id: Id | None = None


class NoteBody(Strict):
    """A note, or a decision over the rule with its reason."""

    kind: NoteKind
    about: Annotated[str, Field(max_length=60)] = ""
    text: Annotated[str, Field(max_length=2000)] = ""
    practice_id: Id | None = None
    private: bool = False


class ReviewBody(Strict):
    """One answer to a card, as its device wrote it."""

    id: Annotated[str, Field(min_length=8, max_length=80)]
    card: Annotated[str, Field(min_length=1, max_length=160)]
    rating: Annotated[int, Field(ge=1, le=4)]
    level: Annotated[int, Field(ge=0, le=4)]
    way: Literal["own", "typed", "watcher", "drive"]
    findings: Annotated[list[Annotated[str, Field(max_length=40)]], Field(max_length=20)]
    at: AwareDatetime
    took_ms: Annotated[int, Field(ge=0, le=86_400_000)]
    device: Annotated[str, Field(max_length=80)]
    seq: Annotated[int, Field(ge=0, le=2**31 - 1)]


class ReviewsBody(Strict):
    """Answers to be kept."""

    reviews: Annotated[list[ReviewBody], Field(max_length=500)]


class ReviewOut(BaseModel):
    """One answer to a card."""

    id: str
    card: str
    rating: int
    level: int
    way: str
    findings: list[str]
    at: dt.datetime
    took_ms: int
    device: str
    seq: int


class SavedOut(BaseModel):
    """How many answers were new."""

    kept: int


class ForgottenOut(BaseModel):
    """How many records were deleted."""

    practices: int


@router.get("/people/{person_id}", operation_id="getProgress", dependencies=DRIVEN_FIRST)
def get_progress(person_id: PersonId, store: StoreDep, by: PersonDep) -> ProgressOut:
    """How far somebody has come: oneself, or, for a trainer, somebody in a class of theirs."""
    return _progress(progress.of_person(store, by, person_id))


@router.get("/invitations", operation_id="listInvitations")
def list_invitations(store: StoreDep, by: PersonDep) -> list[InvitationOut]:
    """The classes that the asker is asked into and has not answered."""
    return [InvitationOut.model_validate(asdict(one)) for one in classes.invitations_of(store, by)]


@router.post("/invitations/{class_id}", operation_id="answerInvitation", status_code=204)
def answer_invitation(class_id: ClassId, body: InvitationAnswer, store: StoreDep, by: PersonDep) -> None:
    """Join the class, or decline. Only after that its trainer sees the asker's practices and progress."""
    classes.answer_invitation(store, by, class_id, agree=body.agree)


@router.get("/classes", operation_id="listClasses")
def list_classes(store: StoreDep, by: PersonDep) -> list[ClassOut]:
    """A trainer's own classes; a manager's are all."""
    return [_class(one) for one in classes.listed(store, by)]


@router.post("/classes", operation_id="makeClass", status_code=201)
def make_class(body: NewClass, store: StoreDep, by: PersonDep) -> ClassOut:
    """Create a training class."""
    return _class(classes.make(store, by, body.name))


@router.put("/classes/{class_id}", operation_id="editClass")
def edit_class(class_id: ClassId, body: ClassBody, store: StoreDep, by: PersonDep) -> ClassOut:
    """Change a class, its members and the day of its examination."""
    edited = classes.edit(
        store, by, class_id, body.version, body.name, body.exam_on, list(dict.fromkeys(body.members)), body.licence
    )
    return _class(edited)


@router.get("/classes/{class_id}/board", operation_id="getBoard", dependencies=DRIVEN_FIRST)
def get_board(
    class_id: ClassId, store: StoreDep, by: PersonDep, code: Annotated[str | None, Query(max_length=40)] = None
) -> BoardOut:
    """A class at a glance; with a mistake's code, who made it."""
    found = progress.board(store, by, class_id, code)
    return BoardOut(
        of=_class(found.of),
        rows=[_progress(one) for one in found.rows],
        wrong=[WrongOut(practice_id=one, person=person, began_at=at) for one, person, at in found.wrong],
    )


@router.post("/classes/{class_id}/assignments", operation_id="assignLesson", status_code=201)
def assign_lesson(class_id: ClassId, body: AssignBody, store: StoreDep, by: PersonDep) -> ClassOut:
    """Set a lesson to a class, or to one of its members."""
    return _class(classes.assign(store, by, class_id, body.lesson, body.due_at, body.person_id))


@router.delete("/assignments/{assignment_id}", operation_id="takeBackAssignment")
def take_back(assignment_id: Annotated[str, Path(pattern=UUID_PATTERN)], store: StoreDep, by: PersonDep) -> ClassOut:
    """What was set is set no more."""
    return _class(classes.take_back(store, by, assignment_id))


@router.post("/people/{person_id}/notes", operation_id="addTrainerNote", status_code=201)
def add_note(person_id: PersonId, body: NoteBody, store: StoreDep, by: PersonDep) -> NoteOut:
    """Write something of a trainee, or decide over the rule; it stays as it is written."""
    kept = progress.note(store, by, person_id, body.kind, body.about, body.text, body.practice_id, body.private)
    return NoteOut.model_validate(asdict(kept))


@router.get("/people/{person_id}/record.json", operation_id="getLearningRecord", dependencies=DRIVEN_FIRST)
def get_record(person_id: PersonId, store: StoreDep, by: PersonDep) -> dict[str, Any]:
    """All that is kept of somebody's learning, to be taken along."""
    return progress.record_of(store, by, person_id)


@router.get(
    "/people/{person_id}/record.csv", operation_id="getLearningCsv", dependencies=DRIVEN_FIRST, response_class=Response
)
def get_csv(person_id: PersonId, store: StoreDep, by: PersonDep) -> Response:
    """All practices as CSV, a line each."""
    name = 'attachment; filename="practice-progress.csv"'
    text = progress.csv_of(store, by, person_id)
    return Response(text, media_type="text/csv; charset=utf-8", headers={"Content-Disposition": name})


@router.get(
    "/people/{person_id}/marks.csv", operation_id="getMarksCsv", dependencies=DRIVEN_FIRST, response_class=Response
)
def get_marks_csv(person_id: PersonId, store: StoreDep, by: PersonDep) -> Response:
    """One line a needle of each mark, beside its true moment."""
    name = 'attachment; filename="practice-marks.csv"'
    text = progress.marks_csv_of(store, by, person_id)
    return Response(text, media_type="text/csv; charset=utf-8", headers={"Content-Disposition": name})


@router.delete("/people/{person_id}/record", operation_id="forgetLearning")
def forget(person_id: PersonId, store: StoreDep, by: PersonDep) -> ForgottenOut:
    """Delete what is kept of somebody's learning; tests of real vehicles keep their names."""
    return ForgottenOut(practices=progress.forget(store, by, person_id))


@router.put("/reviews", operation_id="saveReviews")
def save_reviews(body: ReviewsBody, store: StoreDep, by: PersonDep) -> SavedOut:
    """Keep answers to cards; sent again they are kept once."""
    answers = [reviews.Answer(**{**one.model_dump(), "findings": tuple(one.findings)}) for one in body.reviews]
    return SavedOut(kept=reviews.save(store, by, answers))


@router.get("/reviews", operation_id="listReviews")
def list_reviews(store: StoreDep, by: PersonDep) -> list[ReviewOut]:
    """One's own answers to cards."""
    return [ReviewOut.model_validate(asdict(one)) for one in reviews.listed(store, by)]


def _class(one: classes.LearningClass) -> ClassOut:
    return ClassOut.model_validate(asdict(one))


def _progress(one: progress.Progress) -> ProgressOut:
    readiness = {**asdict(one.readiness), "ready": one.readiness.ready, "missing": one.readiness.missing}
    return ProgressOut.model_validate({**asdict(one), "readiness": readiness})

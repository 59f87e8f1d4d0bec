"""People, for managers; trainers may look."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path

from lowhiss.api.auth import PersonDep
from lowhiss.api.deps import StoreDep
from lowhiss.api.json_requests import CarefulRoute
from lowhiss.api.people.schemas import AddPersonBody, CodeOut, EditPersonBody, InvitedOut, ListedPersonOut, RetireBody
from lowhiss.core.fields import UUID_PATTERN
from lowhiss.service.people import accounts

router = APIRouter(prefix="/api/people", tags=["people"], route_class=CarefulRoute)
PersonId = Annotated[str, Path(pattern=UUID_PATTERN)]


@router.get("", operation_id="listPeople")
def list_people(store: StoreDep) -> list[ListedPersonOut]:
    """Everybody, the retired last."""
    return [ListedPersonOut.listed(one) for one in accounts.list_people(store)]


@router.post("", operation_id="addPerson")
def add_person(body: AddPersonBody, store: StoreDep, by: PersonDep) -> InvitedOut:
    """A new person and the one-time code to hand to them."""
    listed, code = accounts.add_person(store, by, body.name, body.role)
    return InvitedOut(person=ListedPersonOut.listed(listed), code=code)


@router.put("/{person_id}", operation_id="editPerson")
def edit_person(person_id: PersonId, body: EditPersonBody, store: StoreDep, by: PersonDep) -> ListedPersonOut:
    """Change name or role."""
    return ListedPersonOut.listed(accounts.edit_person(store, by, person_id, body.version, body.name, body.role))


@router.post("/{person_id}/retired", operation_id="retirePerson")
def retire_person(person_id: PersonId, body: RetireBody, store: StoreDep, by: PersonDep) -> ListedPersonOut:
    """Retire a person, who is then signed out everywhere, or take them back."""
    return ListedPersonOut.listed(accounts.retire_person(store, by, person_id, body.version, retired=body.retired))


@router.post("/{person_id}/code", operation_id="resetPerson")
def reset_person(person_id: PersonId, store: StoreDep, by: PersonDep) -> CodeOut:
    """A one-time code for a new password."""
    return CodeOut(code=accounts.reset_person(store, by, person_id))

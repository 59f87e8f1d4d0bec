"""What goes in and out about people and signing in."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, Field

from lowhiss.api.schemas import Strict, Uuid
from lowhiss.core.fields import UUID_PATTERN, Language
from lowhiss.core.status import ActType
from lowhiss.core.units import PressureUnit
from lowhiss.service.people.accounts import ListedPerson
from lowhiss.service.people.rights import Role
from lowhiss.service.people.signin import Person

PersonName = Annotated[str, Field(min_length=1, max_length=80)]
Secret = Annotated[str, Field(min_length=1, max_length=400)]
Version = Annotated[int, Field(ge=1, lt=2**31)]


class PersonOut(BaseModel):
    """Somebody who may sign in."""

    id: str
    name: str
    role: Role
    language: Language
    pressure_unit: PressureUnit
    demo: bool

    @classmethod
    def of(cls, person: Person) -> PersonOut:
        return cls(
            id=person.id,
            name=person.name,
            role=person.role,
            language=person.language,
            pressure_unit=person.pressure_unit,
            demo=person.demo,
        )


class MeOut(BaseModel):
    """Who is signed in, what they may do, and the word that writes of this session must carry."""

    person: PersonOut | None
    csrf: str
    may: list[str]
    acts: list[ActType]
    """What they may do about a vehicle."""
    milder: bool
    """Whether they may rate a defect milder than before."""
    demo_people: list[PersonOut]


class SignInBody(Strict):
    """Name and password."""

    name: PersonName
    password: Secret


class DemoSignInBody(Strict):
    """One touch on a demo account."""

    person_id: Uuid


class RedeemBody(Strict):
    """A one-time code and the password to be; ``name`` only counts for the first manager."""

    code: Annotated[str, Field(min_length=1, max_length=60)]
    password: Secret
    name: Annotated[str, Field(max_length=80)] = ""


class ChangeMeBody(Strict):
    """One's own language, unit or password."""

    language: Language | None = None
    pressure_unit: PressureUnit | None = None
    old_password: Secret | None = None
    new_password: Secret | None = None


class PinBody(Strict):
    """A PIN for this device."""

    pin: Annotated[str, Field(max_length=20)]


class SwitchBody(PinBody):
    """Change to this person by PIN."""

    person_id: Uuid


class ListedPersonOut(PersonOut):
    """A person as the list shows them."""

    version: int
    joined: bool
    retired: bool

    @classmethod
    def listed(cls, listed: ListedPerson) -> ListedPersonOut:
        person = PersonOut.of(listed.person)
        return cls(**person.model_dump(), version=listed.version, joined=listed.joined, retired=listed.retired)


class AddPersonBody(Strict):
    """A new person."""

    name: PersonName
    role: Role


class EditPersonBody(AddPersonBody):
    """A person's name and role, as they should be; ``version`` is the one that was looked at."""

    version: Version


class RetireBody(Strict):
    """Out of use, or back into it."""

    version: Version
    retired: bool


class CodeOut(BaseModel):
    """A one-time code to hand over; it is shown once."""

    code: str


class InvitedOut(CodeOut):
    """A new person with their code."""

    person: ListedPersonOut


class SessionKeyBody(Strict):
    """A key that a browser made for its session: its id, and the public half as an uncompressed P-256 point, hex."""

    id: Annotated[str, Field(pattern=UUID_PATTERN)]
    public: Annotated[str, Field(pattern="^04[0-9a-f]{128}$")]

"""What goes in and out over HTTP. Inputs are bounded here; their meaning is checked by the core."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from pydantic import (
    AwareDatetime,
    BaseModel,
    ConfigDict,
    Field,
)

from lowhiss.core.fields import UUID_PATTERN
from lowhiss.service.people.proofs import Proof

Uuid = Annotated[str, Field(pattern=UUID_PATTERN)]
Hash = Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
Name = Annotated[str, Field(min_length=1, max_length=80, pattern=r"^[\x21-\x7e]+$")]
Seconds = Annotated[float, Field(ge=0, le=10_000_000, allow_inf_nan=False)]
Wall = Annotated[
    AwareDatetime, Field(ge=dt.datetime(1990, 1, 1, tzinfo=dt.UTC), le=dt.datetime(2200, 1, 1, tzinfo=dt.UTC))
]
Psi = float


class Strict(BaseModel):
    """An input that refuses fields nobody asked for."""

    model_config = ConfigDict(extra="forbid")


class AboutOut(BaseModel):
    """This installation."""

    version: str
    owner: str
    demo: bool
    copies_late: bool
    """There is no copy of everything as young as there should be."""


class ErrorBody(BaseModel):
    """What went wrong: a stable code, one sentence, the field it is about (empty when none)."""

    code: str
    message: str
    field: str


class ErrorOut(BaseModel):
    """The body of every answer that is not a success."""

    error: ErrorBody


class ProofBody(Strict):
    """A mark's proof: the id of its author's session key, and the signature (base64, 64 bytes)."""

    key: Annotated[str, Field(pattern=UUID_PATTERN)]
    signature: Annotated[str, Field(pattern="^[A-Za-z0-9+/=]{86,90}$")]

    def to_service(self) -> Proof:
        """As the service takes it."""
        return Proof(self.key, self.signature)

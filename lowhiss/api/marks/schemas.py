"""Moments, marks and what became of them, as they go in and out; the same for every kind of log."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from typing import Annotated, Any

from pydantic import (
    BaseModel,
    ConfigDict,
    Field,
    ValidationError,
    ValidatorFunctionWrapHandler,
    WrapValidator,
)

from lowhiss.api.schemas import Name, ProofBody, Seconds, Strict, Wall
from lowhiss.engine.clocks import Instant
from lowhiss.service.marks.model import Received, SavedMark, SentMark, SetAside


class ClockReading(Strict):
    """One moment by a device's clocks; an epoch is one page life of the device."""

    device: Name
    epoch: Name
    mono_s: Seconds
    wall: Wall

    def to_service(self) -> Instant:
        """As the service takes it."""
        return Instant(self.device, self.epoch, self.mono_s, self.wall)


class MarkIn(BaseModel):
    """One event; beside its identity and clocks it carries the fields of its type, as in the open run record."""

    model_config = ConfigDict(extra="allow")

    id: Name
    seq: Annotated[int, Field(ge=0, lt=2**31)]
    device: Name
    epoch: Name
    mono_s: Seconds
    wall: Wall
    by: Annotated[str, Field(max_length=80)] = ""
    proof: ProofBody | None = None

    def to_service(self) -> SentMark:
        """As the service takes it."""
        at = Instant(self.device, self.epoch, self.mono_s, self.wall)
        proof = self.proof.to_service() if self.proof is not None else None
        return SentMark(self.id, self.seq, at, self.by, dict(self.model_extra or {}), proof)


@dataclass(frozen=True, slots=True)
class MalformedEvent:
    """An event that does not have the form of one: set aside by itself, so that it holds up none of the others."""

    id: str
    sentence: str


def _or_malformed(given: Any, handler: ValidatorFunctionWrapHandler) -> Any:
    try:
        return handler(given)
    except ValidationError as error:
        first = error.errors()[0]
        name = given.get("id") if isinstance(given, dict) else None
        place = ".".join(str(part) for part in first["loc"]) or "event"
        known = name if isinstance(name, str) and name.isascii() else ""
        return MalformedEvent(known, f"{place}: {first['msg']}.")


class EventBatch(Strict):
    """Events in the order they were marked, and the moment of sending."""

    sent: ClockReading
    events: Annotated[list[Annotated[MarkIn, WrapValidator(_or_malformed)]], Field(min_length=1, max_length=500)]

    def to_service(self) -> tuple[list[SentMark], list[SetAside]]:
        """The events as the service takes them, and those that are none."""
        malformed = [one for one in self.events if isinstance(one, MalformedEvent)]
        aside = [SetAside(one.id, "mark_malformed", one.sentence) for one in malformed]
        return [one.to_service() for one in self.events if isinstance(one, MarkIn)], aside


class AcceptedOut(BaseModel):
    """An event that is kept, with its sequence number within the run."""

    id: str
    seq: int


class SetAsideOut(BaseModel):
    """An event that could not be applied, and why."""

    id: str
    code: str
    message: str


class ReceivedOut(BaseModel):
    """What became of a batch; what is accepted is committed."""

    last_seq: int
    accepted: list[AcceptedOut]
    set_aside: list[SetAsideOut]

    @classmethod
    def of(cls, received: Received) -> ReceivedOut:
        return cls(
            last_seq=received.last_seq,
            accepted=[AcceptedOut(id=name, seq=seq) for name, seq in received.accepted.items()],
            set_aside=[SetAsideOut(id=e.id, code=e.code, message=e.sentence) for e in received.set_aside],
        )


class SavedEventOut(BaseModel):
    """An event as the run keeps it; ``body`` holds the fields of its type.

    by, sent_by : who marked it and who sent it.  claimed : who was said to have marked it, where that could not be.
    after_end : it came when the run's end had been received already.
    """

    seq: int
    at_s: float
    id: str
    device: str
    epoch: str
    mono_s: float
    wall: dt.datetime
    by: str
    body: dict[str, Any]
    received_at: dt.datetime
    sent_by: str
    after_end: bool
    claimed: str | None

    @classmethod
    def of(cls, kept: SavedMark) -> SavedEventOut:
        return cls(
            seq=kept.seq,
            at_s=kept.at_s,
            id=kept.id,
            device=kept.at.device,
            epoch=kept.at.epoch,
            mono_s=kept.at.mono_s,
            wall=kept.at.wall,
            by=kept.author,
            body=kept.body,
            received_at=kept.received_at,
            sent_by=kept.sent_by,
            after_end=kept.after_end,
            claimed=kept.claimed,
        )


class JoinBody(Strict):
    """The code by which somebody joins a run; case, spaces and dashes do not count."""

    code: Annotated[str, Field(min_length=1, max_length=40)]


class JoinCodeOut(BaseModel):
    """A code to read aloud to whoever is to watch, and until when it lasts."""

    code: str
    until: dt.datetime

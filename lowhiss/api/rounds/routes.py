"""Rounds: what one begins with, begin one, send its marks, read it back, judge it; and the papers of a set."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Any

from fastapi import APIRouter, Path, Query, Request, Response

from lowhiss.api.auth import DeviceDep, PersonDep
from lowhiss.api.deps import StoreDep, WordsDep
from lowhiss.api.json_requests import CarefulRoute
from lowhiss.api.marks.live import nudges_of
from lowhiss.api.marks.schemas import EventBatch, JoinCodeOut, KeptEventOut, ReceivedOut
from lowhiss.api.rounds.schemas import (
    BeginRound,
    PaperBody,
    PaperOut,
    RoundHeadOut,
    RoundOut,
    RoundScriptOut,
    RoundStartOut,
    RoundStateOut,
)
from lowhiss.core.fields import UUID_PATTERN
from lowhiss.core.record import Purpose
from lowhiss.service.fleet.standing import get_calendar
from lowhiss.service.rounds import inspection_marks, lifecycle, papers
from lowhiss.service.rounds.papers import HolderKind

router = APIRouter(prefix="/api", tags=["rounds"], route_class=CarefulRoute)
RoundId = Annotated[str, Path(pattern=UUID_PATTERN)]
UnitId = Annotated[str, Path(pattern=UUID_PATTERN)]
Id = Annotated[str | None, Query(max_length=60)]


@router.get("/units/{unit_id}/round", operation_id="startRound")
def start_round(
    unit_id: UnitId,
    store: StoreDep,
    words: WordsDep,
    way: Id = None,
    rules: Id = None,
    purpose: Annotated[Purpose, Query()] = "dispatch",
) -> RoundStartOut:
    """What a round of this unit, as it is coupled now, would begin with."""
    return RoundStartOut.of(lifecycle.start_of(store, unit_id, way, rules, purpose, words), words.language)


@router.post("/rounds", operation_id="beginRound")
def begin_round(body: BeginRound, store: StoreDep, by: PersonDep, device: DeviceDep) -> RoundOut:
    """Begin a round; the same one sent again is found again."""
    return RoundOut.of(lifecycle.begin_round(store, body.to_service(), body.sent.to_service(), by, device))


@router.get("/rounds", operation_id="listRounds")
def list_rounds(
    store: StoreDep,
    by: PersonDep,
    unit: Annotated[str | None, Query(pattern=UUID_PATTERN)] = None,
    run: Annotated[str | None, Query(pattern=UUID_PATTERN)] = None,
) -> list[RoundOut]:
    """The rounds of a unit or beside an air test; without either, those left open that the asker may go on with."""
    heads = lifecycle.rounds_of(store, by, unit_id=unit, run_id=run, going_on=unit is None and run is None)
    return [RoundOut.of(head) for head in heads]


@router.get("/rounds/{round_id}", operation_id="getRound")
def get_round(round_id: RoundId, store: StoreDep, by: PersonDep, device: DeviceDep) -> RoundHeadOut:
    """What stands beside the round's marks, the asker's part in it, and its record without marks."""
    head, record = lifecycle.round_head(store, round_id, by, device)
    return RoundHeadOut(head=RoundOut.of(head), record=record)


@router.post("/rounds/{round_id}/marks", operation_id="addRoundMarks")
def add_marks(
    round_id: RoundId, body: EventBatch, request: Request, store: StoreDep, by: PersonDep, device: DeviceDep
) -> ReceivedOut:
    """Append marks. What is answered as accepted is committed; a resent mark is accepted again, once."""
    marks, malformed = body.to_service()
    received = inspection_marks.add_marks(store, round_id, body.sent.to_service(), marks, by, device)
    received.set_aside += malformed
    nudges_of(request).grown("round", round_id, received.last_seq)
    return ReceivedOut.of(received)


@router.get("/rounds/{round_id}/marks", operation_id="listRoundMarks")
def list_marks(
    round_id: RoundId, store: StoreDep, after: Annotated[int, Query(ge=0, lt=2**31)] = 0
) -> list[KeptEventOut]:
    """The round's marks with a sequence number above ``after``."""
    return [KeptEventOut.of(kept) for kept in lifecycle.marks_after(store, round_id, after)]


@router.get("/rounds/{round_id}/script", operation_id="getRoundScript")
def get_script(round_id: RoundId, store: StoreDep, words: WordsDep) -> RoundScriptOut:
    """The script of this round, with everything that was said of the set in it."""
    return RoundScriptOut.model_validate(lifecycle.script(store, round_id, words))


@router.get("/rounds/{round_id}/state", operation_id="getRoundState")
def get_state(
    round_id: RoundId, store: StoreDep, words: WordsDep, rules: Annotated[str, Query(max_length=60)] = ""
) -> RoundStateOut:
    """How the round stands, under its own rule set or another."""
    return RoundStateOut.model_validate(lifecycle.state(store, round_id, words, rules))


@router.get("/rounds/{round_id}/record", operation_id="getRoundRecord")
def get_record(round_id: RoundId, store: StoreDep, response: Response) -> dict[str, Any]:
    """The round as an open round record, ``low-hiss-round/1``."""
    response.headers["Content-Disposition"] = f'attachment; filename="low-hiss-round-{round_id}.json"'
    return lifecycle.open_record(store, round_id)


@router.post("/rounds/{round_id}/join-code", operation_id="makeRoundCode")
def make_code(round_id: RoundId, store: StoreDep, by: PersonDep, device: DeviceDep) -> JoinCodeOut:
    """A code for a helper; it lasts ten minutes, and the one before it is void."""
    code, until = lifecycle.make_code(store, round_id, by, device)
    return JoinCodeOut(code=code, until=until)


@router.get("/units/{unit_id}/papers", operation_id="listPapers")
def list_papers(unit_id: UnitId, store: StoreDep, words: WordsDep, by: PersonDep) -> list[PaperOut]:
    """The papers of the set as it is coupled today, and the asker's own; the worst first."""
    today = dt.datetime.now(get_calendar(store).zone).date()
    return [PaperOut.of_kept(one) for one in papers.papers_of_unit(store, unit_id, words.language, today, by)]


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

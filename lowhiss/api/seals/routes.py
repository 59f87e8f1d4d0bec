"""Signing a report, and its seals: as a report shows them, and as files that anybody can check."""

from __future__ import annotations

import datetime as dt
from dataclasses import asdict
from typing import Annotated, Any, Literal, cast

from fastapi import APIRouter, Depends, Path, Request, Response
from fastapi.responses import StreamingResponse
from pydantic import AwareDatetime, BaseModel, Field

from lowhiss.api.auth import BrowserDep
from lowhiss.api.deps import StoreDep
from lowhiss.api.json_requests import CarefulRoute
from lowhiss.api.schemas import Strict
from lowhiss.api.threads import PASSWORDS, SEALS
from lowhiss.core.fields import UUID_PATTERN
from lowhiss.exchange.keys import KeyFiles
from lowhiss.service.people.confirmation import confirmed
from lowhiss.service.seals import signing, verification

router = APIRouter(prefix="/api", tags=["seals"], route_class=CarefulRoute)
RunId = Annotated[str, Path(pattern=UUID_PATTERN)]


async def _keys(request: Request) -> KeyFiles:
    return cast(KeyFiles, request.app.state.keys)


KeysDep = Annotated[KeyFiles, Depends(_keys)]


class SignBody(Strict):
    """Who signs, and what shows that it is them. The device makes the id, so that sending it twice signs once."""

    id: Annotated[str, Field(pattern=UUID_PATTERN)]
    person_id: Annotated[str, Field(pattern=UUID_PATTERN)]
    how: Literal["password", "pin", "demo"]
    secret: Annotated[str, Field(max_length=200)] = ""
    signed_at: AwareDatetime


class SealedOut(BaseModel):
    """A seal. amends : the run's seal before it.  upto : the last mark it covers."""

    place: int
    sha256: str
    sealed_at: dt.datetime
    upto: int
    amends: int | None


class SignedOut(BaseModel):
    """A signature. ``received_at``: when the server had it; one made without contact waited until then."""

    name: str
    role: str
    part: Literal["driver", "beside"]
    how: Literal["password", "pin", "demo"]
    signed_at: dt.datetime
    received_at: dt.datetime


class SealsOut(BaseModel):
    """A run's seals and signatures. later : marks that came after the last seal.  problems : found just now."""

    seals: list[SealedOut]
    signed: list[SignedOut]
    later: int
    problems: list[str]


class HeadOut(BaseModel):
    """How far the chain goes: to be printed and kept elsewhere."""

    place: int
    sha256: str
    sealed_at: dt.datetime | None


class CheckedSealOut(BaseModel):
    """A seal by its hash: what it seals, and whether anything of that was changed since. No names."""

    of: Literal["run", "key"]
    place: int
    sealed_at: dt.datetime
    unit: str
    began: str
    outcome: str
    amended_by: int | None
    changed: int


@router.post("/runs/{run_id}/sign", operation_id="signReport", status_code=201)
async def sign_report(
    run_id: RunId, body: SignBody, request: Request, store: StoreDep, keys: KeysDep, browser: BrowserDep
) -> SealedOut:
    """Sign a report as whoever drove, or as a trainer or manager beside: it is sealed at once."""
    demo = bool(request.app.state.demo_accounts)
    by = await PASSWORDS.run(confirmed, store, body.person_id, body.how, body.secret, browser, demo=demo)
    sealed = await SEALS.run(signing.sign, store, keys, by, body.how, run_id, body.id, body.signed_at)
    return SealedOut.model_validate(asdict(sealed))


@router.get("/runs/{run_id}/seals", operation_id="getSeals")
async def get_seals(run_id: RunId, store: StoreDep) -> SealsOut:
    """A run's seals and signatures; its rows are held against them as they are asked for."""
    seals, signed, later = await SEALS.run(signing.seals_of, store, run_id)
    problems = await SEALS.run(verification.verify_run, store, run_id) if seals else []
    return SealsOut(
        seals=[SealedOut.model_validate(asdict(one)) for one in seals],
        signed=[SignedOut.model_validate(asdict(one)) for one in signed],
        later=later,
        problems=[one.sentence for one in problems],
    )


@router.get("/runs/{run_id}/seal-file", operation_id="getSealFile")
async def get_seal_file(run_id: RunId, store: StoreDep, response: Response) -> dict[str, Any]:
    """A run's seals as a file, ``low-hiss-seals/1``: checked by ``lowhiss verify``, or by anybody."""
    response.headers["Content-Disposition"] = f'attachment; filename="low-hiss-seals-{run_id}.json"'
    return await SEALS.run(signing.run_file, store, run_id)


@router.get("/check/{sha256}", operation_id="checkSeal")
async def check_seal(sha256: Annotated[str, Path(pattern="^[0-9a-f]{64}$")], store: StoreDep) -> CheckedSealOut:
    """What the seal of a paper seals, for whoever holds the paper."""
    return CheckedSealOut.model_validate(asdict(await SEALS.run(verification.check_one, store, sha256)))


@router.get("/seals/head", operation_id="getSealHead")
def get_seal_head(store: StoreDep) -> HeadOut:
    """How far the chain goes."""
    place, sha256, sealed_at = signing.head(store)
    return HeadOut(place=place, sha256=sha256, sealed_at=sealed_at)


@router.get("/seals", operation_id="getChain", response_class=StreamingResponse)
def get_chain(store: StoreDep) -> StreamingResponse:
    """The whole chain as one file."""
    headers = {"Content-Disposition": 'attachment; filename="low-hiss-chain.json"'}
    return StreamingResponse(signing.chain_file(store), media_type="application/json", headers=headers)

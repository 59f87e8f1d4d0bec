"""Signing in and out, and one's own settings."""

from __future__ import annotations

import uuid

from fastapi import APIRouter, Request, Response
from starlette.concurrency import run_in_threadpool

from lowhiss.api.auth import (
    SESSION_COOKIE,
    BrowserDep,
    DeviceDep,
    MaybePersonDep,
    PersonDep,
    set_session,
)
from lowhiss.api.deps import StoreDep
from lowhiss.api.json_requests import CarefulRoute
from lowhiss.api.people.schemas import (
    ChangeMeBody,
    DemoSignInBody,
    MeOut,
    PersonOut,
    PinBody,
    RedeemBody,
    SessionKeyBody,
    SignInBody,
    SwitchBody,
)
from lowhiss.api.threads import PASSWORDS, QUICK
from lowhiss.service.errors import RefusedError
from lowhiss.service.people import accounts, proofs, rights, secrets, signin
from lowhiss.service.people.signin import Browser, ForbiddenError, Person
from lowhiss.store.engine import Store

router = APIRouter(prefix="/api/session", tags=["session"], route_class=CarefulRoute)


def _me(request: Request, store: Store, person: Person | None, token: str | None) -> MeOut:
    demo = request.app.state.demo_accounts and person is None
    role = person.role if person else None
    return MeOut(
        person=PersonOut.of(person) if person else None,
        csrf=secrets.csrf_token(token) if person and token else "",
        may=[operation for operation in rights.RIGHTS if rights.may(role, operation)],
        acts=rights.acts_of(role),
        milder=role in rights.MILDER,
        demo_people=[PersonOut.of(one) for one in accounts.demo_people(store)] if demo else [],
    )


def _begun(request: Request, response: Response, store: Store, token: str, browser: Browser) -> MeOut:
    set_session(request, response, token, browser)
    return _me(request, store, signin.who(store, token), token)


@router.get("", operation_id="me")
def me(request: Request, store: StoreDep, person: MaybePersonDep) -> MeOut:
    """Who is signed in; also what to send with writes."""
    return _me(request, store, person, request.cookies.get(SESSION_COOKIE))


@router.post("/sign-in", operation_id="signIn")
async def sign_in(
    body: SignInBody, request: Request, response: Response, store: StoreDep, browser: BrowserDep
) -> MeOut:
    """Sign in by name and password."""
    token = await PASSWORDS.run(signin.sign_in, store, body.name, body.password, browser)
    return await run_in_threadpool(_begun, request, response, store, token, browser)


@router.post("/demo", operation_id="demoSignIn")
def demo_sign_in(
    body: DemoSignInBody, request: Request, response: Response, store: StoreDep, browser: BrowserDep
) -> MeOut:
    """Sign in as a demo account, where these are allowed."""
    if not request.app.state.demo_accounts:
        raise ForbiddenError("no_demo", "There are no demo accounts here. Sign in with name and password.")
    return _begun(request, response, store, signin.demo_sign_in(store, body.person_id, browser), browser)


@router.post("/code", operation_id="redeemCode")
async def redeem_code(
    body: RedeemBody, request: Request, response: Response, store: StoreDep, browser: BrowserDep
) -> MeOut:
    """Set a password with a one-time code, and be signed in."""
    new_id = str(uuid.uuid4())
    token = await PASSWORDS.run(signin.redeem, store, body.code, body.name, body.password, browser, new_id)
    return await run_in_threadpool(_begun, request, response, store, token, browser)


@router.get("/cab", operation_id="listCabPeople")
def list_cab_people(store: StoreDep, device: DeviceDep) -> list[PersonOut]:
    """Who can change to themselves by PIN on this device."""
    return [PersonOut.of(person) for person in signin.cab_people(store, device)]


@router.post("/switch", operation_id="switchPerson")
async def switch_person(
    body: SwitchBody, request: Request, response: Response, store: StoreDep, browser: BrowserDep
) -> MeOut:
    """Change the person on a shared device by PIN."""
    token = await PASSWORDS.run(signin.switch_person, store, browser, body.person_id, body.pin)
    return await run_in_threadpool(_begun, request, response, store, token, browser)


@router.post("/sign-out", operation_id="signOut", status_code=204)
def sign_out(request: Request, store: StoreDep) -> None:
    """End this session.

    The browser keeps the word of the ended session: an answer that took it away and came late would take that of
    whoever signed in meanwhile.
    """
    signin.sign_out(store, request.cookies.get(SESSION_COOKIE))


@router.post("/sign-out-everywhere", operation_id="signOutEverywhere", status_code=204)
def sign_out_everywhere(store: StoreDep, person: PersonDep) -> None:
    """End every session of this person, on every device."""
    signin.sign_out_everywhere(store, person.id)


@router.post("/key", operation_id="saveSessionKey", status_code=204)
def save_session_key(body: SessionKeyBody, request: Request, store: StoreDep) -> None:
    """Keep the public half of the key by which this session signs its marks."""
    proofs.save_key(store, request.cookies.get(SESSION_COOKIE, ""), body.id, body.public)


@router.patch("", operation_id="changeMe")
async def change_me(body: ChangeMeBody, store: StoreDep, person: PersonDep) -> PersonOut:
    """Change one's own language, unit or password; a new password signs out everywhere."""
    if (body.old_password is None) != (body.new_password is None):
        raise RefusedError("password_half", "new_password: enter both the old and the new password.", "new_password")
    password = (body.old_password, body.new_password) if body.old_password and body.new_password else None
    changed = await (PASSWORDS if password else QUICK).run(
        accounts.change_me,
        store,
        person,
        language=body.language,
        pressure_unit=body.pressure_unit,
        password=password,
    )
    return PersonOut.of(changed)


@router.put("/pin", operation_id="setPin", status_code=204)
async def set_pin(body: PinBody, store: StoreDep, person: PersonDep, device: DeviceDep) -> None:
    """A PIN for this person on this device."""
    if device is None:
        raise RefusedError("no_device", "This browser blocks cookies, so a PIN can't be saved here.", "pin")
    await PASSWORDS.run(signin.set_pin, store, person, device, body.pin)

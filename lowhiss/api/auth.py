"""Who is asking, and whether they may. One dependency of the whole application; the rights stand in the service."""

from __future__ import annotations

from typing import Annotated, cast

from fastapi import Depends, Request, Response
from starlette.concurrency import run_in_threadpool

from lowhiss.api.deps import StoreDep
from lowhiss.service.people import rights, secrets, signin
from lowhiss.service.people.signin import Browser, ForbiddenError, Person, SignedOutError

SESSION_COOKIE = "lowhiss_session"
DEVICE_COOKIE = "lowhiss_device"
CSRF_HEADER = "x-low-hiss-csrf"
_SAFE = frozenset({"GET", "HEAD", "OPTIONS"})
_NO_SESSION_NEEDED = frozenset({"signIn", "demoSignIn", "redeemCode", "switchPerson"})


def operation_of(request: Request) -> str | None:
    """The operation this request is for; None for the front end's files."""
    return getattr(request.scope.get("route"), "operation_id", None)


async def authorize(request: Request, store: StoreDep) -> None:
    """Let the request pass, or raise SignedOutError or ForbiddenError. Runs before every operation."""
    operation = operation_of(request)
    if operation is None or hasattr(request.state, "person"):
        return
    token = request.cookies.get(SESSION_COOKIE)
    # whoever was asked for a moment ago is known without a thread
    person = signin.lately(store, token) or (await run_in_threadpool(signin.who, store, token) if token else None)
    request.state.person = person
    if not rights.may(person.role if person else None, operation):
        if person is None:
            raise SignedOutError("signed_out", "You aren't signed in. Sign in to continue.")
        raise ForbiddenError("not_allowed", "You aren't allowed to do this. Ask a manager.")
    # a page of another site can make a browser send the cookie, but cannot know this word
    if request.method not in _SAFE and person is not None and token and operation not in _NO_SESSION_NEEDED:
        given = request.headers.get(CSRF_HEADER, "")
        if not secrets.same(given, secrets.csrf_token(token)):
            raise ForbiddenError("csrf_missing", "This page is out of date. Reload it and try again.")


def open_to_all(request: Request) -> bool:
    """Whether somebody who is not signed in may ask for this."""
    operation = operation_of(request)
    return operation is not None and rights.may(None, operation)


async def current_person(request: Request) -> Person:
    """Who is signed in; only for operations that need somebody to be."""
    return cast(Person, request.state.person)


async def maybe_person(request: Request) -> Person | None:
    """Who is signed in, if anybody."""
    return cast("Person | None", request.state.person)


def device_of(request: Request) -> str | None:
    """The secret by which this browser is known across sign-ins; scripts cannot read it."""
    return request.cookies.get(DEVICE_COOKIE)


def address_of(request: Request) -> str:
    """Where the request comes from."""
    return request.client.host if request.client else "unknown"


def browser_of(request: Request) -> Browser:
    """Where somebody signs in from; a browser without a device secret is given one with the answer."""
    return Browser(address_of(request), device_of(request) or secrets.new_token(), request.cookies.get(SESSION_COOKIE))


def set_session(request: Request, response: Response, token: str, browser: Browser) -> None:
    """Give the browser its session, and its device secret if it had none."""
    secure = request.url.scheme == "https"
    keep = {"httponly": True, "samesite": "strict", "secure": secure, "path": "/"}
    response.set_cookie(SESSION_COOKIE, token, max_age=int(signin.LONGEST.total_seconds()), **keep)  # type: ignore[arg-type]
    if not device_of(request):
        response.set_cookie(DEVICE_COOKIE, browser.device, max_age=5 * 365 * 86400, **keep)  # type: ignore[arg-type]


# what only looks at the request needs no thread of its own: each would cost more than the looking


async def _device_of(request: Request) -> str | None:
    return device_of(request)


async def _browser_of(request: Request) -> Browser:
    return browser_of(request)


PersonDep = Annotated[Person, Depends(current_person)]
BrowserDep = Annotated[Browser, Depends(_browser_of)]
MaybePersonDep = Annotated[Person | None, Depends(maybe_person)]
DeviceDep = Annotated[str | None, Depends(_device_of)]

"""The written table of rights, row by row: every operation as each role, and as nobody."""

from __future__ import annotations

import re
import uuid

import httpx
import pytest
from starlette.routing import WebSocketRoute

from lowhiss.api import create_app
from lowhiss.service.people.rights import RIGHTS, ROLES
from tests.conftest import sign_in
from tests.plugin import HANG_S

SOMEBODY_OF = {"driver": "Abel Renn", "trainer": "Rafe Tolland", "workshop": "Wanda Keel", "manager": "Marten Quill"}
ENDS_THE_SESSION = ("signOut", "signOutEverywhere")
BY_TOKEN = {("nobody", operation) for operation in ("getStatus", "getStatusCsv", "getDueCalendar")}


def operations() -> dict[str, tuple[str, str]]:
    """Each operation with its method and path, as the application describes itself."""
    paths = create_app(None).openapi()["paths"]
    return {what["operationId"]: (method, path) for path, methods in paths.items() for method, what in methods.items()}


def test_every_route_has_its_row_and_every_row_its_route():
    live = {route.name for route in create_app(None).routes if isinstance(route, WebSocketRoute)}
    assert live
    assert operations().keys() | live == RIGHTS.keys()


def call(http: httpx.Client, method: str, path: str) -> httpx.Response:
    """The operation with ids nobody has and an empty body: whoever may do it gets past the door, and no further."""
    address = re.sub(r"\{\w+\}", lambda _: str(uuid.uuid4()), path)
    return http.request(method, address, **({} if method == "get" else {"json": {}}))


@pytest.mark.parametrize("role", ["nobody", *ROLES])
def test_a_row_is_what_the_door_does(app_url, role):
    wrong = []
    with httpx.Client(base_url=app_url, timeout=HANG_S) as http:
        if role != "nobody":
            sign_in(http, SOMEBODY_OF[role])
        for operation, (method, path) in operations().items():
            answer = call(http, method, path)
            if role != "nobody" and operation in ENDS_THE_SESSION:
                sign_in(http, SOMEBODY_OF[role])
            let_in = not (answer.status_code == 401 or (answer.status_code == 403 and _code(answer) == "not_allowed"))
            # whoever is not signed in gets past the door with a token alone
            wanted = role in RIGHTS[operation] and (role, operation) not in BY_TOKEN
            if let_in != wanted:
                wrong.append((operation, answer.status_code))
    assert wrong == []


def _code(answer: httpx.Response) -> str:
    return answer.json()["error"]["code"]


def test_nobody_gets_401_and_a_wrong_role_403(stranger, app_url):
    assert stranger.get("/api/log").status_code == 401
    with httpx.Client(base_url=app_url) as http:
        refused = sign_in(http, "Ines Aldous").get("/api/people")
    assert refused.status_code == 403
    assert refused.json()["error"]["message"] == "You aren't allowed to do this. Ask a manager."

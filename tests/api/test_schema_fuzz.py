"""Random calls of every operation by somebody who may: no 5xx, no answer outside the described ones."""

from __future__ import annotations

import httpx
import pytest
import requests
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import response_schema_conformance, status_code_conformance

from lowhiss.api import create_app
from lowhiss.service.people import rights
from lowhiss.service.people.rights import ROLES
from tests.api.test_rights import SOMEBODY_OF
from tests.conftest import sign_in
from tests.plugin import HANG_S

SCHEMA = schemathesis.openapi.from_dict(create_app(None).openapi())
# these would end the session that the others need; they have tests of their own
LEFT_OUT = {"signOut", "signOutEverywhere", "signIn", "demoSignIn", "redeemCode", "switchPerson", "changeMe"}
OPERATIONS = [
    found.ok() for found in SCHEMA.get_all_operations() if found.ok().definition.raw["operationId"] not in LEFT_OUT
]
CHECKS = [not_a_server_error, status_code_conformance, response_schema_conformance]


def name_of(operation) -> str:
    """The operation's id, by which rights go."""
    return operation.definition.raw["operationId"]


def calls():
    """Each operation as the first role that may do it; what the others hear is the matter of `test_rights`."""
    for operation in OPERATIONS:
        role = next(role for role in ROLES if rights.may(role, name_of(operation)))
        yield pytest.param(operation, role, id=f"{name_of(operation)}-{role}")


@pytest.fixture(scope="module")
def as_role(app_url):
    """A session of each role, signed in at the first call that it may do."""
    found: dict[str, requests.Session] = {}

    def session(role: str) -> requests.Session:
        if role not in found:
            with httpx.Client(base_url=app_url, timeout=HANG_S) as http:
                sign_in(http, SOMEBODY_OF[role])
                found[role] = requests.Session()
                found[role].headers["x-low-hiss-csrf"] = http.headers["x-low-hiss-csrf"]
                found[role].cookies.update(dict(http.cookies))
        return found[role]

    yield session
    for one in found.values():
        one.close()


@pytest.mark.parametrize(("operation", "role"), list(calls()))
def test_random_calls(request, app_url, as_role, operation, role):
    session = as_role(role)
    calls = 20 if request.config.getoption("--long") else 2

    @given(case=operation.as_strategy())
    @settings(max_examples=calls, phases=[Phase.generate], suppress_health_check=list(HealthCheck))
    def call(case):
        given = case.as_transport_kwargs(base_url=app_url).get("headers") or {}
        headers = {**given, "x-low-hiss-csrf": session.headers["x-low-hiss-csrf"]}
        answer = case.call(base_url=app_url, headers=headers, session=session, timeout=HANG_S)
        case.validate_response(answer, checks=CHECKS)

    call()

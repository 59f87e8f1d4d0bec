"""Random calls of every operation by somebody who may: no 5xx, no answer outside the described ones."""

from __future__ import annotations

import httpx
import pytest
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


@pytest.mark.parametrize(("operation", "role"), list(calls()))
def test_random_calls(app_url, operation, role):
    with httpx.Client(base_url=app_url, timeout=HANG_S) as http:
        sign_in(http, SOMEBODY_OF[role])
        headers, cookies = dict(http.headers), dict(http.cookies)

        @given(case=operation.as_strategy())
        @settings(max_examples=6, phases=[Phase.generate], suppress_health_check=list(HealthCheck))
        def call(case):
            kwargs = case.as_transport_kwargs(base_url=app_url)
            kwargs["headers"] = {**(kwargs.get("headers") or {}), "x-low-hiss-csrf": headers["x-low-hiss-csrf"]}
            answer = case.call(base_url=app_url, headers=kwargs["headers"], cookies=cookies)
            case.validate_response(answer, checks=CHECKS)

        call()

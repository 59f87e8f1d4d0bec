"""Signing in and what guessers, forgers and the retired run into."""

from __future__ import annotations

import datetime as dt
import statistics
import time
import uuid

import httpx
import pytest

from lowhiss.demo.scenario import demo_id
from lowhiss.service.people import guess_limits, signin
from lowhiss.service.people.secrets import code_hash, csrf_token, token_hash
from lowhiss.store.people_models import CodeRow, FailureRow, PersonRow, SessionRow
from tests.conftest import Running, sign_in
from tests.plugin import HANG_S

GOOD = "correct horse battery"


@pytest.fixture
def newcomer(client, app_url):
    """A person who redeemed their code: their name, and a client signed in as them."""
    name = f"Runa {uuid.uuid4().hex[:8]}"
    invited = client.post("/api/people", json={"name": name, "role": "driver"}).raise_for_status().json()
    with httpx.Client(base_url=app_url, timeout=HANG_S) as http:
        me = http.post("/api/session/code", json={"code": invited["code"], "password": GOOD}).raise_for_status().json()
        http.headers["x-low-hiss-csrf"] = me["csrf"]
        yield name, invited["person"]["id"], http


def elsewhere(address: str | None = None) -> signin.Browser:
    """A browser nobody has seen before."""
    return signin.Browser(address or uuid.uuid4().hex, uuid.uuid4().hex)


def signed_in(http: httpx.Client, name: str, password: str) -> httpx.Response:
    return http.post("/api/session/sign-in", json={"name": name, "password": password})


def code_of(answer: httpx.Response) -> str:
    return answer.json()["error"]["code"]


def test_an_invitation_becomes_a_person_who_signs_in_and_out(newcomer, stranger):
    name, _, http = newcomer
    assert http.get("/api/session").json()["person"]["name"] == name
    me = signed_in(stranger, name.upper(), GOOD).raise_for_status().json()
    assert me["person"]["role"] == "driver"
    stranger.headers["x-low-hiss-csrf"] = me["csrf"]
    assert stranger.post("/api/session/sign-out").status_code == 204
    assert stranger.get("/api/session").json()["person"] is None
    assert http.get("/api/session").json()["person"] is not None


def test_cookies_are_out_of_reach_of_scripts_and_other_sites(newcomer, stranger):
    cookies = signed_in(stranger, newcomer[0], GOOD).headers.get_list("set-cookie")
    assert len(cookies) == 2
    assert all("HttpOnly" in cookie and "SameSite=strict" in cookie and "Path=/" in cookie for cookie in cookies)
    assert not any("Secure" in cookie for cookie in cookies)  # plain http on loopback


@pytest.mark.parametrize("way", ["sign-out", "sign-out-everywhere"])
def test_the_late_answer_of_a_sign_out_leaves_the_next_one_signed_in(newcomer, stranger, way):
    """An answer that comes after the next one's sign-in must not take the new session from the browser."""
    me = signed_in(stranger, newcomer[0], GOOD).raise_for_status().json()
    stranger.headers["x-low-hiss-csrf"] = me["csrf"]
    late = stranger.post(f"/api/session/{way}").raise_for_status()
    assert late.headers.get_list("set-cookie") == []
    assert stranger.get("/api/session").json()["person"] is None
    assert stranger.get("/api/units").status_code == 401


def test_a_session_token_from_before_signing_in_is_worth_nothing_after(newcomer, stranger):
    fixed = "a-token-somebody-planted"
    stranger.cookies.set("lowhiss_session", fixed)
    signed_in(stranger, newcomer[0], GOOD).raise_for_status()
    with httpx.Client(base_url=stranger.base_url, cookies={"lowhiss_session": fixed}) as attacker:
        assert attacker.get("/api/session").json()["person"] is None


def test_a_write_without_the_sessions_word_is_refused(newcomer):
    _, _, http = newcomer
    for word in ("", "x" * 64, csrf_token("another session")):
        refused = http.patch("/api/session", json={"language": "es"}, headers={"x-low-hiss-csrf": word})
        assert (refused.status_code, code_of(refused)) == (403, "csrf_missing")
    assert http.patch("/api/session", json={"language": "es"}).json()["language"] == "es"


@pytest.mark.parametrize("name", ["known", "unknown"])
def test_wrong_names_and_wrong_passwords_get_the_same_answer(newcomer, stranger, name):
    refused = signed_in(stranger, newcomer[0] if name == "known" else f"Nobody {uuid.uuid4().hex[:6]}", "wrong")
    assert refused.status_code == 422
    assert refused.json()["error"] == {
        "code": "sign_in_failed",
        "message": "Wrong name or password.",
        "field": "password",
    }


def test_an_unknown_name_takes_as_long_as_a_wrong_password(dear_passwords, store, newcomer):
    def took(name):
        begin = time.process_time()
        with pytest.raises(signin.RefusedError):
            signin.sign_in(store, name, "wrong", elsewhere())
        return time.process_time() - begin

    known = statistics.median(took(newcomer[0]) for _ in range(4))
    unknown = statistics.median(took(f"Nobody {n} {uuid.uuid4().hex[:6]}") for n in range(4))
    # a skipped hash would make it some fifty times quicker
    assert 1 / 4 < unknown / known < 4


def test_guessing_one_account_is_braked_and_a_right_password_does_not_help_then(newcomer, stranger):
    for _ in range(guess_limits.TRIES_AT_ONE):
        assert code_of(signed_in(stranger, newcomer[0], "wrong")) == "sign_in_failed"
    braked = signed_in(stranger, newcomer[0], GOOD)
    assert (braked.status_code, code_of(braked), braked.headers["retry-after"]) == (429, "too_many_tries", "900")


def test_guessing_many_accounts_from_one_address_is_braked(store):
    address = uuid.uuid4().hex
    with store.transaction() as session:
        for _ in range(guess_limits.TRIES_FROM_ADDRESS):
            session.add(FailureRow(what=token_hash(f"address {address}"), at=signin.now()))
    with pytest.raises(guess_limits.SlowDownError):
        signin.sign_in(store, f"Somebody {uuid.uuid4().hex}", "wrong", elsewhere(address))


def test_codes_work_once_and_not_for_ever(client, stranger, store):
    made = client.post("/api/people", json={"name": f"Once {uuid.uuid4().hex[:8]}", "role": "driver"}).json()
    weak = stranger.post("/api/session/code", json={"code": made["code"], "password": "short"})
    assert code_of(weak) == "password_weak"
    again = client.post(f"/api/people/{made['person']['id']}/code").json()["code"]
    body = {"code": made["code"], "password": GOOD}
    assert code_of(stranger.post("/api/session/code", json=body)) == "code_unknown"  # replaced
    with store.transaction() as session:
        session.get_one(CodeRow, code_hash(again)).made_at = signin.now() - signin.CODE_LASTS - dt.timedelta(minutes=1)
    body["code"] = again.lower().replace("-", " ")
    assert code_of(stranger.post("/api/session/code", json=body)) == "code_unknown"  # too old
    body["code"] = client.post(f"/api/people/{made['person']['id']}/code").json()["code"].lower()
    assert stranger.post("/api/session/code", json=body).status_code == 200
    assert code_of(stranger.post("/api/session/code", json=body)) == "code_unknown"  # used


def test_a_reset_ends_every_other_session(newcomer, client, stranger):
    _, person, http = newcomer
    code = client.post(f"/api/people/{person}/code").json()["code"]
    assert http.get("/api/session").json()["person"] is not None  # until the code is used
    stranger.post("/api/session/code", json={"code": code, "password": "another good one"}).raise_for_status()
    assert http.get("/api/log").status_code == 401


def test_a_new_password_needs_the_old_one_and_signs_out_everywhere(newcomer, stranger):
    name, _, http = newcomer
    wrong = http.patch("/api/session", json={"old_password": "wrong", "new_password": "another good one"})
    assert (wrong.status_code, wrong.json()["error"]["field"]) == (422, "old_password")
    half = http.patch("/api/session", json={"new_password": "another good one"})
    assert half.json()["error"]["code"] == "password_half"
    http.patch("/api/session", json={"old_password": GOOD, "new_password": "another good one"}).raise_for_status()
    assert http.get("/api/log").status_code == 401
    assert signed_in(stranger, name, "another good one").status_code == 200


@pytest.mark.parametrize("age", ["idle", "old"])
def test_sessions_expire(newcomer, store, age):
    _, _, http = newcomer
    token = token_hash(http.cookies["lowhiss_session"])
    with store.transaction() as session:
        row = session.get_one(SessionRow, token)
        if age == "idle":
            row.used_at = signin.now() - signin.IDLE - dt.timedelta(minutes=1)
        else:
            row.began_at = signin.now() - signin.LONGEST - dt.timedelta(minutes=1)
    signin.forget_sessions()  # what was asked a moment ago holds for a second
    answer = http.get("/api/log")
    assert (answer.status_code, code_of(answer)) == (401, "signed_out")


def test_a_change_of_role_or_retirement_holds_at_once(newcomer, client):
    name, person, http = newcomer
    edit = {"name": name, "role": "manager", "version": 1}
    assert http.get("/api/people").status_code == 403
    client.put(f"/api/people/{person}", json=edit).raise_for_status()
    assert http.get("/api/people").status_code == 200
    client.put(f"/api/people/{person}", json={**edit, "role": "driver", "version": 2}).raise_for_status()
    assert http.get("/api/people").status_code == 403
    client.post(f"/api/people/{person}/retired", json={"retired": True, "version": 3}).raise_for_status()
    assert http.get("/api/log").status_code == 401
    assert code_of(signed_in(http, name, GOOD)) == "sign_in_failed"
    back = client.post(f"/api/people/{person}/retired", json={"retired": False, "version": 4}).raise_for_status()
    assert back.json()["retired"] is False


def test_two_managers_at_once_names_in_use_and_the_last_manager(client, empty_store):
    first = client.post("/api/people", json={"name": f"Pair {uuid.uuid4().hex[:8]}", "role": "driver"}).json()["person"]
    path = f"/api/people/{first['id']}"
    client.put(path, json={"name": first["name"], "role": "trainer", "version": 1}).raise_for_status()
    late = client.put(path, json={"name": first["name"], "role": "workshop", "version": 1})
    assert (late.status_code, code_of(late)) == (409, "changed_meanwhile")
    taken = client.post("/api/people", json={"name": first["name"].lower(), "role": "driver"})
    assert (taken.status_code, code_of(taken)) == (409, "name_taken")
    me = client.get("/api/session").json()["person"]["id"]
    assert code_of(client.post(f"/api/people/{me}/retired", json={"retired": True, "version": 1})) == "not_yourself"

    from lowhiss.service.people import accounts

    code = signin.first_manager_code(empty_store)
    token = signin.redeem(empty_store, code, "First", GOOD, elsewhere(), str(uuid.uuid4()))
    manager = signin.who(empty_store, token)
    assert manager.role == "manager"
    assert signin.first_manager_code(empty_store) is None
    with pytest.raises(signin.RefusedError, match="last manager"):
        accounts.edit_person(empty_store, manager, manager.id, 1, "First", "driver")


def test_pins_change_the_person_on_this_device_only_and_run_out_of_tries(newcomer, client, app_url):
    _, person, http = newcomer
    for pin in ("12", "123456789", "12a4", "1111", "١٢٣٤"):
        assert code_of(http.put("/api/session/pin", json={"pin": pin})) == "pin_malformed"
    assert http.put("/api/session/pin", json={"pin": "2580"}).status_code == 204
    assert [one["id"] for one in http.get("/api/session/cab").json()] == [person]

    def switch(on: httpx.Client, pin: str) -> httpx.Response:
        return on.post("/api/session/switch", json={"person_id": person, "pin": pin})

    with httpx.Client(base_url=app_url) as elsewhere:
        assert elsewhere.get("/api/session/cab").json() == []
        assert code_of(switch(elsewhere, "2580")) == "pin_wrong"
    # another person signs in on the same device, then it changes back by PIN
    sign_in(http, "Kit Varga")
    assert switch(http, "2580").json()["person"]["id"] == person
    for _ in range(signin.TRIES_OF_PIN):
        assert code_of(switch(http, "0000")) == "pin_wrong"
    assert code_of(switch(http, "2580")) == "pin_wrong"
    assert http.get("/api/session/cab").json() == []


def test_somebody_elses_run_takes_no_marks_but_a_shared_device_sends_on(newcomer, client, app_url):
    from tests.devices import Device, SessionKey

    name, _, http = newcomer
    mine = Device(http).sign_with(SessionKey(http))
    mine.begin().raise_for_status()
    with httpx.Client(base_url=app_url) as other:
        thief = Device(sign_in(other, "Bram Osei"))
        thief.run_id = mine.run_id
        refused = thief.send(thief.marked("finished"))
        assert (refused.status_code, code_of(refused)) == (403, "not_your_run")
    trainer = Device(client)
    trainer.run_id = mine.run_id
    assert trainer.send(trainer.marked("note", text="seen")).status_code == 200
    # the tablet changed hands while a mark still waited: it goes in, and stays its author's
    waiting = [mine.by(who, mine.marked("settled", stage="leak_applied")) for who in (name, "Bram Osei")]
    mine.sign_with(None)
    sign_in(http, "Kit Varga")
    own = {**mine.marked("finished"), "by": "Kit Varga"}
    received = mine.send(*waiting, own).json()
    # whoever was never signed in there marked nothing, and whoever is now only sends on
    assert [one["code"] for one in received["set_aside"]] == ["not_your_run", "not_your_run"]
    kept = client.get(f"/api/runs/{mine.run_id}/events").json()[-1]
    assert (kept["by"], kept["sent_by"], kept["claimed"]) == (name, "Kit Varga", None)


def test_demo_accounts_only_where_they_are_allowed(store, stranger, client):
    without = Running(store, demo_accounts=False)
    with httpx.Client(base_url=without.url, timeout=HANG_S) as http:
        status = http.post("/api/session/demo", json={"person_id": demo_id("Odile Ferrow")}).status_code
        me = http.get("/api/session").json()
    without.stop()
    assert (status, me["demo_people"]) == (403, [])
    assert len(stranger.get("/api/session").json()["demo_people"]) == 20
    real = client.get("/api/people").json()
    not_demo = next((one["id"] for one in real if not one["demo"]), str(uuid.uuid4()))
    assert code_of(stranger.post("/api/session/demo", json={"person_id": not_demo})) == "demo_unknown"


def test_hostile_names_are_kept_as_typed(client):
    for name in ("<script>alert(1)</script>", "Robert'); DROP TABLE person;--", "名前 ñ 💨"):
        name = f"{name} {uuid.uuid4().hex[:6]}"
        assert client.post("/api/people", json={"name": name, "role": "driver"}).json()["person"]["name"] == name
    for unseen in ("   ", "‮evil", "two\u200bnames", "bell\x07"):
        assert client.post("/api/people", json={"name": unseen, "role": "driver"}).status_code == 422


def test_secrets_are_nowhere_in_the_tables(newcomer, store):
    _, person, http = newcomer
    with store.transaction() as session:
        row = session.get_one(PersonRow, person)
        assert row.password_hash.startswith("$argon2id$")
        assert session.get(SessionRow, http.cookies["lowhiss_session"]) is None

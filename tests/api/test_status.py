"""What a result leads to, over HTTP: holds, defects, repairs, releases, due; by people with different parts."""

from __future__ import annotations

import datetime as dt
import io
import random
import socket
import uuid
from concurrent.futures import ThreadPoolExecutor
from contextlib import ExitStack
from urllib.parse import urlsplit

import httpx
import pytest
from PIL import Image
from sqlalchemy import select

from lowhiss.core.status import ACT_TYPES, UnitPart
from lowhiss.core.status.holds import _NAMESPACE as NAMESPACE
from lowhiss.service.fleet.holds import refold
from lowhiss.service.people.rights import ACTS, ROLES
from lowhiss.service.runs.imports import import_record
from lowhiss.store.fleet_models import ActRow
from tests.builders import leak_record, ready, record, warned
from tests.conftest import sign_in
from tests.devices import Device, SessionKey
from tests.plugin import HANG_S

ROLE_OF = {"driver": "Tove Lind", "trainer": "Hanne Solberry", "workshop": "Jory Pask", "manager": "Odile Ferrow"}


@pytest.fixture(scope="module")
def people(app_url):
    """Clients of the application, each signed in as somebody of a role."""
    with ExitStack() as stack:
        known = {}
        for role, name in ROLE_OF.items():
            known[role] = sign_in(stack.enter_context(httpx.Client(base_url=app_url, timeout=HANG_S)), name)
        yield known


@pytest.fixture
def tractor(client):
    """A tractor whose own order is the one stage that these tests drive: to pass it is to pass whole."""
    body = {"name": name("S"), "kind": "tractor", "rules": "us-cdl", "procedure": "leak-check"}
    return client.post("/api/units", json=body).raise_for_status().json()


def name(prefix):
    return f"{prefix}-{uuid.uuid4().hex[:6]}"


def run_of(store, unit, end, trailers=(), days_ago=10.0, rules="us-cdl", **head):
    """A finished leak test of a unit with these trailers some days ago; its run's id."""
    kind = "tractor_semitrailer" if trailers else "tractor"
    table = leak_record(100, end, kind=kind, rules=rules, **head)
    table["unit"] = {**table["unit"], "trailers": list(trailers)}
    return kept(store, unit, table, days_ago)


def kept(store, unit, table, days_ago, run_id=None):
    """A record, taken in as a run of so many days ago; its id."""
    run_id = run_id or str(uuid.uuid4())
    started = (dt.datetime.now(dt.UTC) - dt.timedelta(days=days_ago)).isoformat()
    with store.transaction() as session:
        import_record(session, {**table, "id": run_id, "started_at": started}, unit["id"])
    return run_id


def page(client, of, **reader):
    return client.get(f"/api/units/{of['id']}", params=reader).raise_for_status().json()


def stands(client, unit):
    told = page(client, unit)["status"]
    held = [[part["name"] for part in hold["parts"] if part["held"]] for hold in told["holds"]]
    return told["status"], held


def do(client, kind, part_id, part_kind="unit", days_ago=0.0, **body):
    """Do one thing about a vehicle; the code of why it was not taken, None where it was."""
    device = Device(client)
    act = device.act(kind, part_id, part_kind, **body)
    device.wait(days_ago * 86400)
    answer = device.send_acts(act).raise_for_status().json()
    assert len(answer["accepted"]) + len(answer["set_aside"]) == 1
    return act["id"] if answer["accepted"] else answer["set_aside"][0]["code"]


def repaired(people, unit, days_ago):
    holds = [hold["id"] for hold in page(people["workshop"], unit)["status"]["holds"]]
    return do(people["workshop"], "repaired", unit["id"], days_ago=days_ago, did="mended", holds=holds)


def trailer(client):
    return client.post("/api/trailers", json={"name": name("ST")}).raise_for_status().json()


def test_fail_hold_repair_recheck_lifted_with_the_sentences_of_each(client, store, people, tractor):
    assert stands(client, tractor) == ("never_tested", [])
    failed = run_of(store, tractor, 90, days_ago=5)
    told = page(client, tractor)["status"]
    (hold,) = told["holds"]
    assert (told["status"], told["text"], told["stays"]) == ("on_hold", "Do not drive: on hold", True)
    assert hold["text"] == (
        "Applied leak test, pedal held failed: 100 → 90 psi in 60 s, 10.0 psi/min, no more than 3 psi in 60 s"
    )
    assert [way["way"] for way in hold["ways"]] == ["repair", "recheck"]
    assert hold["ways"][1]["text"].startswith(
        "After a certified repair: a valid pass of Applied leak test, pedal held under"
    )
    assert (told["recheck"]["procedure"], told["recheck"]["rules"]) == ("leak-check", "us-cdl")
    assert "no más de 20.7 kPa" in page(client, tractor, lang="es", unit="kpa")["status"]["holds"][0]["text"]
    assert report(client, failed)["did"] == ["Applied leak test, pedal held: the unit is now on hold. Do not drive."]
    # a pass without a repair changes nothing, and says why
    early = run_of(store, tractor, 99, days_ago=4)
    assert report(client, early)["did"] == ["Applied leak test, pedal held: still on hold."]
    repaired(people, tractor, days_ago=3)
    lifting = run_of(store, tractor, 99, days_ago=2)
    assert stands(client, tractor) == ("fit", [])
    assert report(client, lifting)["did"] == ["Applied leak test, pedal held: the hold is lifted."]
    (ever,) = page(client, tractor)["holds"]
    assert (ever["lifted_how"], ever["lifted_run_id"], ever["run_id"]) == ("recheck", lifting, failed)
    course = [(entry["kind"], entry["what"]) for entry in page(client, tractor)["course"]["entries"]]
    assert [one for one in course if one[0] != "change"] == [
        ("hold", "lifted"), ("run", "pass"), ("act", "repaired"), ("run", "pass"), ("hold", "opened"), ("run", "fail"),
    ]  # fmt: skip


def report(client, run_id):
    return client.get(f"/api/runs/{run_id}/report").raise_for_status().json()


def test_an_old_fail_that_arrives_late_finds_its_place(client, store, people, tractor):
    run_of(store, tractor, 99, days_ago=2)
    assert stands(client, tractor) == ("fit", [])
    run_of(store, tractor, 90, days_ago=5)
    assert stands(client, tractor)[0] == "on_hold"
    repaired(people, tractor, days_ago=3)
    assert stands(client, tractor) == ("fit", [])


def test_the_trailer_holds_whatever_pulls_it(client, store, people, tractor):
    as_it = {"name": name("S"), "kind": "tractor", "rules": "us-cdl", "procedure": "leak-check"}
    other = client.post("/api/units", json=as_it).raise_for_status().json()
    leaking = trailer(client)
    couple(client, tractor, leaking)
    run_of(store, tractor, 90, [leaking["name"]], days_ago=5)
    assert stands(client, tractor) == ("on_hold", [[tractor["name"], leaking["name"]]])
    assert "narrow" in [way["way"] for way in page(client, tractor)["status"]["holds"][0]["ways"]]
    alone = run_of(store, tractor, 99, days_ago=4)
    assert stands(client, tractor) == ("on_hold", [[leaking["name"]]])
    assert report(client, alone)["did"][0].endswith("so the hold stays on the vehicles that weren't in this test.")
    uncoupled = couple(client, page(client, tractor)["unit"], None)
    assert stands(client, uncoupled) == ("fit", [])
    assert stands(client, other) == ("never_tested", [])
    couple(client, other, leaking)
    assert stands(client, other) == ("on_hold", [[leaking["name"]]])
    (hold,) = page(client, other)["status"]["holds"]
    assert hold["tested_with"] == other["id"]
    did = do(people["workshop"], "repaired", leaking["id"], "trailer", 3.0, did="glad hand seal", holds=[hold["id"]])
    assert did not in ("hold_unknown", "hold_gone")
    run_of(store, other, 99, [leaking["name"]], days_ago=2)
    assert stands(client, other) == ("fit", [])


def couple(client, unit, pulled):
    body = {"version": unit["version"], "trailer_ids": [pulled["id"]] if pulled else []}
    return client.put(f"/api/units/{unit['id']}/coupling", json=body).raise_for_status().json()


def test_a_recheck_counts_where_the_very_rules_that_failed_it_pass_it_too(client, store, people, tractor):
    run_of(store, tractor, 94, days_ago=6, rules="us-older")
    repaired(people, tractor, days_ago=5)
    run_of(store, tractor, 99, days_ago=4, rules="us-cdl")
    assert stands(client, tractor) == ("fit", [])
    # two minutes in Western Canada: a minute is no valid test there, whatever another school says of it
    run_of(store, tractor, 90, days_ago=3, rules="canada-west", duration_s=120)
    repaired(people, tractor, days_ago=2)
    run_of(store, tractor, 99, days_ago=1.5, rules="us-cdl")
    assert stands(client, tractor)[0] == "on_hold"
    run_of(store, tractor, 99, days_ago=1, rules="canada-west", duration_s=120)
    assert stands(client, tractor) == ("fit", [])


def test_a_hold_by_hand_is_released_by_a_manager_alone_with_a_reason(client, store, people, tractor):
    run_of(store, tractor, 99)
    placed = do(people["driver"], "hold_placed", tractor["id"], reason="pulls to the left")
    assert stands(client, tractor) == ("on_hold", [[tractor["name"]]])
    for role in ("driver", "trainer", "workshop"):
        assert do(people[role], "hold_released", tractor["id"], hold=placed, reason="fine") == "not_yours"
    assert do(people["manager"], "hold_released", tractor["id"], hold=placed, reason=" ") == "act_malformed"
    do(people["manager"], "hold_released", tractor["id"], hold=placed, reason="driven: it does not")
    assert stands(client, tractor) == ("fit", [])
    assert page(client, tractor)["holds"][0]["lifted_reason"] == "driven: it does not"
    assert do(people["manager"], "hold_released", tractor["id"], hold=placed, reason="again") == "hold_gone"


def test_a_defect_goes_its_way_and_two_people_certify_it_once(client, store, people, tractor):
    run_of(store, tractor, 99, days_ago=9)
    seen = do(
        people["driver"], "defect_seen", tractor["id"], group="brake_hose", what="chafed", where="axle 2", days_ago=5
    )
    told = page(client, tractor)["status"]
    assert (told["status"], told["defects"][0]["text"]) == ("unfit", "Brake hoses and fittings: chafed, axle 2")
    milder = {"defect": seen, "consequence": "note", "reason": "a shadow"}
    assert do(people["driver"], "defect_rated", tractor["id"], **milder) == "not_yours"
    do(people["workshop"], "defect_taken", tractor["id"], defect=seen, days_ago=4.5)
    assert do(people["trainer"], "repaired", tractor["id"], did="x", defects=[seen]) == "not_yours"
    do(people["workshop"], "repaired", tractor["id"], did="new hose", defects=[seen], days_ago=4)
    assert do(people["manager"], "no_repair", tractor["id"], defect=seen, reason="dry") == "already_certified"
    told = page(client, tractor)["status"]
    assert (told["status"], told["defects"][0]["recheck"]) == ("unfit", ["leak_released", "leak_applied"])
    assert seen in [one["id"] for one in client.get("/api/workshop").json()["defects"]]
    # only the one of the two tests that are asked for: it stays
    run_of(store, tractor, 99, days_ago=3)
    assert page(client, tractor)["status"]["defects"][0]["recheck"] == ["leak_released"]
    do(people["driver"], "acknowledged", tractor["id"], defects=[seen])
    assert do(people["driver"], "acknowledged", tractor["id"], defects=["nothing"]) == "defect_unknown"


def test_what_a_defect_means_is_kept_with_it_whatever_rules_the_unit_goes_by_later(client, people, tractor):
    do(people["driver"], "defect_seen", tractor["id"], group="washer", what="dry")
    assert page(client, tractor)["status"]["defects"][0]["consequence"] == "stay"
    edit = {"name": tractor["name"], "kind": "tractor", "rules": "canada-west", "version": 1}
    client.put(f"/api/units/{tractor['id']}", json=edit).raise_for_status()
    do(people["driver"], "defect_seen", tractor["id"], group="washer", what="dry again")
    told = {one["text"]: one["consequence"] for one in page(client, tractor)["status"]["defects"]}
    assert told == {"Washer: dry": "stay", "Washer: dry again": "finish"}


def test_of_two_who_certify_at_once_one_is_told_who_was_first(client, people, tractor, app_url):
    seen = do(people["driver"], "defect_seen", tractor["id"], what="a rattle", consequence="stay")
    names = ("Jory Pask", "Wanda Keel", "Odile Ferrow", "Marten Quill")
    with ExitStack() as stack, ThreadPoolExecutor(len(names)) as pool:
        hands = [sign_in(stack.enter_context(httpx.Client(base_url=app_url, timeout=HANG_S)), name) for name in names]
        codes = list(pool.map(lambda hand: do(hand, "no_repair", tractor["id"], defect=seen, reason="dry"), hands))
    assert sorted(code == "already_certified" for code in codes) == [False, True, True, True]
    certified = [one for one in page(client, tractor)["course"]["entries"] if one["what"] == "no_repair"]
    assert len(certified) == 1


def test_an_act_is_kept_once_however_often_and_by_whomever_it_is_sent(client, people, tractor, store):
    device = Device(people["driver"])
    act = device.act("hold_placed", tractor["id"], reason="smells of burning")
    for _ in range(3):
        assert device.wait(5).send_acts(act).json() == {"accepted": [act["id"]], "set_aside": []}
    other = {**act, "body": {"reason": "something else"}}
    assert device.send_acts(other).json()["set_aside"][0]["code"] == "id_conflict"
    with store.transaction() as session:
        row = session.scalars(select(ActRow).where(ActRow.id == act["id"])).one()
        assert (row.author, row.body) == ("Tove Lind", {"reason": "smells of burning"})


@pytest.mark.parametrize(
    ("kind", "body", "code"),
    [
        ("repaired", {"did": "x", "holds": ["nothing"]}, "hold_unknown"),
        ("repaired", {"did": "x", "defects": ["nothing"]}, "defect_unknown"),
        ("repaired", {"did": "x"}, "repairs_nothing"),
        ("defect_seen", {"group": "warp_drive"}, "group_unknown"),
        ("defect_seen", {}, "act_malformed"),
        ("hold_placed", {"reason": "x", "colour": "red"}, "act_malformed"),
        ("hold_placed", {"reason": "\ud800"}, "act_malformed"),
        ("no_repair", {"defect": "nothing", "reason": "x"}, "defect_unknown"),
    ],
)
def test_what_cannot_be_taken_is_set_aside_with_a_sentence_and_holds_up_nothing(people, tractor, kind, body, code):
    device = Device(people["manager"])
    bad, good = device.act(kind, tractor["id"], **body), device.act("trip_over", tractor["id"])
    answer = device.send_acts(bad, good).raise_for_status().json()
    assert [one["code"] for one in answer["set_aside"]] == [code]
    assert answer["set_aside"][0]["message"].endswith(".")
    assert answer["accepted"] == [good["id"]]


def test_an_act_on_what_is_not_there_is_refused(client):
    device = Device(client)
    assert device.send_acts(device.act("trip_over", str(uuid.uuid4()))).status_code == 404
    assert device.send_acts(device.act("trip_over", str(uuid.uuid4()), "trailer")).status_code == 404


def test_a_clock_that_is_years_off_dates_nothing_years_off(people, tractor, store):
    for off_s in (-40e6, 90e6):
        device = Device(people["driver"], wall_off_s=off_s)
        act = device.act("hold_placed", tractor["id"], reason="noise")
        device.wait(60).send_acts(act).raise_for_status()
        with store.transaction() as session:
            at = session.get_one(ActRow, act["id"]).at
        assert abs((dt.datetime.now(dt.UTC) - at).total_seconds() - 60) < 30


def test_every_act_has_its_row_of_rights_and_a_driver_betters_nothing():
    assert set(ACTS) == set(ACT_TYPES)
    assert all(allowed <= set(ROLES) for allowed in ACTS.values())
    assert {kind for kind, allowed in ACTS.items() if "driver" not in allowed} == {
        "hold_released", "hold_struck_out", "defect_taken", "repaired", "no_repair",
    }  # fmt: skip


def test_due_in_the_fleets_time_zone_by_a_rule_that_a_manager_sets(client, people, store, tractor):
    before = client.get("/api/calendar").json()
    run_of(store, tractor, 99, days_ago=3)
    assert page(client, tractor)["status"]["recheck"] is None
    weekly = {"time_zone": "America/Denver", "every": "days", "count": 2}
    assert people["workshop"].put("/api/calendar", json=weekly).status_code == 403
    assert client.put("/api/calendar", json=weekly).status_code == 200
    try:
        assert stands(client, tractor)[0] == "overdue"
        client.put("/api/calendar", json={**weekly, "count": 30}).raise_for_status()
        told = page(client, tractor)["status"]
        assert told["status"] == "fit"
        assert dt.datetime.fromisoformat(told["due_at"]).hour in (6, 7)
        own = f"/api/units/{tractor['id']}/due"
        assert people["workshop"].put(own, json={"every": "days", "count": 1}).status_code == 403
        told = client.put(own, json={"every": "days", "count": 1}).raise_for_status().json()
        assert (told["status"], told["own_rule"], told["count"]) == ("overdue", True, 1)
        assert client.put(own, json={"every": "days", "count": 0}).json()["error"]["field"] == "count"
        assert client.put(own, json={"every": None}).json()["own_rule"] is False
        assert stands(client, tractor)[0] == "fit"
    finally:
        client.put("/api/calendar", json=before).raise_for_status()
    for wrong, field in (({"count": 0}, "count"), ({"time_zone": "Nowhere/Land"}, "time_zone")):
        answer = client.put("/api/calendar", json={**weekly, **wrong})
        assert (answer.status_code, answer.json()["error"]["field"]) == (422, field)


def test_the_yard_puts_what_stays_first_and_says_why(client, store, tractor):
    run_of(store, tractor, 90, days_ago=1)
    yard = client.get("/api/units").json()
    order = [one["status"]["stays"] for one in yard]
    assert order == sorted(order, reverse=True)
    mine = next(one for one in yard if one["id"] == tractor["id"])
    assert mine["status"]["holds"][0]["stage"] == "leak_applied"
    told = {one["unit_id"]: one["status"] for one in client.get("/api/status").json()}
    assert told == {one["id"]: one["status"]["status"] for one in yard}


def test_a_retired_unit_keeps_its_holds_and_comes_back_with_them(client, store, tractor):
    run_of(store, tractor, 90)
    path = f"/api/units/{tractor['id']}/retired"
    client.post(path, json={"version": 1, "retired": True}).raise_for_status()
    assert tractor["id"] not in [one["unit_id"] for one in client.get("/api/status").json()]
    client.post(path, json={"version": 2, "retired": False}).raise_for_status()
    assert stands(client, tractor)[0] == "on_hold"


# for other systems


def test_another_system_reads_by_a_token_of_its_own_until_it_is_voided(client, stranger, people):
    assert stranger.get("/api/status").status_code == 401
    assert people["workshop"].post("/api/read-tokens", json={"reads": "status", "name": "gate"}).status_code == 403
    made = {
        reads: client.post("/api/read-tokens", json={"reads": reads, "name": "gate"}).raise_for_status().json()["token"]
        for reads in ("status", "calendar")
    }
    bearer = {"authorization": f"Bearer {made['status']}"}
    assert len(stranger.get("/api/status", headers=bearer).raise_for_status().json()) >= 14
    table = stranger.get("/api/status.csv", headers=bearer, params={"lang": "es"}).raise_for_status()
    assert table.headers["content-type"].startswith("text/csv")
    assert "Puede circular" in table.text
    calendar = stranger.get("/api/due.ics", params={"token": made["calendar"]}).raise_for_status()
    assert calendar.headers["content-type"].startswith("text/calendar")
    assert calendar.text.startswith("BEGIN:VCALENDAR")
    # each reads what it is for, and nothing else
    assert stranger.get("/api/due.ics", params={"token": made["status"]}).status_code == 401
    assert stranger.get("/api/status", headers={"authorization": f"Bearer {made['calendar']}"}).status_code == 401
    assert stranger.get("/api/units", headers=bearer).status_code == 401
    kept = client.get("/api/read-tokens").json()
    assert not any(token in str(kept) for token in made.values())
    for one in kept:
        client.delete(f"/api/read-tokens/{one['id']}").raise_for_status()
    assert stranger.get("/api/status", headers=bearer).status_code == 401
    assert client.delete(f"/api/read-tokens/{kept[0]['id']}").status_code == 404
    nameless = client.post("/api/read-tokens", json={"reads": "status", "name": " "})
    assert nameless.json()["error"]["field"] == "name"


def test_a_finding_that_may_be_a_defect_is_proposed_with_its_group(client, store, tractor):
    events = [*ready(knobs=("tractor", "trailer")), *warned(112, at_s=140)]
    run_id = kept(store, tractor, record(events, "tractor", procedure="static-only"), 3.0)
    proposed = {one["finding"]: (one["group"], one["text"]) for one in report(client, run_id)["proposals"]}
    group, text = proposed["early_warning"]
    assert (group, "112 psi" in text) == ("warning_lamp", True)


def test_a_repair_begins_the_trend_anew_and_stands_in_it(client, store, people, tractor):
    for days_ago, end in ((40, 99), (30, 98), (20, 90)):
        run_of(store, tractor, end, days_ago=days_ago)
    repaired(people, tractor, days_ago=13)
    run_of(store, tractor, 99, days_ago=10)
    trends = {one["stage"]: one for one in client.get(f"/api/units/{tractor['id']}/trends").json()}
    leak = trends["leak_applied"]
    assert (len(leak["readings"]), leak["segment"]) == (4, 1)
    assert [(one["did"], one["by"]) for one in leak["repairs"]] == [("mended", "Jory Pask")]


# photographs


def picture(colour="red"):
    out = io.BytesIO()
    Image.new("RGB", (400, 300), colour).save(out, "PNG")
    return out.getvalue()


def put(client, photo_id, act, data):
    return client.put(
        f"/api/photos/{photo_id}", params={"act": act}, content=data, headers={"content-type": "image/png"}
    )


def test_a_photograph_goes_with_its_defect_and_is_kept_once(client, people, tractor, store):
    seen = do(people["driver"], "defect_seen", tractor["id"], what="torn", consequence="note")
    photo, again = str(uuid.uuid4()), str(uuid.uuid4())
    first = put(people["driver"], photo, seen, picture()).raise_for_status().json()["hash"]
    assert put(people["driver"], photo, seen, picture("blue")).json()["hash"] == first
    assert put(people["driver"], again, seen, picture()).json()["hash"] == first
    assert page(client, tractor)["status"]["defects"][0]["photos"] == [first, first]
    got = client.get(f"/api/photos/{first}")
    assert (got.headers["content-type"], got.content[:2]) == ("image/jpeg", b"\xff\xd8")
    assert client.get(f"/api/photos/{'0' * 64}").status_code == 404
    assert put(client, str(uuid.uuid4()), str(uuid.uuid4()), picture()).status_code == 404
    assert put(client, str(uuid.uuid4()), seen, b"no picture").json()["error"]["code"] == "no_photograph"


def test_two_hundred_megabytes_are_not_even_read(app_url, people):
    cookies = "; ".join(f"{name}={value}" for name, value in people["driver"].cookies.items())
    where = urlsplit(app_url)
    path = f"/api/photos/{uuid.uuid4()}?act={uuid.uuid4()}"
    head = f"PUT {path} HTTP/1.1\r\nHost: {where.netloc}\r\nCookie: {cookies}\r\n"
    with socket.create_connection((where.hostname, where.port), timeout=HANG_S) as connection:
        connection.sendall(f"{head}Content-Length: {200 * 1024 * 1024}\r\n\r\n".encode())
        answer = connection.recv(4096).decode()
    assert answer.startswith("HTTP/1.1 413")
    assert "At most 8 MB are accepted at once." in answer


# whose it is, and in what order it comes


def test_what_somebody_did_on_a_shared_tablet_stays_theirs_though_another_sends_it(app_url, client, tractor):
    with httpx.Client(base_url=app_url, timeout=HANG_S) as tablet:
        sign_in(tablet, "Ines Aldous")
        device = Device(tablet).sign_with(SessionKey(tablet))
        act = device.act("hold_placed", tractor["id"], reason="pulls", by="Ines Aldous")
        device.sign_with(None)
        tablet.post("/api/session/sign-out").raise_for_status()
        sign_in(tablet, "Bram Osei")
        mine = {**device.act("hold_placed", tractor["id"], reason="noise"), "by": "Odile Ferrow"}
        device.send_acts(act, mine).raise_for_status()
    holds = {hold["text"]: hold["by"] for hold in page(client, tractor)["status"]["holds"]}
    # whoever was never signed in there has done nothing there
    assert holds == {"pulls": "Ines Aldous", "noise": "Bram Osei"}


def test_nobody_releases_by_another_persons_name(app_url, client, people, tractor):
    placed = do(people["driver"], "hold_placed", tractor["id"], reason="noise")
    device = Device(people["driver"])
    act = {**device.act("hold_released", tractor["id"], hold=placed, reason="fine"), "by": "Odile Ferrow"}
    assert device.send_acts(act).json()["set_aside"][0]["code"] == "sign_in_yourself"
    assert stands(client, tractor)[0] == "on_hold"


@pytest.mark.parametrize("seed", range(2))
def test_the_order_in_which_runs_and_acts_arrive_does_not_matter(client, store, people, seed):
    story = [(9, 90), (8, 99), (7, "repair"), (6, 88), (5, "repair"), (4, 99), (3, 91)]
    told = []
    for order in (story, random.Random(seed).sample(story, len(story))):
        body = {"name": name("O"), "kind": "straight_truck"}
        unit = client.post("/api/units", json=body).raise_for_status().json()
        holds = _first_hold(unit)
        for days_ago, what in order:
            if what == "repair":
                _save_repair(store, unit, days_ago, holds)
            else:
                table = leak_record(100, what, kind="straight_truck")
                kept(store, unit, table, days_ago, run_id=f"{unit['id'][:24]}{days_ago:012}")
        ever = page(client, unit)["holds"]
        told.append([(one["text"], one["lifted_how"], len(one["parts"])) for one in ever])
    assert told[0] == told[1]
    # the second fail undid the first repair; what passed after the second lifted it; it failed again
    assert [how for _, how, _ in told[0]] == [None, "recheck"]


def _first_hold(unit):
    return [str(uuid.uuid5(NAMESPACE, f"{unit['id']} leak_applied {unit['id'][:24]}{9:012}"))]


def _save_repair(store, unit, days_ago, holds):
    """A repair as it lies in the log, whether or not what it answers has arrived yet."""
    at = dt.datetime.now(dt.UTC) - dt.timedelta(days=days_ago)
    with store.transaction() as session:
        body = {"did": "mended", "holds": holds}
        row = {"id": str(uuid.uuid4()), "type": "repaired", "part_kind": "unit", "part_id": unit["id"], "at": at}
        session.add(ActRow(**row, body=body, author="Jory Pask", device="d", wall=at, received_at=at))
        session.flush()
        refold(session, UnitPart("unit", unit["id"]))


def test_how_somebody_reads_is_told_to_trainers_alone(client, people):
    ids = {one["name"]: one["id"] for one in client.get("/api/people").json()}
    told = people["trainer"].get(f"/api/readers/{ids['Kit Varga']}").raise_for_status().json()
    assert told["tests"] is None or told["tests"] >= 20
    assert told["text"]
    assert people["trainer"].get(f"/api/readers/{uuid.uuid4()}").status_code == 404
    for role in ("driver", "workshop", "manager"):
        assert people[role].get(f"/api/readers/{ids['Kit Varga']}").status_code == 403

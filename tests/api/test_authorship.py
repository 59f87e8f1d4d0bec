"""H2: on a shared tablet nobody acts in the name of the one before: proofs of authorship, and what needs presence."""

from __future__ import annotations

import uuid

import httpx
import pytest
from sqlalchemy import select

from lowhiss.store.people_models import PresenceRow
from lowhiss.store.run_models import EventRow
from tests.conftest import sign_in
from tests.devices import UNIT_ID, Device, SessionKey
from tests.plugin import HANG_S

JORY, INES, ODILE = "Jory Pask", "Ines Aldous", "Odile Ferrow"


@pytest.fixture
def tablet(app_url):
    """One browser that several people use one after the other."""
    with httpx.Client(base_url=app_url, timeout=HANG_S) as http:
        yield http


def by(event, name):
    return {**event, "by": name}


def authors(store, run_id):
    with store.transaction() as session:
        rows = session.scalars(select(EventRow).where(EventRow.run_id == run_id).order_by(EventRow.seq))
        return [(row.author, row.claimed, row.proof is not None) for row in rows]


def test_a_mark_in_anothers_name_needs_their_proof(tablet, store):
    sign_in(tablet, INES)
    key = SessionKey(tablet)
    device = Device(tablet).sign_with(key)
    device.begin().raise_for_status()
    proven = device.wait(1).marked("note", text="mine")
    device.sign_with(None)
    bare = device.wait(1).marked("note", text="said to be hers")
    forged = {**device.wait(1).marked("note", text="edited"), "proof": proven["proof"]}
    sign_in(tablet, ODILE)
    device.send(proven, bare, forged).raise_for_status()
    assert authors(store, device.run_id) == [(INES, None, True), (ODILE, INES, False), (ODILE, INES, True)]


def test_a_proof_belongs_to_its_log_its_content_and_its_key(tablet, store):
    sign_in(tablet, INES)
    device = Device(tablet).sign_with(SessionKey(tablet))
    device.begin().raise_for_status()
    first = device.run_id
    proven = [device.wait(1).marked("note", text=str(n)) for n in range(5)]
    device.begin().raise_for_status()
    other = SessionKey(sign_in(tablet, ODILE))
    edited = [
        {**proven[0], "text": "another"},
        {**proven[1], "mono_s": proven[1]["mono_s"] + 0.5},
        {**proven[2], "proof": {**proven[2]["proof"], "key": other.id}},
        {**proven[3], "proof": {**proven[3]["proof"], "key": str(uuid.uuid4())}},
    ]
    device.send(*edited, proven[4]).raise_for_status()  # signed for the run before
    assert {author for author, *_ in authors(store, device.run_id)} == {ODILE}
    device.run_id = first
    device.send(proven[4]).raise_for_status()
    assert authors(store, first) == [(INES, None, True)]


def test_a_proof_of_a_mark_made_after_the_session_ended_is_none(tablet, store):
    sign_in(tablet, INES)
    device = Device(tablet).sign_with(SessionKey(tablet))
    device.begin().raise_for_status()
    tablet.post("/api/session/sign-out").raise_for_status()
    sign_in(tablet, ODILE)
    late = device.wait(1200).marked("note", text="after she had left")
    device.send(late).raise_for_status()
    assert authors(store, device.run_id) == [(ODILE, INES, True)]
    with store.transaction() as session:
        assert session.scalar(select(PresenceRow.id).where(PresenceRow.until_at.is_(None)).limit(1))


DECISIONS = {
    "hold_released": {"hold": "x", "reason": "x"},
    "hold_struck_out": {"hold": "x", "reason": "x"},
    "repaired": {"did": "x", "stages": ["leak_applied"]},
    "no_repair": {"defect": "x", "reason": "x"},
    "defect_rated": {"defect": "x", "consequence": "note", "reason": "x"},
}


@pytest.mark.parametrize("kind", DECISIONS)
def test_what_decides_counts_only_in_the_session_of_who_decides(tablet, kind):
    """The next person on the tablet certified repairs in the workshop's name."""
    sign_in(tablet, JORY)
    device = Device(tablet).sign_with(SessionKey(tablet))
    acts = [device.act(kind, UNIT_ID["MV-12"], by=JORY, **DECISIONS[kind])]
    device.sign_with(None)
    acts.append(device.act(kind, UNIT_ID["MV-12"], by=JORY, **DECISIONS[kind]))
    sign_in(tablet, INES)
    told = device.send_acts(*acts).raise_for_status().json()
    assert [one["code"] for one in told["set_aside"]] == ["sign_in_yourself", "sign_in_yourself"]


def test_a_confirmation_of_a_late_mark_is_nobody_elses_to_send(tablet):
    sign_in(tablet, "Hanne Solberry")
    device = Device(tablet).sign_with(SessionKey(tablet))
    device.begin(driver="Hanne Solberry").raise_for_status()
    note = by(device.marked("note", text="x"), "Hanne Solberry")
    late = by(device.marked("late_confirmed", event=note["id"]), "Hanne Solberry")
    proven = device.proven(device.run_id, {name: value for name, value in late.items() if name != "proof"})
    device.send({name: value for name, value in note.items() if name != "proof"}).raise_for_status()
    sign_in(tablet, INES)
    told = device.send(proven).json()
    assert told["set_aside"][0]["code"] in ("sign_in_yourself", "trainer_needed", "not_your_run")


def test_a_report_that_waited_keeps_its_author_by_proof(tablet, client):
    sign_in(tablet, INES)
    device = Device(tablet).sign_with(SessionKey(tablet))
    seen = device.act("defect_seen", UNIT_ID["MV-30"], by=INES, what="hiss", consequence="note")
    sign_in(tablet, ODILE)
    assert device.send_acts(seen).raise_for_status().json()["accepted"] == [seen["id"]]
    defects = client.get(f"/api/units/{UNIT_ID['MV-30']}").json()["status"]["defects"]
    assert next(one["by"] for one in defects if one["id"] == seen["id"]) == INES


@pytest.mark.parametrize("public", ["04" + "0" * 128, "04" + "f" * 128])
def test_what_is_no_key_is_refused(client, public):
    answer = client.post("/api/session/key", json={"id": str(uuid.uuid4()), "public": public})
    assert (answer.status_code, answer.json()["error"]["code"]) == (422, "key_malformed")

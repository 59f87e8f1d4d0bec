"""Inspections over HTTP: begun, marked, judged, joined; what follows from them for the vehicle; and papers."""

from __future__ import annotations

import io
import json
import uuid
from contextlib import ExitStack
from datetime import date, timedelta

import httpx
import pytest
from icalendar import Calendar
from PIL import Image

from lowhiss import rulebook
from lowhiss.core.inspections import read_inspection
from lowhiss.demo.scenario import demo_id
from lowhiss.engine.inspections import state_of
from lowhiss.service.inspections.rows import listed_figures
from tests.builders import HEALTHY
from tests.conftest import sign_in
from tests.devices import Device, SessionKey
from tests.plugin import HANG_S

ROLE_OF = {
    "driver": "Tove Lind",
    "helper": "Ines Aldous",
    "trainer": "Hanne Solberry",
    "workshop": "Jory Pask",
    "manager": "Odile Ferrow",
}


class Walker(Device):
    """Somebody with a device, going round a vehicle."""

    def begin_inspection(self, unit_id: str, way: str = "in-cab", **more) -> httpx.Response:
        self.inspection_id = str(uuid.uuid4())
        body = {
            "id": self.inspection_id,
            "unit_id": unit_id,
            "way": way,
            "begun": self.moment(),
            "sent": self.moment(),
            **more,
        }
        return self.client.post("/api/inspections", json=body)

    def mark(self, kind: str, **fields) -> dict:
        self.seq += 1
        self.wait(5)
        return {"id": uuid.uuid4().hex, "seq": self.seq, **self.moment(), "by": "", "type": kind, **fields}

    def answer(self, ask: str, answer: str = "right", **fields) -> dict:
        return self.mark("answer", asks=[ask], answer=answer, **fields)

    def tell(self, *marks: dict) -> dict:
        body = {"sent": self.moment(), "events": list(marks)}
        return self.client.post(f"/api/inspections/{self.inspection_id}/marks", json=body).raise_for_status().json()

    def state(self, **query: str) -> dict:
        return self.client.get(f"/api/inspections/{self.inspection_id}/state", params=query).raise_for_status().json()

    def item(self, key: str, **query: str) -> dict:
        return next(one for one in self.state(**query)["items"] if one["key"] == key)


@pytest.fixture(scope="module")
def people(app_url):
    with ExitStack() as stack:
        yield {
            role: sign_in(stack.enter_context(httpx.Client(base_url=app_url, timeout=HANG_S)), name)
            for role, name in ROLE_OF.items()
        }


@pytest.fixture
def unit(people):
    body = {"name": f"R-{uuid.uuid4().hex[:6]}", "kind": "straight_truck"}
    return people["manager"].post("/api/units", json=body).raise_for_status().json()


@pytest.fixture
def walker(people, unit):
    walker = Walker(people["driver"])
    walker.begin_inspection(unit["id"]).raise_for_status()
    return walker


def status_of(client, unit_id):
    page = client.get(f"/api/units/{unit_id}").raise_for_status().json()
    return page["status"]


def test_what_an_inspection_begins_with_fits_the_set_and_the_reader(people, unit):
    client = people["driver"]
    start = client.get(f"/api/units/{unit['id']}/inspection", params={"lang": "es"}).raise_for_status().json()
    assert {way["id"] for way in start["ways"]} == {"path", "in-cab", "round-exam", "round-daily-rigid"}
    assert start["script"]["way"] == {
        "id": "round-daily-rigid",
        "name": "Inspección diaria corta",
        "blocks": False,
        "glance": True,
    }
    assert [part["code"] for part in start["script"]["figure"]] == ["P"]
    cab = client.get(f"/api/units/{unit['id']}/inspection", params={"way": "in-cab"}).json()["script"]
    assert {wanted["fact"] for wanted in cab["wanted"]} == {"camera", "gearbox_temp"}
    for params, field in ((({"way": "round-bus"}), "way"), ({"way": "sideways"}, "way"), ({"rules": "mine"}, "rules")):
        refused = client.get(f"/api/units/{unit['id']}/inspection", params=params)
        assert (refused.status_code, refused.json()["error"]["field"]) == (422, field)


def test_an_inspection_is_begun_once_and_its_marks_are_kept_once(walker, unit):
    again = {"id": walker.inspection_id, "unit_id": unit["id"], "way": "in-cab"}
    first = walker.client.get(f"/api/inspections/{walker.inspection_id}").json()["head"]
    assert (first["part"], first["figures"]["left"]) == ("lead", first["figures"]["of"])
    floor = walker.answer("floor@P")
    assert walker.tell(floor)["accepted"] == walker.tell(floor)["accepted"] == [{"id": floor["id"], "seq": 1}]
    other = walker.tell({**floor, "answer": "later"})
    assert other["set_aside"][0]["code"] == "id_conflict"
    assert [mark["seq"] for mark in walker.client.get(f"/api/inspections/{walker.inspection_id}/marks").json()] == [1]
    conflict = walker.client.post("/api/inspections", json={**again, "begun": walker.moment(), "sent": walker.moment()})
    assert conflict.status_code == 409


def test_one_bad_mark_holds_up_no_other_and_names_its_field(walker):
    marks = [
        walker.answer("floor@P", "fine"),
        walker.answer("flor@P"),
        walker.answer("washer@P", "not_right", wrong=["dry"]),
        walker.mark("answer", asks=["floor@P"], answer="right", at_s=3),
        walker.mark("answer", asks=["floor@P"], answer="right", text="\ud800"),
        walker.answer("overhead@P"),
    ]
    body = json.dumps({"sent": walker.moment(), "events": marks})
    told = walker.client.post(
        f"/api/inspections/{walker.inspection_id}/marks", content=body, headers={"content-type": "application/json"}
    ).json()
    assert [one["id"] for one in told["accepted"]] == [marks[-1]["id"]]
    assert [one["message"].split()[0] for one in told["set_aside"]] == ["answer", "asks", "wrong", "at_s", "The"]


def test_what_is_not_right_becomes_a_defect_with_its_consequence_and_the_vehicle_stays(walker, people, unit):
    defect = str(uuid.uuid4())
    walker.tell(walker.answer("washer@P", "not_right", wrong=["works"], defect=defect, text="pump hums"))
    item = walker.item("washer@P")
    assert (item["outcome"], item["consequence"], item["not_so"]) == (
        "not_right",
        "stay",
        "Washer: dead, weak, only sometimes",
    )
    standing = status_of(people["workshop"], unit["id"])
    assert (standing["status"], [one["id"] for one in standing["defects"]]) == ("unfit", [defect])
    assert standing["defects"][0]["by"] == "Tove Lind"
    picture = io.BytesIO()
    Image.new("RGB", (40, 30), "red").save(picture, "JPEG")
    put = walker.client.put(
        f"/api/photos/{uuid.uuid4()}",
        params={"act": defect},
        content=picture.getvalue(),
        headers={"content-type": "image/jpeg"},
    )
    assert put.status_code < 300
    # found again, it is one defect; looked at again, it is not taken back
    walker.tell(walker.answer("washer@P", "not_right", wrong=["works"]), walker.answer("washer@P"))
    assert len(status_of(people["workshop"], unit["id"])["defects"]) == 1
    assert walker.item("washer@P")["outcome"] == "not_right"
    # what a driver may put right, they may put right
    walker.tell(walker.answer("washer@P", "fixed", text="filled"))
    assert status_of(people["workshop"], unit["id"])["status"] == "never_tested"
    # under another school it would have been another thing
    assert walker.item("washer@P", rules="us-federal")["outcome"] == "fixed"


def test_worse_news_raises_a_defect_and_no_news_lowers_it(walker, people, unit):
    walker.tell(walker.answer("windshield@P", "not_right", wrong=["whole"]))
    assert status_of(people["driver"], unit["id"])["defects"][0]["consequence"] == "finish"
    walker.tell(walker.answer("windshield@P", "not_right", wrong=["whole"], yes=["view"]))
    assert status_of(people["driver"], unit["id"])["status"] == "unfit"
    walker.tell(walker.answer("windshield@P", "not_right", wrong=["whole"]))
    assert status_of(people["driver"], unit["id"])["status"] == "unfit"


def test_a_finding_set_up_for_teaching_leads_nowhere(people, unit):
    walker = Walker(people["trainer"])
    walker.begin_inspection(unit["id"], purpose="training").raise_for_status()
    walker.tell(walker.answer("washer@P", "not_right", wrong=["works"], teaching=True))
    assert status_of(people["driver"], unit["id"])["defects"] == []


def test_a_known_defect_stands_at_its_item_in_the_next_inspection_and_a_complete_inspection_ends_the_one_trip(
    people, unit
):
    first = Walker(people["driver"])
    first.begin_inspection(unit["id"]).raise_for_status()
    first.tell(first.answer("seat_driver@P", "not_right", wrong=["secure"]))
    assert status_of(people["driver"], unit["id"])["defects"][0]["consequence"] == "finish"
    second = Walker(people["driver"])
    second.begin_inspection(unit["id"], way="round-daily-rigid").raise_for_status()
    script = second.client.get(f"/api/inspections/{second.inspection_id}/script").json()
    third = Walker(people["driver"])
    third.begin_inspection(unit["id"]).raise_for_status()
    known = [
        ask for ask in third.client.get(f"/api/inspections/{third.inspection_id}/script").json()["asks"] if ask["known"]
    ]
    assert [ask["key"] for ask in known] == ["seat_driver@P"]
    third.tell(third.answer("seat_driver@P", "right"))
    assert third.item("seat_driver@P")["outcome"] == "open"
    facts = [second.mark("fact", part="P", fact=one["fact"], so=False) for one in script["wanted"]]
    answers = [
        second.answer(ask["key"], **({"value": HEALTHY[ask["item"]]} if ask["item"] in HEALTHY else {}))
        if ask["item"] != "tire_tread"
        else second.answer(ask["key"], "seen_not_measured")
        for ask in script["asks"]
    ]
    assert second.tell(*facts, *answers)["set_aside"] == []
    assert (second.state()["left"], second.state()["clear"]) == (0, True)
    second.tell(second.mark("finished"))
    assert status_of(people["driver"], unit["id"])["status"] == "unfit"
    assert second.client.get(f"/api/inspections/{second.inspection_id}").json()["head"]["ended_by"] == "finished"


def test_what_is_said_of_a_unit_is_kept_with_it_and_not_asked_again(people, unit):
    walker = Walker(people["driver"])
    walker.begin_inspection(unit["id"]).raise_for_status()
    marks = [
        walker.mark("fact", part="P", fact="camera", so=True),
        walker.mark("fact", part="P", fact="dg", so=True),
        walker.mark("figure", part="P", figure="oil_psi", value=25),
        walker.mark(
            "axles",
            part="P",
            axles=[{"role": "steer"}, {"role": "drive", "dual": True}, {"role": "drive", "dual": True}],
        ),
    ]
    assert walker.tell(*marks)["set_aside"] == []
    begun = people["trainer"].get(f"/api/units/{unit['id']}/inspection", params={"way": "path"}).json()
    look = begun["record"]["unit"]["look"]
    assert (look["facts"], look["figures"], len(look["axles"])) == ({"camera": True}, {"oil_psi": 25}, 3)
    assert {"camera_view@P.left", "lugs@P.axle3.right"} <= {ask["key"] for ask in begun["script"]["asks"]}
    assert "camera" not in {wanted["fact"] for wanted in begun["script"]["wanted"]}
    # the day's own facts are asked every day
    assert "dg" in {wanted["fact"] for wanted in begun["script"]["wanted"]}


def test_whoever_takes_over_a_device_sends_on_what_was_made_there_and_marks_nothing(walker, app_url):
    """Two drivers and one phone: the second finds the first one's marks waiting, and may only bring them."""
    unit_id = demo_id("MV-05")
    with httpx.Client(base_url=app_url, timeout=HANG_S) as http:
        phone = Walker(sign_in(http, "Tove Lind"))
        phone.begin_inspection(unit_id).raise_for_status()
        phone.sign_with(SessionKey(http))
        waiting = phone.by("Tove Lind", phone.answer("wiper@P.left"), phone.inspection_id)
        phone.sign_with(None)
        http.post("/api/session/sign-out").raise_for_status()
        sign_in(http, "Ines Aldous")
        told = phone.tell(waiting, {**phone.answer("floor@P"), "by": "Ines Aldous"}, phone.mark("finished"))
        assert [one["id"] for one in told["accepted"]] == [waiting["id"]]
        assert {one["code"] for one in told["set_aside"]} == {"helper_may_not"}


def test_a_helper_joins_by_the_code_answers_and_commands_nothing(walker, people):
    code = walker.client.post(f"/api/inspections/{walker.inspection_id}/join-code").raise_for_status().json()["code"]
    helper = Walker(people["helper"])
    helper.inspection_id = walker.inspection_id
    body = {"sent": helper.moment(), "events": [helper.answer("floor@P")]}
    assert helper.client.post(f"/api/inspections/{walker.inspection_id}/marks", json=body).status_code == 403
    assert helper.client.post("/api/join", json={"code": "nonsense"}).status_code == 422
    joined = helper.client.post("/api/join", json={"code": code}).raise_for_status().json()
    assert joined == {"inspection_id": walker.inspection_id, "run_id": None, "practice_id": None}
    joined = helper.client.get(f"/api/inspections/{walker.inspection_id}").json()["head"]
    assert (joined["id"], joined["part"], joined["helpers"]) == (walker.inspection_id, "help", ["Ines Aldous"])
    told = helper.tell(
        helper.answer("floor@P", "not_reached", why="dark"),
        helper.mark("state", first="chocked"),
        helper.mark("finished"),
    )
    assert [one["code"] for one in told["set_aside"]] == ["helper_may_not"] * 2
    walker.tell(walker.answer("floor@P"))
    item = walker.item("floor@P")
    assert (item["outcome"], [finding["code"] for finding in item["findings"]]) == (
        "unseen",
        ["not_reached", "two_answers"],
    )
    overseer = people["trainer"]
    noted = overseer.post(
        f"/api/inspections/{walker.inspection_id}/marks",
        json={"sent": helper.moment(), "events": [helper.mark("note", text="well done")]},
    )
    assert len(noted.json()["accepted"]) == 1
    assert overseer.post(f"/api/inspections/{walker.inspection_id}/join-code").status_code == 403


def test_an_answer_after_the_end_counts_only_where_it_is_worse(walker):
    walker.tell(walker.mark("finished"))
    told = walker.tell(walker.answer("floor@P"), walker.answer("washer@P", "not_right", wrong=["works"]))
    assert told["set_aside"] == []
    state = {one["key"]: one for one in walker.state()["items"]}
    assert state["floor@P"]["outcome"] == "open"
    assert [finding["code"] for finding in state["washer@P"]["findings"]] == ["after_end"]


def test_an_inspection_beside_an_air_test_takes_its_answers(people):
    device = Walker(people["driver"])
    device.begin("MV-12", procedure="static-only", purpose="rehearsal").raise_for_status()
    run_id = device.run_id
    device.begin_inspection(
        device.client.get(f"/api/runs/{run_id}").json()["unit_id"], run_id=run_id
    ).raise_for_status()
    device.wait(3)
    device.send(device.marked("engine", state="running"))
    device.tell(device.answer("wiper@P.left"), device.answer("floor@P"))
    device.wait(30)
    device.send(device.marked("reading", stage="cut_out", point="cut_out", primary_psi=125, secondary_psi=125))
    device.tell(device.answer("overhead@P"))
    state = device.state()
    assert state["while_filling"] == 2
    answered = {one["key"]: one["answer"] for one in state["items"]}
    assert answered["gauge_air@P.primary"] == answered["gauge_air@P.secondary"] == "from_run"
    (listed,) = device.client.get("/api/inspections", params={"run": run_id}).json()
    assert (listed["id"], listed["figures"]["blocks"], listed["figures"]["blocking"]) == (
        device.inspection_id,
        None,
        [],
    )
    device.tell(device.answer("washer@P", "not_right", wrong=["works"]))
    (listed,) = device.client.get("/api/inspections", params={"run": run_id}).json()
    assert listed["figures"]["blocking"] == [{"key": "washer@P", "blocks": "leave"}]
    assert device.inspection_id in {one["id"] for one in device.client.get("/api/inspections").json()}


def test_what_an_older_version_saved_as_stay_stops_everything_that_moves():
    assert listed_figures({"worst": "stay"})["blocking"] == [{"key": "", "blocks": "roll"}]
    assert listed_figures({"worst": "finish"})["blocks"] is None
    now = {"worst": "stay", "blocks": "leave", "blocking": [{"key": "washer@P", "blocks": "leave"}]}
    assert listed_figures(now) == now


def test_the_open_record_is_judged_alike_without_the_server(walker):
    walker.tell(walker.answer("washer@P", "not_right", wrong=["works"]), walker.answer("gauge_volts@P", value=14.4))
    record = walker.client.get(f"/api/inspections/{walker.inspection_id}/record").raise_for_status().json()
    alone = state_of(read_inspection(record, rulebook.inspections()))
    told = walker.state()
    assert (len(alone.left), alone.worst) == (told["left"], told["worst"])
    assert record["people"] == {"driver": "Tove Lind"}


def test_papers_run_out_are_warned_of_and_stand_in_the_calendar(people, unit):
    where = f"/api/units/{unit['id']}/papers"
    listed = people["driver"].get(where).raise_for_status().json()
    assert {one["status"] for one in listed if one["dated"]} == {"unknown"}
    assert {one["holder_kind"] for one in listed} == {"unit", "person"}
    today = date.today()
    put = f"/api/papers/unit/{unit['id']}/p_registration"
    for days, standing in ((-1, "expired"), (0, "soon"), (30, "soon"), (40, "good")):
        people["workshop"].put(
            put, json={"until": (today + timedelta(days)).isoformat(), "number": "41 7"}
        ).raise_for_status()
        (paper,) = [one for one in people["driver"].get(where).json() if one["paper"] == "p_registration"]
        # the fleet's day may be another than this machine's
        assert paper["status"] in ({standing} if days not in (0, 30, -1) else {"expired", "soon", "good"})
    assert paper["number"] == "41 7"
    calendar = Calendar.from_ical(people["driver"].get("/api/due.ics").raise_for_status().content)
    titles = [str(event["summary"]) for event in calendar.walk("VEVENT")]
    assert f"{unit['name']}: Registration" in titles
    assert people["driver"].put(put, json={"until": None}).status_code == 403
    mine = people["driver"].get("/api/session").json()["person"]["id"]
    assert people["driver"].put(f"/api/papers/person/{mine}/p_medical", json={"until": "2027-05-01"}).status_code == 204
    for path, body, field in (
        (f"unit/{unit['id']}/p_medical", {}, "paper"),
        (f"unit/{unit['id']}/p_plate", {"until": "2027-01-01"}, "until"),
    ):
        refused = people["manager"].put(f"/api/papers/{path}", json=body)
        assert (refused.status_code, refused.json()["error"]["field"]) == (422, field)


def test_only_the_workshop_puts_right_by_an_act_what_no_driver_may(walker, people, unit):
    walker.tell(walker.answer("pedal_brake@P", "not_right", wrong=["free"]))
    (defect,) = status_of(people["driver"], unit["id"])["defects"]
    told = walker.send_acts(walker.act("defect_fixed", unit["id"], defect=defect["id"])).json()
    assert [one["code"] for one in told["set_aside"]] == ["not_yours"]
    told = walker.send_acts(walker.act("round_done", unit["id"], inspection=walker.inspection_id)).json()
    assert [one["code"] for one in told["set_aside"]] == ["act_malformed"]

"""Learning over HTTP: progress folded from practices, classes, what is set, notes, rights, taken along, forgotten."""

from __future__ import annotations

import csv
import io
import json
import tomllib
import uuid
from contextlib import ExitStack

import httpx
import pytest
from jsonschema import Draft202012Validator, ValidationError
from referencing import Registry
from referencing.jsonschema import DRAFT202012

from lowhiss import rulebook
from lowhiss.demo.scenario import demo_id
from lowhiss.engine.debrief import debrief
from lowhiss.exchange.learning_schemas import learning_schema, practice_schema
from tests.conftest import sign_in
from tests.core.trainee import trainee_of
from tests.plugin import HANG_S

WHO = {
    "driver": "Tove Lind",
    "other": "Ines Aldous",
    "trainer": "Hanne Solberry",
    "manager": "Odile Ferrow",
}
DRIVER, OTHER = demo_id(WHO["driver"]), demo_id(WHO["other"])


@pytest.fixture(scope="module")
def people(app_url):
    with ExitStack() as stack:
        yield {
            role: sign_in(stack.enter_context(httpx.Client(base_url=app_url, timeout=HANG_S)), name)
            for role, name in WHO.items()
        }


@pytest.fixture(scope="module")
def failed_then_passed():
    """The first drive of *dash* with a mistake, and the whole lesson as it is taught."""
    return [trainee_of("dash", drive, slip).drive_it() for drive, slip in ((0, "over_revved"), (0, ""), (1, ""))]


def practised(client, trainee, began_at="2026-11-27T08:00:00Z"):
    practice_id = str(uuid.uuid4())
    body = {
        "title": "truck",
        "began_at": began_at,
        "record": json.loads(json.dumps(trainee.drive.saved_record(trainee.marks))),
        "after": json.loads(json.dumps(debrief(trainee.drive, trainee.marks))),
    }
    client.put(f"/api/practices/{practice_id}", json=body).raise_for_status()
    return practice_id


@pytest.fixture
def asked_class(people):
    made = people["trainer"].post("/api/learning/classes", json={"name": "Autumn"}).raise_for_status().json()
    body = {"version": made["version"], "name": "Autumn", "exam_on": "2026-12-09", "members": [DRIVER]}
    return people["trainer"].put(f"/api/learning/classes/{made['id']}", json=body).raise_for_status().json()


@pytest.fixture
def own_class(people, asked_class):
    answer(people["driver"], asked_class, agree=True).raise_for_status()
    return asked_class


def answer(client, of, agree):
    return client.post(f"/api/learning/invitations/{of['id']}", json={"agree": agree})


def error_of(response):
    return response.status_code, response.json()["error"]["code"]


def test_a_lesson_failed_then_passed_opens_the_next(people, failed_then_passed):
    driver = people["driver"]
    before = driver.get(f"/api/learning/people/{DRIVER}").json()["lessons"]
    assert [one["state"] for one in before[:2]] == ["open", "locked"]
    wrong, first, second = failed_then_passed
    practised(driver, wrong, "2026-11-27T08:00:00Z")
    state = driver.get(f"/api/learning/people/{DRIVER}").json()["lessons"][0]
    assert (state["state"], state["drives"]) == ("begun", [False, None])
    practised(driver, first, "2026-11-27T09:00:00Z")
    practised(driver, second, "2026-11-27T09:30:00Z")
    after = driver.get(f"/api/learning/people/{DRIVER}").json()
    assert [one["state"] for one in after["lessons"][:3]] == ["passed", "open", "locked"]
    assert after["readiness"]["missing"] == "last"
    assert after["readiness"]["marks"] == ["missing"] * 5


def test_nobody_sees_anybody_elses_but_a_trainer_those_of_a_class_of_theirs(people, own_class):
    assert error_of(people["other"].get(f"/api/learning/people/{DRIVER}")) == (403, "not_your_trainee")
    assert people["trainer"].get(f"/api/learning/people/{DRIVER}").status_code == 200
    assert error_of(people["trainer"].get(f"/api/learning/people/{OTHER}")) == (403, "not_your_trainee")
    assert people["manager"].get(f"/api/learning/people/{OTHER}").status_code == 200
    assert people["driver"].get("/api/learning/classes").status_code == 403
    board = f"/api/learning/classes/{own_class['id']}/board"
    assert people["manager"].get(board).status_code == 200
    assert people["other"].get(board).status_code == 403


def test_whom_a_trainer_asks_into_a_class_agrees_before_anything_of_theirs_is_seen(people, failed_then_passed):
    """M9: a trainer put anybody into a class and read their learning."""
    practice_id = practised(people["other"], failed_then_passed[0])
    made = people["trainer"].post("/api/learning/classes", json={"name": "Asked"}).raise_for_status().json()
    url = f"/api/learning/classes/{made['id']}"
    body = {"name": "Asked", "exam_on": "2026-12-20", "members": [OTHER]}
    asked = people["trainer"].put(url, json={**body, "version": made["version"]}).raise_for_status().json()
    assert [(one["name"], one["agreed"]) for one in asked["members"]] == [(WHO["other"], False)]
    lesson = {"lesson": "minute", "due_at": "2026-12-01T16:00:00Z"}
    people["trainer"].post(f"{url}/assignments", json=lesson).raise_for_status()

    def sees():
        learning = people["trainer"].get(f"/api/learning/people/{OTHER}").status_code
        practice = people["trainer"].get(f"/api/practices/{practice_id}").status_code
        listed = [one["id"] for one in people["trainer"].get("/api/practices?everybody=true").json()]
        board = people["trainer"].get(f"{url}/board").json()["rows"]
        mine = people["other"].get(f"/api/learning/people/{OTHER}").json()
        assigned = [one["class_name"] for one in mine["assigned"]]
        return learning, practice, practice_id in listed, len(board), "Asked" in assigned

    assert sees() == (403, 403, False, 0, False)
    invitation = {"class_id": made["id"], "class_name": "Asked", "trainer": WHO["trainer"]}
    assert invitation in people["other"].get("/api/learning/invitations").json()
    assert invitation not in people["driver"].get("/api/learning/invitations").json()
    assert error_of(answer(people["driver"], made, agree=True)) == (404, "class_unknown")
    assert answer(people["other"], made, agree=True).status_code == 204
    assert sees() == (200, 200, True, 1, True)
    assert answer(people["other"], made, agree=False).status_code == 204  # answered already
    assert sees()[0] == 200
    people["other"].delete(f"/api/learning/people/{OTHER}/record").raise_for_status()


def test_who_declines_is_in_no_class_and_whom_a_manager_adds_is_in_it(people):
    made = people["trainer"].post("/api/learning/classes", json={"name": "Declined"}).raise_for_status().json()
    url = f"/api/learning/classes/{made['id']}"
    body = {"version": made["version"], "name": "Declined", "exam_on": None, "members": [OTHER]}
    asked = people["trainer"].put(url, json=body).raise_for_status().json()
    assert answer(people["other"], made, agree=False).status_code == 204
    assert error_of(answer(people["other"], made, agree=True)) == (404, "class_unknown")
    body["version"] = asked["version"]
    added = people["manager"].put(url, json=body).raise_for_status().json()
    assert [one["agreed"] for one in added["members"]] == [True]


def test_a_class_is_set_a_lesson_and_its_members_see_it(people, own_class):
    url = f"/api/learning/classes/{own_class['id']}/assignments"
    body = {"lesson": "minute", "due_at": "2026-12-01T16:00:00Z"}
    assert people["trainer"].post(url, json=body).status_code == 201
    mine = people["driver"].get(f"/api/learning/people/{DRIVER}").json()["assigned"]
    assert [one["lesson"] for one in mine if one["class_name"] == "Autumn"][-1] == "minute"
    assert error_of(people["trainer"].post(url, json={**body, "lesson": "tea"})) == (422, "lesson_unknown")
    assert error_of(people["trainer"].post(url, json={**body, "person_id": OTHER})) == (422, "not_in_class")
    classes = people["trainer"].get("/api/learning/classes").json()
    set_one = next(one for one in classes if one["id"] == own_class["id"])["assigned"][0]["id"]
    assert people["trainer"].delete(f"/api/learning/assignments/{set_one}").status_code == 200


def test_two_at_once_do_not_overwrite_a_class(people, own_class):
    body = {"version": own_class["version"], "name": "Autumn 2", "members": [DRIVER]}
    url = f"/api/learning/classes/{own_class['id']}"
    assert people["manager"].put(url, json=body).status_code == 200
    assert error_of(people["trainer"].put(url, json=body)) == (409, "changed_meanwhile")


def test_a_trainer_overrules_with_a_reason_that_stays(people, own_class):
    url = f"/api/learning/people/{DRIVER}/notes"
    assert error_of(people["trainer"].post(url, json={"kind": "ready"})) == (422, "reason_missing")
    assert people["trainer"].post(url, json={"kind": "ready", "text": "Seen on the yard"}).status_code == 201
    people["trainer"].post(url, json={"kind": "note", "text": "hurries", "private": True}).raise_for_status()
    people["trainer"].post(url, json={"kind": "passed", "about": "exam", "text": "on MV-12"}).raise_for_status()
    own = people["driver"].get(f"/api/learning/people/{DRIVER}").json()
    assert own["overruled"]["text"] == "Seen on the yard"
    assert "hurries" not in [one["text"] for one in own["notes"]]
    assert next(one["state"] for one in own["lessons"] if one["id"] == "exam") == "helped"
    assert error_of(people["driver"].post(url, json={"kind": "ready", "text": "me"}))[0] == 403


def test_who_made_a_mistake_is_found_across_a_class(people, own_class, failed_then_passed):
    practised(people["driver"], failed_then_passed[0])
    board = f"/api/learning/classes/{own_class['id']}/board"
    wrong = people["trainer"].get(board, params={"code": "over_revved"}).json()["wrong"]
    assert {one["person"] for one in wrong} == {WHO["driver"]}
    assert error_of(people["trainer"].get(board, params={"code": "laziness"})) == (422, "mistake_unknown")


def test_what_is_kept_is_taken_along_and_forgotten_on_request(people, failed_then_passed):
    other = people["other"]
    practised(other, failed_then_passed[1])
    record = other.get(f"/api/learning/people/{OTHER}/record.json").json()
    assert record["format"] == "low-hiss-learning/1"
    assert record["practices"][0]["record"]["format"] == "low-hiss-practice/1"
    lines = list(csv.DictReader(io.StringIO(other.get(f"/api/learning/people/{OTHER}/record.csv").text)))
    assert [(line["lesson"], line["passed"], line["mode"]) for line in lines] == [("dash", "True", "led")]
    assert error_of(people["driver"].delete(f"/api/learning/people/{OTHER}/record")) == (403, "not_yours")
    assert other.delete(f"/api/learning/people/{OTHER}/record").json() == {"practices": 1}
    assert other.get(f"/api/learning/people/{OTHER}/record.json").json()["practices"] == []


def test_a_summary_that_cannot_be_is_refused(people, failed_then_passed):
    trainee = failed_then_passed[1]
    after = json.loads(json.dumps(debrief(trainee.drive, trainee.marks)))
    after["debrief"]["summary"]["total"] = 900
    body = {
        "title": "truck",
        "began_at": "2026-11-27T08:00:00Z",
        "record": json.loads(json.dumps(trainee.drive.saved_record(trainee.marks))),
        "after": after,
    }
    refused = people["driver"].put(f"/api/practices/{uuid.uuid4()}", json=body)
    assert refused.status_code == 422
    assert "total" in refused.json()["error"]["message"]


def test_a_class_of_three_hundred_is_seen_at_a_glance(people, store):
    from lowhiss.store.people_models import PersonRow

    with store.transaction() as session:
        ids = [str(uuid.uuid4()) for _ in range(300)]
        for n, one in enumerate(ids):
            row = PersonRow(id=one, role="driver", language="en", pressure_unit="psi", name=f"Trainee {one[:8]} {n}")
            session.add(row)
    made = people["manager"].post("/api/learning/classes", json={"name": "Many"}).json()
    body = {"version": made["version"], "name": "Many", "members": ids}
    people["manager"].put(f"/api/learning/classes/{made['id']}", json=body).raise_for_status()
    board = people["manager"].get(f"/api/learning/classes/{made['id']}/board").json()
    assert len(board["rows"]) == 300


def test_answers_to_cards_are_kept_once_and_are_nobody_elses(people):
    review = {
        "id": str(uuid.uuid4()),
        "card": "limit|a card",
        "rating": 3,
        "level": 0,
        "way": "typed",
        "findings": [],
        "at": "2026-11-27T08:00:00Z",
        "took_ms": 4200,
        "device": "tablet",
        "seq": 0,
    }
    driver = people["driver"]
    assert [driver.put("/api/learning/reviews", json={"reviews": [review]}).json()["kept"] for _ in range(2)] == [1, 0]
    assert review["id"] in [one["id"] for one in driver.get("/api/learning/reviews").json()]
    assert review["id"] not in [one["id"] for one in people["manager"].get("/api/learning/reviews").json()]
    without_zone = {**review, "id": str(uuid.uuid4()), "at": "2026-11-27T08:00:00"}
    refused = driver.put("/api/learning/reviews", json={"reviews": [without_zone]})
    assert refused.status_code == 422
    assert "at" in refused.json()["error"]["field"]


@pytest.mark.parametrize(
    "broken",
    [
        {},
        {"reference": 3},
        {"findings": [{"code": "laziness"}]},
        {"score": None},
        {"summary": {"mode": "led", "passed": "yes"}},
        {"summary": {"mode": "led", "shares": {"words": "many"}}},
    ],
)
def test_a_debrief_that_cannot_be_told_is_refused_in_a_sentence(people, failed_then_passed, broken):
    trainee = failed_then_passed[1]
    after = json.loads(json.dumps(debrief(trainee.drive, trainee.marks)))
    after["debrief"] = {**after["debrief"], **broken} if broken else {}
    body = {
        "title": "truck",
        "began_at": "2026-11-27T08:00:00Z",
        "record": json.loads(json.dumps(trainee.drive.saved_record(trainee.marks))),
        "after": after,
    }
    url = f"/api/practices/{uuid.uuid4()}"
    if broken:
        assert people["driver"].put(url, json=body).status_code == 422
    else:
        assert people["driver"].put(url, json=body).status_code == 200  # of an earlier release: it has none


# a fleet's own lessons


def own_table(people, **more):
    """A copy of *release* as the app makes one."""
    text = people["trainer"].get("/api/learning/lessons/release/file").raise_for_status().text
    table = tomllib.loads(text)
    return {**table, "lesson": {**table["lesson"], "id": f"own-{uuid.uuid4().hex[:8]}", "after": "release"}, **more}


def test_a_lesson_is_copied_changed_driven_and_taken_out(people):
    table = own_table(people, drives=[{"faults": ["coupling_leak:severe"]}])
    kept = people["trainer"].put("/api/learning/lessons", json={"table": table}).raise_for_status().json()
    assert (kept["version"], kept["by"]) == (1, WHO["trainer"])
    listed = people["driver"].get("/api/learning/lessons").raise_for_status().json()
    assert table in [one["table"] for one in listed]
    mine = people["driver"].get(f"/api/learning/people/{DRIVER}").raise_for_status().json()["lessons"]
    assert next(one for one in mine if one["id"] == kept["id"])["drives"] == [None]
    # changed by two at once: the second is told
    again = {"table": {**table, "title": {"en": "Ours", "es": "La nuestra"}}, "version": 1}
    assert people["manager"].put("/api/learning/lessons", json=again).json()["version"] == 2
    refused = people["trainer"].put("/api/learning/lessons", json=again)
    assert (refused.status_code, refused.json()["error"]["code"]) == (409, "changed_meanwhile")
    # as a file it comes back the same, by text
    text = people["trainer"].get(f"/api/learning/lessons/{kept['id']}/file").text
    assert tomllib.loads(text) == again["table"]
    assert people["trainer"].put("/api/learning/lessons", json={"text": text, "version": 2}).json()["version"] == 3
    people["trainer"].delete(f"/api/learning/lessons/{kept['id']}").raise_for_status()
    gone = people["driver"].get(f"/api/learning/people/{DRIVER}").json()["lessons"]
    assert kept["id"] not in [one["id"] for one in gone]
    assert people["trainer"].delete(f"/api/learning/lessons/{kept['id']}").status_code == 404


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"drives": [{"faults": ["gremlins"]}]}, "gremlins"),
        ({"mistakes": ["sneezed"]}, "sneezed"),
        ({"start": {"tanks_psi": 900}}, "tanks_psi"),
        ({"drives": [{"traits": {"wheels": 3}}]}, "wheels"),
        ({"drives": []}, "drives"),
        ({"surprise": 1}, "surprise"),
    ],
)
def test_a_lesson_that_cannot_be_driven_is_refused_by_its_field(people, change, said):
    refused = people["trainer"].put("/api/learning/lessons", json={"table": own_table(people, **change)})
    assert refused.status_code == 422, refused.text
    assert said in refused.json()["error"]["message"]


def test_what_a_lessons_file_must_not_be(people):
    def put(client, **body):
        return client.put("/api/learning/lessons", json=body)

    assert put(people["driver"], table=own_table(people)).status_code == 403
    built_in = {**own_table(people), "lesson": {**own_table(people)["lesson"], "id": "release"}}
    assert "built in" in put(people["trainer"], table=built_in).json()["error"]["message"]
    nowhere = own_table(people)
    nowhere["lesson"]["after"] = "never_was"
    assert put(people["trainer"], table=nowhere).json()["error"]["code"] == "lesson_after"
    assert put(people["trainer"]).json()["error"]["code"] == "lesson_empty"
    assert "isn't a lesson" in put(people["trainer"], text='format = "low-hiss-rules/1"').json()["error"]["message"]
    assert "file" in put(people["trainer"], text="[[[").json()["error"]["message"]


# taken along


def test_the_record_is_as_its_schema_says_and_marks_have_a_line_each(people, failed_then_passed):
    for trainee in failed_then_passed:
        practised(people["other"], trainee)
    record = people["other"].get(f"/api/learning/people/{OTHER}/record.json").raise_for_status().json()
    practice = practice_schema()
    registry = Registry().with_resource("low-hiss-practice-1.json", DRAFT202012.create_resource(practice))
    Draft202012Validator(learning_schema(), registry=registry).validate(record)
    wrong = {**record, "practices": [{**record["practices"][0], "record": {"format": "low-hiss-practice/1"}}]}
    with pytest.raises(ValidationError):
        Draft202012Validator(learning_schema(), registry=registry).validate(wrong)
    text = people["other"].get(f"/api/learning/people/{OTHER}/marks.csv").raise_for_status().text
    rows = list(csv.DictReader(io.StringIO(text)))
    marked = sum(len(one["record"]["marks"]) for one in record["practices"])
    assert 0 < len(rows) <= 2 * marked
    assert {row["quality"] for row in rows} <= {"good", "late", "read_off", "too_early", "invented"}
    assert people["driver"].get(f"/api/learning/people/{OTHER}/marks.csv").status_code == 403


def test_the_next_examination_of_a_class_reaches_its_members(people, own_class):
    """The day is the class's; one that has passed is nobody's any more."""
    of = f"/api/learning/people/{DRIVER}"
    assert people["driver"].get(of).json()["exam_on"] == "2026-12-09"
    body = {"version": own_class["version"], "name": "Autumn", "exam_on": "2020-01-01", "members": [DRIVER]}
    people["trainer"].put(f"/api/learning/classes/{own_class['id']}", json=body).raise_for_status()
    assert people["driver"].get(of).json()["exam_on"] != "2020-01-01"


# a practice counts when the server has driven it again


def told(trainee, **record):
    return {
        "title": "truck",
        "began_at": "2026-11-28T08:00:00Z",
        "record": {**json.loads(json.dumps(trainee.drive.saved_record(trainee.marks))), **record},
        "after": json.loads(json.dumps(debrief(trainee.drive, trainee.marks))),
    }


def counted(client, body):
    """What the server says of a practice that was sent, and what it counts for."""
    practice_id = str(uuid.uuid4())
    client.put(f"/api/practices/{practice_id}", json=body).raise_for_status()
    mine = {one["id"]: one for one in client.get("/api/practices").raise_for_status().json()}[practice_id]
    return mine, client.get(f"/api/practices/{practice_id}").json()["after"]


def test_a_failed_practice_that_says_it_was_passed_is_found_out(people, failed_then_passed):
    wrong, right, _ = failed_then_passed
    body = told(wrong)
    true = body["after"]["debrief"]["summary"]
    assert true["passed"] is False
    body["after"]["debrief"] = told(right)["after"]["debrief"]  # of another drive, which was passed
    mine, after = counted(people["other"], body)
    assert (mine["counts"], mine["summary"]) == (True, true)
    assert after["debrief"]["summary"] == true


@pytest.mark.parametrize(
    "change",
    [
        {"kind": "bus"},
        {"traits": {"knobs": "soft"}},
        {"mode": "free"},
        {"procedure": "holds-first"},
    ],
)
def test_a_drive_that_is_not_its_lessons_counts_for_nothing(people, failed_then_passed, change):
    """Passed as sent, but with another vehicle, mode or order of work than the lesson's."""
    body = told(failed_then_passed[1])
    body["record"]["choice"] |= change
    mine, after = counted(people["other"], body)
    assert (mine["ended"], mine["counts"], mine["summary"]) == (True, False, None)
    assert after["run"]["events"], "what was sent stays to be looked at"


def test_a_lesson_of_ones_own_under_a_kept_name_counts_for_nothing(people, failed_then_passed):
    body = told(failed_then_passed[1])
    body["record"]["choice"]["lesson"]["table"] = {**rulebook.lessons()["dash"].table, "passes": {}}
    mine, _ = counted(people["other"], body)
    assert mine["summary"] is None


@pytest.mark.parametrize("moved", [[0, "faults", []], [0, ["key"], "on"], [0], "key", None, {"key": 1}])
def test_controls_from_outside_or_no_controls_at_all_count_for_nothing(people, failed_then_passed, moved):
    """Faults without a trainer, and what no dash sends: the pages that count go on."""
    body = told(failed_then_passed[1])
    body["record"]["controls"] = [moved, *body["record"]["controls"]]
    mine, _ = counted(people["other"], body)
    assert (mine["counts"], mine["summary"]) == (False, None)
    assert people["other"].get(f"/api/learning/people/{OTHER}").status_code == 200


def test_a_practice_of_another_release_that_comes_out_otherwise_counts_for_nothing(people, failed_then_passed):
    body = told(failed_then_passed[1], core="2024.1", digest="0" * 64)
    assert counted(people["other"], body)[0]["summary"] is None
    same = told(failed_then_passed[1], core="2024.1")
    assert counted(people["other"], same)[0]["summary"]["passed"] is True

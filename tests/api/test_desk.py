"""The rule desk over HTTP: drafts, publishing, versions that hold, defaults, cards, orders, what if."""

from __future__ import annotations

import csv
import datetime as dt
import io
import re
import tomllib
import uuid
from concurrent.futures import ThreadPoolExecutor

import httpx
import pytest
from sqlalchemy import select

from lowhiss import rulebook
from lowhiss.core.procedure import read_procedure
from lowhiss.demo.scenario import demo_id
from lowhiss.engine.executor import executor
from lowhiss.engine.whatif import replay
from lowhiss.service.jobs import LEFT_AFTER, claim
from lowhiss.service.people.signin import Person
from lowhiss.service.rules.saved_rules import saved_rules
from lowhiss.service.runs import whatif
from lowhiss.service.runs.rows import run_of
from lowhiss.store.installation_models import JobRow
from lowhiss.store.run_models import RunRow
from tests.conftest import sign_in
from tests.devices import Device
from tests.plugin import HANG_S

MINUTE_S = 60


def fresh(prefix="set"):
    return f"{prefix}-{uuid.uuid4().hex[:8]}"


def warning(psi, **more):
    return {
        "key": "low_air_warning",
        "stage": "low_air_warning",
        "unit": "psi",
        "bounds": [{"at_least": psi}],
        "source": {"document": "handbook", "standing": "fleet"},
        **more,
    }


def table(name, *limits, parent="us-cdl", **more):
    title = {"en": name, "es": name}
    return {
        "format": "low-hiss-rules/1",
        "id": name,
        "title": title,
        "parent": parent,
        "limit": list(limits),
        **more,
    }


def order_table(name, *steps, **more):
    return {"format": "low-hiss-procedure/1", "id": name, "title": {"en": name, "es": name}, "steps": steps, **more}


def drafted(http, content, revision=None):
    return http.put("/api/rules/draft", json={"table": content, "revision": revision})


def published(http, content, kind="rules", **more):
    draft = drafted(http, content).raise_for_status().json()
    body = {"revision": draft["revision"], **more}
    return http.post(f"/api/rules/{kind}/{draft['name']}/publish", json=body).raise_for_status().json()


def error_of(answer, status):
    assert answer.status_code == status, answer.text
    return answer.json()["error"]


@pytest.fixture
def as_person(app_url):
    with (
        httpx.Client(base_url=app_url, timeout=HANG_S) as trainer,
        httpx.Client(base_url=app_url, timeout=HANG_S) as driver,
    ):
        yield {"trainer": sign_in(trainer, "Hanne Solberry"), "driver": sign_in(driver, "Tove Lind")}


def test_a_trainer_drafts_a_manager_publishes_and_nobody_changes_it_after(client, as_person):
    trainer, name = as_person["trainer"], fresh()
    draft = drafted(trainer, table(name, warning(60))).json()
    assert (draft["version"], draft["state"], draft["hash"]) == (1, "draft", None)
    assert error_of(drafted(as_person["driver"], table(fresh())), 403)["code"] == "not_allowed"
    body = {"revision": draft["revision"]}
    refused = trainer.post(f"/api/rules/rules/{name}/publish", json=body)
    assert error_of(refused, 403)["code"] == "not_allowed"
    drafts = [one["name"] for one in as_person["driver"].get("/api/rules").json()]
    assert name not in drafts
    done = client.post(f"/api/rules/rules/{name}/publish", json=body).raise_for_status().json()
    assert (done["state"], done["now"], done["published_by"]) == ("published", True, "Odile Ferrow")
    assert name in [one["name"] for one in as_person["driver"].get("/api/rules").json()]
    again = client.post(f"/api/rules/rules/{name}/publish", json=body)
    assert error_of(again, 409)["message"] == "Version 1 has already been published by Odile Ferrow."
    # what is written on is the next version
    second = drafted(trainer, table(name, warning(62))).json()
    assert (second["version"], second["state"]) == (2, "draft")
    told = {(one["name"], one["version"]): one for one in client.get("/api/rules").json()}
    assert told[name, 1]["hash"] == done["hash"]


def test_two_who_write_or_publish_at_once_do_not_lose_one_anothers_work(client, as_person):
    name = fresh()
    draft = drafted(client, table(name, warning(60))).json()
    assert drafted(client, table(name, warning(61)), draft["revision"]).status_code == 200
    late = drafted(as_person["trainer"], table(name, warning(65)), draft["revision"])
    assert error_of(late, 409)["code"] == "changed_meanwhile"
    assert error_of(drafted(client, table(name, warning(66))), 409)["code"] == "changed_meanwhile"
    newest = next(one for one in client.get("/api/rules").json() if one["name"] == name)
    assert newest["written"]["limit"][0]["bounds"] == [{"at_least": 61}]
    body = {"revision": newest["revision"]}
    with ThreadPoolExecutor(4) as pool:
        answers = list(pool.map(lambda _: client.post(f"/api/rules/rules/{name}/publish", json=body), range(4)))
    assert sorted(answer.status_code for answer in answers) == [200, 409, 409, 409]
    assert [one["version"] for one in client.get("/api/rules").json() if one["name"] == name] == [1]


def test_what_is_looser_than_the_law_says_so_and_needs_a_reason(client):
    name = fresh()
    checked = client.post("/api/rules/check", json={"table": table(name, warning(50))}).json()
    assert next(one["text"] for one in checked["looser"]) == (
        "Low-air warning: looser than US CDL manual, air brakes section (from memory)"
    )
    assert checked["said"]["low_air_warning"]["es"].endswith("debe marcar 50 psi o más.")
    draft = drafted(client, table(name, warning(50))).json()
    refused = client.post(f"/api/rules/rules/{name}/publish", json={"revision": draft["revision"]})
    assert "give the fleet's reason" in error_of(refused, 422)["message"]
    better = drafted(client, table(name, warning(50, reason="old yard unit")), draft["revision"]).json()
    assert client.post(f"/api/rules/rules/{name}/publish", json={"revision": better["revision"]}).is_success


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (lambda n: table(n, warning(8)), "must be 35 to 95 psi, not 8 psi"),
        (lambda n: table(n, warning(60), parent=n), "isn't a rule set in force here"),
        (lambda n: {**table(n), "id": "us-cdl"}, "leads back to 'us-cdl'"),
        (lambda n: {**table(n), "title": {"en": " ", "es": "x"}}, "title.en: must be 1 to 60 visible characters"),
        (lambda n: {**table(n), "title": 5}, "title: must be a table of fields"),
        (lambda n: {**order_table(n, "cut_out"), "title": "Yard"}, "title: must be a table of fields"),
        (lambda n: order_table(n), "needs 1 to 60 steps"),
        (lambda n: order_table(n, "safe_start"), "needs at least one stage"),
        (lambda _: order_table("us-full", "cut_out"), "is a built-in test order"),
        (lambda _: {"format": "recipe"}, "format: must be low-hiss-rules/1"),
    ],
)
def test_a_draft_that_cannot_be_meant_is_refused_in_one_sentence(client, content, words):
    refused = error_of(drafted(client, content(fresh())), 422)
    assert words in refused["message"]
    checked = client.post("/api/rules/check", json={"table": content(fresh())}).json()
    assert words in checked["problem"]


def test_a_circle_of_parents_is_refused_where_it_would_close(client):
    first, second = fresh("a"), fresh("b")
    published(client, table(first))
    published(client, table(second, parent=first))
    refused = error_of(drafted(client, table(first, parent=second)), 422)
    assert f"leads back to '{first}' through {second}" in refused["message"]


def test_a_file_goes_out_and_in_again_and_a_huge_or_foreign_one_is_refused(client):
    name = fresh()
    published(client, table(name, warning(60), holding="gear_too"))
    text = client.get(f"/api/rules/rules/{name}/file").text
    assert tomllib.loads(text)["parent"] == "us-cdl"
    other = fresh()
    brought = client.post(
        "/api/rules/import", content=text.replace(name, other), headers={"content-type": "text/plain"}
    ).json()
    assert (brought["name"], brought["state"]) == (other, "draft")
    whole = client.get("/api/rules/rules/us-federal/file").text
    assert tomllib.loads(whole)["id"] == "us-federal"
    # what comes from a set of the fleet's own is written whole: nobody else has that parent
    child = fresh()
    published(client, table(child, parent=name))
    assert len(tomllib.loads(client.get(f"/api/rules/rules/{child}/file").text)["limit"]) > 5
    for data, status, words in (
        (b"#" * (1024 * 1024 + 10), 422, "the maximum is 1024 kB"),
        (b"#" * (10 * 1024 * 1024), 413, "At most 2 MB"),
        (b"\xff\xfe", 422, "isn't UTF-8"),
        (b'format = "x"', 422, "neither a rule set nor a test order"),
    ):
        answer = client.post("/api/rules/import", content=data, headers={"content-type": "text/plain"})
        assert words in error_of(answer, status)["message"]


def test_a_run_keeps_the_version_that_led_it_though_another_is_in_force_when_it_arrives(client):
    name, unit_id = fresh(), demo_id("MV-22")
    published(client, table(name, warning(60)))
    script = client.get(f"/api/units/{unit_id}/script", params={"rules": name, "procedure": "static-only"}).json()
    published(client, table(name, warning(64)))
    device, other = Device(client), Device(client)
    # led without contact by the version that it was given
    told = {"rules": name, "rules_hash": script["rules"]["hash"], "procedure": "static-only"}
    device.begin(unit_id=unit_id, **told).raise_for_status()
    other.begin(unit_id=unit_id, rules=name, procedure="static-only").raise_for_status()
    first, second = (client.get(f"/api/runs/{one.run_id}/record").json()["rules"] for one in (device, other))
    assert [limit["bounds"] for limit in first["limit"] if limit["key"] == "low_air_warning"] == [[{"at_least": 60}]]
    assert [limit["bounds"] for limit in second["limit"] if limit["key"] == "low_air_warning"] == [[{"at_least": 64}]]
    # a version of another name is not taken for this one's
    wrong = Device(client)
    wrong.begin(unit_id=unit_id, rules="us-cdl", rules_hash=script["rules"]["hash"]).raise_for_status()
    assert client.get(f"/api/runs/{wrong.run_id}/record").json()["rules"] == "us-cdl"


def test_a_set_is_retired_only_when_nobody_is_left_without_it_and_a_running_test_goes_on(client):
    name, unit_name = fresh(), fresh("U")
    published(client, table(name, warning(60)))
    body = {"name": unit_name, "kind": "bus", "rules": name}
    unit = client.post("/api/units", json=body).raise_for_status().json()
    device = Device(client)
    device.begin(unit_id=unit["id"]).raise_for_status()
    in_use = error_of(client.post(f"/api/rules/rules/{name}/retire"), 422)
    assert in_use["message"] == f"name: {unit_name} would be left without one. Choose another for them first."
    changed = {**body, "rules": None, "version": unit["version"]}
    unit = client.put(f"/api/units/{unit['id']}", json=changed).raise_for_status().json()
    assert (unit["rules"], unit["own_rules"]) == ("us-cdl", None)
    assert client.post(f"/api/rules/rules/{name}/retire").status_code == 204
    device.send({"type": "note", "text": "still here"}).raise_for_status()
    report = client.get(f"/api/runs/{device.run_id}/report").json()
    assert report["verdict"]["rules"] == name
    gone = client.get(f"/api/units/{unit['id']}/script", params={"rules": name})
    assert "isn't a rule set in force here" in error_of(gone, 422)["message"]
    assert error_of(client.post(f"/api/rules/rules/{name}/retire"), 404)["code"] == "edition_unknown"


def test_a_set_holds_from_its_day_on_and_never_before(client):
    name = fresh()
    published(client, table(name, warning(60)))
    later = dt.datetime.now(dt.UTC) + dt.timedelta(days=30)
    second = published(client, table(name, warning(64)), effective_from=later.isoformat())
    assert not second["now"]
    compared = client.get("/api/rules/compare", params={"sets": ["us-cdl", name, f"{name}@2"]}).json()
    row = next(row for row in compared["rows"] if row["stage"] == "low_air_warning")
    assert [cell["short"] for cell in row["cells"]] == ["55+", "60+", "64+"]
    assert [column["version"] for column in compared["columns"]] == [None, 1, 2]
    draft = drafted(client, table(name, warning(66))).json()
    past = {"revision": draft["revision"], "effective_from": "2020-01-01T00:00:00Z"}
    refused = client.post(f"/api/rules/rules/{name}/publish", json=past)
    assert error_of(refused, 422)["code"] == "date_past"


def test_kinds_and_units_are_tested_by_what_was_chosen_for_them(client):
    name, order = fresh(), fresh("order")
    published(client, table(name, warning(60)))
    published(client, order_table(order, "safe_start", "cut_out", "release", "leak_applied"), "procedure")
    unit = client.post("/api/units", json={"name": fresh("U"), "kind": "straight_truck"}).json()
    before = client.get("/api/rulebook").json()["tested_by"]["straight_truck"]
    try:
        chosen = {"kinds": {"straight_truck": {"rules": name, "procedure": order}}}
        book = client.put("/api/rulebook/tested-by", json=chosen).raise_for_status().json()
        assert book["tested_by"]["straight_truck"] == {"rules": name, "procedure": order}
        script = client.get(f"/api/units/{unit['id']}/script").json()
        assert (script["rules"]["id"], script["procedure"]["id"]) == (name, order)
        own = {"name": unit["name"], "kind": "straight_truck", "rules": "us-older", "version": 1}
        client.put(f"/api/units/{unit['id']}", json=own).raise_for_status()
        script = client.get(f"/api/units/{unit['id']}/script").json()
        assert (script["rules"]["id"], script["procedure"]["id"]) == ("us-older", "single-vehicle")
        held = error_of(client.post(f"/api/rules/procedure/{order}/retire"), 422)
        assert "every truck would be left without one" in held["message"]
        wrong = client.put("/api/rulebook/tested-by", json={"kinds": {"bus": {"rules": "no-such"}}})
        assert "'no-such' isn't a rule set in force here" in error_of(wrong, 422)["message"]
    finally:
        client.put("/api/rulebook/tested-by", json={"kinds": {"straight_truck": before}}).raise_for_status()
    client.post(f"/api/rules/procedure/{order}/retire").raise_for_status()
    assert order not in {one["id"] for one in client.get("/api/rulebook").json()["procedures"]}


def test_a_fleets_own_consequences_hold_for_what_is_reported_of_its_units(client):
    name = fresh()
    published(client, table(name, consequences={"marker": "stay"}))
    groups = {group["id"]: group for group in client.get("/api/groups").json()}
    assert groups["marker"]["by_rules"][name] == "stay"
    assert groups["washer"]["by_rules"][name] == groups["washer"]["by_rules"]["us-cdl"]
    told = client.get("/api/rules/inspection", params={"ref": f"{name}@1"}).json()
    assert next(one for one in told["groups"] if one["id"] == "marker")["consequence"] == "stay"


def test_an_inspection_is_led_by_the_fleets_own_numbers_and_keeps_them(client):
    name = fresh()
    source = {"document": "handbook", "standing": "fleet"}
    own = {"measure": "tread", "axles": ["steer"], "at_least": 5, "source": source}
    published(client, table(name, round_limit=[own]))
    unit = client.post("/api/units", json={"name": fresh("U"), "kind": "straight_truck", "rules": name}).json()
    start = client.get(f"/api/units/{unit['id']}/inspection").json()
    assert start["record"]["rules"]["id"] == name
    assert start["script"]["rules_hash"]
    begun = Device(client)
    moment = begun.moment()
    inspection_id = str(uuid.uuid4())
    body = {
        "id": inspection_id,
        "unit_id": unit["id"],
        "way": start["record"]["way"],
        "rules": start["script"]["rules"],
        "rules_hash": start["script"]["rules_hash"],
        "begun": moment,
        "sent": moment,
    }
    client.post("/api/inspections", json=body).raise_for_status()
    published(client, table(name, round_limit=[{**own, "at_least": 6}]))
    record = client.get(f"/api/inspections/{inspection_id}/record").json()
    assert record["rules"]["round_limit"][0]["at_least"] == 5
    assert (
        client.get(f"/api/inspections/{inspection_id}/state", params={"rules": "us-federal"}).json()["rules"]
        == "us-federal"
    )


def test_an_order_is_reckoned_as_it_is_bent_and_a_card_says_it_in_both_languages(client):
    asked = {"table": order_table("tried", "release", "leak_applied"), "rules": "us-cdl", "kind": "bus"}
    plan = client.post("/api/orders/plan", json=asked, params={"lang": "es", "unit": "kpa"}).json()
    assert (plan["refills"], plan["begins_full"], plan["problem"]) == (0, True, "")
    assert plan["steps"][-1]["limit"] == "≤ 20.7"
    asked["table"]["steps"] = ["rebuild"]
    for language, problem in (
        ("en", "Refill can pass only after Spring brakes. Put Spring brakes first."),
        ("es", "«Rellenar» solo se aprueba después de «Frenos de resorte». Póngala antes."),
    ):
        broken = client.post("/api/orders/plan", json=asked, params={"lang": language}).json()
        assert (broken["place"], broken["problem"]) == (0, problem)
    card = client.get(f"/api/units/{demo_id('MV-21')}/card").json()
    held = next(line for line in card["lines"] if line["stage"] == "leak_applied")
    assert held["limit"] == "≤ 3"
    assert held["said"]["es"].startswith("Con el pedal pisado")
    parking = next(line for line in card["lines"] if line["stage"] == "hold_parking")
    assert "drive" in parking["does"]["en"].lower()  # the crew bus is an automatic


def test_what_was_measured_stands_under_a_limit_that_is_moved(client):
    was = {**warning(55), "source": {"document": "x", "standing": "fleet"}}
    body = {
        "stage": "low_air_warning",
        "kind": "straight_truck",
        "was": was,
        "now": {**was, "bounds": [{"at_least": 64}]},
    }
    found = client.post("/api/rules/weigh", json=body).json()
    assert found["runs"] > 20
    assert sum(value["runs"] for value in found["values"]) == found["runs"]
    assert found["pass_no_longer"] == sum(v["runs"] for v in found["values"] if 55 <= v["value"] < 64)
    assert found["fail_no_longer"] == 0


# what if


def answered(store, http, **asked):
    """Ask, and answer here: what the worker's thread does, without waiting for it."""
    job = whatif.ask(store, _person(), asked.pop("rules"), whatif.Choice(**asked))
    assert claim(store, (whatif.KIND,), "here", dt.datetime.now(dt.UTC)) == (whatif.KIND, job.id)
    with executor(width=2) as elsewhere:
        whatif.work_on(store, job.id, "here", elsewhere)
    return http.get(f"/api/what-if/{job.id}").json()


def _person():
    return Person(demo_id("Odile Ferrow"), "Odile Ferrow", "manager", "en", "psi", True)


def test_what_if_says_of_every_run_what_judging_it_by_itself_says(client, store):
    others = rulebook.rule_set("us-older")
    job = answered(store, client, rules="us-older", search="MV-")
    with store.transaction() as session:
        rows = session.scalars(
            select(RunRow).where(RunRow.ended_at.is_not(None), RunRow.demo).order_by(RunRow.started_at)
        ).all()
        one_by_one = list(
            replay(
                (
                    (run_of(session, row), saved_rules(session, row.rules_hash), read_procedure(row.procedure))
                    for row in rows
                ),
                others,
            )
        )
    expected = {
        change.run.id: (change.before, change.after, list(change.stages)) for change in one_by_one if change.stages
    }
    lines, after = [], 0
    while page := client.get(f"/api/what-if/{job['id']}/lines", params={"after": after}).json():
        lines, after = lines + page, after + len(page)
    demo = {
        line["run_id"]: (line["before"], line["after"], [(s["stage"], s["before"], s["after"]) for s in line["stages"]])
        for line in lines
        if line["run_id"] in {row.id for row in rows}
    }
    assert demo == expected
    assert job["state"] == "done"
    assert job["done"] == job["total"] >= len(rows)
    assert job["changed"] == sum(line["before"] != line["after"] for line in lines)
    assert sum(way["runs"] for way in job["ways"]) == job["changed"]
    sums = [stage for line in lines for stage in line["stages"]]
    assert any("limit" in one["was"] and "limit" in one["now"] and one["was"] != one["now"] for one in sums)
    text = client.get(f"/api/what-if/{job['id']}/csv", params={"unit": "kpa", "lang": "es"}).text
    rows_out = list(csv.DictReader(io.StringIO(text)))
    assert len(rows_out) == sum(max(1, len(line["stages"])) for line in lines)
    assert any("kPa" in row["now"] for row in rows_out)


def test_a_stage_that_would_be_void_says_why(client, store):
    """The fleet times the build-up between other pressures than the test that was made."""
    job = answered(store, client, rules="marram-valley", search="MV-18")
    lines = client.get(f"/api/what-if/{job['id']}/lines").json()
    void = [stage for line in lines for stage in line["stages"] if stage["after"] == "void"]
    assert void
    why = re.compile(r"Only read from \d+ psi to \d+ psi: too small a rise to time\.")
    assert all(why.fullmatch(stage["now"]) for stage in void), void


def test_a_question_is_narrowed_like_the_log_and_one_over_nothing_is_refused(client, store):
    all_of_it = answered(store, client, rules="us-older", search="MV-07")
    failed = answered(store, client, rules="us-older", search="MV-07", outcome="fail")
    assert 0 < all_of_it["total"] < 60
    assert failed["total"] < all_of_it["total"]
    since = dt.datetime(2026, 6, 1, tzinfo=dt.UTC)
    assert answered(store, client, rules="us-older", search="MV-07", since=since)["total"] < all_of_it["total"]
    nothing = client.post("/api/what-if", json={"rules": "us-older", "search": "This unit doesn't exist"})
    assert error_of(nothing, 422)["code"] == "nothing_chosen"
    unknown = client.post("/api/what-if", json={"rules": "no-such"})
    assert "isn't a rule set in force" in error_of(unknown, 422)["message"]


def test_a_question_goes_on_where_it_stood_and_finds_nothing_twice(client, store, monkeypatch):
    whole = answered(store, client, rules="us-older", search="MV-")
    monkeypatch.setattr(whatif, "AT_ONCE", 20)
    job = whatif.ask(store, _person(), "us-older", whatif.Choice(search="MV-"))
    now = dt.datetime.now(dt.UTC)
    assert claim(store, (whatif.KIND,), "first", now) == (whatif.KIND, job.id)
    kept = whatif._save_part
    parts = 0

    def dies_after_three(*given):
        nonlocal parts
        parts += 1
        if parts > 3:
            raise KeyboardInterrupt
        return kept(*given)

    monkeypatch.setattr(whatif, "_save_part", dies_after_three)
    with executor(width=1) as elsewhere, pytest.raises(KeyboardInterrupt):
        whatif.work_on(store, job.id, "first", elsewhere)
    monkeypatch.setattr(whatif, "_save_part", kept)
    assert whatif.job(store, job.id).done == 60
    # nobody takes it up while it may still be worked on
    assert claim(store, (whatif.KIND,), "second", now) is None
    later = dt.datetime.now(dt.UTC) + LEFT_AFTER + dt.timedelta(seconds=1)
    assert claim(store, (whatif.KIND,), "second", later) == (whatif.KIND, job.id)
    with executor(width=2) as elsewhere:
        whatif.work_on(store, job.id, "second", elsewhere)
    again = client.get(f"/api/what-if/{job.id}").json()
    for same in ("total", "done", "judged", "changed", "lines", "ways", "units"):
        assert again[same] == whole[same]


def test_a_question_that_is_stopped_keeps_what_it_found_and_is_never_taken_up_again(client, store, monkeypatch):
    monkeypatch.setattr(whatif, "AT_ONCE", 20)
    job = whatif.ask(store, _person(), "us-older", whatif.Choice(search="MV-"))
    assert claim(store, (whatif.KIND,), "here", dt.datetime.now(dt.UTC)) == (whatif.KIND, job.id)
    kept = whatif._save_part

    def stopped_meanwhile(*given):
        done = kept(*given)
        client.post(f"/api/what-if/{job.id}/stop").raise_for_status()
        return done

    monkeypatch.setattr(whatif, "_save_part", stopped_meanwhile)
    with executor(width=1) as elsewhere:
        whatif.work_on(store, job.id, "here", elsewhere)
    told = client.get(f"/api/what-if/{job.id}").json()
    assert (told["state"], told["done"]) == ("cancelled", 20)
    late = dt.datetime.now(dt.UTC) + dt.timedelta(hours=1)
    assert claim(store, (whatif.KIND,), "other", late) is None


def test_whoever_asks_is_answered_by_the_server_itself(client, store):
    job = client.post("/api/what-if", json={"rules": "us-older", "search": "MV-05"}).raise_for_status().json()
    assert job["state"] == "waiting"
    worker = None
    deadline = dt.datetime.now(dt.UTC) + dt.timedelta(seconds=MINUTE_S)
    while dt.datetime.now(dt.UTC) < deadline:
        told = client.get(f"/api/what-if/{job['id']}").json()
        if told["state"] == "done":
            break
    assert told["state"] == "done"
    with store.transaction() as session:
        worker = session.get_one(JobRow, job["id"]).worker
    assert worker
    listed = client.get("/api/what-if").json()
    assert listed[0]["id"] == job["id"]

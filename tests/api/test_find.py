"""The log found by what runs are and measured: each filter against a search of every run, paged; lists kept."""

from __future__ import annotations

import datetime as dt
import uuid

import httpx
import pytest

from lowhiss.service.runs import log, run_search
from tests.conftest import sign_in
from tests.devices import Device
from tests.plugin import HANG_S


@pytest.fixture(scope="module")
def everything(store):
    """Every run with its report's figures, the latest first, by asking page after page."""
    lines, before = [], None
    while page := log.log_page(store, before=before):
        lines += page
        before = page[-1].head.id
    return lines


def drop(line):
    held = line.figures["stages"].get("leak_applied", {})
    decided = held.get("outcome") in ("pass", "fail")
    return held.get("normalised_psi", held.get("drop_psi")) if decided else None


OCTOBER = dt.datetime(2026, 10, 1, tzinfo=dt.UTC)
FILTERS = {
    "purpose": ({"purpose": "training"}, lambda line: line.head.purpose == "training"),
    "rules": ({"rules": "canada-west"}, lambda line: line.head.rules == "canada-west"),
    "driver": ({"driver": "Tove Lind"}, lambda line: line.head.driver == "Tove Lind"),
    "person": (
        {"person": "tove  LIND"},
        lambda line: "Tove Lind" in {line.head.driver, line.head.begun_by, line.head.setup.watcher},
    ),
    "since": ({"since": OCTOBER.isoformat()}, lambda line: line.head.started_at >= OCTOBER),
    "until": ({"until": OCTOBER.isoformat()}, lambda line: line.head.started_at < OCTOBER),
    "least": ({"quantity": "leak_applied", "at_least": 3}, lambda line: (drop(line) or 0) >= 3),
    "most": ({"quantity": "leak_applied", "at_most": 1}, lambda line: drop(line) is not None and drop(line) <= 1),
    "number and driver": (
        {"quantity": "leak_applied", "at_least": 2, "driver": "Tove Lind"},
        lambda line: (drop(line) or 0) >= 2 and line.head.driver == "Tove Lind",
    ),
    "outcome and word": (
        {"outcome": "fail", "search": "MV-1"},
        lambda line: line.outcome == "fail" and "MV-1" in line.head.unit.name,
    ),
    "word of units and drivers": (
        {"search": "o"},
        lambda line: "o" in line.head.driver.casefold() or "o" in line.head.unit.name.casefold(),
    ),
    "word of each": (
        {"search": "mv-1 OSEI"},
        lambda line: "MV-1" in line.head.unit.name and "Osei" in line.head.driver,
    ),
    "word and number": (
        {"search": "Lind MV", "quantity": "leak_applied", "at_least": 1},
        lambda line: (drop(line) or 0) >= 1 and "Lind" in line.head.driver and "MV" in line.head.unit.name,
    ),
    "sealed": ({"sealed": True}, lambda line: line.head.sealed),
    "recorded": ({"recorded": True}, lambda line: line.head.recording is not None),
}


def ended(lines):
    return [line for line in lines if line.head.ended_by is not None]


@pytest.mark.parametrize("name", FILTERS)
def test_a_filter_finds_what_a_search_of_every_run_finds(client, everything, name, monkeypatch):
    monkeypatch.setattr(log, "LOG_PAGE", 7)
    query, fits = FILTERS[name]
    # a number is found once a test has ended
    among = ended(everything) if "quantity" in query else everything
    wanted = [line.head.id for line in among if fits(line)]
    found, before = [], None
    while True:
        page = (
            client.get("/api/log", params={**query, **({"before": before} if before else {})}).raise_for_status().json()
        )
        found += [run["run"]["id"] for run in page["runs"]]
        before = page["next_before"]
        if before is None:
            break
    known = {line.head.id for line in everything}
    assert [one for one in found if one in known] == wanted
    counted = client.get("/api/log/count", params=query).json()
    assert counted["runs"] == len(found)


@pytest.mark.parametrize("search", ["o", "mv-1", "mv-1 OSEI", "Lind MV", "e MV-1 o", "MV-12", "nobody", "%", "_"])
def test_few_names_and_many_are_searched_by_other_ways_that_find_the_same(store, everything, search, monkeypatch):
    words = search.casefold().split()
    known = [line.head for line in everything]
    fits = [all(word in one.driver.casefold() or word in one.unit.name.casefold() for word in words) for one in known]
    wanted = [one.id for one, fit in zip(known, fits, strict=True) if fit][: log.LOG_PAGE]
    for few in (0, 3, 1000):
        monkeypatch.setattr(run_search, "FEW", few)
        found = [line.head.id for line in log.log_page(store, log.Wanted(search=search))]
        ids = {one.id for one in known}
        assert [one for one in found if one in ids] == wanted, few


def test_a_finding_is_found_by_its_code(client, everything):
    told = client.get("/api/log/findable").json()
    assert "leak_applied" in told["quantities"]
    assert "…" in told["findings"]["third_failure"]
    codes = {}
    for line in ended(everything)[:40]:
        report = client.get(f"/api/runs/{line.head.id}/report").json()
        of = {one["code"] for stage in report["verdict"]["stages"] for one in stage["findings"]}
        of |= {one["code"] for one in report["verdict"]["coach"]}
        for code in of:
            codes.setdefault(code, []).append(line.head.id)
    assert len(codes) >= 5
    for code, runs in codes.items():
        page = client.get("/api/log", params={"finding": code}).json()["runs"]
        found = [run["run"]["id"] for run in page]
        assert found[: len(runs)] == runs[: len(found)], code


def test_whoever_watched_joined_or_signed_is_found_as_well_as_who_drove(client, app_url, everything):
    watched = {line.head.setup.watcher for line in everything} - {""}
    for name in (*sorted(watched)[:3], "Nobody At All"):
        found = {run["run"]["id"] for run in client.get("/api/log", params={"person": name}).json()["runs"]}
        wanted = [line.head.id for line in everything if name in (line.head.driver, line.head.setup.watcher)]
        assert set(wanted[: log.LOG_PAGE]) <= found or len(found) == log.LOG_PAGE
        assert bool(found) == (name != "Nobody At All")
    device = Device(client)
    run_id = device.begin("MV-12", driver="Bram Osei").raise_for_status().json()["id"]
    code = client.post(f"/api/runs/{run_id}/join-code").raise_for_status().json()["code"]
    with httpx.Client(base_url=app_url, timeout=HANG_S) as http:
        trainer = sign_in(http, "Hanne Solberry")
        trainer.post("/api/runs/join", json={"code": code}).raise_for_status()

        def of(name):
            page = trainer.get("/api/log", params={"person": name}).raise_for_status().json()
            return run_id in [run["run"]["id"] for run in page["runs"]]

        assert of("Bram Osei")
        assert of("Hanne Solberry")
        assert not of("Ines Aldous")
        device.send(device.marked("finished")).raise_for_status()
    with httpx.Client(base_url=app_url, timeout=HANG_S) as http:
        manager = sign_in(http, "Odile Ferrow")
        assert {"Bram Osei", "Hanne Solberry"} <= set(manager.get("/api/log/findable").json()["people"])


def test_what_there_is_not_is_refused_by_its_field(client):
    for query, field in (
        ({"quantity": "colour"}, "quantity"),
        ({"finding": "bored"}, "finding"),
        ({"at_least": "much"}, "at_least"),
        ({"since": "yesterday"}, "since"),
        ({"unit": "MV-12"}, "unit"),
    ):
        answer = client.get("/api/log", params=query)
        assert answer.status_code == 422
        assert field in answer.json()["error"]["message"]


def test_a_list_is_one_s_own_and_is_kept_under_its_name(client, app_url):
    name = f"fails {uuid.uuid4().hex[:6]}"
    client.put("/api/log/views", json={"name": name, "query": "outcome=fail"}).raise_for_status()
    client.put("/api/log/views", json={"name": name, "query": "outcome=void"}).raise_for_status()
    assert [one["query"] for one in client.get("/api/log/views").json() if one["name"] == name] == ["outcome=void"]
    with httpx.Client(base_url=app_url, timeout=HANG_S) as http:
        assert name not in [one["name"] for one in sign_in(http, "Tove Lind").get("/api/log/views").json()]
    client.delete("/api/log/views", params={"name": name}).raise_for_status()
    assert name not in [one["name"] for one in client.get("/api/log/views").json()]
    assert client.put("/api/log/views", json={"name": "  ", "query": ""}).json()["error"]["code"] == "view_unnamed"

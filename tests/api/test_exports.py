"""What leaves and what comes: tables that a spreadsheet opens, papers that are drawn, records that are the same."""

from __future__ import annotations

import csv
import datetime as dt
import io
import json
import subprocess
import time
import uuid
import zipfile
from typing import get_args

import httpx
import jsonschema
import openpyxl
import pytest
from sqlalchemy import select

from lowhiss.demo.scenario import demo_id
from lowhiss.exchange.tables import csv_text
from lowhiss.service.exports import export_jobs, papers, tables
from lowhiss.service.fleet import unit_csv
from lowhiss.service.runs.log import Wanted
from lowhiss.store.installation_models import JobRow
from lowhiss.store.run_models import RunRow
from tests.builders import whole_test
from tests.conftest import ROOT, sign_in
from tests.devices import UNIT_ID, Device
from tests.plugin import HANG_S


def whole(client, **asked) -> bytes:
    """The file of an export, once it is there."""
    job = client.post("/api/exports", json=asked).raise_for_status().json()
    ends_at = time.monotonic() + HANG_S
    while job["state"] in ("waiting", "running") and time.monotonic() < ends_at:
        time.sleep(0.1)
        job = client.get(f"/api/exports/{job['id']}").json()
    assert (job["state"], job["done"]) == ("done", job["total"]), job
    return client.get(f"/api/exports/{job['id']}/file").raise_for_status().content


@pytest.fixture
def cheeky(client):
    """A driver whose name a spreadsheet would run, with one test that has ended."""
    name = f"=cmd|' /C calc'!A{uuid.uuid4().hex[:6]}"
    device = Device(client)
    run_id = device.begin("MV-12", driver=name).raise_for_status().json()["id"]
    device.send(device.marked("finished")).raise_for_status()
    return name, run_id


def test_a_name_is_never_a_formula_and_numbers_are_numbers(client, cheeky):
    name, run_id = cheeky
    rows = list(csv.DictReader(io.StringIO(whole(client, what="csv", driver=name).decode("utf-8-sig"))))
    assert [(row["run"], row["driver"]) for row in rows] == [(run_id, f"'{name}")]
    book = openpyxl.load_workbook(io.BytesIO(whole(client, what="xlsx", driver=name)))
    head, row = book.active.iter_rows()
    of = dict(zip([cell.value for cell in head], row, strict=True))
    assert (of["driver"].value, of["driver"].data_type) == (name, "s")
    assert (of["started_at"].is_date, of["sealed"].value) == (True, False)


def test_a_table_holds_what_the_log_holds(client):
    wanted = {"quantity": "leak_applied", "at_least": 3.0}
    listed = client.get("/api/log", params=wanted).json()["runs"]
    book = openpyxl.load_workbook(io.BytesIO(whole(client, what="xlsx", **wanted)))
    head, *rows = book.active.iter_rows(values_only=True)
    place = head.index("leak_applied_psi")
    assert [row[0] for row in rows][: len(listed)] == [one["run"]["id"] for one in listed]
    assert all(isinstance(row[place], int | float) and row[place] >= 3 for row in rows)


def table(client, name, ending):
    """The heads and rows of a table, as who opens the file reads them."""
    answer = client.get(f"/api/tables/{name}.{ending}").raise_for_status()
    assert f"low-hiss-{name}-" in answer.headers["content-disposition"]
    if ending == "csv":
        head, *rows = csv.reader(io.StringIO(answer.content.decode("utf-8-sig")))
    else:
        head, *rows = openpyxl.load_workbook(io.BytesIO(answer.content)).active.iter_rows(values_only=True)
    return tuple(head), [tuple(row) for row in rows]


def _sign_one(client):
    device = Device(client)
    run_id = device.begin("MV-12", driver="Odile Ferrow").raise_for_status().json()["id"]
    device.send(device.marked("finished")).raise_for_status()
    signed = {"id": str(uuid.uuid4()), "person_id": demo_id("Odile Ferrow"), "how": "demo", "secret": ""}
    signed["signed_at"] = dt.datetime.now(dt.UTC).isoformat()
    client.post(f"/api/runs/{run_id}/sign", json=signed).raise_for_status()


@pytest.mark.parametrize("name", get_args(tables.Name))
def test_every_table_is_the_same_as_csv_and_as_xlsx(client, name):
    if name == "seals":
        _sign_one(client)
    head, rows = table(client, name, "csv")
    heads, cells = table(client, name, "xlsx")
    assert (heads, len(cells)) == (head, len(rows))
    assert len(set(head)) == len(head)
    assert rows, "the demo has some of everything"
    for row, typed in zip(rows, cells, strict=True):
        for text, value in zip(row, typed, strict=True):
            assert type(value) in (str, int, float, bool, dt.datetime, type(None))
            if isinstance(value, str):
                assert text.removeprefix("'") == value.removeprefix("'")
            elif isinstance(value, dt.datetime):  # a spreadsheet keeps thousandths
                assert abs(dt.datetime.fromisoformat(text) - value.replace(tzinfo=dt.UTC)).total_seconds() < 0.002


def test_the_table_of_units_is_taken_in_elsewhere_as_it_is(client):
    head, rows = table(client, "units", "csv")
    assert head == unit_csv.COLUMNS
    demo = [row for row in rows if row[0] in UNIT_ID]
    renamed = [(f"{row[0]}-{uuid.uuid4().hex[:4]}", *row[1:]) for row in demo]
    body, as_csv = csv_text([head, *renamed]).encode(), {"Content-Type": "text/csv"}
    answer = client.post("/api/units/import?dry_run=false", content=body, headers=as_csv).raise_for_status()
    assert answer.json()["bad"] == []
    back = {row[0]: row[1:] for row in table(client, "units", "csv")[1]}
    assert all(back[row[0]] == row[1:] for row in renamed)


def test_tables_are_for_those_who_keep_them(app_url):
    for person, units, people in (("Ines Aldous", 403, 403), ("Hanne Solberry", 200, 200), ("Odile Ferrow", 200, 200)):
        with httpx.Client(base_url=app_url, timeout=HANG_S) as http:
            signed = sign_in(http, person)
            assert signed.get("/api/tables/units.csv").status_code == units
            assert signed.get("/api/tables/people.csv").status_code == people
    with httpx.Client(base_url=app_url, timeout=HANG_S) as http:
        assert sign_in(http).get("/api/tables/secrets.csv").status_code == 422


def test_records_leave_with_a_manifest_and_come_back_as_they_were(client, store):
    name = f"Sent Away {uuid.uuid4().hex[:6]}"
    record = {**whole_test(), "id": str(uuid.uuid4()), "started_at": "2026-10-01T05:00:00+00:00"}
    record["unit"] = {**record["unit"], "name": "MV-12"}
    record["people"] = {"driver": name}
    sent = zipped({"runs/a.json": json.dumps(record).encode()}, "Elsewhere")
    assert taken(client, sent) == {"taken": 1, "known": 0, "refused": {}}
    with store.transaction() as session:
        assert session.scalar(select(RunRow.origin).where(RunRow.id == record["id"])) == "Elsewhere"
    assert client.get(f"/api/runs/{record['id']}").json()["origin"] == "Elsewhere"
    (listed,) = client.get("/api/log", params={"driver": name}).json()["runs"]
    assert listed["run"]["origin"] == "Elsewhere"
    packed = zipfile.ZipFile(io.BytesIO(whole(client, what="records", driver=name)))
    manifest = json.loads(packed.read("manifest.json"))
    jsonschema.validate(manifest, json.loads((ROOT / "docs" / "schemas" / "low-hiss-runs-1.json").read_text()))
    (one,) = manifest["runs"]
    left = json.loads(packed.read(one["file"]))
    said = ("at_s", "type", "stage", "point", "item", "state", "knob", "cause", "primary_psi", "secondary_psi")
    of = lambda events: [{key: event.get(key) for key in said} for event in events]  # noqa: E731
    assert of(left["events"]) == of(record["events"])
    # the same again is not doubled; another run of its id is refused, and the one that is here stays
    assert taken(client, packed.fp.getvalue()) == {"taken": 0, "known": 1, "refused": {}}
    left["events"] = left["events"][:-1]
    told = taken(client, zipped({"runs/a.json": json.dumps(left).encode()}, "Elsewhere"))
    assert "with this id but different marks" in told["refused"]["runs/a.json"]
    assert len(client.get(f"/api/runs/{record['id']}/record").json()["events"]) == len(record["events"])


def zipped(files: dict[str, bytes], owner: str) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as packed:
        for name, data in files.items():
            packed.writestr(name, data)
        listed = [{"id": "x", "file": name} for name in files]
        manifest = {"format": "low-hiss-runs/1", "installation": owner, "runs": listed}
        packed.writestr("manifest.json", json.dumps(manifest))
    return out.getvalue()


def taken(client, data):
    answer = client.post("/api/imports", content=data, headers={"content-type": "application/octet-stream"})
    return answer.raise_for_status().json()


def test_what_cannot_be_taken_over_is_named_one_by_one(client, app_url):
    unknown = {**whole_test(), "id": str(uuid.uuid4()), "started_at": "2026-10-01T05:00:00+00:00"}
    unknown["unit"] = {**unknown["unit"], "name": "Nobody's"}
    told = taken(
        client,
        zipped({"a.json": b"{", "b.json": b"{}", "c.json": json.dumps(unknown).encode(), "d.json": b"[]"}, "Elsewhere"),
    )
    assert (told["taken"], sorted(told["refused"])) == (0, ["a.json", "b.json", "c.json", "d.json"])
    here = {**unknown, "unit": {**unknown["unit"], "name": "MV-12"}}
    twice = [{**event, "id": "one"} for event in here["events"][:2]]
    odd = [
        {"started_at": "yesterday"},
        {"started_at": "2026-10-01T05:00:00"},
        {"id": 7},
        {"events": 3},
        {"events": twice},
    ]
    files = {f"{n}.json": json.dumps({**here, **one}).encode() for n, one in enumerate(odd)}
    assert sorted(taken(client, zipped(files, "Elsewhere"))["refused"]) == sorted(files)
    assert "Add it first" in told["refused"]["c.json"]
    for data in (b"PK no more", zipped({}, "x")[:40]):
        answer = client.post("/api/imports", content=data, headers={"content-type": "application/octet-stream"})
        assert answer.json()["error"]["code"] == "no_runs_file"
    with httpx.Client(base_url=app_url, timeout=HANG_S) as http:
        driver = sign_in(http, "Tove Lind")
        # everything, by a driver
        assert driver.post("/api/exports", json={"what": "records"}).status_code == 403
        assert driver.post("/api/exports", json={"what": "pdf"}).status_code == 403
    assert client.post("/api/exports", json={"what": "csv", "driver": "nobody"}).status_code == 422
    assert client.get(f"/api/exports/{uuid.uuid4()}/file").status_code == 404


@pytest.mark.parametrize("asked", [{}, {"lang": "es", "unit": "kpa", "size": "letter"}])
def test_a_report_is_a_tagged_paper_with_our_face(client, asked, tmp_path):
    run = client.get("/api/log", params={"outcome": "fail"}).json()["runs"][0]["run"]
    path = tmp_path / "report.pdf"
    path.write_bytes(client.get(f"/api/runs/{run['id']}/report.pdf", params=asked).raise_for_status().content)
    told = subprocess.run(["pdfinfo", str(path)], capture_output=True, text=True, check=True).stdout
    assert "Tagged:          yes" in told
    assert ("letter" if asked else "A4") in told
    fonts = subprocess.run(["pdffonts", str(path)], capture_output=True, text=True, check=True).stdout
    assert all(" yes " in line for line in fonts.splitlines()[2:])
    assert "+Report" in fonts
    text = subprocess.run(["pdftotext", "-layout", str(path), "-"], capture_output=True, text=True, check=True).stdout
    assert run["unit_name"] in text
    assert ("NO CIRCULAR" if asked else "DO NOT DRIVE") in text
    subprocess.run(["pdftoppm", "-r", "40", "-png", str(path), str(tmp_path / "page")], check=True)
    assert list(tmp_path.glob("page*.png"))


def test_a_unit_s_year_is_a_paper_in_the_reader_s_language_and_unit(client, tmp_path):
    asked = {"unit": UNIT_ID["MV-12"], "since": "2026-01-01T00:00:00Z", "until": "2027-01-01T00:00:00Z"}
    path = tmp_path / "year.pdf"
    said = {"title": "MV-12, 2026", "language": "es", "pressure": "kpa", "size": "letter"}
    path.write_bytes(whole(client, what="pdf", paper=said, **asked))
    text = subprocess.run(["pdftotext", "-layout", str(path), "-"], capture_output=True, text=True, check=True).stdout
    listed = client.get("/api/log/count", params=asked).json()["runs"]
    assert text.count("MV-12 ") >= min(listed, 10)
    assert "(kpa)" in text.lower()
    assert not {"MV-15", "MV-21"} & set(text.split())
    size = subprocess.run(["pdfinfo", str(path)], capture_output=True, text=True, check=True).stdout
    assert "612 x 792 pts (letter)" in size
    answer = client.post("/api/exports", json={"what": "pdf", "paper": {"pressure": "bars"}})
    assert answer.status_code == 422
    assert "pressure" in answer.json()["error"]["message"]


def test_a_list_is_a_paper_too_and_one_without_end_is_refused(client, monkeypatch):
    assert whole(client, what="pdf", search="MV-12")[:5] == b"%PDF-"
    monkeypatch.setattr(papers, "MOST_LINES", 3)
    answer = client.post("/api/exports", json={"what": "pdf", "search": "MV-12"})
    assert (answer.status_code, answer.json()["error"]["code"]) == (422, "paper_long")
    assert answer.json()["error"]["message"].startswith("since: a PDF holds up to 3 tests")


def test_a_job_that_the_version_before_left_keeps_to_what_it_was_asked_for():
    """Under the new names alone it would have been a file of every run."""
    unit = UNIT_ID["MV-12"]
    waiting = JobRow(asked={"wanted": {"unit_id": unit, "trailer_id": unit, "sealed": True}})
    assert export_jobs._wanted(waiting) == Wanted(unit=unit, trailer=unit, sealed=True)

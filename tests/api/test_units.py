"""Power units, trailers, couplings and the CSV that brings them in."""

from __future__ import annotations

import uuid

import httpx
import pytest

from tests.conftest import sign_in
from tests.devices import Device


def name(prefix="U"):
    return f"{prefix}-{uuid.uuid4().hex[:8]}"


def error_of(answer, status):
    assert answer.status_code == status, answer.text
    return answer.json()["error"]


@pytest.fixture
def tractor(client):
    body = {"name": name(), "kind": "tractor", "chambers": [20, 20, 30, 30], "reservoirs_in3": [1500, 2000]}
    return client.post("/api/units", json=body).raise_for_status().json()


def trailer_of(client):
    return client.post("/api/trailers", json={"name": name("T"), "chambers": [30, 30]}).raise_for_status().json()


def couple(client, unit, *trailers):
    body = {"version": unit["version"], "trailer_ids": [one["id"] for one in trailers]}
    return client.put(f"/api/units/{unit['id']}/coupling", json=body)


def test_a_coupling_decides_the_kind_the_limits_and_what_a_run_keeps(client, tractor):
    first, second = trailer_of(client), trailer_of(client)
    assert tractor["kind"] == "tractor"
    semi = couple(client, tractor, first).raise_for_status().json()
    assert (semi["kind"], semi["trailers"]) == ("tractor_semitrailer", [first["name"]])
    device = Device(client)
    device.begin(unit_id=tractor["id"]).raise_for_status()
    multi = couple(client, semi, second, first).raise_for_status().json()
    assert (multi["kind"], multi["trailers"]) == ("multi_trailer", [second["name"], first["name"]])
    script = client.get(f"/api/units/{tractor['id']}/script", params={"procedure": "leak-check"}).json()
    (limit,) = [step["limit"] for step in script["steps"] if step["step"] == "leak_applied"]
    assert limit["key"] == "leak_applied.multi"
    kept = client.get(f"/api/runs/{device.run_id}").json()
    assert (kept["kind"], kept["trailers"]) == ("tractor_semitrailer", [first["name"]])


def test_a_trailer_stands_behind_one_unit_only(client, tractor):
    trailer = trailer_of(client)
    couple(client, tractor, trailer).raise_for_status()
    other = client.post("/api/units", json={"name": name(), "kind": "tractor"}).json()
    taken = error_of(couple(client, other, trailer), 409)
    assert taken["message"] == f"{trailer['name']} is coupled to {tractor['name']}. Uncouple it there first."
    assert error_of(couple(client, other, trailer, trailer), 422)["code"] == "coupling_impossible"
    bus = client.post("/api/units", json={"name": name(), "kind": "bus"}).json()
    assert error_of(couple(client, bus, trailer_of(client)), 422)["code"] == "coupling_impossible"
    ghost = {"id": str(uuid.uuid4())}
    assert error_of(couple(client, other, ghost), 404)["code"] == "trailer_unknown"


def test_retiring_uncouples_and_a_retired_unit_begins_no_run(client, tractor):
    trailer = trailer_of(client)
    coupled = couple(client, tractor, trailer).json()
    path = f"/api/units/{tractor['id']}/retired"
    retired = client.post(path, json={"version": coupled["version"], "retired": True}).raise_for_status().json()
    assert (retired["retired"], retired["trailers"]) == (True, [])
    assert error_of(Device(client).begin(unit_id=tractor["id"]), 422)["code"] == "unit_retired"
    assert tractor["id"] not in [unit["id"] for unit in client.get("/api/units").json()]
    back = client.post(path, json={"version": retired["version"], "retired": False}).json()
    assert Device(client).begin(unit_id=back["id"]).status_code == 200
    retire = client.post(f"/api/trailers/{trailer['id']}/retired", json={"version": 1, "retired": True}).json()
    assert error_of(couple(client, back, retire), 422)["message"].endswith("is archived.")


def test_two_people_editing_one_unit_nothing_is_overwritten_silently(client, tractor):
    path = f"/api/units/{tractor['id']}"
    mine = {"name": tractor["name"], "kind": "tractor", "build_year": 2015, "version": 1}
    client.put(path, json=mine).raise_for_status()
    late = error_of(client.put(path, json={**mine, "build_year": 2011}), 409)
    assert (late["code"], late["field"]) == ("changed_meanwhile", "version")
    page = client.get(path).json()
    assert (page["unit"]["build_year"], page["unit"]["version"]) == (2015, 2)
    latest = page["course"]["entries"][0]
    assert (latest["kind"], latest["fields"]["build_year"], latest["by"]) == ("change", [None, 2015], "Odile Ferrow")
    couple(client, page["unit"], trailer_of(client)).raise_for_status()
    truck = error_of(client.put(path, json={**mine, "kind": "straight_truck", "version": 3}), 422)
    assert truck["code"] == "still_coupled"


def test_reservoirs_are_held_against_twelve_to_one_and_eight_to_one(client):
    # FMVSS 121 S5.1.2.1, S5.2.1.1 and table V, from memory: 12 × (89 + 54) and 8 × 89
    unit = client.post(
        "/api/units", json={"name": name(), "kind": "bus", "chambers": [30, 20], "reservoirs_in3": [1716]}
    )
    assert unit.json()["reservoirs"] | {"source": ""} == {
        "actual_in3": 1716,
        "required_in3": 1716,
        "ratio": 1,
        "enough": True,
        "source": "",
    }
    trailer = client.post("/api/trailers", json={"name": name("T"), "chambers": [30], "reservoirs_in3": [700]}).json()
    assert (trailer["reservoirs"]["required_in3"], trailer["reservoirs"]["enough"]) == (712, False)
    assert client.post("/api/units", json={"name": name(), "kind": "bus"}).json()["reservoirs"] is None


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"name": " "}, "name"),
        ({"name": "x" * 61}, "name"),
        ({"kind": "barge"}, "kind"),
        ({"chambers": [31]}, "chambers[0]"),
        ({"chambers": [30.5]}, "chambers[0]"),
        ({"reservoirs_in3": [1500, 3]}, "reservoirs_in3[1]"),
        ({"reservoirs_in3": [-1500]}, "reservoirs_in3[0]"),
        ({"governor": {"cut_in_psi": 130, "cut_out_psi": 120}}, "governor.cut_in_psi"),
        ({"governor": {"cut_out_psi": 900}}, "governor.cut_out_psi"),
        ({"build_year": 1066}, "build_year"),
        ({"resolution_psi": 0}, "resolution_psi"),
        ({"rules": "metric"}, "rules"),
        ({"procedure": "none"}, "procedure"),
    ],
)
def test_impossible_units_name_the_field(client, change, field):
    error = error_of(client.post("/api/units", json={"name": name(), "kind": "bus", **change}), 422)
    assert error["field"] == field
    assert error["message"]


def test_built_to_the_standard_follows_from_the_year_unless_said(client):
    def built(**facts):
        return client.post("/api/units", json={"name": name(), "kind": "bus", **facts}).json()["fmvss_121"]

    # since March 1975: 49 CFR 393.51 with FMVSS 121, from memory
    assert [built(), built(build_year=1975), built(build_year=1974)] == [True, True, False]
    assert built(build_year=1975, fmvss_121=False) is False


# CSV


def send(client, text, *, dry_run=True, encoding="utf-8"):
    data = text if isinstance(text, bytes) else text.encode(encoding)
    return client.post(
        "/api/units/import", params={"dry_run": dry_run}, content=data, headers={"content-type": "text/csv"}
    )


def test_a_csv_is_looked_through_first_and_kept_whole_or_not_at_all(client):
    good, other = name(), name()
    text = (
        "name,kind,cut_out_psi,chambers,reservoirs_in3,build_year,rules\r\n"
        f"{good},straight_truck,125,30 30 20 20,1100 1400 1100,2016,us-cdl\r\n"
        f'"{other}",tractor,,,,,canada-west\r\n'
    )
    looked = send(client, "\ufeff" + text).raise_for_status().json()
    assert looked == {"names": [good, other], "bad": [], "kept": False}
    assert good not in [unit["name"] for unit in client.get("/api/units").json()]
    assert send(client, text, dry_run=False).json()["kept"] is True
    units = {unit["name"]: unit for unit in client.get("/api/units").json()}
    assert (units[good]["reservoirs"]["required_in3"], units[other]["rules"]) == (3432, "canada-west")

    twice = send(client, text + f"{name()},bus,,,,,us-cdl\r\n", dry_run=False).json()
    assert (twice["kept"], [bad["line"] for bad in twice["bad"]]) == (False, [2, 3])


def test_each_bad_line_is_listed_with_its_reason(client):
    same = name()
    lines = [
        f"{same},bus,120",
        f"{same},bus,120",
        f"{name()},barge,120",
        f"{name()},bus,many",
        f"{name()},bus",
        ",bus,120",
    ]
    bad = send(client, "name,kind,cut_out_psi\n" + "\n".join(lines)).json()["bad"]
    assert [entry["line"] for entry in bad] == [3, 4, 5, 6, 7]
    assert [
        words in entry["problem"]
        for words, entry in zip(
            ["there is already a", "kind: must be one of", "'many' isn't a number", "another number of fields", "name"],
            bad,
            strict=True,
        )
    ] == [True] * 5


@pytest.mark.parametrize(
    ("text", "code"),
    [
        ("name,kind\nMV-ñ,bus\n".encode("latin-1"), "csv_encoding"),
        ("name,kind\n".encode("utf-16"), "csv_encoding"),
        ("kind,colour\nbus,red\n", "csv_columns"),
        ("name\nX\n", "csv_columns"),
        ("", "input_invalid"),
        ("name,kind\n", "csv_empty"),
        ('name,kind\n"X"y,bus\n', "csv_broken"),
        ("name,kind\n" + "X,bus\n" * 2001, "csv_long"),
    ],
)
def test_a_file_that_cannot_be_read_is_refused_whole(client, text, code):
    assert error_of(send(client, text), 422)["code"] == code


def test_a_million_lines_are_refused_before_they_are_read(client):
    assert error_of(send(client, b"name,kind\n" + b"X,bus\n" * 1_000_000), 413)["code"] == "too_large"


def test_drivers_couple_but_do_not_edit(app_url, tractor, client):
    trailer = trailer_of(client)
    with httpx.Client(base_url=app_url) as http:
        driver = sign_in(http, "Ines Aldous")
        assert couple(driver, tractor, trailer).status_code == 200
        assert driver.put(f"/api/units/{tractor['id']}", json={}).status_code == 403

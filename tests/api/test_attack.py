"""What gave way under attack, each with what must come out. Loopback only, bounded in count and time."""

from __future__ import annotations

import concurrent.futures
import errno
import json
import socket
import stat
import threading
import uuid
from contextlib import ExitStack, contextmanager
from pathlib import Path
from urllib.parse import urlsplit

import httpx
import pytest
from sqlalchemy import func, select, text
from websockets.exceptions import ConnectionClosed
from websockets.sync.client import connect

from lowhiss.api import guard, http_server, sockets
from lowhiss.api.runs import feed
from lowhiss.core.names import name_key
from lowhiss.database.dump import dump
from lowhiss.installation import CannotStartError
from lowhiss.serve import Wider, _check_wider
from lowhiss.service.exports import tables
from lowhiss.service.marks import receiver
from lowhiss.service.people import accounts as people
from lowhiss.service.people import guess_limits, signin
from lowhiss.service.runs import run_marks
from lowhiss.store.engine import make_engine
from lowhiss.store.people_models import PersonRow, SessionRow
from lowhiss.store.run_models import ClockRow
from tests.conftest import Running, sign_in
from tests.devices import UNIT_ID, Device
from tests.plugin import HANG_S

GOOD = "a good long password"


@pytest.fixture
def device(client):
    return Device(client)


@contextmanager
def raw(url):
    """A bare connection."""
    parts = urlsplit(url)
    with socket.create_connection((parts.hostname, parts.port), timeout=HANG_S) as bare:
        yield bare


def answered(bare) -> bytes:
    """All that comes until the other side closes."""
    got = b""
    while piece := bare.recv(65536):
        got += piece
    return got


# bodies and heads that are too large or never come


def test_a_body_in_pieces_is_bounded_like_any_other(app_url):
    with raw(app_url) as bare:
        bare.sendall(
            b"POST /api/session/sign-in HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\n"
            b"Transfer-Encoding: chunked\r\n\r\n"
        )
        piece = b"%x\r\n%s\r\n" % (65536, b"x" * 65536)
        sent = 0
        bare.settimeout(0.01)
        got = b""
        while sent < 4 * guard.MAX_BODY_BYTES and not got:
            try:
                got = bare.recv(4096)
            except TimeoutError:
                bare.settimeout(5)
                bare.sendall(piece)
                bare.settimeout(0.01)
                sent += 65536
        assert got.startswith(b"HTTP/1.1 413"), got
        assert sent <= 2 * guard.MAX_BODY_BYTES


def test_half_a_request_ends_after_a_while_and_many_leave_others_served(store, monkeypatch):
    monkeypatch.setattr(http_server, "HEAD_S", 1.5)
    monkeypatch.setattr(guard, "BODY_PIECE_S", 1.5)
    running = Running(store)
    try:
        with ExitStack() as stack, httpx.Client(base_url=running.url, timeout=HANG_S) as http:
            heads = [stack.enter_context(raw(running.url)) for _ in range(200)]
            for bare in heads:
                bare.sendall(b"GET /api/about HTTP/1.1\r\nHost: 127.0")
            bodies = [stack.enter_context(raw(running.url)) for _ in range(20)]
            for bare in bodies:
                bare.sendall(
                    b"POST /api/session/sign-in HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\n"
                    b"Content-Length: 50\r\n\r\n{"
                )
            assert http.get("/api/about").status_code == 200
            assert all(answered(bare) == b"" for bare in heads)
            assert all(answered(bare).startswith(b"HTTP/1.1 408") for bare in bodies)
            # one that takes its time between requests is no half request
            assert http.get("/api/about").status_code == 200
    finally:
        running.stop()


def test_the_end_of_a_refused_body_cuts_off_no_later_request_of_the_connection(store, monkeypatch):
    run_out_s = 1.0  # the pause before the rest is sent must stay under it on a busy machine
    monkeypatch.setattr(http_server, "RUN_OUT_S", run_out_s)
    head = b"POST /api/%s HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\nContent-Length: 2\r\n\r\n"
    running = Running(store)
    try:
        with raw(running.url) as bare:
            bare.sendall(head % b"units")
            assert bare.recv(65536).startswith(b"HTTP/1.1 401")
            bare.sendall(b"{}" + head % b"session/sign-in")
            bare.settimeout(1.5 * run_out_s)
            with pytest.raises(TimeoutError):
                bare.recv(65536)
            bare.settimeout(20)
            bare.sendall(b"{}")
            assert bare.recv(65536).startswith(b"HTTP/1.1 422")
            # and one that never ends is not waited for
            bare.sendall(head % b"units")
            assert answered(bare).startswith(b"HTTP/1.1 401")
    finally:
        running.stop()


# guessing


@pytest.fixture
def newcomer(client, app_url):
    """A person who redeemed their code on a device of their own."""
    name = f"Ødile {uuid.uuid4().hex[:8]}"
    invited = client.post("/api/people", json={"name": name, "role": "driver"}).raise_for_status().json()
    with httpx.Client(base_url=app_url, timeout=HANG_S) as http:
        me = http.post("/api/session/code", json={"code": invited["code"], "password": GOOD}).raise_for_status().json()
        http.headers["x-low-hiss-csrf"] = me["csrf"]
        yield name, invited["person"], http


def tried(http, name, password="wrong"):
    return http.post("/api/session/sign-in", json={"name": name, "password": password}).status_code


def test_a_name_spelled_otherwise_is_the_same_name(newcomer, client, stranger):
    name, _, http = newcomer
    spellings = [name.upper(), f" {name}\u200b", name.replace("Ø", "Ø\u202e"), name.replace("d", "ｄ"), name, name]
    assert {name_key(spelling) for spelling in spellings} == {name_key(name)}
    assert [tried(stranger, spelling) for spelling in spellings] == [422] * guess_limits.TRIES_AT_ONE
    assert tried(stranger, name.lower(), GOOD) == 429
    assert client.post("/api/people", json={"name": name.upper(), "role": "driver"}).status_code == 409
    # a stranger's wrong tries lock nobody out of the device they use
    assert tried(http, name, GOOD) == 200


def test_tries_on_the_own_device_are_counted_too(newcomer, stranger):
    name, _, http = newcomer
    assert [tried(http, name) for _ in range(guess_limits.TRIES_AT_ONE)] == [422] * guess_limits.TRIES_AT_ONE
    assert tried(http, name, GOOD) == 429
    assert tried(stranger, name, GOOD) == 200


def test_the_old_password_is_not_guessed_at_either(newcomer):
    _, _, http = newcomer
    body = {"old_password": "wrong", "new_password": "another long password"}
    answers = [http.patch("/api/session", json=body).status_code for _ in range(guess_limits.TRIES_AT_ONE + 1)]
    assert answers == [422] * guess_limits.TRIES_AT_ONE + [429]


def test_an_address_that_is_only_claimed_is_not_believed():
    assert http_server.web_options()["proxy_headers"] is False
    named = http_server.web_options("10.0.0.7")
    assert (named["proxy_headers"], named["forwarded_allow_ips"]) == (True, "10.0.0.7")


def test_signing_in_over_a_session_replaces_it(newcomer, store):
    name, person, http = newcomer
    before = http.cookies["lowhiss_session"]
    assert tried(http, name, GOOD) == 200
    with store.transaction() as session:
        mine = select(func.count()).select_from(SessionRow).where(SessionRow.person_id == person["id"])
        assert session.scalar(mine) == 1
    assert signin.who(store, before) is None


# at the same moment


def at_once(count, work):
    """What so many calls say that begin together."""
    gate = threading.Barrier(count)

    def one(place):
        gate.wait()
        return work(place)

    with concurrent.futures.ThreadPoolExecutor(count) as pool:
        return list(pool.map(one, range(count)))


def test_two_managers_who_demote_each_other_leave_one(empty_store):
    first = signin.first_manager_code(empty_store)
    here = signin.Browser("here", "device")
    token = signin.redeem(empty_store, first, "First", GOOD, here, str(uuid.uuid4()))
    one = signin.who(empty_store, token)
    listed, code = people.add_person(empty_store, one, "Second", "manager")
    # invited only: nobody who could manage yet
    with pytest.raises(signin.RefusedError, match="last manager"):
        people.edit_person(empty_store, one, one.id, 1, "First", "driver")
    signin.redeem(empty_store, code, "", GOOD, here, str(uuid.uuid4()))
    both = [(one.id, "First"), (listed.person.id, "Second")]

    def demote(place):
        person_id, name = both[1 - place]
        versions = {row.person.id: row.version for row in people.list_people(empty_store)}
        try:
            people.edit_person(empty_store, one, person_id, versions[person_id], name, "driver")
        except signin.RefusedError:
            return False
        return True

    for _ in range(6):
        assert sorted(at_once(2, demote)) == [False, True]
        with empty_store.transaction() as session:
            assert session.scalar(select(func.count()).where(PersonRow.role == "manager")) == 1
            session.execute(text("UPDATE person SET role = 'manager'"))


def test_what_comes_twice_at_once_is_kept_once(client, app_url):
    def client_of_mine(name):
        return sign_in(httpx.Client(base_url=app_url, timeout=HANG_S), name)

    devices = [Device(client_of_mine("Ines Aldous")) for _ in range(6)]
    run_id, begun = str(uuid.uuid4()), devices[0].moment()
    body = {"id": run_id, "unit_id": UNIT_ID["MV-12"], "begun": begun, "sent": begun}
    assert at_once(6, lambda n: devices[n].client.post("/api/runs", json=body).status_code) == [200] * 6
    mark = devices[0].marked("note", text="once")
    batch = {"sent": begun, "events": [mark]}
    path = f"/api/runs/{run_id}/events"
    assert at_once(6, lambda n: devices[n].client.post(path, json=batch).status_code) == [200] * 6
    assert len(client.get(path).json()) == 1
    token = f"/api/units/{UNIT_ID['MV-12']}/feed-token"
    managers = [client_of_mine("Odile Ferrow") for _ in range(4)]
    assert at_once(4, lambda n: managers[n].post(token).status_code) == [200] * 4
    code = devices[0].client.post(f"/api/runs/{run_id}/join-code").json()["code"]
    watchers = [client_of_mine("Kit Varga") for _ in range(4)]
    assert at_once(4, lambda n: watchers[n].post("/api/runs/join", json={"code": code}).status_code) == [200] * 4
    for http in (*(one.client for one in devices), *managers, *watchers):
        http.close()


def test_signing_in_does_not_hold_up_a_mark(dear_passwords, client, app_url, device, newcomer):
    """Passwords have a lane of their own: marks are kept while a crowd signs in. How quickly is for ./bench to say."""
    name, _, _ = newcomer
    device.begin().raise_for_status()
    done = threading.Event()

    def crowd(_):
        with httpx.Client(base_url=app_url, timeout=60) as http:
            return tried(http, f"{name} {uuid.uuid4()}")

    with concurrent.futures.ThreadPoolExecutor(12) as pool:
        signing = [pool.submit(crowd, n) for n in range(12)]
        kept = 0
        while not all(one.done() for one in signing):
            device.send(device.marked("note", text="x")).raise_for_status()
            kept += 1
        done.set()
    assert kept >= 10
    assert {one.result() for one in signing} <= {422, 429}


# what nothing could keep


@pytest.mark.parametrize(
    ("body", "code"),
    [
        ('{"name": "\\ud800", "role": "driver"}', "input_invalid"),
        ('{"name": "x", "role": "driver", "\\udfff": 1}', "input_invalid"),
        ("[" * 5000, "json_invalid"),
        ('{"name": ' + "9" * 5000 + "}", "input_invalid"),
    ],
)
def test_json_that_no_table_keeps_is_refused_in_a_sentence(client, body, code):
    answer = client.post("/api/people", content=body.encode(), headers={"content-type": "application/json"})
    assert answer.status_code == 422
    assert answer.json()["error"]["code"] == code


@pytest.mark.parametrize("number", [10**400, -(10**400), 1e308, 10**30])
def test_a_number_of_any_length_is_refused_and_breaks_nothing(client, number):
    unit = {"name": "Long", "kind": "bus", "reservoirs_in3": [number], "resolution_psi": number, "build_year": number}
    answer = client.post("/api/units", content=json.dumps(unit).encode(), headers={"content-type": "application/json"})
    assert answer.status_code == 422


def test_names_of_a_file_that_are_one_to_the_database(client):
    mark = uuid.uuid4().hex[:6]
    for one, other in ((f"É{mark}", f"e{mark}"), (f"ß{mark}", f"ss{mark}"), (f"a{mark}", f"A{mark}  ")):
        data = f"name,kind\n{one},bus\n{other},bus\n".encode()
        for dry in ("true", "false"):
            answer = client.post(f"/api/units/import?dry_run={dry}", content=data, headers={"content-type": "text/csv"})
            assert answer.status_code in (200, 422), answer.text
            assert answer.status_code == 422 or answer.json()["kept"] is False or dry == "true"


@pytest.mark.parametrize("number", [1021, 1114])  # ER_DISK_FULL, ER_RECORD_FILE_FULL: MariaDB's own error codes
def test_a_full_disk_loses_no_mark_and_is_named(store, client, device, number):
    """The database itself refuses to write, as it does without room; then somebody makes room."""
    device.begin().raise_for_status()
    first, second = device.marked("note", text="before"), device.marked("note", text="while it is full")
    device.send(first).raise_for_status()
    full = f"CREATE TRIGGER full BEFORE INSERT ON event FOR EACH ROW SIGNAL SQLSTATE 'HY000' SET MYSQL_ERRNO = {number}"
    run(store, full)
    try:
        answer = device.send(second)
    finally:
        run(store, "DROP TRIGGER full")
    assert (answer.status_code, answer.json()["error"]["code"]) == (507, "no_room")
    assert "are saved on this device" in answer.json()["error"]["message"]
    assert answer.headers["retry-after"]
    assert kept(client, device) == [first["id"]]
    device.send(second).raise_for_status()
    assert kept(client, device) == [first["id"], second["id"]]


def test_no_room_for_a_table_is_said_and_leaves_nothing(client, monkeypatch):
    def full(*_):
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(tables, "write_table", full)
    answer = client.get("/api/tables/units.csv")
    assert (answer.status_code, answer.json()["error"]["code"]) == (507, "no_room")


def run(store, statement):
    with store.transaction() as session:
        session.execute(text(statement))


def kept(client, device):
    return [one["id"] for one in client.get(f"/api/runs/{device.run_id}/events").raise_for_status().json()]


def test_a_question_that_takes_too_long_is_no_sign_of_a_database_away(store, stranger, monkeypatch):
    monkeypatch.setattr("lowhiss.store.engine.MAX_STATEMENT_S", 0.2)
    slow = make_engine(store.engine.url.render_as_string(hide_password=False))

    def endless(_):
        with slow.connect() as connection:
            connection.execute(text("SELECT COUNT(*) FROM event AS a, event AS b, event AS c")).all()

    from lowhiss.service.fleet import unit_rules

    monkeypatch.setattr(unit_rules, "installation", endless)
    answer = stranger.get("/api/about")
    assert (answer.status_code, answer.json()["error"]["code"]) == (503, "took_too_long")
    assert "Retry-After" not in answer.headers
    slow.dispose()


# feeds and clocks


def test_a_voided_token_ends_its_open_sender(client, app_url, monkeypatch):
    monkeypatch.setattr(feed, "TOKEN_AGAIN_S", 0.2)
    path = f"/api/units/{UNIT_ID['MV-30']}/feed-token"
    token = client.post(path).raise_for_status().json()["token"]
    address = f"{app_url.replace('http', 'ws', 1)}/api/feed"
    with connect(address, additional_headers={"Authorization": f"Bearer {token}"}, open_timeout=HANG_S) as sender:
        client.post(path).raise_for_status()
        with pytest.raises(ConnectionClosed) as closed:
            sender.recv(timeout=HANG_S)
        assert closed.value.rcvd.code == sockets.SIGNED_OUT


def test_a_feed_is_looked_at_of_units_there_are_and_by_so_many(client, app_url, monkeypatch):
    monkeypatch.setattr(feed, "MAX_SCREENS", 1)
    cookies = {"Cookie": "; ".join(f"{name}={value}" for name, value in client.cookies.items())}

    def looked(unit_id, stack):
        address = f"{app_url.replace('http', 'ws', 1)}/api/units/{unit_id}/feed"
        return stack.enter_context(connect(address, additional_headers=cookies, open_timeout=HANG_S))

    with ExitStack() as stack:
        with pytest.raises(ConnectionClosed) as unknown:
            looked(str(uuid.uuid4()), stack).recv(timeout=HANG_S)
        assert unknown.value.rcvd.code == sockets.UNKNOWN
        assert json.loads(looked(UNIT_ID["MV-02"], stack).recv(timeout=HANG_S)) == {"state": "stopped"}
        with pytest.raises(ConnectionClosed) as crowded:
            looked(UNIT_ID["MV-02"], stack).recv(timeout=HANG_S)
        assert crowded.value.rcvd.code == sockets.CROWDED


def test_refused_marks_leave_no_clocks_and_clocks_are_bounded(device, store, monkeypatch):
    def clocks():
        with store.transaction() as session:
            return session.scalar(select(func.count()).where(ClockRow.run_id == device.run_id))

    device.begin().raise_for_status()
    for n in range(3):
        device.epoch = f"life {n}".replace(" ", "-")
        assert device.send(device.marked("pedal", state="half")).json()["accepted"] == []
    assert clocks() == 1
    monkeypatch.setattr(receiver, "MAX_CLOCKS", 2)
    codes = []
    for n in range(3):
        device.epoch = f"later-{n}"
        codes += [one["code"] for one in device.send(device.marked("note", text="x")).json()["set_aside"]]
    assert (clocks(), codes) == (2, ["too_many_clocks"] * 2)


def test_a_watcher_cannot_fill_a_run(device, app_url, monkeypatch):
    monkeypatch.setattr(run_marks, "MAX_EVENTS_OF_WATCHER", 3)
    device.begin().raise_for_status()
    code = device.client.post(f"/api/runs/{device.run_id}/join-code").json()["code"]
    with httpx.Client(base_url=app_url, timeout=HANG_S) as http:
        watcher = Device(sign_in(http, "Pia Munro"))
        watcher.run_id = http.post("/api/runs/join", json={"code": code}).json()["id"]
        answers = [watcher.send(watcher.marked("note", text="x")).json() for _ in range(5)]
        assert [len(one["accepted"]) for one in answers] == [1, 1, 1, 0, 0]
        assert answers[-1]["set_aside"][0]["code"] == "log_full"
    assert len(device.send(device.marked("note", text="mine")).json()["accepted"]) == 1


# installing


def test_copies_are_their_owners_alone(database, tmp_path: Path):
    copy = tmp_path / "copies" / "before.sql"
    dump(database.url, copy)
    assert stat.S_IMODE(copy.stat().st_mode) == 0o600


def test_a_demo_refuses_a_public_address_and_tls_is_said_to_browsers(store):
    with pytest.raises(CannotStartError, match="--public-url"):
        _check_wider(Wider(public_url="https://hiss.example"), demo=True)
    for secure in (True, False):
        running = Running(store, secure=secure)
        try:
            headers = httpx.get(f"{running.url}/api/about").headers
        finally:
            running.stop()
        assert ("max-age" in headers.get("Strict-Transport-Security", "")) == secure


def test_the_way_back_in_by_the_server_itself(empty_store, empty_url, monkeypatch, capsys):
    from lowhiss.cli import main

    monkeypatch.setenv("LOWHISS_DATABASE_URL", empty_url)
    assert main(["manager", "Odile"]) == 0
    code = capsys.readouterr().out.split()[-1]
    here = signin.Browser("here", "device")
    token = signin.redeem(empty_store, code, "", GOOD, here, str(uuid.uuid4()))
    assert (signin.who(empty_store, token).name, signin.who(empty_store, token).role) == ("Odile", "manager")
    assert main(["manager", "odile"]) == 0
    assert main(["manager", "\u202e"]) == 1

"""Sealed reports on the real database: every covered column changed one at a time is found, and named."""

from __future__ import annotations

import datetime as dt
import json
import uuid
from dataclasses import replace

import pytest
from sqlalchemy import JSON, Double, delete, func, inspect, select, text, update
from sqlalchemy.orm import Session

from lowhiss.demo.scenario import demo_id
from lowhiss.exchange.keys import KeyFileError, KeyFiles
from lowhiss.exchange.seals import check, file_of, read_file
from lowhiss.service.people.signin import Person
from lowhiss.service.seals import rows, signing, verification
from lowhiss.store.fleet_models import ActRow, PhotoFileRow, PhotoRow, RunTrailerRow
from lowhiss.store.inspection_models import InspectionMarkRow, InspectionRow
from lowhiss.store.installation_models import RuleSetRow, SettingRow
from lowhiss.store.learning_models import ExaminationRow
from lowhiss.store.run_models import ClockRow, EventRow, RunRow, TracePartRow, VerdictRow
from lowhiss.store.seal_models import SealKeyRow, SealRow, SignatureRow
from lowhiss.store.types import Psi, UtcDateTime
from tests.store.whole_run import whole_run

MANAGER = Person(demo_id("Odile Ferrow"), "Odile Ferrow", "manager", "en", "psi", True)
TRAINER = Person(demo_id("Hanne Solberry"), "Hanne Solberry", "trainer", "en", "psi", True)
COVERED = {
    RunRow: "run",
    EventRow: "event",
    ClockRow: "clock",
    RunTrailerRow: "run_trailer",
    TracePartRow: "trace_part",
    VerdictRow: "verdict",
    RuleSetRow: "rule_set",
    InspectionRow: "round",
    InspectionMarkRow: "round_mark",
    ActRow: "act",
    PhotoRow: "photo",
    PhotoFileRow: "photo_file",
    ExaminationRow: "examination",
    SignatureRow: "signature",
}


@pytest.fixture(scope="module")
def keys(store, tmp_path_factory):
    """Keys of an installation whose chain begins here, whatever other tests have sealed in this database."""
    with store.transaction() as session:
        for model in (SealRow, SealKeyRow, SignatureRow):
            session.execute(delete(model))
        session.execute(delete(SettingRow).where(SettingRow.name == "seal_chain"))
    return KeyFiles(tmp_path_factory.mktemp("keys"))


@pytest.fixture(scope="module")
def sealed(store, keys):
    """A run with everything that a seal covers, signed by its driver and beside."""
    run_id = whole_run(store)
    now = dt.datetime.now(dt.UTC)
    for by in (MANAGER, TRAINER):
        signing.sign(store, keys, by, "demo", run_id, str(uuid.uuid4()), now)
    return run_id


def wrong(store, keys):
    return [(one.place, one.sentence) for one in verification.verify_all(store, keys) if not one.notice]


def test_what_was_sealed_is_as_it_was(store, keys, sealed):
    assert wrong(store, keys) == []
    assert verification.verify_run(store, sealed) == []
    with store.transaction() as session:
        document = json.loads(session.scalar(select(SealRow.document).where(SealRow.run_id == sealed)))
    # nothing of what is covered is empty here: what follows changes a real value of each
    assert {table for table, kept in document["rows"].items() if not kept} == set()
    assert document["record"]["id"] == sealed


def other(column, value):
    """Another value that this column can hold."""
    if isinstance(value, bool):
        return not value
    if isinstance(value, int | float):
        return value + 1000
    if isinstance(value, dt.datetime):
        return value + dt.timedelta(microseconds=1)
    if isinstance(value, bytes):
        return value + b"\0"
    if isinstance(value, dict):
        return {**value, "edited": 1}
    if isinstance(value, list):
        return [*value, {"edited": 1}]
    if value is None:
        if isinstance(column.type, Psi | UtcDateTime):
            return 1.0 if isinstance(column.type, Psi) else dt.datetime.now(dt.UTC)
        return {"edited": 1} if isinstance(column.type, JSON) else 1.0 if isinstance(column.type, Double) else "x"
    return f"{value[:-1]}{'x' if not value.endswith('x') else 'y'}" if len(value) > 1 else "z"


@pytest.mark.parametrize("model", COVERED, ids=COVERED.values())
def test_every_column_that_a_seal_covers_is_held_against_it(store, sealed, model):
    """Changed as somebody with the database's password would, references and checks switched off."""
    table = inspect(model).local_table
    covered = [column for column in table.columns if column.name not in rows.GROWS.get(model, frozenset())]
    with store.engine.connect() as connection, connection.begin() as whole:
        connection.execute(text("SET SESSION foreign_key_checks=0, check_constraint_checks=0, unique_checks=0"))
        row = connection.execute(select(table).where(*of(table, connection, sealed)).limit(1)).mappings().one()
        same = [table.c[key.name] == row[key.name] for key in table.primary_key.columns]
        for column in covered:
            with connection.begin_nested() as part:
                value = other(column, row[column.name])
                changed = connection.execute(update(table).where(*same).values({column.name: value}))
                assert changed.rowcount == 1, f"{column}: a value that is the same changes nothing"
                found = wrong_within(connection, sealed)
                assert any(COVERED[model] in one for one in found), (column.name, value, found)
                part.rollback()
        with connection.begin_nested() as part:
            connection.execute(delete(table).where(*same))
            assert wrong_within(connection, sealed), "a row that is gone"
            part.rollback()
        whole.rollback()
    assert verification.verify_run(store, sealed) == []


def wrong_within(connection, sealed):
    with Session(connection, join_transaction_mode="rollback_only") as session:
        return [one.sentence for one in verification.wrong_with_run(session, sealed)]


def of(table, connection, sealed):
    """Which row of a table is this run's."""
    if table.name == "run":
        return [table.c.id == sealed]
    if "run_id" in table.c:
        return [table.c.run_id == sealed]
    kept = connection.execute(select(SealRow.document).where(SealRow.run_id == sealed).limit(1)).scalar_one()
    row = json.loads(kept)["rows"][table.name.replace("inspection", "round")][0]  # sealed before it was renamed
    return [table.c[key.name] == row[key.name.replace("inspection", "round")] for key in table.primary_key.columns]


SEAL_COLUMNS = {
    "document": ("hashes differ", "signature doesn't match"),
    "sha256": ("hashes differ",),
    "signature": ("signature doesn't match",),
    "key_id": ("isn't among the keys",),
    "sealed_at": ("seal.sealed_at",),
    "run_id": ("",),
    "place": ("is missing",),
}


@pytest.mark.parametrize("column", SEAL_COLUMNS)
def test_a_seal_that_is_edited_is_named(store, keys, sealed, column):
    with store.transaction() as session:
        place = session.scalar(select(SealRow.place).where(SealRow.run_id == sealed).order_by(SealRow.place))
        before = session.execute(select(SealRow.__table__).where(SealRow.place == place)).mappings().one()
        session.execute(text("SET SESSION foreign_key_checks=0"))
        value = 10_000 if column == "place" else other(SealRow.__table__.c[column], before[column])
        session.execute(update(SealRow).where(SealRow.place == place).values({column: value}))
    try:
        found = wrong(store, keys)
        for says in SEAL_COLUMNS[column]:
            assert any(says in sentence for _, sentence in found), found
    finally:
        with store.transaction() as session:
            session.execute(text("SET SESSION foreign_key_checks=0"))
            at = 10_000 if column == "place" else place
            session.execute(update(SealRow).where(SealRow.place == at).values(dict(before)))
    assert wrong(store, keys) == []


def test_a_seal_that_is_missing_or_out_of_order_is_named(store, keys, sealed):
    with store.transaction() as session:
        seals = [signing.plain_seal(row) for row in session.scalars(select(SealRow).order_by(SealRow.place))]
        public = signing.public_keys(session)
    assert check(seals, public, whole=True) == []
    inner = seals[1]
    (missing,) = check([seals[0], *seals[2:]], public, whole=True)
    assert (missing.place, "is missing" in missing.sentence) == (inner.place, True)
    assert check(seals[1:], public, whole=True)[0].sentence.startswith("the chain begins with seal 2")
    swapped = [seals[0], seals[2], seals[1]]
    assert any("order was changed" in one.sentence for one in check(swapped, public, whole=True))
    (cut,) = check(seals[:-1], public, whole=True, head=seals[-1].sha256)
    assert "saved head" in cut.sentence
    # the last ones cut off the table: the head beside the keys still knows them
    with store.transaction() as session:
        last = session.execute(select(SealRow.__table__).order_by(SealRow.place.desc()).limit(1)).mappings().one()
        session.execute(delete(SealRow).where(SealRow.place == last["place"]))
    missing = f"is missing: {last['place']} seals were made, and the chain ends at {last['place'] - 1}"
    assert (last["place"], missing) in wrong(store, keys)
    with store.transaction() as session:
        session.execute(SealRow.__table__.insert().values(dict(last)))
    assert wrong(store, keys) == []


def test_a_seal_of_another_installation_is_no_seal_of_this_one(store, keys, sealed, tmp_path):
    other_key = KeyFiles(tmp_path / "other").current()
    with store.transaction() as session:
        seal = signing.plain_seal(session.scalars(select(SealRow).where(SealRow.run_id == sealed)).first())
        public = signing.public_keys(session)
    forged = replace(seal, key=other_key.id, signature=other_key.sign(seal.document))
    sentences = [one.sentence for one in check([forged], public, whole=False)]
    assert f"its key {other_key.id} isn't among the keys" in sentences
    both = [one.sentence for one in check([forged], {**public, other_key.id: other_key.public}, whole=False)]
    assert both == ["it names a different key than the one that signed it"]
    # a key put into the table, of which no seal speaks, is found too
    with store.transaction() as session:
        now = dt.datetime.now(dt.UTC)
        session.add(SealKeyRow(id=other_key.id, public=other_key.public, made_at=now, lost=False))
    found = [sentence for _, sentence in wrong(store, keys)]
    assert any("no seal in the chain mentions it" in one for one in found)
    assert any(f"the key {other_key.id} is not in {keys.directory}" in one for one in found)
    with store.transaction() as session:
        session.execute(delete(SealKeyRow).where(SealKeyRow.id == other_key.id))


def test_what_comes_after_the_seal_is_an_amendment_once_it_is_signed(store, keys):
    run_id = whole_run(store, 3)
    now = dt.datetime.now(dt.UTC)
    first = signing.sign(store, keys, MANAGER, "demo", run_id, str(uuid.uuid4()), now)
    with store.transaction() as session:
        run = session.get_one(RunRow, run_id)
        late = session.execute(select(EventRow.__table__).where(EventRow.run_id == run_id).limit(1)).mappings().one()
        run.last_seq += 1
        note = {"type": "note", "text": "seen the day after"}
        more = {"seq": run.last_seq, "id": "late", "type": "note", "body": note, "after_end": True}
        session.execute(EventRow.__table__.insert().values({**late, **more}))
    seals, signed, later = signing.seals_of(store, run_id)
    assert ([one.place for one in seals], later) == ([first.place], 1)
    (came,) = verification.verify_run(store, run_id)
    assert (came.notice, "1 marks arrived after the seal" in came.sentence) == (True, True)
    second = signing.sign(store, keys, TRAINER, "demo", run_id, str(uuid.uuid4()), now)
    assert (second.amends, second.upto) == (first.place, first.upto + 1)
    seals, signed, later = signing.seals_of(store, run_id)
    assert ([one.part for one in signed], later) == (["driver", "beside"], 0)
    assert wrong(store, keys) == []


def test_keys_are_for_nobody_else_s_eyes_rotated_and_missed(store, keys, sealed, tmp_path):
    for path in keys.directory.glob("*.pem"):
        assert path.stat().st_mode & 0o777 == 0o600
    lost = select(func.count()).select_from(SealKeyRow).where(SealKeyRow.lost)
    with store.transaction() as session:
        before = session.scalar(lost)
    old = keys.current()
    new = signing.rotate(store, keys)
    assert keys.current().id == new.id != old.id
    signing.sign(store, keys, TRAINER, "demo", sealed, str(uuid.uuid4()), dt.datetime.now(dt.UTC))
    assert wrong(store, keys) == []
    # lost: said in a sentence; and after somebody decided to go on, the chain says that it was
    (keys.directory / f"{new.id}.pem").rename(tmp_path / "lost.pem")
    with pytest.raises(KeyFileError, match="restore it from a backup"):
        keys.current()
    (keys.directory / "in-use").unlink()
    assert signing.ensure_key(store, keys)
    ((_, missing),) = wrong(store, keys)
    assert f"the key {new.id} is not in" in missing
    assert any("were lost" in one.sentence for one in verification.verify_all(store, keys) if one.notice)
    (tmp_path / "lost.pem").rename(keys.directory / f"{new.id}.pem")
    assert wrong(store, keys) == []
    with store.transaction() as session:
        assert session.scalar(lost) == before + 1


def test_a_file_of_seals_says_the_same_without_a_database(store, keys, sealed):
    whole = json.loads("".join(signing.chain_file(store)))
    seals, public, all_of_it = read_file(json.dumps(whole).encode())
    assert (all_of_it, check(seals, public, whole=True)) == (True, [])
    one = signing.run_file(store, sealed)
    assert one == file_of(
        [seal for seal in seals if json.loads(seal.document).get("run") == sealed], public, whole=False
    )


@pytest.fixture
def undone(store):
    """What somebody with the database changes, put back afterwards."""
    tables = [
        model.__table__ for model in (SealRow, SealKeyRow, EventRow, VerdictRow, RunRow, SignatureRow, SettingRow)
    ]
    with store.engine.connect() as connection:
        kept = {table: [dict(row) for row in connection.execute(select(table)).mappings()] for table in tables}
    yield
    with store.engine.connect() as connection, connection.begin():
        connection.execute(text("SET SESSION foreign_key_checks=0"))
        for table, found in kept.items():
            connection.execute(delete(table))
            if found:
                connection.execute(table.insert(), found)


def test_h5_marks_appended_after_a_seal_that_better_its_result_are_named(store, keys, sealed, undone):
    with store.transaction() as session:
        run = session.get_one(RunRow, sealed)
        event = session.execute(select(EventRow.__table__).where(EventRow.run_id == sealed).limit(1)).mappings().one()
        run.last_seq += 1
        body = {"type": "withdrawn", "event": event["id"], "why": "never was"}
        more = {"seq": run.last_seq, "id": "appended", "type": "withdrawn", "body": body, "after_end": False}
        session.execute(EventRow.__table__.insert().values({**event, **more}))
        document = json.loads(session.scalar(select(SealRow.document).where(SealRow.run_id == sealed)))
        better = "fail" if document["result"]["outcome"] == "pass" else "pass"
        session.execute(update(VerdictRow).where(VerdictRow.run_id == sealed).values(outcome=better, overall=better))
        run.outcome = better
    found = [sentence for _, sentence in wrong(store, keys)]
    assert any("verdict.outcome" in one or "now " in one for one in found), found
    assert any("marks arrived after the seal" in one.sentence for one in verification.verify_all(store, keys))


@pytest.mark.parametrize("column", ["figures", "close_call", "outcome", "overall"])
def test_h5_a_verdict_edited_beside_a_mark_that_came_later_is_named(store, keys, sealed, undone, column):
    """Growing by one mark hid what was done to figures and close call."""
    with store.transaction() as session:
        run = session.get_one(RunRow, sealed)
        event = session.execute(select(EventRow.__table__).where(EventRow.run_id == sealed).limit(1)).mappings().one()
        run.last_seq += 1
        note = {"seq": run.last_seq, "id": "later", "type": "note", "body": {"type": "note", "text": "x"}}
        session.execute(EventRow.__table__.insert().values({**event, **note, "after_end": True}))
        row = session.scalar(select(VerdictRow).where(VerdictRow.run_id == sealed))
        value = getattr(row, column)
        setattr(row, column, {**value, "edited": 1} if isinstance(value, dict) else other(None, value))
    assert any(f"verdict.{column}" in sentence for _, sentence in wrong(store, keys))


@pytest.mark.parametrize("lost", [True, False])
def test_h5_a_chain_written_anew_with_a_foreign_key_is_named(store, keys, sealed, undone, tmp_path, lost):
    """With the database and without the key: every seal signed by a key that hands over to ours, or that was *lost*."""
    foreign = KeyFiles(tmp_path / "foreign")
    with store.engine.connect() as connection, connection.begin():
        connection.execute(delete(SealRow.__table__))
        connection.execute(delete(SealKeyRow.__table__))
        connection.execute(text("UPDATE setting SET value=:v WHERE name='seal_chain'"), {"v": FRESH})
    signing.ensure_key(store, foreign)
    signing.sign(store, foreign, MANAGER, "demo", sealed, str(uuid.uuid4()), dt.datetime.now(dt.UTC))
    if not lost:
        own = keys.current()
        with store.transaction() as session:
            signing._lock(session)
            signing._publish_key(session, foreign, foreign.current(), own, lost=False)
    found = [sentence for _, sentence in wrong(store, keys)]
    assert any(f"the key {foreign.current().id} is not in" in one for one in found)
    assert any("saved outside the database" in one or "is missing" in one for one in found)


FRESH = json.dumps({"place": 0, "sha256": "0" * 64})


def test_k5_a_signature_that_no_seal_covers_is_no_signature(store, keys, sealed, undone):
    with store.engine.connect() as connection, connection.begin():
        row = connection.execute(select(SignatureRow.__table__).limit(1)).mappings().one()
        connection.execute(SignatureRow.__table__.insert().values({**row, "id": str(uuid.uuid4()), "name": "Nobody"}))
    _, signed, _ = signing.seals_of(store, row["run_id"])
    assert "Nobody" not in {one.name for one in signed}
    assert any("a signature of Nobody isn't covered by a seal" in sentence for _, sentence in wrong(store, keys))

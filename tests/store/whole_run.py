"""A run with everything that a seal covers: marks, a feed, trailers, an inspection, a photograph, an examination."""

from __future__ import annotations

import datetime as dt
import hashlib
import uuid

from sqlalchemy import select

from lowhiss.demo.scenario import demo_id
from lowhiss.service.runs.imports import import_record
from lowhiss.store.engine import Store
from lowhiss.store.fleet_models import ActRow, PhotoFileRow, PhotoRow
from lowhiss.store.inspection_models import InspectionMarkRow, InspectionRow
from lowhiss.store.learning_models import ExaminationRow
from lowhiss.store.run_models import RunRow, TracePartRow
from tests.builders import whole_test
from tests.devices import UNIT_ID

FIGURES = {"of": 1, "left": 0, "complete": True, "clear": True, "worst": None, "not_right": 0, "took_s": 1.0}
FIGURES |= {"while_filling": 0}


def whole_run(store: Store, days_ago: int = 2) -> str:
    """Keep one, led by a manager; its id."""
    begun = dt.datetime.now(dt.UTC) - dt.timedelta(days=days_ago)
    run_id, inspection_id, act_id = (str(uuid.uuid4()) for _ in range(3))
    manager, jpeg = demo_id("Odile Ferrow"), b"\xff\xd8 a picture " + run_id.encode()
    record = {**whole_test(), "id": run_id, "started_at": begun.isoformat(), "purpose": "rehearsal"}
    record["unit"] = {**record["unit"], "name": "MV-12", "trailers": ["T-04"]}
    record["people"] = {"driver": "Odile Ferrow"}
    with store.transaction() as session:
        import_record(session, record, UNIT_ID["MV-12"])
        run = session.get_one(RunRow, run_id)
        run.person_id = manager
        session.add(TracePartRow(run_id=run_id, began_at=begun, frames='{"t_s":0,"primary_psi":100}'))
        session.add(ExaminationRow(run_id=run_id, examiner_id=manager, told_at=begun, passed=True, remark="calm"))
        session.add(PhotoFileRow(hash=hashlib.sha256(jpeg).hexdigest(), jpeg=jpeg))
        mark = {"type": "note", "text": "looked at"}
        clocks = {"device": "tablet", "wall": begun, "received_at": begun}
        session.add(
            InspectionRow(
                id=inspection_id,
                unit_id=UNIT_ID["MV-12"],
                unit={**record["unit"], "trailers": [{"name": "T-04"}]},
                run_id=run_id,
                rules="us-cdl",
                way="around",
                purpose="rehearsal",
                driver="Odile Ferrow",
                known=[],
                started_at=begun,
                begun={"device": "tablet", "epoch": "page", "mono_s": 0.0},
                person_id=manager,
                last_seq=1,
                figures=FIGURES,
                ended_at=begun,
                ended_by="finished",
                defects={},
            )
        )
        session.flush()
        session.add(
            InspectionMarkRow(
                inspection_id=inspection_id,
                seq=1,
                id=uuid.uuid4().hex,
                type="note",
                epoch="page",
                device_seq=1,
                mono_s=1.0,
                at_s=1.0,
                author="Odile Ferrow",
                author_id=manager,
                body=mark,
                **clocks,
            )
        )
        session.add(
            ActRow(
                id=act_id,
                type="defect_seen",
                part_kind="unit",
                part_id=UNIT_ID["MV-12"],
                at=begun,
                body={"run": run_id, "text": "a hose rubs"},
                author="Odile Ferrow",
                author_id=manager,
                **clocks,
            )
        )
        session.flush()
        session.add(
            PhotoRow(
                id=str(uuid.uuid4()),
                act_id=act_id,
                hash=hashlib.sha256(jpeg).hexdigest(),
                sent_by=manager,
                received_at=begun,
            )
        )
        assert session.scalar(select(RunRow.last_seq).where(RunRow.id == run_id))
    return run_id

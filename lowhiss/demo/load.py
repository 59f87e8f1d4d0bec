"""Loading the demo scenario into a store, once."""

from __future__ import annotations

import datetime as dt

from sqlalchemy import select

from lowhiss.demo.scenario import OWNER, UNITS, demo_runs
from lowhiss.service.importing import import_record
from lowhiss.store.engine import Store
from lowhiss.store.models import SettingRow, UnitRow


def load_demo(store: Store, now: dt.datetime) -> bool:
    """Load the scenario in one transaction unless it is there; returns whether it was loaded now."""
    with store.transaction() as session:
        if session.scalar(select(UnitRow.id).where(UnitRow.demo).limit(1)) is not None:
            return False
        for unit in UNITS:
            session.add(
                UnitRow(id=unit.id, name=unit.name, facts=unit.facts, resolution_psi=1.0, rules=unit.rules, demo=True)
            )
        session.merge(SettingRow(name="owner", value=OWNER))
        session.flush()
        for unit, record in demo_runs(now):
            import_record(session, record, unit.id, demo=True)
    return True

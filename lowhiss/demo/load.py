"""Loading the demo scenario into a store, once."""

from __future__ import annotations

import datetime as dt

from sqlalchemy import select

from lowhiss.core.fleet import as_table, read_trailer
from lowhiss.demo.acts import do_all
from lowhiss.demo.inspections import look_all
from lowhiss.demo.rule_sets import rule_all
from lowhiss.demo.scenario import CALENDAR, OWNER, PEOPLE, SPANISH_READERS, TRAILERS, UNITS, demo_id, demo_runs
from lowhiss.rulebook import chambers
from lowhiss.service.fleet.units import UnitEdit, new_unit_row
from lowhiss.service.runs.imports import import_record
from lowhiss.store.engine import Store
from lowhiss.store.fleet_models import CouplingRow, TrailerRow, UnitRow
from lowhiss.store.installation_models import SettingRow
from lowhiss.store.people_models import PersonRow


def load_demo(store: Store, now: dt.datetime) -> bool:
    """Load the scenario in one transaction unless it is there; returns whether it was loaded now."""
    with store.transaction() as session:
        if session.scalar(select(UnitRow.id).where(UnitRow.demo).limit(1)) is not None:
            return False
        for unit in UNITS:
            session.add(new_unit_row(session, UnitEdit(unit.facts, 1.0, unit.rules, None), unit.id, demo=True))
        volumes_in3 = chambers().volumes_in3
        for name, facts in TRAILERS.items():
            trailer = read_trailer({"name": name, **facts}, volumes_in3)
            session.add(TrailerRow(id=demo_id(name), name=name, facts=as_table(trailer), version=1, demo=True))
        for name, role in PEOPLE.items():
            language = "es" if name in SPANISH_READERS else "en"
            session.add(
                PersonRow(
                    id=demo_id(name), name=name, role=role, language=language, pressure_unit="psi", version=1, demo=True
                )
            )
        session.flush()
        for unit in UNITS:
            for position, name in enumerate(unit.trailers, start=1):
                session.add(CouplingRow(unit_id=unit.id, position=position, trailer_id=demo_id(name)))
        for name, value in (("owner", OWNER), *CALENDAR.items()):
            session.merge(SettingRow(name=name, value=value))
        session.flush()
        for unit, record in demo_runs(now):
            import_record(session, record, unit.id, demo=True)
        do_all(session, now)
        look_all(session, now)
        rule_all(session, now)
    return True

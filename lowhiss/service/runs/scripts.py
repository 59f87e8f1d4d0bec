"""Run scripts: compiled for a unit as it is coupled now, or for a run as it was begun."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from lowhiss import rulebook
from lowhiss.core.errors import CoreError
from lowhiss.core.judge import fold_for
from lowhiss.core.procedure import read_procedure
from lowhiss.core.procedure.fill_history import Fill, at_own_pace, fills_of
from lowhiss.core.procedure.planner import Planning
from lowhiss.core.script import compile_script
from lowhiss.core.vehicle import Unit
from lowhiss.engine.judge_record import judged_by
from lowhiss.service.fleet.rows import find_unit
from lowhiss.service.fleet.unit_rules import choose
from lowhiss.service.fleet.units import assembled, unit_of
from lowhiss.service.rules.saved_rules import saved_rules
from lowhiss.service.runs.rows import find_run, run_of
from lowhiss.store.engine import Store
from lowhiss.store.run_models import RunRow

LATEST_RUNS = 6
"""As many earlier runs say how fast a unit fills."""


def script_for(store: Store, unit_id: str, procedure: str | None, rules: str | None) -> dict[str, Any]:
    """The script of one procedure under one rule set, each the unit's own unless named, for the unit as coupled now.

    Raises NotFoundError, RefusedError.
    """
    with store.transaction() as session:
        listed = assembled(session, find_unit(session, unit_id))
        order = procedure or listed.order_under(rules)
        chosen_rules, chosen = choose(session, rules or listed.rules, order, listed.unit)
        compiled = compile_script(chosen, chosen_rules, listed.unit, *own_pace(session, unit_id, listed.unit))
        return {**compiled, "record": judged_by(chosen_rules, chosen, listed.unit, listed.resolution_psi)}


def script_of_run(store: Store, run_id: str) -> dict[str, Any]:
    """The script of a run, for the unit as it was coupled when the run began. Raises NotFoundError."""
    with store.transaction() as session:
        run = find_run(session, run_id)
        unit = unit_of(run.unit)
        rules = saved_rules(session, run.rules_hash)
        procedure = read_procedure(run.procedure)
        compiled = compile_script(procedure, rules, unit, *own_pace(session, run.unit_id, unit))
        return {**compiled, "record": judged_by(rules, procedure, unit, run.resolution_psi)}


def own_pace(session: Session, unit_id: str, unit: Unit) -> tuple[Planning, int]:
    """The planning for a unit at the pace of its own latest runs, and how many of its fills that rests on."""
    latest = select(RunRow).where(RunRow.unit_id == unit_id).order_by(RunRow.started_at.desc()).limit(LATEST_RUNS)
    fills: list[Fill] = []
    for row in session.scalars(latest):
        try:
            fills += fills_of(fold_for(run_of(session, row), saved_rules(session, row.rules_hash)))
        except CoreError:
            continue  # a run that contradicts itself says nothing about the compressor
    return at_own_pace(rulebook.planning(unit.kind), fills)

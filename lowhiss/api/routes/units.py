"""Units and the scripts that lead a test of one."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Path, Query

from lowhiss.api.deps import StoreDep
from lowhiss.api.schemas import UUID_PATTERN, ScriptOut, UnitOut
from lowhiss.service import log, units

router = APIRouter(prefix="/api/units", tags=["units"])


@router.get("", operation_id="listUnits")
def list_units(store: StoreDep) -> list[UnitOut]:
    """Every unit with its latest run, by name."""
    latest = log.latest_runs(store)
    return [UnitOut.of(unit, latest.get(unit.id)) for unit in units.list_units(store)]


@router.get("/{unit_id}/script", operation_id="getScript", response_model=ScriptOut)
def get_script(
    unit_id: Annotated[str, Path(pattern=UUID_PATTERN)],
    store: StoreDep,
    procedure: Annotated[str, Query(max_length=60)],
    rules: Annotated[str | None, Query(max_length=60)] = None,
) -> dict[str, Any]:
    """All that a device needs to lead a run of this unit without contact."""
    return units.script_for(store, unit_id, procedure, rules)

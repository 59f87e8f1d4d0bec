"""What ended runs are found by beside their rows: each number they measured, and each finding."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, Literal, cast

from sqlalchemy import delete, insert
from sqlalchemy.orm import Session

from lowhiss.core.judge import RunVerdict
from lowhiss.core.stages import Stage, kind_of
from lowhiss.core.status.quantities import Quantity, measured, quantities_of
from lowhiss.core.vehicle import Unit
from lowhiss.store.finding_models import RunFactRow
from lowhiss.store.run_models import RunRow

_FINDING = "finding "


def quantity_key(quantity: Quantity) -> str:
    """What a quantity is called where runs are found by it: its stage, and of the knobs which."""
    return f"{quantity.stage}.{quantity.knob}" if quantity.knob else quantity.stage


def finding_key(code: str) -> str:
    """The key by which a finding is searched for."""
    return f"{_FINDING}{code}"


def quantity_unit(key: str) -> Literal["s", "psi"]:
    """What a quantity is measured in."""
    return "s" if kind_of(cast(Stage, key.partition(".")[0])) == "climb" else "psi"


def quantity_keys() -> list[str]:
    """Every quantity that there is, in the order of work."""
    everything = quantities_of(Unit("tractor_semitrailer"))
    return list(dict.fromkeys(quantity_key(one) for one in everything))


def save_facts(session: Session, run: RunRow, verdict: RunVerdict, figures: dict[str, Any]) -> None:
    """Keep what an ended run is found by; while it goes on there is nothing to find."""
    if run.ended_at is None:
        return
    told: dict[str, float | None] = dict(_numbers(verdict.state.run.unit, figures))
    findings = {one.code for stage in verdict.stages for one in stage.findings} | {one.code for one in verdict.coach}
    told |= {finding_key(code): None for code in sorted(findings)}
    session.flush()
    session.execute(delete(RunFactRow).where(RunFactRow.run_id == run.id))
    of = {"run_id": run.id, "started_at": run.started_at}
    rows = [{**of, "what": what, "value": value} for what, value in told.items()]
    if rows:
        session.execute(insert(RunFactRow.__table__), rows)  # type: ignore[arg-type]


def _numbers(unit: Unit, figures: dict[str, Any]) -> Iterable[tuple[str, float]]:
    for quantity in quantities_of(unit):
        found = measured(quantity, figures)
        if found is not None:
            yield quantity_key(quantity), found[0]

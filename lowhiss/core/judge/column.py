"""The air column of a judged run: what it is filled to, the rules' bays along it, and where each mark stands."""

from __future__ import annotations

from typing import Any

from lowhiss.core.judge.model import RunVerdict, StageVerdict
from lowhiss.core.stages import kind_of, pedal_held


def air_column(verdict: RunVerdict) -> dict[str, Any]:
    """The column as plain values, pressures in psi gauge.

    fill_psi : where the pedal-held hold ended, else the last figure measured, else None.
    bays : one for each stage with a limit on a pressure: ``{stage, of, now, low_psi, high_psi}``, None for an open
        side; ``of``: a reading, or the end of a hold.
    pins : the judged figures: ``{stage, point, psi, outcome, now}``.  now : what the column is filled to comes from it.
    """
    standing = [stage for stage in verdict.stages if stage.stands]
    pins = [pin for stage in standing for pin in _pins(stage)]
    held = next((s for s in standing if pedal_held(s.stage) and "end_psi" in s.measured), None)
    return {
        "fill_psi": held.measured["end_psi"] if held is not None else (pins[-1]["psi"] if pins else None),
        "bays": [bay for stage in standing if (bay := _bay(stage)) is not None],
        "pins": pins,
    }


def _pins(stage: StageVerdict) -> list[dict[str, Any]]:
    measured = stage.measured
    kind = kind_of(stage.stage)
    if kind == "hold":
        points = [(point, measured.get(f"{point}_psi")) for point in ("start", "end")]
    elif kind == "knobs":
        points = [(knob, read["psi"]) for knob, read in measured.get("knobs", {}).items()]
    elif kind in ("governor", "warning"):
        points = [(stage.stage, measured.get("psi"))]
    else:
        return []
    return [
        {
            "stage": stage.stage,
            "point": point,
            "psi": psi,
            "outcome": stage.outcome,
            "now": pedal_held(stage.stage) and point == "end",
        }
        for point, psi in points
        if psi is not None
    ]


def _bay(stage: StageVerdict) -> dict[str, Any] | None:
    if stage.limit is None or stage.limit.unit != "psi":
        return None
    floors = [bound.value for bound in stage.bounds if bound.comparator in ("at_least", "above")]
    ceilings = [bound.value for bound in stage.bounds if bound.comparator in ("at_most", "below")]
    if kind_of(stage.stage) == "hold":
        start = stage.measured.get("start_psi")
        if start is None or not ceilings:
            return None
        # a loss of at most so much, drawn as where the needle may end
        ends = {"low_psi": round(start - min(ceilings), 1), "high_psi": start}
        return {"stage": stage.stage, "of": "end", "now": pedal_held(stage.stage), **ends}
    if not floors and not ceilings:
        return None
    return {
        "stage": stage.stage,
        "of": "reading",
        "now": False,
        "low_psi": max(floors) if floors else None,
        "high_psi": min(ceilings) if ceilings else None,
    }

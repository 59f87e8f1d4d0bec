"""Verdicts kept beside their runs, so that lists need no judging. Each can be rebuilt at any time."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from lowhiss import __version__
from lowhiss.core.judge import RunVerdict, air_column
from lowhiss.store.models import RunRow, VerdictRow

CORE_VERSION = __version__


def is_current(row: VerdictRow | None, run: RunRow) -> bool:
    """Whether a kept verdict still says what the core would say now."""
    return row is not None and row.last_seq == run.last_seq and row.core_version == CORE_VERSION


def keep_verdict(session: Session, run: RunRow, verdict: RunVerdict) -> None:
    """Keep the verdict of the run as it stands now."""
    session.merge(
        VerdictRow(
            run_id=run.id,
            rules_hash=run.rules_hash,
            last_seq=run.last_seq,
            core_version=CORE_VERSION,
            overall=verdict.overall,
            outcome=verdict.headline,
            close_call=verdict.close_call,
            figures=log_figures(verdict),
        )
    )


def log_figures(verdict: RunVerdict) -> dict[str, Any]:
    """What a list shows of a run: how each stage stands with its main figures, and the air column."""
    return {
        "stages": {
            stage.stage: {"outcome": stage.outcome, "close_call": stage.close_call, **stage.measured}
            for stage in verdict.stages
            if stage.stands
        },
        "column": air_column(verdict),
    }

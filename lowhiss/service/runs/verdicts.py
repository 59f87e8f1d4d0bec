"""Verdicts kept beside their runs, so that lists need no judging; the result of an ended run is kept for good.

While a run goes on its verdict can be rebuilt at any time. Once its end was received the result as it then stood stays:
late marks change it only as the core says, and a newer core that judges the same marks otherwise is kept beside it,
the worse of the two counting until somebody has looked.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from typing import Any

from sqlalchemy import select, update
from sqlalchemy.orm import Session
from sqlalchemy.orm.attributes import set_committed_value

from lowhiss import rulebook
from lowhiss.core.judge import RunVerdict, air_column
from lowhiss.core.record import ASIDE_TYPES, COUNTING_PURPOSES
from lowhiss.core.status import UnitPart
from lowhiss.service.fleet.holds import refold
from lowhiss.service.fleet.results import Result, Shown, later_runs_of, note_result, other_rules_wanted
from lowhiss.service.rules.saved_rules import saved_rules
from lowhiss.service.runs.facts import save_facts
from lowhiss.service.runs.rows import judge_under, judge_upto
from lowhiss.store.run_models import EventRow, RunRow, VerdictRow

RANK = {"fail": 0, "void": 1, "incomplete": 2, "pass": 3}


def core_version() -> str:
    """What judges: a hash over every file of the core and the rule book."""
    return rulebook.version()


def is_current(row: VerdictRow | None, run: RunRow) -> bool:
    """Whether a kept verdict still is the run's: that of an ended run stays, whatever the core would say today."""
    if row is None or row.last_seq != run.last_seq:
        return False
    return run.ended_at is not None or row.core_version == core_version()


def save_verdict(session: Session, run: RunRow, verdict: RunVerdict) -> VerdictRow:
    """Keep the verdict of the run as it stands now, and what it leaves with its parts."""
    row = session.get(VerdictRow, (run.id, run.rules_hash))
    told = summary_of(verdict)
    if row is None:
        row = VerdictRow(run_id=run.id, rules_hash=run.rules_hash)
        session.add(row)
        _adopt(row, run, verdict)
    elif run.ended_at is None or row.at_end is None or row.core_version == core_version() or _explained(verdict):
        _adopt(row, run, verdict)
    else:
        _save_differing(row, run, verdict, told)
    if run.ended_at is not None and row.at_end is None:
        row.at_end = told
    run.outcome, run.close_call = row.outcome, row.close_call
    session.flush()
    # a mark that came in meanwhile leaves it to be judged again
    judged = update(RunRow).where(RunRow.id == run.id, RunRow.last_seq == run.last_seq).values(stale=False)
    session.execute(judged.execution_options(synchronize_session=False))
    set_committed_value(run, "stale", False)
    for rules_hash in other_rules_wanted(session, run, row.figures["stages"]):
        _save_under(session, run, rules_hash)
    _note(session, run, row, verdict)
    save_facts(session, run, verdict, row.figures)
    return row


def _note(session: Session, run: RunRow, row: VerdictRow, verdict: RunVerdict) -> None:
    """Let follow what follows for the vehicle, also for tests that came in before this one and happened after it."""
    stages = row.figures["stages"]
    note_result(session, run, _result(session, run, stages, verdict))
    failed = [stage for stage, figures in stages.items() if figures["outcome"] == "fail"]
    if failed and run.purpose in COUNTING_PURPOSES:
        for later in later_runs_of(session, run):
            if session.get(VerdictRow, (later.id, run.rules_hash)) is None:
                _save_under(session, later, run.rules_hash)
        refold(session, UnitPart("unit", run.unit_id))


def _result(session: Session, run: RunRow, stages: Mapping[str, Mapping[str, Any]], verdict: RunVerdict) -> Result:
    attempts: dict[str, list[str]] = {}
    for one in verdict.stages:
        if one.attempt > 0:
            attempts.setdefault(one.stage, []).append(one.outcome)
    return Result(stages, attempts, _shown(session, run), _changed(session, run))


def _shown(session: Session, run: RunRow) -> list[Shown]:
    """The fails that a device has shown, with the figures that the marks before had come to."""
    query = select(EventRow).where(EventRow.run_id == run.id, EventRow.type == "shown").order_by(EventRow.seq)
    found = []
    for row in session.scalars(query):
        if row.body.get("outcome") != "fail":
            continue
        then = judge_upto(session, run, row)
        mine = [one for one in then.stages if one.stage == row.body["stage"] and one.attempt == row.body["attempt"]]
        figures = log_figures(then)["stages"].get(row.body["stage"], {}) if mine else {}
        if figures.get("outcome") != "fail":
            figures = {"outcome": "fail", "close_call": False, "at_s": row.at_s}
        found.append(Shown(row.body["stage"], row.body["attempt"], figures))
    return found


def _changed(session: Session, run: RunRow) -> dict[str, str]:
    """Whose mark came last that could make a fail vanish: a withdrawal, else whatever it was."""
    query = select(EventRow).where(EventRow.run_id == run.id, EventRow.type.not_in((*ASIDE_TYPES, "shown")))
    withdrawn = query.where(EventRow.type == "withdrawn").order_by(EventRow.seq.desc()).limit(1)
    row = session.scalar(withdrawn) or session.scalar(query.order_by(EventRow.seq.desc()).limit(1))
    if row is None:
        return {"by": run.driver, "at": run.started_at.isoformat(), "what": ""}
    at = run.started_at + dt.timedelta(seconds=row.at_s)
    return {"by": row.author, "at": at.isoformat(), "what": row.type}


def _save_under(session: Session, run: RunRow, rules_hash: str) -> None:
    """What another rule set says of a run: the very one by which a stage failed before and is looked at again."""
    verdict = judge_under(session, run, saved_rules(session, rules_hash))
    row = session.get(VerdictRow, (run.id, rules_hash)) or VerdictRow(run_id=run.id, rules_hash=rules_hash)
    _adopt(row, run, verdict)
    session.add(row)
    session.flush()


def accept_newer(session: Session, row: VerdictRow, run: RunRow, verdict: RunVerdict, looked: dict[str, Any]) -> None:
    """Somebody has looked at what a newer core says: it counts from here on."""
    _adopt(row, run, verdict)
    row.differs, row.looked = None, looked
    run.outcome, run.close_call = row.outcome, row.close_call
    note_result(session, run, _result(session, run, row.figures["stages"], verdict))


def _adopt(row: VerdictRow, run: RunRow, verdict: RunVerdict) -> None:
    row.last_seq, row.core_version = run.last_seq, core_version()
    row.overall, row.outcome, row.close_call = verdict.overall, verdict.headline, verdict.close_call
    row.figures = log_figures(verdict)


def _save_differing(row: VerdictRow, run: RunRow, verdict: RunVerdict, told: dict[str, Any]) -> None:
    """A newer core's verdict on an ended run: the same, or kept beside the one that stands."""
    kept = {
        "outcome": row.outcome,
        "close_call": row.close_call,
        "stages": {stage: figures["outcome"] for stage, figures in row.figures["stages"].items()},
    }
    same = (kept["outcome"], kept["stages"]) == (told["outcome"], told["stages"])
    worse = RANK[told["outcome"]] < RANK[row.outcome]
    row.differs = (
        None if same else {"core": core_version(), "kept": kept, "now": told, "counts": "now" if worse else "kept"}
    )
    if worse:
        _adopt(row, run, verdict)
    row.last_seq, row.core_version = run.last_seq, core_version()


def _explained(verdict: RunVerdict) -> bool:
    """Whether a late number or a confirmation is why the result is another."""
    return any(mark.why in ("number", "confirmed") for mark in verdict.late)


def summary_of(verdict: RunVerdict) -> dict[str, Any]:
    """A result in short: the word for it, and how each stage stands."""
    stages = {stage.stage: stage.outcome for stage in verdict.stages if stage.stands}
    return {"outcome": verdict.headline, "close_call": verdict.close_call, "stages": stages}


def log_figures(verdict: RunVerdict) -> dict[str, Any]:
    """What a list shows of a run: how each stage stands with its main figures and when, and the air column."""
    return {
        "stages": {
            stage.stage: {
                "outcome": stage.outcome,
                "close_call": stage.close_call,
                "at_s": _last_mark_s(verdict, stage.stage, stage.attempt),
                **stage.measured,
            }
            for stage in verdict.stages
            if stage.stands
        },
        "column": air_column(verdict),
    }


def _last_mark_s(verdict: RunVerdict, stage: str, attempt: int) -> float | None:
    tries = verdict.state.attempts.get(stage, [])
    marks = tries[attempt - 1].marks if 0 < attempt <= len(tries) else []
    return marks[-1].event.at_s if marks else None

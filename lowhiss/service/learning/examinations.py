"""The examination of a candidate on a real vehicle: a report of their own, apart from the vehicle's."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy.orm import Session

from lowhiss.core.rules import Limit
from lowhiss.core.run import withdrawn_ids
from lowhiss.core.stages import STAGES
from lowhiss.core.words import Words
from lowhiss.service.errors import ConflictError, NotFoundError, RefusedError
from lowhiss.service.people.signin import ForbiddenError, Person
from lowhiss.service.runs.participants import OVERSEERS
from lowhiss.service.runs.rows import find_run, judge_row, record_of
from lowhiss.store.engine import Store
from lowhiss.store.learning_models import ExaminationRow
from lowhiss.store.people_models import PersonRow
from lowhiss.store.run_models import RunRow


@dataclass(frozen=True, slots=True)
class RepeatRequest:
    """A part that the candidate asked to do over. named : they had called it bad or said what went wrong."""

    stage: str
    named: bool
    granted: bool


@dataclass(frozen=True, slots=True)
class Found:
    """What was done or said wrongly, in words."""

    code: str
    text: str
    critical: bool


@dataclass(frozen=True, slots=True)
class Examination:
    """A candidate's own report. What was found is empty for the candidate until the examiner has told it.

    passed : the examiner's own decision.  closing : how the candidate said the test ends.
    """

    run_id: str
    candidate: str
    examiner: str | None
    told_at: dt.datetime | None
    passed: bool | None
    remark: str
    withheld: bool
    asked: tuple[RepeatRequest, ...]
    closing: str | None
    findings: tuple[Found, ...]


def read(store: Store, run_id: str, by: Person, words: Words) -> Examination:
    """The candidate's report of a run. Raises NotFoundError, also for a run that is no examination."""
    with store.transaction() as session:
        return _examination(session, _examined(session, run_id), by, words)


def announce(store: Store, run_id: str, by: Person, passed: bool, remark: str, words: Words) -> Examination:
    """The examiner's decision, once the test is over; it is told once and stays.

    Raises NotFoundError, ForbiddenError for the candidate themselves, RefusedError while the test goes on,
    ConflictError where it was told otherwise already.
    """
    with store.transaction() as session:
        run = _examined(session, run_id)
        if run.person_id == by.id:
            raise ForbiddenError("not_about_oneself", "run_id: you can't examine yourself.", "run_id")
        if run.ended_at is None:
            raise RefusedError(
                "still_going_on", "run_id: the test isn't finished. Announce the result when it is.", "run_id"
            )
        told = session.get(ExaminationRow, run_id, with_for_update=True)
        if told is None:
            row = ExaminationRow(
                run_id=run_id, examiner_id=by.id, told_at=dt.datetime.now(dt.UTC), passed=passed, remark=remark.strip()
            )
            session.add(row)
            session.flush()
        elif (told.examiner_id, told.passed, told.remark) != (by.id, passed, remark.strip()):
            raise ConflictError(
                "told_already", "passed: the result has already been announced and can't be changed.", "passed"
            )
        return _examination(session, run, by, words)


def _examined(session: Session, run_id: str) -> RunRow:
    run = find_run(session, run_id)
    if not run.setup.get("examined"):
        raise NotFoundError("no_examination", "run_id: this test isn't an examination.", "run_id")
    return run


def _examination(session: Session, run: RunRow, by: Person, words: Words) -> Examination:
    told = session.get(ExaminationRow, run.id)
    withheld = told is None and by.role not in OVERSEERS
    events = record_of(session, run)["events"]
    closing = [one for one in _calls_made(events) if one["what"] == "closing"]
    return Examination(
        run_id=run.id,
        candidate=run.driver,
        examiner=None if told is None else session.get_one(PersonRow, told.examiner_id).name,
        told_at=told.told_at if told else None,
        passed=told.passed if told else None,
        remark=told.remark if told else "",
        withheld=withheld,
        asked=_repeat_requests(events),
        closing=str(closing[-1].get("value", "")) if closing else None,
        findings=() if withheld else _findings(session, run, words),
    )


def _calls_made(events: Sequence[dict[str, Any]]) -> list[dict[str, Any]]:
    """What was said, in the order in which the server heard it: two devices have two clocks."""
    taken_back = withdrawn_ids([(one.get("id"), one["event"]) for one in events if one["type"] == "withdrawn"])
    said = [one for one in events if one["type"] == "said" and one.get("id") not in taken_back]
    return sorted(said, key=lambda one: one["seq"])


def _repeat_requests(events: Sequence[dict[str, Any]]) -> tuple[RepeatRequest, ...]:
    """Each time a part was asked for again, and whether that was granted before it was asked for once more."""
    asked: list[RepeatRequest] = []
    for one in _calls_made(events):
        part, _, stage = one["what"].partition(":")
        if stage not in STAGES:
            continue
        if part == "redo":
            asked.append(RepeatRequest(stage, one.get("value") == "named", granted=False))
        elif part == "grant":
            place = next((n for n in reversed(range(len(asked))) if asked[n].stage == stage), None)
            if place is not None:
                asked[place] = RepeatRequest(stage, asked[place].named, granted=True)
    return tuple(asked)


def _findings(session: Session, run: RunRow, words: Words) -> tuple[Found, ...]:
    verdict = judge_row(session, run)
    weighed = dict.fromkeys(verdict.minor, False) | dict.fromkeys(verdict.critical, True)
    limits: dict[str | None, Limit | None] = {stage.stage: stage.limit for stage in verdict.stages}
    found: dict[str, Found] = {}
    for finding in (*verdict.coach, *(one for stage in verdict.stages for one in stage.findings)):
        if finding.code in weighed:
            text = words.finding(finding, limits.get(finding.stage))
            found.setdefault(finding.code, Found(finding.code, text, weighed[finding.code]))
    return tuple(sorted(found.values(), key=lambda one: not one.critical))

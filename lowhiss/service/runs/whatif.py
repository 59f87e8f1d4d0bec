"""What if, as a job: a choice of runs judged again under other rules, kept part by part, so that nothing is lost."""

from __future__ import annotations

import datetime as dt
import json
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass
from functools import lru_cache
from typing import Any

from sqlalchemy import ColumnElement, Text, bindparam, func, or_, select, text, type_coerce
from sqlalchemy.orm import Session

from lowhiss.core.judge import StageVerdict
from lowhiss.core.words import Words
from lowhiss.engine.executor import Executor, in_order
from lowhiss.engine.whatif_parts import PartChanges, RunsPart, SavedRun, judge_part, verdict_of
from lowhiss.exchange.tables import csv_text
from lowhiss.service.errors import RefusedError
from lowhiss.service.jobs import JobState, cancel_job, end_job, find_job, held, new_job, saved_jobs
from lowhiss.service.people.signin import Person
from lowhiss.service.rules.editor import sets_named
from lowhiss.service.rules.saved_rules import save_rules, saved_rules
from lowhiss.service.runs.log import narrowed
from lowhiss.service.runs.verdicts import core_version
from lowhiss.store.engine import Store
from lowhiss.store.installation_models import JobLineRow, JobRow
from lowhiss.store.run_models import RunRow, VerdictRow

KIND = "what_if"
AT_ONCE = 250
"""So many runs are one part: about a second of work, so that nothing is far from what was kept last."""
LINES_PAGE = 100
_ROOM_FOR_EVENTS = 64 * 1024 * 1024


@dataclass(frozen=True, slots=True)
class Choice:
    """Which runs: as the log is narrowed. Days are whole; ``until`` is the first that is left out."""

    search: str = ""
    outcome: str | None = None
    since: dt.datetime | None = None
    until: dt.datetime | None = None


@dataclass(frozen=True, slots=True)
class Job:
    """A question and how far it is. ``summary``: so many judged, unread, changed, and each way how often."""

    id: str
    state: JobState
    title: dict[str, str]
    rules: str
    choice: dict[str, Any]
    asked_by: str
    asked_at: dt.datetime
    total: int
    done: int
    summary: dict[str, Any]
    ended_at: dt.datetime | None
    why: str


@dataclass(frozen=True, slots=True)
class ChangedStage:
    """A stage that would come out otherwise, with both sums in words."""

    stage: str
    before: str
    after: str
    was: str
    now: str


@dataclass(frozen=True, slots=True)
class ChangedRun:
    """A run that would come out otherwise, or of which a stage would."""

    run_id: str
    unit: str
    driver: str
    started_at: dt.datetime
    before: str
    after: str
    stages: list[ChangedStage]


def ask(store: Store, by: Person, rules: str, choice: Choice) -> Job:
    """Ask what would be if these runs were judged by other rules. Raises RefusedError where there are none."""
    now = dt.datetime.now(dt.UTC)
    with store.transaction() as session:
        ((others, _),) = sets_named(session, [rules], now)
        total = session.scalar(select(func.count()).select_from(RunRow).where(*_chosen(session, choice))) or 0
        if not total:
            raise RefusedError("nothing_chosen", "choice: no finished tests match these filters.", "choice")
        save_rules(session, others)
        asked = {
            "rules": others.content_hash,
            "name": others.id,
            "title": dict(others.title),
            "choice": {key: _plain(value) for key, value in asdict(choice).items() if value},
        }
        return _job(new_job(session, KIND, by, asked, total, _empty()))


def _plain(value: Any) -> Any:
    return value.isoformat() if isinstance(value, dt.datetime) else value


def _choice(row: JobRow) -> Choice:
    kept = row.asked["choice"]
    days = {key: dt.datetime.fromisoformat(kept[key]) for key in ("since", "until") if key in kept}
    return Choice(kept.get("search", ""), kept.get("outcome"), days.get("since"), days.get("until"))


def _chosen(session: Session, choice: Choice) -> list[ColumnElement[bool]]:
    """Ended runs only: what goes on has no result that could be another."""
    conditions = [RunRow.ended_at.is_not(None), *narrowed(session, choice.search, choice.outcome)]
    if choice.since is not None:
        conditions.append(RunRow.started_at >= choice.since)
    if choice.until is not None:
        conditions.append(RunRow.started_at < choice.until)
    return conditions


def _empty() -> dict[str, Any]:
    return {"judged": 0, "unread": 0, "changed": 0, "lines": 0, "ways": {}, "units": {}}


def _job(row: JobRow) -> Job:
    return Job(
        id=row.id,
        state=row.state,  # type: ignore[arg-type]
        title=row.asked["title"],
        rules=row.asked["name"],
        choice=row.asked["choice"],
        asked_by=row.asked_by,
        asked_at=row.asked_at,
        total=row.total,
        done=row.done,
        summary=row.summary,
        ended_at=row.ended_at,
        why=row.why,
    )


def jobs(store: Store) -> list[Job]:
    """Every question that is kept, the latest first."""
    with store.transaction() as session:
        return [_job(row) for row in saved_jobs(session, KIND)]


def job(store: Store, job_id: str) -> Job:
    """One question. Raises NotFoundError."""
    with store.transaction() as session:
        return _job(find_job(session, KIND, job_id))


def cancel(store: Store, job_id: str, by: Person) -> Job:
    """Stop a question; what was found so far stays. Raises NotFoundError."""
    with store.transaction() as session:
        return _job(cancel_job(session, KIND, job_id, by))


# working on one


def work_on(store: Store, job_id: str, worker: str, executor: Executor) -> None:
    """Answer a question from where it stood, part by part; ends where somebody stopped it or took it up elsewhere."""
    for found in in_order(executor, judge_part, _parts(store, job_id)):
        if not _save_part(store, job_id, worker, found):
            return
    end_job(store, job_id, worker)


def _parts(store: Store, job_id: str) -> Iterator[RunsPart]:
    """The parts of a job from where it stood, each read when it is asked for."""
    with store.transaction() as session:
        row = session.get_one(JobRow, job_id)
        choice, cursor = _choice(row), row.cursor
        others = json.dumps(saved_rules(session, row.asked["rules"]).as_dict())
    while True:
        with store.transaction() as session:
            runs = session.execute(_next_runs(session, choice, cursor)).all()
            if not runs:
                return
            cursor = {"at": runs[-1].started_at.isoformat(), "id": runs[-1].id}
            part = _part(session, runs, others, cursor)
        yield part


_OF_A_RUN = (
    RunRow.id,
    RunRow.started_at,
    RunRow.rules_hash,
    RunRow.purpose,
    RunRow.resolution_psi,
    # as the texts that they are: read where they are judged
    *(type_coerce(column, Text).label(column.key) for column in (RunRow.unit, RunRow.procedure, RunRow.setup)),
    VerdictRow.overall,
    func.json_extract(VerdictRow.figures, "$.stages", type_=Text).label("stages"),
)


def _next_runs(session: Session, choice: Choice, cursor: Mapping[str, str] | None) -> Any:
    """The runs after the cursor, the oldest first, read along the index of when they began."""
    conditions = _chosen(session, choice)
    if cursor:
        at = dt.datetime.fromisoformat(cursor["at"])
        # said twice, because the database reads along the index only by the first
        conditions.append(RunRow.started_at >= at)
        conditions.append(or_(RunRow.started_at > at, RunRow.id > cursor["id"]))
    ids = select(RunRow.id).where(*conditions).order_by(RunRow.started_at, RunRow.id).limit(AT_ONCE).subquery()
    # what this very core has judged needs no judging again to be compared
    judged = (
        (VerdictRow.run_id == RunRow.id)
        & (VerdictRow.rules_hash == RunRow.rules_hash)
        & (VerdictRow.core_version == core_version())
        & (VerdictRow.last_seq == RunRow.last_seq)
        & VerdictRow.differs.is_(None)
    )
    return (
        select(*_OF_A_RUN)
        .join(ids, ids.c.id == RunRow.id)
        .outerjoin(VerdictRow, judged)
        .order_by(RunRow.started_at, RunRow.id)
    )


def _part(session: Session, runs: Sequence[Any], others: str, ends: dict[str, str]) -> RunsPart:
    session.execute(text(f"SET SESSION group_concat_max_len = {_ROOM_FOR_EVENTS}"))
    # the database puts each run's events together: one row a run is many times quicker than one an event
    query = text(
        "SELECT run_id, GROUP_CONCAT(CONCAT('[', at_s, ',', JSON_QUOTE(id), ',', after_end, ',', body, ']') "
        "ORDER BY seq SEPARATOR ',') AS events FROM event WHERE run_id IN :ids GROUP BY run_id"
    ).bindparams(bindparam("ids", expanding=True))
    events = {row.run_id: row.events for row in session.execute(query, {"ids": [run.id for run in runs]})}
    kept = tuple(
        SavedRun(
            id=run.id,
            unit=run.unit,
            procedure=run.procedure,
            rules=run.rules_hash,
            purpose=run.purpose,
            resolution_psi=float(run.resolution_psi),
            policy=_policy(run.setup),
            events=f"[{events.get(run.id) or ''}]",
            stood=f'["{run.overall}",{run.stages}]' if run.stages is not None else "",
        )
        for run in runs
    )
    sets = {
        rules_hash: json.dumps(saved_rules(session, rules_hash).as_dict()) for rules_hash in {r.rules for r in kept}
    }
    return RunsPart(kept, sets, others, ends)


@lru_cache(maxsize=256)
def _policy(setup: str) -> str | None:
    found: str | None = json.loads(setup).get("policy")
    return found


def _save_part(store: Store, job_id: str, worker: str, found: PartChanges) -> bool:
    """Keep what came of a part with where it ends, in one transaction; False where the job is no longer ours."""
    with held(store, job_id, worker) as mine:
        if mine is None:
            return False
        session, row = mine
        summary = _added(row.summary, found, _units_of(session, [line["run"] for line in found.lines]))
        first = int(row.summary["lines"])
        session.add_all(
            JobLineRow(job_id=job_id, place=first + place, body=line) for place, line in enumerate(found.lines)
        )
        row.done += found.judged + found.unread
        row.cursor, row.summary = found.ends, summary
        return True


def _units_of(session: Session, run_ids: Sequence[str]) -> dict[str, str]:
    query = select(RunRow.id, RunRow.unit).where(RunRow.id.in_(run_ids))
    return {row.id: row.unit["name"] for row in session.execute(query)} if run_ids else {}


def _added(before: dict[str, Any], found: PartChanges, units: Mapping[str, str]) -> dict[str, Any]:
    changed = [line for line in found.lines if line["before"] != line["after"]]
    ways = Counter(before["ways"]) + Counter(f"{line['before']} {line['after']}" for line in changed)
    named = Counter(before["units"]) + Counter(units[line["run"]] for line in changed)
    return {
        "judged": before["judged"] + found.judged,
        "unread": before["unread"] + found.unread,
        "changed": before["changed"] + len(changed),
        "lines": before["lines"] + len(found.lines),
        "ways": dict(ways),
        "units": dict(named.most_common(200)),
    }


# what came of one


def changes(store: Store, job_id: str, words: Words, after: int = 0, page: int = LINES_PAGE) -> list[ChangedRun]:
    """The runs that would come out otherwise, a page from place ``after``, worded. Raises NotFoundError."""
    with store.transaction() as session:
        return _worded(session, find_job(session, KIND, job_id), words, after, page)


def _worded(session: Session, row: JobRow, words: Words, after: int, page: int) -> list[ChangedRun]:
    query = select(JobLineRow.body).where(JobLineRow.job_id == row.id, JobLineRow.place >= after)
    bodies = list(session.scalars(query.order_by(JobLineRow.place).limit(page)))
    known = select(RunRow.id, RunRow.unit, RunRow.driver, RunRow.started_at).where(
        RunRow.id.in_([body["run"] for body in bodies])
    )
    runs = {one.id: one for one in session.execute(known)} if bodies else {}
    others = saved_rules(session, row.asked["rules"])
    found = []
    for body in bodies:
        run, own = runs[body["run"]], saved_rules(session, body["rules"])
        found.append(
            ChangedRun(
                run_id=run.id,
                unit=run.unit["name"],
                driver=run.driver,
                started_at=run.started_at,
                before=body["before"],
                after=body["after"],
                stages=[
                    ChangedStage(
                        one["stage"],
                        one["before"]["outcome"],
                        one["after"]["outcome"],
                        _sum(verdict_of(one["stage"], one["before"], own), words),
                        _sum(verdict_of(one["stage"], one["after"], others), words),
                    )
                    for one in body["stages"]
                ],
            )
        )
    return found


def _sum(verdict: StageVerdict, words: Words) -> str:
    """The arithmetic of a stage; of one that is void, why it is."""
    if verdict.outcome == "void":
        return " ".join(words.finding(finding, verdict.limit) for finding in verdict.findings)
    return words.arithmetic(verdict)


_COLUMNS = ("run", "unit", "driver", "started_at", "before", "after")
_STAGE_COLUMNS = ("stage", "stage_before", "stage_after", "was", "now")


def as_csv(store: Store, job_id: str, words: Words) -> Iterator[str]:
    """Every run that would come out otherwise, a line for each stage that differs. Raises NotFoundError at once."""
    with store.transaction() as session:
        find_job(session, KIND, job_id)

    def lines() -> Iterator[str]:
        yield csv_text([(*_COLUMNS, *_STAGE_COLUMNS)])
        place = 0
        while page := changes(store, job_id, words, place):
            place += len(page)
            yield csv_text(
                (one.run_id, one.unit, one.driver, one.started_at.isoformat(), one.before, one.after, *stage)
                for one in page
                for stage in (
                    [(s.stage, s.before, s.after, s.was, s.now) for s in one.stages] or [("", "", "", "", "")]
                )
            )

    return lines()

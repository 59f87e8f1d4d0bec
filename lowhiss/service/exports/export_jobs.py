"""Tables and records that leave, as jobs: written part by part to a file that is fetched when it is whole."""

from __future__ import annotations

import datetime as dt
import hashlib
import json
import zipfile
from collections.abc import Iterator
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any, Literal

from sqlalchemy import select
from sqlalchemy.orm import Session

from lowhiss.core.fields import Language
from lowhiss.core.units import PressureUnit
from lowhiss.core.words import Words
from lowhiss.engine.executor import Executor
from lowhiss.exchange.papers import Size, printed
from lowhiss.exchange.tables import Cell, write_csv
from lowhiss.exchange.workbook import write_workbook
from lowhiss.service.errors import NotFoundError, RefusedError
from lowhiss.service.exports import papers
from lowhiss.service.jobs import JobState, cancel_job, end_job, fail_job, find_job, held, new_job, saved_jobs
from lowhiss.service.people.signin import Person
from lowhiss.service.runs.facts import quantity_keys, quantity_unit
from lowhiss.service.runs.log import Wanted, ids_of, log_lines
from lowhiss.service.runs.rows import find_run, head_of, record_of
from lowhiss.service.spool import Spool
from lowhiss.store.engine import Store
from lowhiss.store.finding_models import RunFactRow
from lowhiss.store.installation_models import JobRow, SettingRow
from lowhiss.store.run_models import RunRow

KIND = "export"
What = Literal["csv", "xlsx", "records", "pdf"]
ENDINGS: dict[What, str] = {"csv": "csv", "xlsx": "xlsx", "records": "zip", "pdf": "pdf"}
FORMAT = "low-hiss-runs/1"
_AT_ONCE = 50
_FILE, _PARTLY = "export", "export.part"
_HEAD = (
    *("run", "unit", "kind", "trailers", "driver", "started_at", "ended_by", "purpose"),
    *("rules", "outcome", "close_call", "sealed", "recorded", "origin"),
)


@dataclass(frozen=True, slots=True)
class PaperRequest:
    """What a list is called on paper, and how it speaks."""

    title: str = "Low Hiss"
    size: Size = "A4"
    language: Language = "en"
    pressure: PressureUnit = "psi"


@dataclass(frozen=True, slots=True)
class Export:
    """What is to leave, and how far it is."""

    id: str
    what: What
    state: JobState
    asked_by: str
    asked_at: dt.datetime
    total: int
    done: int
    why: str


def begin(
    store: Store, spool: Spool, by: Person, what: What, wanted: Wanted, paper: PaperRequest = PaperRequest()
) -> Export:
    """Ask for a file of these runs. paper : of a PDF. Raises RefusedError where there are none, or too many for it."""
    with store.transaction() as session:
        total = len(ids_of(session, wanted, None, _MOST))
        if not total:
            raise RefusedError("nothing_chosen", "choice: no tests match these filters.", "choice")
        if what == "pdf":
            papers.check_length(total)
        asked = {"what": what, "wanted": _table(wanted), "paper": asdict(paper)}
        return _export(new_job(session, KIND, by, asked, total, {}, spool.place))


_MOST = 3_000_000


def _table(wanted: Wanted) -> dict[str, Any]:
    """What is wanted as plain values, without what is any."""
    return wanted.model_dump(mode="json", include=set(Wanted.model_fields), exclude_defaults=True)


def _wanted(row: JobRow) -> Wanted:
    kept = row.asked["wanted"]
    # a job of a version before may wait still: what it left out of account would be every run
    return Wanted.model_validate({_FORMERLY.get(name, name): value for name, value in kept.items()})


_FORMERLY = {"unit_id": "unit", "trailer_id": "trailer"}


def exports(store: Store) -> list[Export]:
    """Every file that was asked for, the latest first."""
    with store.transaction() as session:
        return [_export(row) for row in saved_jobs(session, KIND)]


def export(store: Store, job_id: str) -> Export:
    """One of them. Raises NotFoundError."""
    with store.transaction() as session:
        return _export(find_job(session, KIND, job_id))


def cancel(store: Store, job_id: str, by: Person) -> Export:
    """Stop it; nothing of it is kept. Raises NotFoundError."""
    with store.transaction() as session:
        return _export(cancel_job(session, KIND, job_id, by))


def file_of(store: Store, spool: Spool, job_id: str) -> tuple[Path, str]:
    """The whole file and what it is called. Raises NotFoundError while there is none here, or not any more."""
    found = export(store, job_id)
    path = spool.of(job_id) / _FILE
    if found.state != "done" or not path.is_file():
        raise NotFoundError("export_gone", "This file doesn't exist any more. Export it again.", "job_id")
    return path, f"low-hiss-{found.asked_at:%Y-%m-%d}.{ENDINGS[found.what]}"


def _export(row: JobRow) -> Export:
    named = (row.id, row.asked["what"], row.state, row.asked_by, row.asked_at, row.total, row.done, row.why)
    return Export(*named)  # type: ignore[arg-type]


class _LeftError(Exception):
    """Somebody stopped it, or took it up elsewhere."""


def work_on(spool: Spool, store: Store, job_id: str, worker: str, elsewhere: Executor) -> None:
    """Write the file, from its beginning: what is half is written again. elsewhere : prints papers."""
    with store.transaction() as session:
        row = session.get_one(JobRow, job_id)
        what: What = row.asked["what"]
        wanted, row.done = _wanted(row), 0
        paper = PaperRequest(**row.asked.get("paper", {}))
    directory = spool.of(job_id)
    directory.mkdir(parents=True, exist_ok=True)
    partly = directory / _PARTLY
    try:
        chunks = _with_progress(store, job_id, worker, _pages(store, wanted))
        if what == "records":
            _write_records(store, partly, chunks)
        elif what == "csv":
            write_csv(partly, _head(), (row for ids in chunks for row in _rows(store, ids)))
        elif what == "pdf":
            lines = [line for ids in chunks for line in log_lines(store, ids)]
            listed = papers.list_paper(lines, Words(paper.language, paper.pressure), paper.title)
            partly.write_bytes(elsewhere.submit(printed, (listed, paper.size)).result())
        else:
            write_workbook(partly, "Low Hiss", _head(), (row for ids in chunks for row in _rows(store, ids)))
        partly.replace(directory / _FILE)
    except _LeftError:
        partly.unlink(missing_ok=True)
    except OSError as error:
        partly.unlink(missing_ok=True)
        fail_job(store, job_id, worker, f"The file can't be written: {error.strerror}.")
    else:
        end_job(store, job_id, worker)


def _with_progress(store: Store, job_id: str, worker: str, pages: Iterator[list[str]]) -> Iterator[list[str]]:
    """The pages as they come; the progress is saved after each. Raises _LeftError where it is no longer ours."""
    for ids in pages:
        yield ids
        with held(store, job_id, worker) as mine:
            if mine is None:
                raise _LeftError
            mine[1].done += len(ids)


def _pages(store: Store, wanted: Wanted) -> Iterator[list[str]]:
    last: str | None = None
    while True:
        with store.transaction() as session:
            ids = ids_of(session, wanted, find_run(session, last) if last else None, _AT_ONCE)
        if not ids:
            return
        yield ids
        last = ids[-1]


def _head() -> list[str]:
    return [*_HEAD, *(f"{key.replace('.', '_')}_{quantity_unit(key)}" for key in quantity_keys())]


def _rows(store: Store, ids: list[str]) -> list[list[Cell]]:
    """A row a run, its numbers in psi and s."""
    with store.transaction() as session:
        runs = {row.id: row for row in session.scalars(select(RunRow).where(RunRow.id.in_(ids)))}
        values: dict[tuple[str, str], float | None] = {}
        for fact in session.scalars(select(RunFactRow).where(RunFactRow.run_id.in_(ids))):
            values[fact.run_id, fact.what] = fact.value
        return [_row(session, runs[run_id], values) for run_id in ids]


def _row(session: Session, run: RunRow, values: dict[tuple[str, str], float | None]) -> list[Cell]:
    head = head_of(session, run)
    first: list[Cell] = [
        *(run.id, head.unit.name, head.unit.kind, " ".join(head.unit.trailers), run.driver, run.started_at),
        *(run.ended_by, run.purpose, head.rules, run.outcome, run.close_call, run.sealed, run.recorded, run.origin),
    ]
    return [*first, *(values.get((run.id, key)) for key in quantity_keys())]


def _write_records(store: Store, path: Path, pages: Iterator[list[str]]) -> None:
    """A zip: each run's record, and a manifest of them with their hashes and whose they are."""
    listed = []
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as packed:
        for ids in pages:
            with store.transaction() as session:
                records = [(run_id, record_of(session, find_run(session, run_id))) for run_id in ids]
            for run_id, record in records:
                data = json.dumps(record, ensure_ascii=False, default=str).encode()
                name = f"runs/{run_id}.json"
                packed.writestr(name, data)
                listed.append({"id": run_id, "file": name, "sha256": hashlib.sha256(data).hexdigest()})
        with store.transaction() as session:
            owner = session.get(SettingRow, "owner")
        manifest = {
            "format": FORMAT,
            "installation": owner.value if owner else "",
            "made_at": dt.datetime.now(dt.UTC).isoformat(),
            "runs": listed,
        }
        packed.writestr("manifest.json", json.dumps(manifest, ensure_ascii=False, indent=1))

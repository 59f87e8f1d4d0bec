"""What leaves: papers as they are asked for, tables and records as jobs; and records that come from elsewhere."""

from __future__ import annotations

import datetime as dt
import tempfile
from dataclasses import asdict
from pathlib import Path as FilePath
from typing import Annotated, cast

from fastapi import APIRouter, Body, Path, Request, Response
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field

from lowhiss.api.auth import PersonDep
from lowhiss.api.deps import StoreDep, WordsDep
from lowhiss.api.json_requests import CarefulRoute
from lowhiss.api.threads import FILES
from lowhiss.api.workers import person_of, workers_of
from lowhiss.core.fields import UUID_PATTERN, Language
from lowhiss.core.units import PressureUnit
from lowhiss.exchange.papers import Size
from lowhiss.service.exports import export_jobs, imports, papers, tables
from lowhiss.service.job_worker import Worker
from lowhiss.service.jobs import JobState
from lowhiss.service.people.rights import may
from lowhiss.service.people.signin import ForbiddenError
from lowhiss.service.runs.log import Wanted
from lowhiss.service.spool import Spool

router = APIRouter(prefix="/api", tags=["exports"], route_class=CarefulRoute)
JobId = Annotated[str, Path(pattern=UUID_PATTERN)]


class PaperBody(BaseModel):
    """What a paper is called, and how it speaks."""

    title: Annotated[str, Field(max_length=80)] = "Low Hiss"
    size: Size = "A4"
    language: Language = "en"
    pressure: PressureUnit = "psi"


class ExportBody(Wanted):
    """Which runs, and as what. paper : of a PDF."""

    what: export_jobs.What
    paper: PaperBody = PaperBody()


class ExportOut(BaseModel):
    """A file that was asked for, and how far it is."""

    id: str
    what: export_jobs.What
    state: JobState
    asked_by: str
    asked_at: dt.datetime
    total: int
    done: int
    why: str


class ArrivedOut(BaseModel):
    """What became of each record. known : it was here already.  refused : by file, why."""

    taken: int
    known: int
    refused: dict[str, str]


@router.get("/runs/{run_id}/report.pdf", operation_id="getReportPdf", response_class=Response)
async def get_report_pdf(
    run_id: Annotated[str, Path(pattern=UUID_PATTERN)],
    request: Request,
    words: WordsDep,
    size: Size = "A4",
) -> Response:
    """A run's report as a paper, with its signatures and a code to check its seal by."""
    check_at = f"{request.base_url}check/"
    data = await workers_of(request).run(person_of(request), papers.report_pdf, run_id, words, size, check_at)
    return _pdf(data, f"low-hiss-{run_id[:8]}.pdf")


def _pdf(data: bytes, name: str) -> Response:
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return Response(data, media_type="application/pdf", headers=headers)


@router.post("/exports", operation_id="beginExport", status_code=201)
def begin_export(body: ExportBody, request: Request, store: StoreDep, by: PersonDep) -> ExportOut:
    """Ask for a file of runs: a table (CSV, XLSX), a paper (PDF), or a zip of their records with a manifest."""
    paper = export_jobs.PaperRequest(**body.paper.model_dump())
    found = export_jobs.begin(store, cast(Spool, request.app.state.spool), by, body.what, body, paper)
    cast(Worker, request.app.state.worker).wake()
    return ExportOut.model_validate(asdict(found))


@router.get("/exports", operation_id="listExports")
def list_exports(store: StoreDep) -> list[ExportOut]:
    """Every file that was asked for, the latest first."""
    return [ExportOut.model_validate(asdict(one)) for one in export_jobs.exports(store)]


@router.get("/exports/{job_id}", operation_id="getExport")
def get_export(job_id: JobId, store: StoreDep) -> ExportOut:
    """How far a file is."""
    return ExportOut.model_validate(asdict(export_jobs.export(store, job_id)))


@router.post("/exports/{job_id}/stop", operation_id="stopExport")
def stop_export(job_id: JobId, store: StoreDep, by: PersonDep) -> ExportOut:
    """Stop an export that is waiting or running."""
    return ExportOut.model_validate(asdict(export_jobs.cancel(store, job_id, by)))


@router.get("/exports/{job_id}/file", operation_id="getExportFile", response_class=FileResponse)
def get_export_file(job_id: JobId, request: Request, store: StoreDep) -> FileResponse:
    """Download the file of an export that is done."""
    path, name = export_jobs.file_of(store, cast(Spool, request.app.state.spool), job_id)
    return FileResponse(path, filename=name)


@router.get("/tables/{name}.{ending}", operation_id="getTable", response_class=Response)
async def get_table(
    name: tables.Name, ending: tables.Ending, store: StoreDep, words: WordsDep, by: PersonDep
) -> Response:
    """Another table than the log: units (as a file of units is taken in), trailers, how they stand, and so on."""
    if name == "people" and not may(by.role, "listPeople"):
        raise ForbiddenError("not_allowed", "You aren't allowed to do this. Ask a manager.")
    now = dt.datetime.now(dt.UTC)
    data = await FILES.run(_table_file, name, ending, tables.TableRequest(store, words, now))
    headers = {"Content-Disposition": f'attachment; filename="low-hiss-{name}-{now:%Y-%m-%d}.{ending}"'}
    return Response(data, media_type=_MEDIA[ending], headers=headers)


_MEDIA: dict[tables.Ending, str] = {
    "csv": "text/csv; charset=utf-8",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
}


def _table_file(name: tables.Name, ending: tables.Ending, asked: tables.TableRequest) -> bytes:
    with tempfile.TemporaryDirectory() as folder:
        path = FilePath(folder, "table")
        tables.write_table(path, name, ending, asked)
        return path.read_bytes()


@router.post("/imports", operation_id="importRuns")
async def import_runs(
    store: StoreDep, by: PersonDep, data: Annotated[bytes, Body(media_type="application/octet-stream")]
) -> ArrivedOut:
    """Take over a zip of records made elsewhere: each once, marked as foreign."""
    return ArrivedOut.model_validate(asdict(await FILES.run(imports.import_file, store, by, data)))

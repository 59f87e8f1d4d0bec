"""Many recordings at once: files are put one by one, however large, and read beside everything else."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, cast

from fastapi import APIRouter, Depends, Path, Query, Request

from lowhiss.api.auth import PersonDep
from lowhiss.api.deps import StoreDep
from lowhiss.api.json_requests import CarefulRoute
from lowhiss.api.threads import RECORDINGS
from lowhiss.api.traces.schemas import BatchBody, BatchLineOut, BatchOut
from lowhiss.core.fields import UUID_PATTERN
from lowhiss.service.job_worker import Worker
from lowhiss.service.spool import Spool
from lowhiss.service.traces import recording_batches

router = APIRouter(prefix="/api/trace-batches", tags=["traces"], route_class=CarefulRoute)
JobId = Annotated[str, Path(pattern=UUID_PATTERN)]


async def _spool(request: Request) -> Spool:
    return cast(Spool, request.app.state.spool)


SpoolDep = Annotated[Spool, Depends(_spool)]


@router.post("", operation_id="beginBatch", status_code=201)
def begin_batch(body: BatchBody, store: StoreDep, spool: SpoolDep, by: PersonDep) -> BatchOut:
    """A batch to put files to."""
    return _out(recording_batches.begin(store, spool, by, body.to_service()))


@router.get("", operation_id="listBatches")
def list_batches(store: StoreDep, spool: SpoolDep) -> list[BatchOut]:
    """Every batch that is kept, the latest first."""
    return [_out(one) for one in recording_batches.batches(store, spool)]


@router.get("/{job_id}", operation_id="getBatch")
def get_batch(job_id: JobId, store: StoreDep, spool: SpoolDep) -> BatchOut:
    """How far a batch is."""
    return _out(recording_batches.batch(store, spool, job_id))


@router.put("/{job_id}/files", operation_id="putBatchFile", status_code=204)
async def put_batch_file(
    job_id: JobId,
    request: Request,
    store: StoreDep,
    spool: SpoolDep,
    by: PersonDep,
    name: Annotated[str, Query(min_length=1, max_length=300)],
) -> None:
    """One file of a batch: a recording, a zip of them, or a description of messages (DBC); its bytes as they are."""
    taking = await RECORDINGS.run(recording_batches.Taking, store, spool, job_id, name, by)
    try:
        async for piece in request.stream():
            await RECORDINGS.run(taking.take, piece)
        await RECORDINGS.run(taking.done)
    except BaseException:  # a client that went away cancels: nothing of its file stays
        taking.give_up()
        raise


@router.post("/{job_id}/start", operation_id="startBatch")
def start_batch(job_id: JobId, request: Request, store: StoreDep, spool: SpoolDep, by: PersonDep) -> BatchOut:
    """Every file has come: they may be read."""
    batch = recording_batches.start(store, spool, job_id, by)
    cast(Worker, request.app.state.worker).wake()
    return _out(batch)


@router.post("/{job_id}/stop", operation_id="stopBatch")
def stop_batch(job_id: JobId, store: StoreDep, spool: SpoolDep, by: PersonDep) -> BatchOut:
    """Stop a batch; what was read so far stays."""
    return _out(recording_batches.cancel(store, spool, job_id, by))


@router.get("/{job_id}/lines", operation_id="getBatchLines")
def get_batch_lines(
    job_id: JobId, store: StoreDep, after: Annotated[int, Query(ge=0, lt=2**31)] = 0
) -> list[BatchLineOut]:
    """What was found, file by file, a page of them."""
    return [BatchLineOut.model_validate(one) for one in recording_batches.lines(store, job_id, after)]


def _out(batch: recording_batches.Batch) -> BatchOut:
    return BatchOut.model_validate(asdict(batch))

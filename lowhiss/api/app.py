"""The application: routers, error answers, security headers, and the built front end."""

from __future__ import annotations

import os
import tempfile
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from functools import partial
from pathlib import Path
from typing import Any

from anyio.to_thread import current_default_thread_limiter
from fastapi import Depends, FastAPI
from fastapi.responses import FileResponse
from fastapi.staticfiles import StaticFiles
from starlette.exceptions import HTTPException
from starlette.middleware.trustedhost import TrustedHostMiddleware

from lowhiss import __version__
from lowhiss.api import errors
from lowhiss.api.auth import authorize
from lowhiss.api.bus import Bus
from lowhiss.api.exports import routes as exports
from lowhiss.api.fleet import status, trailers, units
from lowhiss.api.guard import Guard
from lowhiss.api.inspections import routes as inspections
from lowhiss.api.learning import examinations, lessons
from lowhiss.api.learning import routes as learning
from lowhiss.api.marks import live
from lowhiss.api.people import accounts as people
from lowhiss.api.people import session
from lowhiss.api.practice import live as practice_live
from lowhiss.api.practice import routes as practice
from lowhiss.api.rules import routes as rulebook
from lowhiss.api.rules import sums
from lowhiss.api.runs import feed, log, whatif
from lowhiss.api.runs import routes as runs
from lowhiss.api.schemas import ErrorOut
from lowhiss.api.seals import routes as seals
from lowhiss.api.traces import batches
from lowhiss.api.traces import routes as traces
from lowhiss.api.workers import Workers
from lowhiss.exchange.keys import KeyFiles
from lowhiss.service.backing_services import REDIS_URL, Watch
from lowhiss.service.exports import export_jobs
from lowhiss.service.job_worker import Worker
from lowhiss.service.jobs import WorkOn
from lowhiss.service.runs import whatif as whatif_job
from lowhiss.service.spool import Spool
from lowhiss.service.traces import recording_batches
from lowhiss.static import WEB
from lowhiss.store.engine import Store

_THREADS = 4
_ERRORS: dict[int | str, dict[str, Any]] = {
    # every error has the one form; its status and code say which it is (docs/architecture.md lists them)
    422: {"model": ErrorOut, "description": "The input can't be accepted."},
    "default": {"model": ErrorOut, "description": "Not done: the error's code and sentence say why."},
}


@asynccontextmanager
async def _few_threads(app: FastAPI) -> AsyncIterator[None]:
    """Many threads on few cores only keep one another from finishing: four kept twice as many marks as eight."""
    current_default_thread_limiter().total_tokens = _THREADS
    yield
    app.state.workers.close()


def create_app(
    store: Store | None,
    hosts: tuple[str, ...] = ("127.0.0.1", "localhost"),
    web: Path = WEB,
    *,
    demo_accounts: bool = False,
    secure: bool = False,
    spool: Path | None = None,
    keys: KeyFiles | None = None,
) -> FastAPI:
    """The application over ``store``, answering only to ``hosts``; ``None`` serves for reading its schema.

    demo_accounts : demo people may sign in by one touch.  secure : it is reached by TLS alone.  spool : where files
    wait that are read beside everything else.  keys : what reports are sealed with.
    """
    app = FastAPI(
        title="Low Hiss",
        version=__version__,
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/openapi.json",
        responses=_ERRORS,
        dependencies=[Depends(authorize)],
        lifespan=_few_threads,
    )
    app.state.store = store
    app.state.demo_accounts = demo_accounts
    own = Path(tempfile.gettempdir()) / f"low-hiss-{os.getuid()}"
    app.state.spool = Spool(spool or own / "waiting")
    app.state.bus = Bus(os.environ.get(REDIS_URL))
    app.state.backing = Watch(store) if store is not None else None
    app.state.keys = keys or KeyFiles(own / "keys")
    app.state.workers = Workers(store)
    app.state.worker = None if store is None else Worker(store, _jobs(app.state.spool), app.state.spool)
    office = (session, people, units, trailers, status, rulebook, sums, whatif)
    for area in (
        *office,
        runs,
        log,
        practice,
        learning,
        lessons,
        examinations,
        traces,
        batches,
        inspections,
        seals,
        exports,
    ):
        app.include_router(area.router)
    live.install(app, store)
    feed.install(app)
    practice_live.install(app)
    errors.install(app)
    app.add_middleware(Guard, secure=secure)
    app.add_middleware(TrustedHostMiddleware, allowed_hosts=list(hosts))
    if web.is_dir():
        _serve_front_end(app, web)
    return app


def _jobs(spool: Spool) -> dict[str, WorkOn]:
    """How each kind of long work is done."""
    exported: dict[str, WorkOn] = {export_jobs.KIND: partial(export_jobs.work_on, spool)}
    return {
        whatif_job.KIND: whatif_job.work_on,
        recording_batches.KIND: partial(recording_batches.work_on, spool),
        **exported,
    }


def _serve_front_end(app: FastAPI, web: Path) -> None:
    for part in ("assets", "judge"):
        if (web / part).is_dir():
            app.mount(f"/{part}", StaticFiles(directory=web / part), name=part)
    known = {path.name: path for path in web.iterdir() if path.is_file() and not path.name.startswith(".")}

    @app.get("/{path:path}", include_in_schema=False)
    def front_end(path: str) -> FileResponse:
        """A file of the front end, or its one page for every address it draws itself."""
        if path.startswith("api/"):
            raise HTTPException(404, "This address doesn't exist")
        return FileResponse(known.get(path, web / "index.html"), headers={"Cache-Control": "no-cache"})

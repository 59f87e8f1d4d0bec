"""Long work on a real Dask scheduler with two worker processes on loopback, one of them killed on the way."""

from __future__ import annotations

import contextlib
import datetime as dt
import io
import signal
import subprocess
import sys
import threading
import uuid
from collections.abc import Iterator

import pytest
from distributed import Client

from lowhiss.demo.scenario import demo_id
from lowhiss.engine.executor import executor
from lowhiss.exchange.traces import write_trace
from lowhiss.service import job_worker
from lowhiss.service.exports import export_jobs
from lowhiss.service.jobs import LEFT_AFTER, claim, end_job, new_job
from lowhiss.service.people.signin import Person
from lowhiss.service.runs import whatif
from lowhiss.service.runs.log import Wanted
from lowhiss.service.spool import Spool
from lowhiss.service.traces import recording_batches as batches
from lowhiss.service.traces.editor import JudgeRequest
from lowhiss.store.installation_models import JobRow
from tests.conftest import ROOT
from tests.faults.processes import free_port
from tests.trace.recorded import driven

ODILE = Person(demo_id("Odile Ferrow"), "Odile Ferrow", "manager", "en", "psi", True)
QUIET = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL, "cwd": ROOT}


@pytest.fixture
def cluster() -> Iterator[tuple[str, list[subprocess.Popen]]]:
    """A scheduler's address and its two workers."""
    port = free_port()
    address = f"tcp://127.0.0.1:{port}"
    here = ["--host", "127.0.0.1", "--no-dashboard"]
    scheduler = [sys.executable, "-m", "distributed.cli.dask_scheduler", "--port", str(port), *here]
    worker = [sys.executable, "-m", "distributed.cli.dask_worker", address, "--nthreads", "1", "--no-nanny", *here]
    with contextlib.ExitStack() as ended:
        started = [ended.enter_context(subprocess.Popen(command, **QUIET)) for command in (scheduler, worker, worker)]
        for process in started:
            ended.callback(process.kill)
        with Client(address, timeout=60, set_as_default=False) as client:
            client.wait_for_workers(2, timeout=60)
        yield address, started[1:]


def ask(store):
    return whatif.ask(store, ODILE, "us-older", whatif.Choice(search="MV-"))


def finished(store, job, elsewhere):
    assert claim(store, (whatif.KIND,), "here", dt.datetime.now(dt.UTC)) == (whatif.KIND, job.id)
    whatif.work_on(store, job.id, "here", elsewhere)
    done = whatif.job(store, job.id)
    assert done.state == "done"
    return done.done, done.summary


def test_a_question_on_dask_is_answered_as_here_though_a_worker_is_killed(store, cluster, monkeypatch):
    address, workers = cluster
    with executor(width=2) as here:
        local = finished(store, ask(store), here)
    monkeypatch.setattr(whatif, "AT_ONCE", 8)
    kept = whatif._save_part

    def one_is_killed(*given):
        if workers[0].poll() is None:
            workers[0].send_signal(signal.SIGKILL)
            workers[0].wait()
        return kept(*given)

    monkeypatch.setattr(whatif, "_save_part", one_is_killed)
    with executor(address) as there:
        assert there.width == 2
        assert finished(store, ask(store), there) == local
    assert workers[0].poll() == -signal.SIGKILL


@pytest.mark.long
def test_recordings_on_dask_are_read_as_here(store, cluster, tmp_path):
    """The same files, read in processes of this machine and by the scheduler's workers."""
    address, _ = cluster
    one = driven("tractor", "leak-check")
    text = io.StringIO()
    write_trace(text, one.samples, one.spec.unit.needles, trailer=False)
    told = []
    for place, given in enumerate(({"width": 2}, {"address": address})):
        spool = Spool(tmp_path / str(place))
        batch = batches.begin(store, spool, ODILE, JudgeRequest("tractor", None, "leak-check", 1, {}))
        for name, data in (
            ("a.csv", text.getvalue()),
            ("milk.csv", "farm,litres\nA,1\nB,2\n"),
            ("b.csv", text.getvalue()),
        ):
            taking = batches.Taking(store, spool, batch.id, name, ODILE)
            taking.take(data.encode())
            taking.done()
        batches.start(store, spool, batch.id, ODILE)
        assert claim(store, (batches.KIND,), "here", dt.datetime.now(dt.UTC), spool.place) == (
            batches.KIND,
            batch.id,
        )
        with executor(**given) as work:
            batches.work_on(spool, store, batch.id, "here", work)
        done = batches.batch(store, spool, batch.id)
        told.append(
            (
                (done.state, done.done, done.failed, done.sessions, done.outcomes),
                batches.lines(store, batch.id),
            )
        )
    # a hold that stands alone does not tell a pedal up from a pedal held: it is open
    assert told[0][0] == ("done", 3, 1, 2, {"incomplete": 2})
    assert told[0] == told[1]


@pytest.mark.long
def test_a_list_is_printed_on_dask(store, cluster, tmp_path):
    """The server goes on meanwhile; the paper is one that any reader opens."""
    address, _ = cluster
    spool = Spool(tmp_path)
    job = export_jobs.begin(store, spool, ODILE, "pdf", Wanted(search="MV-12"))
    assert claim(store, (export_jobs.KIND,), "here", dt.datetime.now(dt.UTC), spool.place) == (export_jobs.KIND, job.id)
    with executor(address) as work:
        export_jobs.work_on(spool, store, job.id, "here", work)
    path, name = export_jobs.file_of(store, spool, job.id)
    assert (path.read_bytes()[:5], name.endswith(".pdf")) == (b"%PDF-", True)


def test_a_part_that_takes_long_is_taken_up_by_nobody_else(store, monkeypatch):
    """A paper of two thousand tests takes longer than that after which a job counts as left."""
    monkeypatch.setattr(job_worker, "SAY_EVERY_S", 0.05)
    kind, begun, go_on, ended = f"long {uuid.uuid4().hex[:6]}", threading.Event(), threading.Event(), threading.Event()

    def work_on(store, job_id, worker, _):
        begun.set()
        assert go_on.wait(60)
        end_job(store, job_id, worker)
        ended.set()

    with store.transaction() as session:
        job_id = new_job(session, kind, ODILE, {}, 1, {}).id
    worker = job_worker.Worker(store, {kind: work_on})
    worker.wake()
    assert begun.wait(60)

    def seen_at():
        with store.transaction() as session:
            return session.get_one(JobRow, job_id).seen_at

    first = seen_at()
    for _ in range(600):
        if seen_at() > first:
            break
        ended.wait(0.05)
    # by then it would have counted as left
    assert claim(store, (kind,), "another", first + LEFT_AFTER + dt.timedelta(microseconds=1)) is None
    go_on.set()
    assert ended.wait(60)
    with store.transaction() as session:
        assert session.get_one(JobRow, job_id).state == "done"


def test_a_scheduler_that_is_not_there_is_said_and_nothing_waits_for_ever(store, monkeypatch):
    monkeypatch.setenv(job_worker.SCHEDULER, f"tcp://127.0.0.1:{free_port()}")
    job = ask(store)
    worker = job_worker.Worker(store, {whatif.KIND: whatif.work_on})
    assert claim(store, (whatif.KIND,), worker.id, dt.datetime.now(dt.UTC)) == (whatif.KIND, job.id)
    worker._answer(whatif.work_on, job.id, 1)
    told = whatif.job(store, job.id)
    assert (told.state, told.why) == ("failed", "The job scheduler can't be reached.")

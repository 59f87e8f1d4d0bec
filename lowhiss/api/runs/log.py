"""The log of runs: found by what they are and measured; the lists that people keep; and what this installation is."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Literal

from fastapi import APIRouter, Query, Request, Response
from pydantic import BaseModel, Field
from sqlalchemy import text

from lowhiss import __version__
from lowhiss.api.auth import PersonDep
from lowhiss.api.deps import StoreDep, WordsDep
from lowhiss.api.json_requests import CarefulRoute
from lowhiss.api.runs.schemas import LogLineOut, LogOut
from lowhiss.api.schemas import AboutOut, Strict
from lowhiss.api.threads import LISTS
from lowhiss.api.workers import JUDGED_FIRST
from lowhiss.core.fields import UUID_PATTERN
from lowhiss.core.findings import FINDINGS
from lowhiss.service.backing_services import State, Watch
from lowhiss.service.copies import copies_of
from lowhiss.service.fleet import unit_rules
from lowhiss.service.runs import facts, log, views

router = APIRouter(prefix="/api", tags=["log"], route_class=CarefulRoute)


class PageQuery(log.Wanted):
    """Filters, order, and the run after which the page goes on."""

    before: Annotated[str, Field(pattern=UUID_PATTERN)] | None = None


class HealthOut(BaseModel):
    """This process and its database serve; ``replica``, ``redis`` and ``dask``: the services beside them."""

    ok: Literal[True] = True
    version: str
    replica: State
    redis: State
    dask: State


class CountOut(BaseModel):
    """How many runs; ``more``: there are more than so many, which nobody counts."""

    runs: int
    more: bool


class FindableOut(BaseModel):
    """What runs can be found by: quantities with their units, findings with their sentences, and names."""

    quantities: dict[str, Literal["s", "psi"]]
    findings: dict[str, str]
    people: list[str]


class ViewOut(BaseModel):
    """A list that somebody keeps. query : as it stands in the address."""

    name: str
    query: str


class ViewBody(Strict):
    """Filters and order of a view to save."""

    name: Annotated[str, Field(min_length=1, max_length=60)]
    query: Annotated[str, Field(max_length=1000)]


@router.get("/log", operation_id="readLog", dependencies=JUDGED_FIRST, response_model=LogOut)
async def read_log(store: StoreDep, query: Annotated[PageQuery, Query()]) -> Response:
    """Runs, the latest first."""

    def page() -> str:
        lines = log.log_page(store, query, query.before)
        more = len(lines) == log.LOG_PAGE
        shown = [LogLineOut.of(line) for line in lines]
        return LogOut(runs=shown, next_before=lines[-1].head.id if more else None).model_dump_json()

    return Response(await LISTS.run(page), media_type="application/json")


@router.get("/log/count", operation_id="countLog", dependencies=JUDGED_FIRST)
async def count_log(store: StoreDep, query: Annotated[log.Wanted, Query()]) -> CountOut:
    """How many runs are like that."""
    runs = await LISTS.run(log.log_count, store, query)
    return CountOut(runs=min(runs, log.MOST_COUNTED), more=runs > log.MOST_COUNTED)


@router.get("/log/findable", operation_id="getFindable")
def get_findable(store: StoreDep, words: WordsDep) -> FindableOut:
    """What runs can be found by: every quantity, every finding in the reader's language, and every name."""
    return FindableOut(
        quantities={key: facts.quantity_unit(key) for key in facts.quantity_keys()},
        findings={code: words.finding_in_general(code) for code in FINDINGS},
        people=log.people_found(store),
    )


@router.get("/log/views", operation_id="listViews")
def list_views(store: StoreDep, by: PersonDep) -> list[ViewOut]:
    """One's own lists."""
    return [ViewOut(name=name, query=query) for name, query in views.views_of(store, by)]


@router.put("/log/views", operation_id="saveView", status_code=204)
def save_view(body: ViewBody, store: StoreDep, by: PersonDep) -> None:
    """Keep a list for oneself; one of the same name gives way."""
    views.save_view(store, by, body.name, body.query)


@router.delete("/log/views", operation_id="dropView", status_code=204)
def drop_view(name: Annotated[str, Query(max_length=60)], store: StoreDep, by: PersonDep) -> None:
    """Keep a list no longer."""
    views.drop_view(store, by, name)


@router.get("/health", operation_id="health")
def health(request: Request, store: StoreDep) -> HealthOut:
    """Whether this process and its database serve, and the state of the services beside them; 503 without a database.

    Asked by whatever restarts the server, and by proxies. It names nobody.
    """
    with store.engine.connect() as connection:
        connection.execute(text("SELECT 1"))
    watch: Watch = request.app.state.backing
    return HealthOut.model_validate({"version": __version__, **watch.states()})


@router.get("/about", operation_id="about")
def about(store: StoreDep) -> AboutOut:
    """Whose installation this is, and whether it holds demo data."""
    owner, demo = unit_rules.installation(store)
    late = copies_of(store).late(dt.datetime.now(dt.UTC))
    return AboutOut(version=__version__, owner=owner, demo=demo, copies_late=late)

"""What happened to a unit, in one line of time: its tests, what people did about it, its holds, its changes."""

from __future__ import annotations

import datetime as dt
import itertools
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Literal

from sqlalchemy import select
from sqlalchemy.orm import Session

from lowhiss import rulebook
from lowhiss.core.status import Act, Defect, UnitPart
from lowhiss.core.words import Words
from lowhiss.core.words.inspections import InspectionWords
from lowhiss.service.fleet.defects import folded_defects
from lowhiss.service.fleet.holds import act_of, holds_ever_on
from lowhiss.service.fleet.rows import find_unit
from lowhiss.store.engine import Store
from lowhiss.store.fleet_models import ActRow
from lowhiss.store.installation_models import ChangeRow
from lowhiss.store.run_models import RunRow

PAGE = 40
Kind = Literal["run", "act", "hold", "change"]


@dataclass(frozen=True, slots=True)
class Entry:
    """One thing that happened. ``what``: the outcome of a run, the type of an act, ``opened`` or ``lifted``.

    fields : of a change, each field with its value before and after.
    """

    at: dt.datetime
    kind: Kind
    what: str
    by: str
    text: str
    run_id: str = ""
    fields: dict[str, Any] | None = None


def course_of(
    store: Store, unit_id: str, words: Words, before: dt.datetime | None = None
) -> tuple[list[Entry], dt.datetime | None]:
    """A page of a unit's course before a moment, the latest first, and where the next begins. Raises NotFoundError."""
    until = before or dt.datetime.max.replace(tzinfo=dt.UTC)
    with store.transaction() as session:
        find_unit(session, unit_id)
        lines = (_runs, _acts, _holds, _changes)
        found = itertools.chain.from_iterable(line(session, unit_id, until, words) for line in lines)
        entries = sorted(found, key=lambda entry: entry.at, reverse=True)
    page = entries[:PAGE]
    return page, page[-1].at if len(entries) > PAGE else None


def _runs(session: Session, unit_id: str, until: dt.datetime, words: Words) -> Iterator[Entry]:
    query = (
        select(RunRow.id, RunRow.started_at, RunRow.driver, RunRow.outcome, RunRow.purpose)
        .where(RunRow.unit_id == unit_id, RunRow.started_at < until)
        .order_by(RunRow.started_at.desc())
        .limit(PAGE + 1)
    )
    for row in session.execute(query):
        outcome = row.outcome or "incomplete"
        yield Entry(row.started_at, "run", outcome, row.driver, words.run(outcome, row.purpose), row.id)


def _acts(session: Session, unit_id: str, until: dt.datetime, words: Words) -> Iterator[Entry]:
    query = select(ActRow).where(ActRow.part_id == unit_id, ActRow.at < until)
    defects = {defect.id: defect for defect in folded_defects(session, UnitPart("unit", unit_id))}
    for row in session.scalars(query.order_by(ActRow.at.desc()).limit(PAGE + 1)):
        act = act_of(row)
        yield Entry(act.at, "act", act.type, act.by, act_text(act, defects, words), act.body.get("run", ""))


def act_text(act: Act, defects: dict[str, Defect], words: Words) -> str:
    """What somebody did, as a sentence."""
    body = act.body
    about = [defects[one] for one in (body.get("defect"), *body.get("defects", ())) if one in defects]
    values = {
        "reason": body.get("reason", ""),
        "did": ", ".join(part for part in (body.get("did"), body.get("parts")) if part),
        "means": words.consequence(body["consequence"]) if body.get("consequence") else "",
        "defect": "; ".join(defect_text(defect, words) for defect in about),
    }
    if act.type == "defect_seen":
        values["defect"] = defect_text(defects[act.id], words) if act.id in defects else body.get("what", "")
    return words.act(act.type, **values)


def defect_text(defect: Defect, words: Words) -> str:
    """A defect in a few words: the part, what is wrong, where."""
    if defect.item in rulebook.inspections().items:
        found = InspectionWords(rulebook.inspections(), words).defect(defect)
        return f"{found}; {defect.what}" if defect.what else found
    groups = rulebook.consequences().groups
    named = groups[defect.group].name[words.language] if defect.group in groups else ""
    text = ": ".join(part for part in (named, defect.what) if part)
    return f"{text}, {defect.where}" if defect.where else text


def _holds(session: Session, unit_id: str, until: dt.datetime, words: Words) -> Iterator[Entry]:
    for hold in holds_ever_on(session, unit_id):
        if hold.stage is None:
            continue  # what a person placed and released are acts
        if hold.opened_at < until:
            text = words.hold("opened", stage=hold.stage)
            yield Entry(hold.opened_at, "hold", "opened", "", text, hold.fails[0].run_id)
        lifted = hold.lifted
        if lifted is not None and lifted.how == "recheck" and lifted.at < until:
            yield Entry(lifted.at, "hold", "lifted", "", words.hold("lifted", stage=hold.stage), lifted.run_id)


def _changes(session: Session, unit_id: str, until: dt.datetime, _: Words) -> Iterator[Entry]:
    query = select(ChangeRow).where(ChangeRow.subject_id == unit_id, ChangeRow.at < until)
    for row in session.scalars(query.order_by(ChangeRow.at.desc(), ChangeRow.id.desc()).limit(PAGE + 1)):
        yield Entry(row.at, "change", "changed", row.by_name, "", fields=row.what)

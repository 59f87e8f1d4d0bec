"""The rule desk: drafts of the fleet's own rule sets and orders of work, published by a manager, then never changed."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from lowhiss import rulebook
from lowhiss.core.errors import RuleError
from lowhiss.core.fields import Language
from lowhiss.core.names import unseen_in
from lowhiss.core.procedure import PROCEDURE_FORMAT, Procedure, read_procedure
from lowhiss.core.rules import RuleSet
from lowhiss.core.vehicle import KIND_TABLE, UnitKind
from lowhiss.engine.editor.checks import Looser, check_reasons, looser_limits, read_fleet_rules
from lowhiss.exchange.rule_toml import toml_text
from lowhiss.sandbox.documents import rule_tables
from lowhiss.service.errors import ConflictError, NotFoundError, RefusedError
from lowhiss.service.history import check_version, note_change
from lowhiss.service.people.signin import Person
from lowhiss.service.rules.editions import EditionKind, in_force, rules_named
from lowhiss.service.rules.saved_rules import save_rules, saved_rules
from lowhiss.store.engine import Store
from lowhiss.store.fleet_models import UnitRow
from lowhiss.store.installation_models import EditionRow, SettingRow

MAX_OWN = 200
"""So many of one kind a fleet keeps."""
_TESTED_BY = "tested_by"
_SUBJECT = "edition"


@dataclass(frozen=True, slots=True)
class Edition:
    """One version of one of the fleet's own.

    written : what somebody wrote; of a rule set only what is not its parent's.
    now : it is the version in force.
    """

    kind: EditionKind
    name: str
    version: int
    state: str
    now: bool
    title: dict[Language, str]
    parent: str | None
    written: dict[str, Any]
    hash: str | None
    effective_from: dt.datetime | None
    drafted_by: str
    drafted_at: dt.datetime
    published_by: str | None
    published_at: dt.datetime | None
    retired_by: str | None
    retired_at: dt.datetime | None
    revision: int


def editions(store: Store, now: dt.datetime) -> list[Edition]:
    """Every version of everything that is the fleet's own, by name, the latest first."""
    query = select(EditionRow).order_by(EditionRow.kind.desc(), EditionRow.name, EditionRow.version.desc())
    with store.transaction() as session:
        used = _used(session, now)
        return [_edition(row, used) for row in session.scalars(query)]


def _used(session: Session, now: dt.datetime) -> set[tuple[str, str, int]]:
    kinds: tuple[EditionKind, ...] = ("rules", "procedure")
    return {(kind, row.name, row.version) for kind in kinds for row in in_force(session, kind, now).values()}


def _edition(row: EditionRow, used: set[tuple[str, str, int]]) -> Edition:
    return Edition(
        kind="rules" if row.kind == "rules" else "procedure",
        name=row.name,
        version=row.version,
        state=row.state,
        now=(row.kind, row.name, row.version) in used,
        title=row.written["title"],
        parent=row.written.get("parent"),
        written=row.written,
        hash=row.hash,
        effective_from=row.effective_from,
        drafted_by=row.drafted_by,
        drafted_at=row.drafted_at,
        published_by=row.published_by,
        published_at=row.published_at,
        retired_by=row.retired_by,
        retired_at=row.retired_at,
        revision=row.revision,
    )


@dataclass(frozen=True, slots=True)
class Checked:
    """What somebody writes, read: a rule set with what is looser in it, or an order of work."""

    rules: RuleSet | None
    parent: RuleSet | None
    looser: list[Looser]
    procedure: Procedure | None


def check(session: Session, table: Mapping[str, Any], now: dt.datetime) -> Checked:
    """Read what somebody writes. Raises RuleError naming table and key."""
    if table.get("format") == PROCEDURE_FORMAT:
        procedure = read_procedure(dict(table))
        _visible(procedure.title)
        if procedure.id in rulebook.procedure_ids():
            raise RuleError("id", f"{procedure.id!r} is a built-in test order. Choose another id")
        return Checked(None, None, [], procedure)
    rules = read_fleet_rules(dict(table), lambda name: rules_named(session, name, now))
    _visible(rules.title)
    parent = rules_named(session, rules.parent, now) if rules.parent else None
    return Checked(rules, parent, looser_limits(rules, parent), None)


def _visible(titles: Mapping[Language, str]) -> None:
    for language, title in titles.items():
        if not title.strip() or len(title) > 60 or unseen_in(title):
            raise RuleError(f"title.{language}", "must be 1 to 60 visible characters")


def save_draft(store: Store, by: Person, table: dict[str, Any], revision: int | None, now: dt.datetime) -> Edition:
    """Keep a draft: a new version of its name, or the one that is being written.

    revision : that of the draft as it was looked at, None where there was none.
    Raises RuleError naming table and key, ConflictError, RefusedError.
    """
    with store.transaction() as session:
        return draft_in(session, by.name, table, revision, now)


def draft_in(session: Session, by_name: str, table: dict[str, Any], revision: int | None, now: dt.datetime) -> Edition:
    """The draft of an edition, within a transaction of the caller's."""
    checked = check(session, table, now)
    kind: EditionKind = "procedure" if checked.procedure else "rules"
    read = checked.rules or checked.procedure
    assert read is not None
    rows = _versions(session, kind, read.id)
    draft = rows[-1] if rows and rows[-1].state == "draft" else None
    if draft is None:
        if revision is not None:
            raise ConflictError(
                "changed_meanwhile", "This draft has just been published or deleted. Reload the page.", "revision"
            )
        draft = _begin(session, kind, read.id, len(rows), by_name, now)
    else:
        check_version(draft.revision, revision if revision is not None else -1)
        draft.revision += 1
    draft.written = table
    draft.drafted_by, draft.drafted_at = by_name, now
    session.flush()
    return _edition(draft, set())


def _begin(session: Session, kind: EditionKind, name: str, versions: int, by_name: str, now: dt.datetime) -> EditionRow:
    names = session.scalar(select(func.count(func.distinct(EditionRow.name))).where(EditionRow.kind == kind)) or 0
    if not versions and names >= MAX_OWN:
        raise RefusedError("too_many", f"id: the fleet already has {MAX_OWN} custom ones. Edit one of them.", "id")
    row = EditionRow(
        kind=kind,
        name=name,
        version=versions + 1,
        state="draft",
        written={},
        drafted_by=by_name,
        drafted_at=now,
        revision=1,
    )
    session.add(row)
    return row


def _versions(session: Session, kind: EditionKind, name: str) -> list[EditionRow]:
    """Every version of a name, the first first, locked: two people who write at once do so one after the other."""
    query = select(EditionRow).where(EditionRow.kind == kind, EditionRow.name == name).order_by(EditionRow.version)
    return list(session.scalars(query.with_for_update()))


def find(session: Session, kind: EditionKind, name: str, version: int) -> EditionRow:
    """The row of a version. Raises NotFoundError."""
    row = session.get(EditionRow, (kind, name, version))
    if row is None:
        raise NotFoundError("edition_unknown", "This version doesn't exist.", "version")
    return row


def drop_draft(store: Store, by: Person, kind: EditionKind, name: str, revision: int) -> None:
    """Drop a draft that was never published. Raises NotFoundError, ConflictError."""
    with store.transaction() as session:
        rows = _versions(session, kind, name)
        if not rows or rows[-1].state != "draft":
            raise NotFoundError("edition_unknown", "There is no draft with this id.", "name")
        check_version(rows[-1].revision, revision)
        note_change(session, _SUBJECT, _subject(kind, name), by.name, {"draft": [rows[-1].version, None]})
        session.delete(rows[-1])


def publish(
    store: Store,
    by: Person,
    kind: EditionKind,
    name: str,
    revision: int,
    effective_from: dt.datetime | None,
    now: dt.datetime,
) -> Edition:
    """Publish a draft: from then on it is never changed. ``effective_from``: when it begins to hold, None: now.

    Raises NotFoundError, ConflictError for a draft that was changed or published meanwhile, RuleError, RefusedError.
    """
    with store.transaction() as session:
        return publish_in(session, by.name, kind, name, revision, effective_from, now)


def publish_in(
    session: Session,
    by_name: str,
    kind: EditionKind,
    name: str,
    revision: int,
    effective_from: dt.datetime | None,
    now: dt.datetime,
) -> Edition:
    """Publish an edition, within a transaction of the caller's."""
    rows = _versions(session, kind, name)
    if not rows:
        raise NotFoundError("edition_unknown", "Nothing has this id.", "name")
    draft = rows[-1]
    if draft.state != "draft":
        who = f" by {draft.published_by}" if draft.published_by else ""
        raise ConflictError(
            "published_already", f"Version {draft.version} has already been published{who}.", "revision"
        )
    check_version(draft.revision, revision)
    if effective_from is not None and effective_from < now - dt.timedelta(days=1):
        raise RefusedError(
            "date_past", "effective_from: this date is in the past. Choose today or later.",
            "effective_from",
        )  # fmt: skip
    checked = check(session, draft.written, now)
    if checked.rules is not None:
        check_reasons(checked.rules, checked.parent)
        save_rules(session, checked.rules)
        draft.whole, draft.hash = checked.rules.as_dict(), checked.rules.content_hash
    elif checked.procedure is not None:
        draft.whole, draft.hash = checked.procedure.as_dict(), checked.procedure.content_hash
    draft.state = "published"
    draft.effective_from = max(effective_from or now, now)
    draft.published_by, draft.published_at = by_name, now
    draft.revision += 1
    note_change(session, _SUBJECT, _subject(kind, name), by_name, {"published": [None, draft.version]})
    session.flush()
    return _edition(draft, _used(session, now))


def retire(store: Store, by: Person, kind: EditionKind, name: str, now: dt.datetime) -> None:
    """Take every published version of a name out of use; tests that run by it go on, what it judged stays.

    Raises NotFoundError, RefusedError where units or kinds are still tested by it.
    """
    with store.transaction() as session:
        rows = [row for row in _versions(session, kind, name) if row.state == "published"]
        if not rows:
            raise NotFoundError("edition_unknown", "No published version has this id.", "name")
        if users := _users(session, kind, name):
            more = f" and {len(users) - 4} more" if len(users) > 4 else ""
            problem = f"name: {', '.join(users[:4])}{more} would be left without one. Choose another for them first."
            raise RefusedError("in_use", problem, "name")
        for row in rows:
            row.state, row.retired_by, row.retired_at = "retired", by.name, now
            row.revision += 1
        note_change(session, _SUBJECT, _subject(kind, name), by.name, {"retired": [False, True]})


def _users(session: Session, kind: EditionKind, name: str) -> list[str]:
    """The units, and then the kinds of units, that are tested by it."""
    column = UnitRow.rules if kind == "rules" else UnitRow.procedure
    query = select(UnitRow.name).where(column == name, UnitRow.retired_at.is_(None)).order_by(UnitRow.name)
    units = list(session.scalars(query))
    row = session.get(SettingRow, _TESTED_BY)
    by_kind: dict[UnitKind, dict[str, str | None]] = json.loads(row.value) if row is not None else {}
    kinds = [unit_kind for unit_kind, one in by_kind.items() if one[kind] == name]
    return units + [f"every {KIND_TABLE[unit_kind].title['en']}" for unit_kind in kinds]


def _subject(kind: EditionKind, name: str) -> str:
    return f"{kind}:{name}"[:36]


def import_file(store: Store, by: Person, data: bytes, now: dt.datetime) -> Edition:
    """A rule file as a draft; one that is being written is replaced only where nothing is lost by it.

    Raises RuleError, ConflictError where a draft of that name is being written.
    """
    table = rule_tables(data)
    try:
        return save_draft(store, by, table, None, now)
    except ConflictError as error:
        problem = "id: a draft with this id exists. Publish or delete it, then import the file."
        raise ConflictError("draft_in_the_way", problem, "id") from error


def file_of(store: Store, kind: EditionKind, name: str, version: int | None, now: dt.datetime) -> str:
    """A rule set or order as the file that the command line takes; a built-in one too. Raises NotFoundError."""
    with store.transaction() as session:
        if kind == "rules" and name in rulebook.rule_set_ids():
            return toml_text(rulebook.rule_set(name).as_dict())
        if kind == "procedure" and name in rulebook.procedure_ids():
            return toml_text(rulebook.procedure(name).as_dict())
        rows = [find(session, kind, name, version)] if version is not None else _versions(session, kind, name)[-1:]
        if not rows:
            raise NotFoundError("edition_unknown", "Nothing has this id.", "name")
        row = rows[0]
        # what comes from a built-in set is written as what it changes; anything else whole, for others read it too
        if kind == "procedure" or row.written.get("parent") in (None, *rulebook.rule_set_ids()):
            return toml_text(row.written)
        whole = row.whole or _whole(session, row, now)
        return toml_text(whole)


def _whole(session: Session, row: EditionRow, now: dt.datetime) -> dict[str, Any]:
    rules = check(session, row.written, now).rules
    assert rules is not None, "a test order has no parent"
    return rules.as_dict()


def sets_named(session: Session, names: Sequence[str], now: dt.datetime) -> list[tuple[RuleSet, Edition | None]]:
    """Rule sets by name, or by ``name@version`` for a version or draft of the fleet's own. Raises RefusedError."""
    return [_set_named(session, name, now) for name in names]


def _set_named(session: Session, name: str, now: dt.datetime) -> tuple[RuleSet, Edition | None]:
    base, _, version = name.partition("@")
    try:
        if not version:
            rules = rules_named(session, base, now)
            row = in_force(session, "rules", now).get(base)
            return rules, _edition(row, _used(session, now)) if row is not None else None
        row = find(session, "rules", base, int(version) if version.isdigit() and len(version) < 6 else -1)
        if row.hash is not None:
            return saved_rules(session, row.hash), _edition(row, _used(session, now))
        checked = check(session, row.written, now)
        assert checked.rules is not None
        return checked.rules, _edition(row, set())
    except RuleError as error:
        raise RefusedError("choice_unknown", f"{error}.", error.field) from error

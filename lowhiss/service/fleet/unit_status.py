"""How every unit stands: its holds and its trailers', its defects, when it was tested, when it is due."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any
from zoneinfo import ZoneInfo

from sqlalchemy import select
from sqlalchemy.orm import Session

from lowhiss.core.errors import RecordError
from lowhiss.core.status import (
    CONSEQUENCES,
    STATUSES,
    STAYS,
    Clock,
    Consequence,
    Defect,
    DueRule,
    Hold,
    HoldPolicy,
    Lift,
    LiftBy,
    PartFacts,
    Status,
    UnitPart,
    lifts_of,
    read_due_rule,
    status_of,
    zone_of,
)
from lowhiss.core.words import Words
from lowhiss.service.errors import RefusedError
from lowhiss.service.fleet.defects import open_defects
from lowhiss.service.fleet.holds import hold_of, holds_ever_on, holds_on, open_holds, policy_of
from lowhiss.service.fleet.photographs import photos_of
from lowhiss.service.fleet.rechecks import Recheck, recheck_of
from lowhiss.service.fleet.results import parts_of
from lowhiss.service.fleet.rows import couplings_of, find_unit
from lowhiss.service.fleet.unit_history import defect_text
from lowhiss.service.fleet.unit_rules import choose, defaults_of
from lowhiss.service.fleet.units import listed_unit, unit_of
from lowhiss.service.history import differences, note_change
from lowhiss.service.people.signin import Person
from lowhiss.service.rules.editions import procedures_now, rule_sets_now
from lowhiss.service.rules.saved_rules import saved_rules
from lowhiss.store.engine import Store
from lowhiss.store.fleet_models import CouplingRow, HoldPartRow, HoldRow, PartTestRow, TrailerRow, UnitRow
from lowhiss.store.installation_models import SettingRow
from lowhiss.store.run_models import RunRow

_DUE, _ZONE = "due_rule", "time_zone"
_DEFAULT_ZONE = "UTC"


@dataclass(frozen=True, slots=True)
class Calendar:
    """By which calendar a fleet is tested. ``rule``: None until a manager sets one."""

    zone: ZoneInfo
    rule: DueRule | None


@dataclass(frozen=True, slots=True)
class HoldView:
    """A hold with its sentences for one reader. ``ways``: what would change it, in the order to do it.

    tested_with : the unit whose test would look at it again: itself, or the one that pulls a held trailer today.
    """

    hold: Hold
    parts: list[tuple[UnitPart, str]]
    held: list[str]
    text: str
    by: str
    ways: list[tuple[LiftBy, str]]
    tested_with: str | None


@dataclass(frozen=True, slots=True)
class DefectView:
    """A defect with its sentences for one reader. ``part``: the name of what it is on.  photos : by their hashes."""

    defect: Defect
    part: str
    text: str
    consequence: Consequence | None
    means: str
    state: str
    photos: list[str]


@dataclass(frozen=True, slots=True)
class UnitStatus:
    """How a unit stands with what it pulls today. ``recheck``: the test that looks again at all that holds it.

    rule : how often it is tested.  own_rule : that is its own rule, not the fleet's.
    """

    unit_id: str
    name: str
    status: Status
    text: str
    holds: list[HoldView]
    defects: list[DefectView]
    passed_at: dt.datetime | None
    due_at: dt.datetime | None
    rule: DueRule | None
    own_rule: bool
    recheck: Recheck | None

    @property
    def why(self) -> str:
        """What is open on it, in a line."""
        return "; ".join([one.text for one in self.holds] + [one.text for one in self.defects if not one.defect.closed])

    @property
    def stays(self) -> bool:
        """Whether it does not leave the yard as it is."""
        return self.status in STAYS


def get_calendar(store: Store) -> Calendar:
    """The fleet's time zone, and how often it tests."""
    with store.transaction() as session:
        return calendar_of(session)


def calendar_of(session: Session) -> Calendar:
    """The fleet's time zone, and how often it tests."""
    rows = {
        row.name: row.value for row in session.scalars(select(SettingRow).where(SettingRow.name.in_((_DUE, _ZONE))))
    }
    rule = json.loads(rows.get(_DUE, "null"))
    return Calendar(zone_of(rows.get(_ZONE, _DEFAULT_ZONE)), read_due_rule(rule) if rule else None)


def set_calendar(store: Store, by: Person, zone: str, rule: dict[str, Any] | None) -> Calendar:
    """Change the fleet's time zone and how often it tests. Raises RefusedError naming the field."""
    _check(rule, zone)
    with store.transaction() as session:
        before = calendar_of(session)
        session.merge(SettingRow(name=_ZONE, value=zone))
        session.merge(SettingRow(name=_DUE, value=json.dumps(rule)))
        was, wanted = _plain(before), {"time_zone": zone, "due": rule}
        note_change(session, "fleet", "fleet", by.name, differences(was, wanted))
        session.flush()
        return calendar_of(session)


def set_unit_due(store: Store, by: Person, unit_id: str, rule: dict[str, Any] | None) -> None:
    """Say how often one unit is tested; None: as the fleet is. Raises RefusedError naming the field, NotFoundError."""
    _check(rule)
    with store.transaction() as session:
        row = find_unit(session, unit_id, lock=True)
        note_change(session, "unit", unit_id, by.name, differences({"due": row.due}, {"due": rule}))
        row.due = rule


def _check(rule: dict[str, Any] | None, zone: str = _DEFAULT_ZONE) -> None:
    try:
        zone_of(zone)
        if rule is not None:
            read_due_rule(rule)
    except RecordError as error:
        raise RefusedError("calendar_unknown", f"{error}.", error.field) from error


def _plain(calendar: Calendar) -> dict[str, Any]:
    rule = calendar.rule
    return {
        "time_zone": calendar.zone.key,
        "due": None if rule is None else {"every": rule.every, "count": rule.count},
    }


class _Fleet:
    """What is asked of the store once for many units, or for one."""

    def __init__(self, session: Session, now: dt.datetime, only: str | None) -> None:
        self.calendar = calendar_of(session)
        self.clock = Clock(now, self.calendar.zone)
        self.policy = policy_of(session)
        self.defaults = defaults_of(session)
        self.rule_sets = {rules.id for rules in rule_sets_now(session, now)}
        self.orders = procedures_now(session, now)
        self.coupled = couplings_of(session, only)
        ids = [part.id for part in self.parts_of(only)] if only else None
        self.holds: dict[str, list[Hold]] = {}
        for hold in open_holds(session) if ids is None else holds_on(session, ids):
            for part in hold.held:
                self.holds.setdefault(part.id, []).append(hold)
        self.defects = open_defects(session, ids)
        passed = select(PartTestRow.part_id, PartTestRow.passed_at)
        if ids is not None:
            passed = passed.where(PartTestRow.part_id.in_(ids))
        own = select(UnitRow.id, UnitRow.due).where(UnitRow.due.is_not(None))
        if only is not None:
            own = own.where(UnitRow.id == only)
        self.rules = {row.id: read_due_rule(row.due) for row in session.execute(own)}
        """Rules of units that have one of their own."""
        self.passed: dict[str, dt.datetime | None] = {row.part_id: row.passed_at for row in session.execute(passed)}
        """When each part that was ever tested last passed."""
        self.open = self.holds.keys() | self.defects.keys()
        """Parts that a hold or a defect is open on."""

    def parts_of(self, unit_id: str) -> list[UnitPart]:
        """The unit, then what it pulls today."""
        return [UnitPart("unit", unit_id), *(UnitPart("trailer", one) for one, _ in self.coupled.get(unit_id, ()))]

    def facts_of(self, part: UnitPart) -> PartFacts:
        """What stands of a part."""
        return PartFacts(
            part,
            tuple(self.holds.get(part.id, ())),
            tuple(self.defects.get(part.id, ())),
            passed_at=self.passed.get(part.id),
            rule=self.rules.get(part.id, self.calendar.rule),
        )


class _Names:
    """The names of parts that something is open on, and what the failed runs of holds looked like; asked for once."""

    def __init__(self, session: Session, holds: Iterable[Hold], others: Iterable[str] = ()) -> None:
        ids = {part.id for hold in holds for part in hold.parts} | set(others)
        tables = (UnitRow, TrailerRow) if ids else ()
        self.of: dict[str, str] = {
            row.id: row.name
            for table in tables
            for row in session.execute(select(table.id, table.name).where(table.id.in_(ids)))
        }
        runs = {fail.run_id for hold in holds for fail in hold.fails[-1:]}
        query = select(RunRow.id, RunRow.unit, RunRow.driver).where(RunRow.id.in_(runs))
        self.runs = {row.id: row for row in session.execute(query)} if runs else {}


def statuses(store: Store, words: Words, now: dt.datetime) -> list[UnitStatus]:
    """Every unit in use, worst first, then by when it is due, then by name."""
    with store.transaction() as session:
        found = list(_statuses(session, words, now, None))
    far = dt.datetime.max.replace(tzinfo=dt.UTC)
    return sorted(found, key=lambda one: (STATUSES.index(one.status), one.due_at or far, one.name))


def unit_view(store: Store, unit_id: str, words: Words, now: dt.datetime) -> tuple[UnitStatus, list[HoldView]]:
    """How one unit stands, and every hold that accuses or has accused it, the latest first. Raises NotFoundError."""
    with store.transaction() as session:
        find_unit(session, unit_id)
        return next(iter(_statuses(session, words, now, unit_id))), _hold_views(session, unit_id, words)


def _statuses(session: Session, words: Words, now: dt.datetime, only: str | None) -> Iterable[UnitStatus]:
    fleet = _Fleet(session, now, only)
    names = _Names(session, {hold.id: hold for held in fleet.holds.values() for hold in held}.values(), fleet.defects)
    photos = photos_of(session, [defect.id for found in fleet.defects.values() for defect in found])
    # those with something open are looked at closer
    touched = {unit for unit, trailers in fleet.coupled.items() if any(one in fleet.open for one, _ in trailers)}
    rows = session.scalars(select(UnitRow).where(UnitRow.id.in_(touched | fleet.open)))
    held = {row.id: row for row in rows} if touched or fleet.open else {}
    units = select(UnitRow.id, UnitRow.name).where(UnitRow.id == only if only else UnitRow.retired_at.is_(None))
    for unit_id, name in session.execute(units):
        parts = [fleet.facts_of(part) for part in fleet.parts_of(unit_id)]
        status = status_of(parts, fleet.clock)
        holds = {hold.id: hold for facts in parts for hold in facts.holds}
        yield UnitStatus(
            unit_id,
            name,
            status,
            words.status(status),
            [hold_view(session, hold, names, fleet.policy, words) for hold in holds.values()],
            [defect_view(one, names.of, photos, words, now) for facts in parts for one in facts.defects],
            parts[0].passed_at,
            parts[0].until(fleet.clock.zone),
            parts[0].rule,
            unit_id in fleet.rules,
            _recheck(session, held.get(unit_id), fleet, parts),
        )


def _recheck(session: Session, row: UnitRow | None, fleet: _Fleet, parts: list[PartFacts]) -> Recheck | None:
    """What a test of this unit must look at again, under the rules of the latest fail."""
    holds = [hold for facts in parts for hold in facts.holds if hold.stage is not None]
    stages = {hold.stage for hold in holds if hold.stage is not None}
    stages |= {stage for facts in parts for defect in facts.defects for stage in defect.recheck}
    if row is None or not stages:
        return None
    fails = [fail for hold in holds for fail in hold.fails]
    rules = saved_rules(session, max(fails, key=lambda fail: fail.at).rules) if fails else None
    listed = listed_unit(row, fleet.coupled.get(row.id, []), fleet.defaults)
    if rules is None or rules.id not in fleet.rule_sets:
        rules, _ = choose(session, listed.rules, None, listed.unit)
    return recheck_of(stages, rules, listed.unit, fleet.orders)


def workshop(store: Store, words: Words, now: dt.datetime) -> tuple[list[HoldView], list[DefectView]]:
    """Every open hold and every defect that is not closed, in the order to take them."""
    with store.transaction() as session:
        holds = open_holds(session)
        on_parts = open_defects(session)
        names = _Names(session, holds, on_parts)
        policy = policy_of(session)
        told = [hold_view(session, hold, names, policy, words) for hold in holds]
        found = [defect for on_part in on_parts.values() for defect in on_part if not defect.closed]
        photos = photos_of(session, [defect.id for defect in found])
        defects = [defect_view(defect, names.of, photos, words, now) for defect in found]
    order = (*CONSEQUENCES, None)
    return told, sorted(defects, key=lambda one: (order.index(one.consequence), one.defect.seen_at))


def every_hold(store: Store, words: Words) -> list[HoldView]:
    """Every hold that is or was, the oldest first."""
    with store.transaction() as session:
        holds = [hold_of(row) for row in session.scalars(select(HoldRow).order_by(HoldRow.opened_at, HoldRow.id))]
        names = _Names(session, holds)
        policy = policy_of(session)
        return [hold_view(session, hold, names, policy, words) for hold in holds]


def hold_view(session: Session, hold: Hold, names: _Names, policy: HoldPolicy, words: Words) -> HoldView:
    """A hold in a reader's words."""
    rules_title = ""
    if hold.stage is None:
        text, by = words.hold("placed", reason=hold.reason), hold.by
    else:
        fail = hold.fails[-1]
        rules = saved_rules(session, fail.rules)
        rules_title = rules.title[words.language]
        run = names.runs.get(fail.run_id)
        unit = unit_of(run.unit) if run else None
        limit = rules.limit_for(hold.stage, unit) if unit else None
        figures = words.failed(hold.stage, fail.figures, limit, unit) if unit else ""
        text, by = words.hold("failed", stage=hold.stage, figures=figures), run.driver if run else ""
        text = f"{text}{_open_question(hold, words)}"
        if len(hold.fails) > 1:
            text = f"{text} ({words.hold('further', count=len(hold.fails))})"
    ways = [(one.way, _lift_text(one, rules_title, hold, policy, words)) for one in lifts_of(hold, policy)]
    return HoldView(
        hold,
        [(part, names.of.get(part.id, "")) for part in hold.parts],
        [names.of.get(part.id, "") for part in hold.held],
        text,
        by,
        ways,
        _tested_with(session, hold),
    )


def _open_question(hold: Hold, words: Words) -> str:
    """What somebody has to decide of a hold: its fail vanished after it was shown, or was reported elsewhere."""
    if hold.reported[0]:
        return f" ({words.hold('reported', origin=hold.reported[0])})"
    contested = hold.contested
    if contested is None:
        return ""
    key = "contested" if contested.what == "withdrawn" else "contested_otherwise"
    return f" ({words.hold(key, by=contested.by, when=f'{contested.at:%Y-%m-%d %H:%M} UTC')})"


def _tested_with(session: Session, hold: Hold) -> str | None:
    if hold.stage is None:
        return None
    for part in hold.held:
        if part.kind == "unit":
            return part.id
    held = [part.id for part in hold.held]
    return session.scalar(select(CouplingRow.unit_id).where(CouplingRow.trailer_id.in_(held)).limit(1))


def _lift_text(one: Lift, rules: str, hold: Hold, policy: HoldPolicy, words: Words) -> str:
    after = one.way == "recheck" and hold.stage in policy.repair_first and hold.repaired_at is None
    key = "recheck_after" if after else one.way
    return words.hold(key, stage=one.stage, rules=rules) if one.stage else words.hold(key)


def defect_view(
    defect: Defect, names: dict[str, str], photos: dict[str, list[str]], words: Words, now: dt.datetime
) -> DefectView:
    """A defect in a reader's words."""
    consequence = defect.consequence(now)
    return DefectView(
        defect,
        names.get(defect.part.id, ""),
        defect_text(defect, words),
        consequence,
        words.consequence(consequence or defect.rated),
        words.defect_state(defect.state),
        photos.get(defect.id, []),
    )


def _hold_views(session: Session, part_id: str, words: Words) -> list[HoldView]:
    holds = holds_ever_on(session, part_id)[::-1]
    names = _Names(session, holds)
    policy = policy_of(session)
    return [hold_view(session, hold, names, policy, words) for hold in holds]


def did_to_holds(session: Session, run: RunRow, stages: Sequence[str], words: Words) -> list[str]:
    """What the result of a run did to holds, as sentences for its report."""
    parts = [part.id for part in parts_of(session, run)]
    query = select(HoldRow).join(HoldPartRow, HoldPartRow.hold_id == HoldRow.id).distinct()
    on_parts = query.where(HoldPartRow.part_id.in_(parts), HoldRow.stage.in_(stages)).order_by(HoldRow.opened_at)
    text = []
    for row in session.scalars(on_parts):
        hold = hold_of(row)
        key = _did(hold, run)
        if key:
            text.append(words.hold(key, stage=hold.stage))
    return text


def _did(hold: Hold, run: RunRow) -> str:
    runs = [fail.run_id for fail in hold.fails]
    if run.id in runs:
        return "opened" if runs[0] == run.id else "added"
    if hold.lifted is not None:
        return "lifted" if hold.lifted.run_id == run.id else ""
    if any(one.run_id == run.id for one in hold.cleared):
        return "cleared"
    return "still" if run.started_at > hold.opened_at else ""

"""Receiving what people did about a vehicle: each act is kept once, recognised when it is resent, or set aside."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, cast

from sqlalchemy import select
from sqlalchemy.orm import Session

from lowhiss.core.errors import CoreError
from lowhiss.core.rules import canonical_json
from lowhiss.core.status import ACT_KINDS, CONSEQUENCES, Act, ActType, Defect, Hold, PartKind, UnitPart, read_act_body
from lowhiss.engine.clocks import Instant, seconds_ago
from lowhiss.rulebook import consequences
from lowhiss.service.fleet.counted_runs import OFFLINE_FOR
from lowhiss.service.fleet.defects import folded_defects, refold_defects, rules_for
from lowhiss.service.fleet.holds import hold_of, refold
from lowhiss.service.fleet.rows import find_trailer, find_unit
from lowhiss.service.people.authors import Author, Authors
from lowhiss.service.people.proofs import Proof, signed_text
from lowhiss.service.people.rights import ACTS, DECIDING, MILDER
from lowhiss.service.people.signin import Person
from lowhiss.store.engine import Store
from lowhiss.store.fleet_models import ActRow, HoldRow
from lowhiss.store.run_models import EventRow

SERVERS_ACTS = ("round_done", "rechecked")
"""Acts that only follow from something else."""
_RULES = "rules"
"""What the server adds to a defect: the rule set under which it was seen."""
_FORBIDDEN = {
    "hold_released": "Only a manager may release a hold.",
    "hold_struck_out": "Only a trainer or manager may cancel a disputed hold.",
    "defect_rated": "Only the workshop or a manager may make a defect less severe.",
}
_NOT_YOURS = "Only the workshop or a manager may certify this."


@dataclass(frozen=True, slots=True)
class Done:
    """One act as a device sends it: its identity and clocks, and ``body``, the fields of its type."""

    id: str
    type: str
    part: UnitPart
    at: Instant
    author: str
    body: dict[str, Any]
    proof: Proof | None = None

    def signed(self) -> bytes:
        """What its author signed. Raises ValueError."""
        part = {"kind": self.part.kind, "id": self.part.id}
        body = {"type": self.type, "part": part, **{f"body.{key}": value for key, value in self.body.items()}}
        return signed_text("acts", self.id, self.at, self.author, body)


@dataclass(frozen=True, slots=True)
class AsideAct:
    """An act that could not be taken, and why."""

    id: str
    code: str
    sentence: str


@dataclass(slots=True)
class ReceivedActs:
    """What became of a batch of acts."""

    accepted: list[str] = field(default_factory=list)
    set_aside: list[AsideAct] = field(default_factory=list)


def add_acts(store: Store, sent: Instant, acts: list[Done], by: Person, device: str | None = None) -> ReceivedActs:
    """Keep a batch: each act by itself, so that none blocks the next.

    When this returns, what it accepted is committed.
    """
    received = ReceivedActs()
    for act in acts:
        with store.transaction() as session:
            try:
                _take(session, sent, act, by, device)
                received.accepted.append(act.id)
            except _AsideError as error:
                received.set_aside.append(AsideAct(act.id, error.code, error.sentence))
    return received


class _AsideError(Exception):
    def __init__(self, code: str, sentence: str) -> None:
        self.code, self.sentence = code, sentence
        super().__init__(sentence)


def _take(session: Session, sent: Instant, act: Done, by: Person, device: str | None) -> None:
    if act.type in SERVERS_ACTS:
        raise _AsideError("act_malformed", "type: only the server creates this type.")
    # whoever else does something about the same part waits: two people certify one thing once
    _lock(session, act.part)
    known = session.get(ActRow, act.id)
    if known is not None:
        if _same(known, act):
            return
        raise _AsideError("id_conflict", "id: another entry with different content already has this id.")
    received_at = dt.datetime.now(dt.UTC)
    at = received_at - dt.timedelta(seconds=min(seconds_ago(act.at, sent), OFFLINE_FOR.total_seconds()))
    try:
        body = read_act_body(act.type, act.body)
        canonical_json([act.author, body]).encode()
    except CoreError as error:
        raise _AsideError("act_malformed", f"{error.field or 'type'} {error.problem}.") from None
    except UnicodeEncodeError:
        raise _AsideError("act_malformed", "The text contains a broken character. Type it again.") from None
    authors = Authors(session, by, device)
    author, claimed = authors.of(act.author, at, act.proof, act.signed)
    if act.type in DECIDING and (author.id != by.id or claimed is not None):
        # what decides counts in the session of who decides, now: not when somebody else comes to send it
        raise _AsideError("sign_in_yourself", f"{act.author} must sign in to do this; nobody can send it for them.")
    read = Act(act.id, cast(ActType, act.type), act.part, at, author.name, body)
    _save(
        session,
        read,
        author,
        claimed=claimed,
        sent_by=by.id,
        device=act.at.device,
        wall=act.at.wall,
        proof=act.proof.as_dict() if act.proof is not None else None,
    )


def save_act(
    session: Session, act_id: str, kind: str, part: UnitPart, at: dt.datetime, by_id: str, by: str, role: str, body: Any
) -> None:
    """Keep an act that no device sends, such as one of the demo. Raises CoreError, ValueError where it may not be."""
    act = Act(act_id, cast(ActType, kind), part, at, by, read_act_body(kind, body))
    try:
        _save(session, act, Author(by_id, by, role), claimed=None, sent_by=by_id, device="record", wall=at)
    except _AsideError as error:
        raise ValueError(error.sentence) from error


def _save(session: Session, act: Act, author: Author, **came: Any) -> None:
    if author.role not in ACTS[act.type]:
        raise _AsideError("not_yours", _FORBIDDEN.get(act.type, _NOT_YOURS))
    holds = _check(session, act, author)
    row = ActRow(
        id=act.id,
        type=act.type,
        part_kind=act.part.kind,
        part_id=act.part.id,
        at=act.at,
        body={**act.body, **_seen_under(session, act)},
        author=author.name,
        author_id=author.id,
        received_at=dt.datetime.now(dt.UTC),
        **came,
    )
    session.add(row)
    session.flush()
    owners = {UnitPart(cast(PartKind, hold.owner_kind), hold.owner_id) for hold in holds}
    owners |= {act.part} if act.type == "hold_placed" else set()
    for owner in sorted(owners):
        refold(session, owner)
    refold_defects(session, act.part)


def _seen_under(session: Session, act: Act) -> dict[str, str]:
    """By whose defaults a defect is rated: kept with it, so that no other coupling and no other choice changes it."""
    return {_RULES: rules_for(session, act.part)} if act.type == "defect_seen" else {}


def _lock(session: Session, part: UnitPart) -> None:
    if part.kind == "unit":
        find_unit(session, part.id, lock=True)
    else:
        find_trailer(session, part.id, lock=True)


def _check(session: Session, act: Act, author: Author) -> list[HoldRow]:
    """The holds that an act is about. Raises where something that it names is not there or already settled."""
    if act.type == "defect_seen" and act.body.get("group") and act.body["group"] not in consequences().groups:
        raise _AsideError("group_unknown", "group: this part isn't in the list. Choose one from the list.")
    hold_ids, defect_ids = ACT_KINDS[act.type].named(act.body)
    if act.type == "repaired" and not hold_ids and not defect_ids and not act.body.get("stages"):
        raise _AsideError("repairs_nothing", "Choose the hold or defect that this repair fixes.")
    defects = {defect.id: defect for defect in folded_defects(session, act.part)} if defect_ids else {}
    for defect_id in defect_ids:
        _check_defect(act, author, defects.get(defect_id))
    return [_checked_hold(session, act, author, hold_id) for hold_id in hold_ids]


def _check_defect(act: Act, author: Author, defect: Defect | None) -> None:
    if defect is None:
        raise _AsideError("defect_unknown", "defect_id: this defect doesn't exist on this unit.")
    if act.type == "acknowledged":
        return
    group = consequences().groups.get(defect.group)
    if act.type == "defect_fixed" and author.role not in MILDER and not (group and group.fixable):
        raise _AsideError("not_yours", "Only the workshop may fix this. Report it as a defect.")
    if defect.certified_at is not None:
        raise _AsideError(
            "already_certified",
            f"{defect.certified_by} has already certified this. If the defect is back, report it again.",
        )
    if act.type == "defect_rated" and author.role not in MILDER:
        before, after = (CONSEQUENCES.index(one) for one in (defect.rated, act.body["consequence"]))
        if after > before:
            raise _AsideError("not_yours", _FORBIDDEN["defect_rated"])


def _checked_hold(session: Session, act: Act, author: Author, hold_id: str) -> HoldRow:
    row = session.get(HoldRow, hold_id)
    hold: Hold | None = hold_of(row) if row is not None else None
    if row is None or hold is None or act.part not in hold.parts:
        raise _AsideError("hold_unknown", "hold_id: this hold doesn't exist on this unit.")
    if hold.lifted:
        raise _AsideError("hold_gone", "This hold has already been lifted.")
    if act.type == "hold_struck_out":
        _check_cancel(session, hold, author)
    return row


def _check_cancel(session: Session, hold: Hold, author: Author) -> None:
    """Only somebody who neither made nor took back a mark of the tests it came from."""
    if hold.contested is None:
        raise _AsideError("not_contested", "This hold isn't disputed. A recheck or a manager's release lifts it.")
    runs = [fail.run_id for fail in hold.fails]
    made = select(EventRow.id).where(
        EventRow.run_id.in_(runs), EventRow.author_id == author.id, EventRow.type.not_in(("note", "shown"))
    )
    if session.scalar(made.limit(1)) is not None:
        sentence = "You made marks in this test. Another trainer or manager must review it."
        raise _AsideError("own_marks", sentence)


def _same(row: ActRow, act: Done) -> bool:
    """Whether a resent act is the one already kept."""
    kept = {key: value for key, value in row.body.items() if key != _RULES}
    same_part = (row.type, row.part_kind, row.part_id) == (act.type, act.part.kind, act.part.id)
    return same_part and row.device == act.at.device and row.wall == act.at.wall and _body_of(act) == kept


def _body_of(act: Done) -> Mapping[str, Any] | None:
    try:
        return read_act_body(act.type, act.body)
    except CoreError:
        return None

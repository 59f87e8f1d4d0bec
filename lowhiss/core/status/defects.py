"""Defects and what was done about them, folded from the acts on one part. Pure."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from lowhiss.core.stages import Stage
from lowhiss.core.status.acts import Act, UnitPart
from lowhiss.core.status.consequences import CONSEQUENCES, Consequence, Consequences
from lowhiss.core.status.holds import TestedSet

ONE_TRIP = dt.timedelta(hours=24)
"""So long a defect of *one trip, then repair* may wait at most; ours, after the day of NSC 13 (from memory)."""
DefectState = Literal["open", "taken", "repaired", "no_repair", "fixed"]


@dataclass(frozen=True, slots=True)
class Rating:
    """Who rated a defect how, when and why; nobody's rating rewrites another's."""

    at: dt.datetime
    by: str
    consequence: Consequence
    reason: str = ""


@dataclass(frozen=True, slots=True)
class Defect:
    """Something that is not right with a part.

    item, place, inspection_id, wrong, measured : of the inspection that found it, with the conditions not met and the
        number in its unit; empty where none did.

    group, finding, what : a group of the table, a finding of the judge, or words.  ratings : the default first.
    certified_at, certified_by : of *repaired* or *no repair needed*.  said : what was done, or why nothing.
    recheck : the stages that must pass after the repair, as far as they have not.  recheck_item : its item of the
        inspection must be found right again too.  acknowledged : by whom, when.
    """

    id: str
    part: UnitPart
    seen_at: dt.datetime
    by: str
    group: str
    finding: str
    what: str
    where: str
    run_id: str
    item: str
    place: str
    inspection_id: str
    wrong: tuple[str, ...]
    measured: tuple[float, str] | None
    teaching: bool
    ratings: tuple[Rating, ...]
    state: DefectState = "open"
    taken_by: str = ""
    certified_at: dt.datetime | None = None
    certified_by: str = ""
    said: str = ""
    recheck: tuple[Stage, ...] = ()
    recheck_item: bool = False
    acknowledged: tuple[tuple[str, dt.datetime], ...] = ()
    trip_over_at: dt.datetime | None = None

    @property
    def rated(self) -> Consequence:
        """As it was rated last."""
        return self.ratings[-1].consequence

    @property
    def closed(self) -> bool:
        """Whether nothing stands of it: certified, and what had to pass after the repair has passed."""
        return self.certified_at is not None and not self.recheck and not self.recheck_item

    @property
    def unread(self) -> bool:
        """Whether no driver has said since it was certified that they have read what was done."""
        certified = self.certified_at
        return certified is not None and all(at < certified for _, at in self.acknowledged)

    def consequence(self, now: dt.datetime) -> Consequence | None:
        """What it means now: *one trip* turns into *stays* when the trip is over or a day has passed; None when closed.

        One that was set up for teaching never means anything.
        """
        if self.closed or self.teaching:
            return None
        return self.effective(now)

    def effective(self, now: dt.datetime) -> Consequence:
        """What it means at a moment while it is open."""
        if self.rated == "finish" and (self.trip_over_at is not None or now - self.seen_at > ONE_TRIP):
            return "stay"
        return self.rated


def defects_of(
    part: UnitPart, acts: Iterable[Act], tests: Sequence[TestedSet], table: Consequences, rules: str
) -> list[Defect]:
    """Every defect that was reported of a part, in the order in which they were seen.

    tests : runs that counted, with this part in them.  rules : whose defaults hold where an act does not say under
        which rule set it was seen.
    """
    mine = sorted((act for act in acts if act.part == part), key=lambda act: (act.at, act.id))
    found = [_seen(act, table, rules) for act in mine if act.type == "defect_seen"]
    return [_after(defect, mine, tests, table) for defect in found]


def _worse(one: Consequence, other: Consequence) -> Consequence:
    return min(one, other, key=CONSEQUENCES.index)


def _seen(act: Act, table: Consequences, rules: str) -> Defect:
    body = act.body
    group, given = body.get("group", ""), body.get("consequence")
    known = group in table.groups
    default = table.means(group, body.get("rules", rules), body.get("asked", ())) if known else None
    ratings = [Rating(act.at, "", default)] if default else []
    if given is not None and given != default:
        worst = given if default is None else _worse(default, given)
        ratings.append(Rating(act.at, act.by, worst))
    return Defect(
        id=act.id,
        part=act.part,
        seen_at=act.at,
        by=act.by,
        group=group,
        finding=body.get("finding", ""),
        what=body.get("what", ""),
        where=body.get("where", ""),
        run_id=body.get("run", ""),
        item=body.get("item", ""),
        place=body.get("place", ""),
        inspection_id=body.get("round", ""),
        wrong=tuple(body.get("wrong", ())),
        measured=(body["value"], body["measure"]) if "measure" in body else None,
        teaching=body.get("teaching", False),
        ratings=tuple(ratings) or (Rating(act.at, act.by, "note"),),
    )


def _after(defect: Defect, acts: Sequence[Act], tests: Sequence[TestedSet], table: Consequences) -> Defect:
    for act in acts:
        if act.at < defect.seen_at:
            continue
        defect = _acted(defect, act, table)
    if defect.certified_at is not None and defect.recheck:
        passed = {
            stage
            for test in tests
            if test.counts and defect.part in test.parts
            for stage, figures in test.stages.items()
            if figures["outcome"] == "pass" and test.moment(stage) > defect.certified_at
        }
        defect = replace(defect, recheck=tuple(stage for stage in defect.recheck if stage not in passed))
    return defect


def _acted(defect: Defect, act: Act, table: Consequences) -> Defect:
    body = act.body
    # the next complete inspection ends the one trip, as the driver's word does; the one that saw it does not
    over = act.type == "trip_over" or (act.type == "round_done" and body["round"] != defect.inspection_id)
    if over and defect.certified_at is None:
        return replace(defect, trip_over_at=defect.trip_over_at or act.at)
    if act.type == "repaired" and defect.id in body.get("defects", ()) and defect.certified_at is None:
        mended = replace(defect, state="repaired", certified_at=act.at, certified_by=act.by, said=body["did"])
        return _to_recheck(mended, act, table, item=defect.item != "")
    if act.type == "acknowledged" and defect.id in body["defects"]:
        return replace(defect, acknowledged=(*defect.acknowledged, (act.by, act.at)))
    if act.type == "rechecked" and body["defect"] == defect.id:
        found_right = defect.certified_at is not None and act.at > defect.certified_at
        return replace(defect, recheck_item=False) if found_right else defect
    if body.get("defect") != defect.id or defect.certified_at is not None:
        return defect
    if act.type == "defect_rated":
        return replace(defect, ratings=(*defect.ratings, Rating(act.at, act.by, body["consequence"], body["reason"])))
    if act.type == "defect_taken":
        return replace(defect, state="taken", taken_by=act.by)
    if act.type == "defect_fixed":
        fixed = replace(defect, state="fixed", certified_at=act.at, certified_by=act.by, said=body.get("did", ""))
        # put right in the inspection that found it, its item was looked at again there
        return _to_recheck(fixed, act, table, item=defect.item != "" and body.get("round") != defect.inspection_id)
    if act.type == "no_repair":
        return replace(
            defect, state="no_repair", certified_at=act.at, certified_by=act.by, said=body["reason"], recheck=()
        )
    return defect


def _to_recheck(defect: Defect, act: Act, table: Consequences, *, item: bool) -> Defect:
    """What must be looked at again, where the vehicle had to stay when it was mended: by its rating, or by time."""
    if defect.effective(act.at) != "stay":
        return defect
    stages = table.groups[defect.group].recheck if defect.group in table.groups else ()
    return replace(defect, recheck=stages, recheck_item=item)

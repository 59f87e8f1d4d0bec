"""Holds: opened by a stage that stands failed or by hand, narrowed by evidence, lifted by a recheck or a release. Pure.

Tests and acts may be handed in in any order; they count in the order in which they happened.
"""

from __future__ import annotations

import datetime as dt
import uuid
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Literal, NamedTuple

from lowhiss.core.stages import LIMITED_STAGES, STAGES, STEP_TABLE, Stage, kind_of
from lowhiss.core.status.acts import Act, UnitPart

_NAMESPACE = uuid.UUID("3d6f5a0e-6f0c-5e0e-9a62-5d0c1b7d4f10")


@dataclass(frozen=True, slots=True)
class TestedSet:
    """A run that counts for the vehicle, as far as holds go.

    parts : the power unit, then its trailers.  rules : the hash of the rule set that judged it.
    stages : the kept figures of each stage as it stands; of a fail that was shown and is gone since, those that were
        shown, with ``contested``.  counts : it was finished, so that its passes count.
    reported : where it comes from, while nobody has decided whether it counts.  dismissed : decided that it does not.
    """

    __test__ = False  # no test of pytest's

    run_id: str
    parts: tuple[UnitPart, ...]
    began_at: dt.datetime
    rules: str
    stages: Mapping[str, Mapping[str, Any]]
    counts: bool
    reported: str = ""
    dismissed: Lifted | None = None

    def moment(self, stage: str) -> dt.datetime:
        """When a stage of it was decided."""
        return self.began_at + dt.timedelta(seconds=self.stages[stage].get("at_s") or 0.0)


class Fail(NamedTuple):
    """A valid fail of a stage: in which run, when, under the rule set of which hash, with which figures."""

    run_id: str
    at: dt.datetime
    rules: str
    figures: Mapping[str, Any]
    reported: str = ""


class Contested(NamedTuple):
    """What made a fail vanish after it was shown: whose mark, when, and its type."""

    by: str
    at: dt.datetime
    what: str


class Cleared(NamedTuple):
    """A part that a hold has left, because the stage passed with it and without another part that was held."""

    part: UnitPart
    run_id: str
    at: dt.datetime


class Lifted(NamedTuple):
    """How a hold ended. ``by``, ``reason``: of a release."""

    at: dt.datetime
    how: Literal["recheck", "release", "struck_out", "dismissed"]
    run_id: str = ""
    by: str = ""
    reason: str = ""


@dataclass(frozen=True, slots=True)
class Hold:
    """A hold. ``stage``: what failed; None where a person placed it, for ``reason``.

    parts : everybody whom it accused.  repaired_at : the last repair for it since its latest fail.
    from_before : what failed, failed before holds were kept.
    """

    id: str
    stage: Stage | None
    opened_at: dt.datetime
    parts: tuple[UnitPart, ...]
    fails: tuple[Fail, ...] = ()
    by: str = ""
    reason: str = ""
    cleared: tuple[Cleared, ...] = ()
    repaired_at: dt.datetime | None = None
    lifted: Lifted | None = None
    from_before: bool = False

    @property
    def contested(self) -> Contested | None:
        """What made its fails vanish after they were shown; None where one of them stands."""
        found = [fail.figures.get("contested") for fail in self.fails]
        if not found or not all(found):
            return None
        last = found[-1]
        assert last is not None
        return Contested(last["by"], dt.datetime.fromisoformat(last["at"]), last["what"])

    @property
    def reported(self) -> tuple[str, str]:
        """Where its fails were reported from and in which run, while nobody has decided; empty texts otherwise."""
        open_ones = [(fail.reported, fail.run_id) for fail in self.fails if fail.reported]
        return open_ones[-1] if open_ones and len(open_ones) == len(self.fails) else ("", "")

    @property
    def held(self) -> tuple[UnitPart, ...]:
        """Whom it still holds; nobody once it is lifted."""
        gone = {one.part for one in self.cleared}
        return () if self.lifted else tuple(part for part in self.parts if part not in gone)


@dataclass(frozen=True, slots=True)
class HoldPolicy:
    """A fleet's say. ``repair_first``: stages whose recheck counts only after a repair.

    since : when holds began to be kept; what had passed again before then, under any rules, stays so.
    """

    repair_first: frozenset[Stage] = field(default_factory=lambda: frozenset(LIMITED_STAGES))
    since: dt.datetime | None = None


Passes = Callable[[TestedSet, Stage, str], bool]
"""Whether a stage of a run passes under the rule set of this hash; asked only where that is not the run's own."""


def accused(stage: Stage, figures: Mapping[str, Any], parts: Sequence[UnitPart]) -> tuple[UnitPart, ...]:
    """Whom a fail of a stage accuses: the power unit, or the whole set as coupled; a trailer knob always the set."""
    trailer_knob = kind_of(stage) == "knobs" and figures.get("knob") == "trailer"
    return tuple(parts) if STEP_TABLE[stage].accuses == "set" or trailer_knob else tuple(parts[:1])


def holds_of(
    unit: UnitPart, tests: Iterable[TestedSet], acts: Iterable[Act], policy: HoldPolicy, passes: Passes
) -> list[Hold]:
    """Every hold that fails of this unit have opened or somebody has placed on it, in the order in which they opened.

    tests : its own runs, and those of other units with a trailer that it once failed with.
    """
    tests, acts = list(tests), list(acts)
    placed = [_placed(act, acts) for act in acts if act.type == "hold_placed" and act.part == unit]
    failed = [hold for stage in STAGES for hold in _of_stage(unit, stage, tests, acts, policy, passes)]
    return sorted((*placed, *failed), key=lambda hold: (hold.opened_at, hold.id))


def _placed(act: Act, acts: Sequence[Act]) -> Hold:
    hold = Hold(act.id, None, act.at, (act.part,), by=act.by, reason=str(act.body["reason"]))
    releases = sorted((one for one in acts if _releases(one, hold)), key=lambda one: (one.at, one.id))
    return replace(hold, lifted=_released(releases[0])) if releases else hold


def _releases(act: Act, hold: Hold) -> bool:
    ends = act.type == "hold_released" or (act.type == "hold_struck_out" and hold.contested is not None)
    return ends and act.body["hold"] == hold.id and act.at >= hold.opened_at


def _released(act: Act) -> Lifted:
    how: Literal["release", "struck_out"] = "release" if act.type == "hold_released" else "struck_out"
    return Lifted(act.at, how, by=act.by, reason=str(act.body["reason"]))


class _Happening(NamedTuple):
    """Of one moment a fail counts first, then what was done about it, then what passed."""

    at: dt.datetime
    rank: int
    key: str
    test: TestedSet | None = None
    act: Act | None = None
    dismissed: TestedSet | None = None


_ENDING = ("repaired", "hold_released", "hold_struck_out")


def _of_stage(
    unit: UnitPart, stage: Stage, tests: list[TestedSet], acts: list[Act], policy: HoldPolicy, passes: Passes
) -> list[Hold]:
    happened = [
        _Happening(test.moment(stage), 0 if _fails(test, stage, unit) else 2, test.run_id, test=test)
        for test in tests
        if stage in test.stages
    ]
    if not any(one.rank == 0 for one in happened):
        return []
    happened += [_Happening(act.at, 1, act.id, act=act) for act in acts if act.type in _ENDING]
    happened += [_Happening(test.dismissed.at, 1, test.run_id, dismissed=test) for test in tests if test.dismissed]
    holds: list[Hold] = []
    open_hold: Hold | None = None
    for one in sorted(happened, key=lambda one: one[:3]):
        if one.test is not None and one.rank == 0:
            open_hold = _failed(open_hold, unit, stage, one.test, policy)
        elif open_hold is not None and one.dismissed is not None:
            open_hold = _dismissed(open_hold, one.dismissed)
        elif open_hold is not None and one.act is not None:
            open_hold = _acted(open_hold, one.act)
        elif open_hold is not None and one.test is not None:
            open_hold = _tested(open_hold, stage, one.test, policy, passes)
        if open_hold is not None and open_hold.lifted:
            holds.append(open_hold)
            open_hold = None
    return [*holds, open_hold] if open_hold else holds


def _fails(test: TestedSet, stage: Stage, unit: UnitPart) -> bool:
    return test.stages[stage]["outcome"] == "fail" and test.parts[0] == unit


def _failed(open_hold: Hold | None, unit: UnitPart, stage: Stage, test: TestedSet, policy: HoldPolicy) -> Hold:
    at = test.moment(stage)
    fail = Fail(test.run_id, at, test.rules, test.stages[stage], test.reported)
    parts = accused(stage, fail.figures, test.parts)
    if open_hold is None:
        name = str(uuid.uuid5(_NAMESPACE, f"{unit.id} {stage} {test.run_id}"))
        before = policy.since is not None and at < policy.since
        return Hold(name, stage, at, parts, (fail,), from_before=before)
    # it failed again: whom the hold had left is accused again with the rest, and no repair has answered this one
    return replace(
        open_hold,
        parts=(*open_hold.parts, *(part for part in parts if part not in open_hold.parts)),
        fails=(*open_hold.fails, fail),
        cleared=tuple(one for one in open_hold.cleared if one.part not in parts),
        repaired_at=None,
    )


def _dismissed(hold: Hold, test: TestedSet) -> Hold:
    """Without the fails of a run that a manager decided does not count; nothing is left to hold without any."""
    fails = tuple(fail for fail in hold.fails if fail.run_id != test.run_id)
    return replace(hold, fails=fails) if fails else replace(hold, lifted=test.dismissed)


def _acted(hold: Hold, act: Act) -> Hold:
    if _releases(act, hold):
        return replace(hold, lifted=_released(act))
    if act.type == "repaired" and hold.id in act.body.get("holds", ()):
        return replace(hold, repaired_at=act.at)
    return hold


def _tested(hold: Hold, stage: Stage, test: TestedSet, policy: HoldPolicy, passes: Passes) -> Hold:
    covered = tuple(part for part in hold.held if part in test.parts)
    if not test.counts or not covered or test.dismissed:
        return hold
    at = test.moment(stage)
    before = policy.since is not None and at < policy.since
    if not before and not all(_passes_under(test, stage, fail.rules, passes) for fail in hold.fails):
        return hold
    if before and test.stages[stage]["outcome"] != "pass":
        return hold
    if covered != hold.held:
        return replace(hold, cleared=(*hold.cleared, *(Cleared(part, test.run_id, at) for part in covered)))
    if hold.repaired_at is None and stage in policy.repair_first and not before:
        return hold
    return replace(hold, lifted=Lifted(at, "recheck", test.run_id))


def _passes_under(test: TestedSet, stage: Stage, rules: str, passes: Passes) -> bool:
    if test.rules == rules:
        return bool(test.stages[stage]["outcome"] == "pass")
    return passes(test, stage, rules)


LiftBy = Literal["decide", "strike_out", "repair", "recheck", "narrow", "release"]


class Lift(NamedTuple):
    """One thing that would change a hold. ``run_id``: the fail whose rule set the recheck goes by."""

    way: LiftBy
    stage: Stage | None = None
    run_id: str = ""


def lifts_of(hold: Hold, policy: HoldPolicy) -> tuple[Lift, ...]:
    """What would lift or narrow an open hold, in the order to do it; a release is always the other way."""
    if hold.lifted:
        return ()
    if hold.stage is None:
        return (Lift("release"),)
    ways = []
    if hold.reported[0]:
        ways.append(Lift("decide", hold.stage, hold.reported[1]))
    if hold.contested is not None:
        ways.append(Lift("strike_out", hold.stage))
    if hold.stage in policy.repair_first and hold.repaired_at is None:
        ways.append(Lift("repair", hold.stage))
    ways.append(Lift("recheck", hold.stage, hold.fails[-1].run_id))
    if len(hold.held) > 1:
        ways.append(Lift("narrow", hold.stage))
    return tuple(ways)

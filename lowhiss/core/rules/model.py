"""What a rule set is: limits as data, each with its source, and the conventions by which readings are judged."""

from __future__ import annotations

import dataclasses
import hashlib
import json
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, Literal

from lowhiss.core.fields import Language
from lowhiss.core.stages import LIMITED_STAGES, LimitedStage
from lowhiss.core.vehicle import Circuits, Group, Holding, Unit, UnitKind

Comparator = Literal["at_least", "at_most", "below", "above"]
LimitUnit = Literal["psi", "s"]
Reference = Literal["cut_out_read", "maker_cut_out"]
Policy = Literal["both", "primary"]
Acceptance = Literal["simple", "guarded"]
Call = Literal["cut_out", "limit", "reading", "verdict"]
USUAL_CALLS: tuple[Call, ...] = ("cut_out",)
"""What must be said aloud where a set says nothing of it."""
"""What a candidate must say aloud: each cut-out; of each stage its limit, the reading, and whether it passed."""
Standing = Literal["published", "from_memory", "common_practice", "fleet"]


@dataclass(frozen=True, slots=True)
class Source:
    """Where a number comes from.

    standing : ``from_memory`` for a published text nobody has checked the value against yet.
    replaces : the source of the limit that a derived rule set overrode, if any; so the chain is kept.
    """

    document: str
    standing: Standing
    clause: str = ""
    replaces: Source | None = None


@dataclass(frozen=True, slots=True)
class Bound:
    """One comparison. The bound is ``value``, or ``value`` added to what ``of`` refers to, times a unit fact.

    times_reservoir_ratio : multiply by the unit's actual ÷ required reservoir volume.
    cap_share_of_cut_out : the bound is never more than this share of the cut-out.
    """

    comparator: Comparator
    value: float
    of: Reference | None = None
    times_reservoir_ratio: bool = False
    cap_share_of_cut_out: float | None = None


@dataclass(frozen=True, slots=True)
class Condition:
    """When a limit applies: each named fact of the unit must be one of the values; empty means any."""

    kind: tuple[UnitKind, ...] = ()
    group: tuple[Group, ...] = ()
    circuits: tuple[Circuits, ...] = ()
    fmvss_121: bool | None = None
    maker_cut_out_known: bool | None = None

    def holds(self, unit: Unit) -> bool:
        """Whether ``unit`` is one that the limit is meant for."""
        return (
            (not self.kind or unit.kind in self.kind)
            and (not self.group or unit.group in self.group)
            and (not self.circuits or unit.circuits in self.circuits)
            and (self.fmvss_121 is None or unit.fmvss_121 == self.fmvss_121)
            and (
                self.maker_cut_out_known is None or (unit.governor.cut_out_psi is not None) == self.maker_cut_out_known
            )
        )


@dataclass(frozen=True, slots=True)
class Limit:
    """One limit of one stage.

    unit : what the bounds are in; ``psi`` for readings and losses, ``s`` for build-up.
    window_psi : the two marks of a build-up, lower then upper.
    hold_s : how long a leak stage is held; a loss is judged over this time.
    words : the limit as a plain sentence, as a candidate would say it; empty where it is made from the bounds.
    reason : why a fleet chose it, where it is looser than a published rule.
    """

    key: str
    stage: LimitedStage
    unit: LimitUnit
    bounds: tuple[Bound, ...]
    when: Condition
    source: Source
    words: dict[Language, str]
    window_psi: tuple[float, float] | None = None
    hold_s: float | None = None
    reason: str = ""

    @property
    def capped(self) -> bool:
        """Whether a bound is never more than a share of the cut-out."""
        return any(bound.cap_share_of_cut_out is not None for bound in self.bounds)

    @property
    def hangs_on_cut_out(self) -> bool:
        """Whether a bound hangs on the cut-out that was read before."""
        return any(bound.of == "cut_out_read" for bound in self.bounds)


@dataclass(frozen=True, slots=True)
class InspectionLimit:
    """A fleet's own bound of what is measured in an inspection, in the measure's own unit; both inclusive.

    axles : as in the inspection's own limits; empty: whatever axle it is.
    """

    measure: str
    source: Source
    axles: tuple[str, ...] = ()
    at_least: float | None = None
    at_most: float | None = None


@dataclass(frozen=True, slots=True)
class Judging:
    """The conventions by which readings become outcomes; their meaning and source stand in ``judging.toml``."""

    hold_short_s: float
    hold_over_s: float
    clock_before_settle_s: float
    short_wait_s: float
    short_wait_margin_psi: float
    needle_rose_psi: float
    charged_psi: float
    window_covered_share: float
    through_mark_psi: float
    lamp_check_s: float
    key_tapped_late_s: float
    early_warning_psi: float
    off_maker_psi: float
    gauges_disagree_share: float
    default_cut_out_psi: float
    default_cut_in_psi: float
    hold_test_psi: float
    rolling_mph: float
    clock_disagree_s: float
    reaction_s: float
    third_failure: float


@dataclass(frozen=True)
class RuleSet:
    """A school: its limits, which gauge counts, how a result within reading error is taken.

    lineage : the sets it comes from, its parent first.  holding : what may hold a vehicle while it is tested.
    calls : what a candidate must say aloud.
    inspection_limits : what it holds otherwise of what an inspection measures.
    consequences : what a defect means otherwise, by group of parts.
    """

    id: str
    title: dict[Language, str]
    policy: Policy
    acceptance: Acceptance
    limits: tuple[Limit, ...]
    judging: Judging
    about: dict[Language, str] = field(default_factory=dict)
    lineage: tuple[str, ...] = ()
    holding: Holding = "gear_noted"
    calls: tuple[Call, ...] = USUAL_CALLS
    inspection_limits: tuple[InspectionLimit, ...] = ()
    consequences: tuple[tuple[str, str], ...] = ()

    @property
    def parent(self) -> str | None:
        """The set it was derived from."""
        return self.lineage[0] if self.lineage else None

    def limit_for(self, stage: str, unit: Unit) -> Limit | None:
        """The first limit of ``stage`` meant for ``unit``; None where the set has no limit for it."""
        for limit in self._by_stage.get(stage, ()):
            if limit.when.holds(unit):
                return limit
        return None

    @cached_property
    def _by_stage(self) -> dict[str, tuple[Limit, ...]]:
        return {stage: tuple(limit for limit in self.limits if limit.stage == stage) for stage in LIMITED_STAGES}

    def limits_on(self, unit: Unit) -> dict[str, Limit | None]:
        """The limit of each stage that can have one for ``unit``: looked up once for units that are alike."""
        known = self._on_units.get(unit)
        if known is None:
            if len(self._on_units) >= _MAX_UNITS:
                self._on_units.clear()
            known = self._on_units[unit] = {stage: self.limit_for(stage, unit) for stage in LIMITED_STAGES}
        return known

    @cached_property
    def _on_units(self) -> dict[Unit, dict[str, Limit | None]]:
        return {}

    @cached_property
    def content_hash(self) -> str:
        """SHA-256 of the whole content, so that a log can say exactly which rules judged a run."""
        return hashlib.sha256(canonical_json(self.as_dict()).encode()).hexdigest()

    def as_dict(self) -> dict[str, Any]:
        """The whole set as plain values, in the form that `read_rule_set` reads back."""
        table: dict[str, Any] = {
            "format": RULES_FORMAT,
            "id": self.id,
            "title": self.title,
            "about": self.about,
            "parent": self.parent,
            "policy": self.policy,
            "acceptance": self.acceptance,
            "judging": dataclasses.asdict(self.judging),
            "limit": [_limit_dict(limit) for limit in self.limits],
        }
        # what is as usual is not written, so that a set kept long ago has the same hash to-day
        if len(self.lineage) > 1:
            table["lineage"] = list(self.lineage)
        if self.holding != "gear_noted":
            table["holding"] = self.holding
        if self.calls != USUAL_CALLS:
            table["calls"] = list(self.calls)
        if self.inspection_limits:
            table["round_limit"] = [
                {**_without_defaults(one), "source": _source_dict(one.source)} for one in self.inspection_limits
            ]
        if self.consequences:
            table["consequences"] = dict(self.consequences)
        return table


RULES_FORMAT = "low-hiss-rules/1"
_MAX_UNITS = 1_000
"""Units whose limits are remembered; a fleet judged at once has fewer."""


def canonical_json(value: object) -> str:
    """JSON with sorted keys and no spaces: the same content always gives the same text."""
    return json.dumps(value, sort_keys=True, separators=(",", ":"), ensure_ascii=False, allow_nan=False)


def _without_defaults(value: Any) -> dict[str, Any]:
    kept = {}
    for item in dataclasses.fields(value):
        content = getattr(value, item.name)
        if content != item.default:
            kept[item.name] = list(content) if isinstance(content, tuple) else content
    return kept


def _source_dict(source: Source) -> dict[str, Any]:
    table = _without_defaults(source)
    if source.replaces is not None:
        table["replaces"] = _source_dict(source.replaces)
    return table


def _bound_dict(bound: Bound) -> dict[str, Any]:
    table = _without_defaults(bound)
    del table["comparator"], table["value"]
    return {bound.comparator: bound.value, **table}


def _limit_dict(limit: Limit) -> dict[str, Any]:
    table: dict[str, Any] = {
        "key": limit.key,
        "stage": limit.stage,
        "unit": limit.unit,
        "bounds": [_bound_dict(bound) for bound in limit.bounds],
        "when": _without_defaults(limit.when),
        "source": _source_dict(limit.source),
        "words": limit.words,
    }
    if limit.window_psi is not None:
        table["window_psi"] = list(limit.window_psi)
    if limit.hold_s is not None:
        table["hold_s"] = limit.hold_s
    if limit.reason:
        table["reason"] = limit.reason
    return table

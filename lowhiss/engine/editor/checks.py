"""A fleet's own rule set, checked: what it changes, whether that can be meant, and where it is looser than the law."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from itertools import product
from typing import get_args

from lowhiss import rulebook
from lowhiss.core.errors import RuleError
from lowhiss.core.rules import Limit, RuleSet, Source, is_looser, read_rule_set
from lowhiss.core.rules.reader import ParentLookup
from lowhiss.core.units import PRESSURE_UNITS, from_psi
from lowhiss.core.vehicle import UNIT_KINDS, Circuits, Governor, Unit
from lowhiss.core.words import Figures, plain
from lowhiss.engine.editor.overlay import tables_under

MAX_LIMITS = 100
_PUBLISHED = ("published", "from_memory")


@dataclass(frozen=True, slots=True)
class Looser:
    """A limit that lets pass what a published rule does not; ``reason``: whether the fleet says why."""

    limit: Limit
    source: Source
    reason: bool


def read_fleet_rules(table: object, parent_of: ParentLookup) -> RuleSet:
    """A fleet's own rule set from plain values: as `read_rule_set`, and nothing in it that no school could mean.

    Raises RuleError naming table and key.
    """
    written = table.get("limit", []) if isinstance(table, Mapping) else []
    if isinstance(written, list) and len(written) > MAX_LIMITS:
        raise RuleError("limit", f"holds {len(written)} limits; the maximum is {MAX_LIMITS}")
    rules = read_rule_set(table, rulebook.judging(), parent_of)
    if rules.id in rulebook.rule_set_ids():
        raise RuleError("id", f"{rules.id!r} is a built-in rule set: choose another id")
    keys = {one.get("key") for one in written if isinstance(one, Mapping)}
    for limit in rules.limits:
        if limit.key in keys:
            _plausible(limit)
    tables_under([rules])
    return rules


def _plausible(limit: Limit) -> None:
    at, known = f"limit {limit.key!r}", rulebook.plausible()
    for bound in limit.bounds:
        low, high = known.apart if bound.of is not None else known.bounds[limit.stage]
        if not low <= bound.value <= high:
            raise RuleError(f"{at}.{bound.comparator}", _improbable(limit, bound.value, low, high))
    if limit.hold_s is not None and not known.hold_s[0] <= limit.hold_s <= known.hold_s[1]:
        raise RuleError(f"{at}.hold_s", f"must be {known.hold_s[0]:g} to {known.hold_s[1]:g} s, not {limit.hold_s:g}")
    if limit.window_psi is not None and limit.window_psi[1] > known.window_psi[1]:
        raise RuleError(
            f"{at}.window_psi", f"must end at {known.window_psi[1]:g} psi or lower, not {limit.window_psi[1]:g}"
        )


def _improbable(limit: Limit, value: float, low: float, high: float) -> str:
    """A figure outside, with the unit in which it would be inside, where there is one."""
    if limit.unit == "s":
        return f"must be {low:g} to {high:g} s, not {value:g}"
    slips = [
        f"; {plain(from_psi(value, unit), 1)} {Figures(unit).label} was written: was another unit meant?"
        for unit in PRESSURE_UNITS
        if unit != "psi" and low <= from_psi(value, unit) <= high
    ]
    return f"must be {low:g} to {high:g} psi, not {plain(value, 1)} psi{slips[0] if slips else ''}"


def cases(limit: Limit) -> Iterator[Unit]:
    """Units of every kind on which limits can depend and for which this one is meant."""
    for kind, circuits, fmvss_121, cut_out in product(UNIT_KINDS, get_args(Circuits), (True, False), (None, 125.0)):
        unit = Unit(kind, circuits=circuits, fmvss_121=fmvss_121, governor=Governor(cut_out_psi=cut_out))
        if limit.when.holds(unit):
            yield unit


def looser_limits(rules: RuleSet, parent: RuleSet | None) -> list[Looser]:
    """Each limit that is not its parent's, beside every published rule that it is looser than, the parent's first."""
    others = [one for one in (parent, *rulebook.rule_sets()) if one is not None]
    found: dict[tuple[str, str, str], Looser] = {}
    for limit in rules.limits:
        if parent is not None and limit in parent.limits:
            continue
        for unit in cases(limit):
            if rules.limit_for(limit.stage, unit) is not limit:
                continue
            for published in _published(others, limit.stage, unit):
                if is_looser(limit, published, unit, rulebook.judging().default_cut_out_psi):
                    source = published.source
                    looser = Looser(limit, source, bool(limit.reason.strip()))
                    found.setdefault((limit.key, source.document, source.clause), looser)
    return list(found.values())


def _published(others: Iterable[RuleSet], stage: str, unit: Unit) -> Iterator[Limit]:
    for rules in others:
        limit = rules.limit_for(stage, unit)
        if limit is not None and limit.source.standing in _PUBLISHED:
            yield limit


def check_reasons(rules: RuleSet, parent: RuleSet | None) -> None:
    """Raises RuleError where a limit is looser than a published rule and nobody says why."""
    for one in looser_limits(rules, parent):
        if not one.reason:
            law = f"{one.source.document} {one.source.clause}".strip()
            known = ", from memory" if one.source.standing == "from_memory" else ""
            raise RuleError(
                f"limit {one.limit.key!r}.reason",
                f"is missing: it is looser than {law}{known}; give the fleet's reason",
            )

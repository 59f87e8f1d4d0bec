"""What was measured before, under a limit that is being moved: which of it would pass and which would not."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from lowhiss import rulebook
from lowhiss.core.judge.common import compare
from lowhiss.core.rules import Limit, apply_bounds
from lowhiss.core.units import round_tenth
from lowhiss.core.vehicle import Unit


@dataclass(frozen=True, slots=True)
class Weighed:
    """A value, how many runs read it, and whether it was and would be within; None without a limit."""

    value: float
    runs: int
    was: bool | None
    now: bool | None


def weigh(values: Iterable[tuple[float, int]], was: Limit | None, now: Limit | None, unit: Unit) -> list[Weighed]:
    """Each value against both limits, bounds on the cut-out at the unit's own or the usual one.

    >>> from lowhiss import rulebook
    >>> old = rulebook.rule_set("us-cdl").limit_for("leak_applied", Unit("tractor_semitrailer"))
    >>> [one.was for one in weigh([(4.0, 1), (4.1, 1)], old, None, Unit("tractor_semitrailer"))]
    [True, False]
    """
    return [
        Weighed(value, runs, _within(value, was, unit), _within(value, now, unit)) for value, runs in sorted(values)
    ]


def _within(value: float, limit: Limit | None, unit: Unit) -> bool | None:
    if limit is None:
        return None
    cut_out_psi = unit.governor.cut_out_psi or rulebook.judging().default_cut_out_psi
    bounds = apply_bounds(limit, unit, cut_out_psi, cut_out_psi)
    return compare(value if limit.unit == "s" else round_tenth(value), bounds).within if bounds else None

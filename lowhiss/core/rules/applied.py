"""A limit's bounds worked out for one unit, as far as they hang on nothing that is still to be read."""

from __future__ import annotations

from typing import NamedTuple

from lowhiss.core.rules.model import Bound, Comparator, Limit
from lowhiss.core.vehicle import Unit


class AppliedBound(NamedTuple):
    """A bound with its figure worked out. ``relative``: it hangs on another reading of the same run."""

    comparator: Comparator
    value: float
    relative: bool

    @property
    def floor(self) -> bool:
        """Whether readings must lie above it, rather than below."""
        return self.comparator in ("at_least", "above")


def apply_bounds(
    limit: Limit, unit: Unit, cut_out_psi: float | None = None, latest_psi: float | None = None
) -> tuple[AppliedBound, ...]:
    """The limit's bounds for this unit.

    cut_out_psi : what "the cut-out" is for a share of it; while it is None the share caps nothing.
    latest_psi : the reading that relative bounds hang on; while it is None they are left out.
    """
    applied = []
    for bound in limit.bounds:
        value = _bound_value(bound, unit, cut_out_psi, latest_psi)
        if value is not None:
            applied.append(AppliedBound(bound.comparator, value, bound.of == "cut_out_read"))
    return tuple(applied)


def _bound_value(bound: Bound, unit: Unit, cut_out_psi: float | None, latest_psi: float | None) -> float | None:
    value = bound.value
    if bound.of is not None:
        base = unit.governor.cut_out_psi if bound.of == "maker_cut_out" else latest_psi
        if base is None:
            return None
        value += base
    if bound.times_reservoir_ratio:
        value *= unit.reservoir_ratio
    if bound.cap_share_of_cut_out is not None and cut_out_psi is not None:
        value = min(value, bound.cap_share_of_cut_out * cut_out_psi)
    return value

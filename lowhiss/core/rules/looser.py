"""Whether one limit lets a reading pass that another does not."""

from __future__ import annotations

from typing import NamedTuple

from lowhiss.core.rules.applied import AppliedBound, apply_bounds
from lowhiss.core.rules.model import Limit
from lowhiss.core.vehicle import Unit

_SAME = 1e-9


class _Ends(NamedTuple):
    floor: AppliedBound | None
    ceiling: AppliedBound | None


def is_looser(limit: Limit, other: Limit, unit: Unit, default_cut_out_psi: float) -> bool:
    """Whether a reading on this unit can pass ``limit`` and not ``other``. A loss is compared by the minute.

    default_cut_out_psi : the cut-out that relative bounds refer to where the maker's is not known [psi].
    Climbs over other windows can't be compared: then it says False.
    """
    if limit.window_psi != other.window_psi:
        return False
    scale = (other.hold_s or 1.0) / (limit.hold_s or 1.0)
    own, law = _ends(limit, unit, default_cut_out_psi), _ends(other, unit, default_cut_out_psi)
    if law.floor is not None and (own.floor is None or _below(own.floor, law.floor)):
        return True
    if law.ceiling is None:
        return False
    if own.ceiling is None:
        return True
    more = own.ceiling.value * scale - law.ceiling.value
    equal_but_open = own.ceiling.comparator == "at_most" and law.ceiling.comparator == "below"
    return more > _SAME or (abs(more) <= _SAME and equal_but_open)


def accepts_no_more(limit: Limit | None, own: Limit | None, unit: Unit, default_cut_out_psi: float) -> bool:
    """Whether all that ``limit`` accepts on this unit is accepted by ``own`` too, over the same time at least.

    No limit is never stricter than one. A climb over another window can't be compared, so it is not.
    """
    if own is None:
        return True
    if limit is None or limit.window_psi != own.window_psi:
        return False
    if (limit.hold_s or 0.0) < (own.hold_s or 0.0):
        return False
    return not is_looser(limit, own, unit, default_cut_out_psi)


def _ends(limit: Limit, unit: Unit, default_cut_out_psi: float) -> _Ends:
    """What a reading meets first on either side."""
    cut_out_psi = unit.governor.cut_out_psi or default_cut_out_psi
    bounds = apply_bounds(limit, unit, cut_out_psi, cut_out_psi)
    floors = [bound for bound in bounds if bound.floor]
    ceilings = [bound for bound in bounds if not bound.floor]
    return _Ends(
        max(floors, key=lambda bound: (bound.value, bound.comparator == "above"), default=None),
        min(ceilings, key=lambda bound: (bound.value, bound.comparator != "below"), default=None),
    )


def _below(own: AppliedBound, law: AppliedBound) -> bool:
    less = law.value - own.value
    return less > _SAME or (abs(less) <= _SAME and own.comparator == "at_least" and law.comparator == "above")

"""What may be looked at from the seat while the air builds, so that the blast is never missed."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal, NamedTuple

from lowhiss.core.inspections.model import Fill, Filling


class FillMoment(NamedTuple):
    """A moment of a fill.

    fill : the first of the day, or a refill.  since_s : since the engine began to fill.  timed : a build-up is being
    timed.  to_blast_s : until the governor should cut out, None while nothing tells.  below_psi : under the cut-out.
    """

    fill: Literal["first", "refill"]
    since_s: float
    timed: bool = False
    to_blast_s: float | None = None
    below_psi: float | None = None


class Open(NamedTuple):
    """Something that is still to be looked at: its name, whether it may be done in a fill, how long it takes [s]."""

    name: str
    fill: Fill
    seconds: float


def listening(filling: Filling, moment: FillMoment) -> bool:
    """Whether the blast is so near that nothing is offered any more and the fan is to be off."""
    near = moment.to_blast_s is not None and moment.to_blast_s <= filling.quiet_s
    return near or (moment.below_psi is not None and moment.below_psi <= filling.quiet_psi)


def offered(filling: Filling, moment: FillMoment, left: Iterable[Open]) -> str | None:
    """What to look at next, of what is left in its order; None: eyes on the needles.

    Nothing in a timed build-up: whoever drives keeps the time.
    """
    if moment.timed or listening(filling, moment):
        return None
    longest = float("inf")
    if moment.to_blast_s is not None:
        longest = moment.to_blast_s - filling.quiet_s
    else:
        first = moment.fill == "first"
        if moment.since_s >= (filling.short_after_first_s if first else filling.short_after_refill_s):
            longest = filling.short_s
    fits = (one.name for one in left if one.fill in ("any", "noisy") and one.seconds <= longest)
    return next(fits, None)

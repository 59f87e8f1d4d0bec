"""Papers of a unit, a trailer or a person: how each stands on a day."""

from __future__ import annotations

import datetime as dt
from typing import Literal, get_args

from lowhiss.core.inspections.model import Paper

PaperStatus = Literal["expired", "soon", "unknown", "good"]
"""The worst first. ``unknown``: a paper with a date, of which nobody has said until when."""
PAPER_STATUSES: tuple[PaperStatus, ...] = get_args(PaperStatus)


def paper_status(paper: Paper, until: dt.date | None, today: dt.date, warn_days: int) -> PaperStatus:
    """How a paper stands: good through its last day, and *soon* from so many days before."""
    if until is None:
        return "unknown" if paper.dated else "good"
    if until < today:
        return "expired"
    return "soon" if (until - today).days <= warn_days else "good"

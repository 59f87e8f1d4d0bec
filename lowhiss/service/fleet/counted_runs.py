"""Which runs count for their vehicle."""

from __future__ import annotations

import datetime as dt

from lowhiss.core.record import COUNTING_PURPOSES
from lowhiss.store.run_models import RunRow

OFFLINE_FOR = dt.timedelta(days=14)
"""So long a device may be without contact: what comes later is taken too, but marked, and improves nothing."""


def begun_doubtfully(run: RunRow) -> bool:
    """Whether a run is said to have begun longer ago than any device is promised to be without contact."""
    return is_doubtful(run.started_at, run.received_at)


def is_doubtful(started_at: dt.datetime, received_at: dt.datetime | None) -> bool:
    """Whether a run is doubtful by two times: when it is said to have begun, and when the server first heard of it."""
    return received_at is not None and received_at - started_at > OFFLINE_FOR


def is_reported(run: RunRow) -> bool:
    """Whether a run comes from elsewhere and nobody has decided yet whether it counts."""
    return run.imported is not None and run.decision is None


def is_dismissed(run: RunRow) -> bool:
    """Whether a manager decided that a run from elsewhere does not count."""
    return run.decision is not None and not run.decision["accept"]


def counts(run: RunRow) -> bool:
    """Whether what passed in a run counts for its vehicle; what failed counts, though it was never finished."""
    finished = run.purpose in COUNTING_PURPOSES and run.ended_by == "finished" and not begun_doubtfully(run)
    return finished and not is_reported(run) and not is_dismissed(run)

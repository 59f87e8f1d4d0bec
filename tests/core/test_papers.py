"""How a paper stands on a day."""

from __future__ import annotations

import datetime as dt

import pytest

from lowhiss import rulebook
from lowhiss.core.inspections.book_reader import REGIONS
from lowhiss.core.inspections.papers import paper_status

BOOK = rulebook.inspections()
TODAY = dt.date(2026, 11, 27)


@pytest.mark.parametrize(
    ("days", "status"), [(-1, "expired"), (0, "soon"), (30, "soon"), (31, "good"), (None, "unknown")]
)
def test_a_dated_paper_is_good_through_its_last_day_and_warned_of_thirty_days_before(days, status):
    until = TODAY + dt.timedelta(days) if days is not None else None
    assert paper_status(BOOK.papers["p_registration"], until, TODAY, BOOK.warn_days) == status


def test_a_paper_without_a_date_has_only_to_be_there():
    assert paper_status(BOOK.papers["p_plate"], None, TODAY, BOOK.warn_days) == "good"


def test_every_paper_is_somebodys_somewhere_and_says_what_follows_without_it():
    for paper in BOOK.papers.values():
        assert set(paper.regions) <= set(REGIONS)
        assert paper.regions
        assert paper.source
        assert paper.otherwise in ("stay", "finish", "note")
    # 24 months at most for a medical certificate: 49 CFR 391.45; 12 for an inspection: 49 CFR 396.17 (from memory)
    assert (BOOK.papers["p_medical"].months, BOOK.papers["p_inspection"].months) == (24, 12)

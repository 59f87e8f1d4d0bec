"""What every API test leaves behind for the next: no wrong tries of its own."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from sqlalchemy import delete

from lowhiss.store.engine import Store
from lowhiss.store.people_models import FailureRow


@pytest.fixture(autouse=True)
def forgiven(store: Store) -> Iterator[None]:
    """All tests of a process come from one address: the wrong tries of one must not lock out the next."""
    yield
    with store.transaction() as session:
        session.execute(delete(FailureRow))

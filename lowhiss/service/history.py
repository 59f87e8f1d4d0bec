"""The history of units, trailers and people: one row for each change, never altered."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy.orm import Session

from lowhiss.service.errors import ConflictError
from lowhiss.store.installation_models import ChangeRow


def note_change(session: Session, subject: str, subject_id: str, by_name: str, what: dict[str, Any]) -> None:
    """Keep a change, unless nothing changed."""
    if what:
        row = ChangeRow(subject=subject, subject_id=subject_id, at=dt.datetime.now(dt.UTC), by_name=by_name, what=what)
        session.add(row)


def differences(before: dict[str, Any], after: dict[str, Any]) -> dict[str, Any]:
    """Each field that differs, with its value before and after."""
    keys = before.keys() | after.keys()
    return {key: [before.get(key), after.get(key)] for key in sorted(keys) if before.get(key) != after.get(key)}


def check_version(kept: int, seen: int) -> None:
    """Raises ConflictError when somebody else changed the thing since it was read."""
    if kept != seen:
        raise ConflictError(
            "changed_meanwhile", "Somebody else has just changed this. Review it before you save.", "version"
        )

"""A practice that is over is driven again from its log before it counts: nobody's progress hangs on what a device told.

Whoever sends a record could write *passed* into it. The server builds the same vehicle, moves the same controls at the
same ticks, judges the same marks, and keeps what it found itself.
"""

from __future__ import annotations

import json
import logging
from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import select

from lowhiss import rulebook
from lowhiss.core.airsystem import FROM_OUTSIDE
from lowhiss.core.practice import Lesson, PracticeError
from lowhiss.engine.debrief import debrief
from lowhiss.engine.practice import read_choice, replay
from lowhiss.service.learning.lessons import lessons_of
from lowhiss.service.practice.practices import summary_of
from lowhiss.store.engine import Store
from lowhiss.store.learning_models import ClassMemberRow
from lowhiss.store.practice_models import PracticeRow, PracticeTrainerRow

LONGEST_TICKS = 100 * 60 * 60
"""Of a longer practice nothing is driven again, and it does not count: an hour is twice what any lesson takes."""
_MOST_AT_ONCE = 20
_FREE = frozenset({"seed", "salt", "repeat", "lesson", "resolution_psi"})
"""What a device chooses in a lesson's drive; all else is the lesson's. A gauge may be read finer, not coarser."""
_AGREED = frozenset({"procedure"})
"""What candidate and examiner may agree on before an examination."""

log = logging.getLogger(__name__)


def waiting(store: Store, people: Sequence[str], class_id: str | None = None) -> list[tuple[str, str]]:
    """Practices that are over and were not driven again yet, of these people and of a class: id and whose they are."""
    members = select(ClassMemberRow.person_id).where(ClassMemberRow.class_id == class_id)
    with store.transaction() as session:
        whose = [*people, *(session.scalars(members) if class_id is not None else ())]
        over = PracticeRow.ended, PracticeRow.driven_again.is_(None), PracticeRow.person_id.in_(whose)
        found = select(PracticeRow.id, PracticeRow.person_id).where(*over).limit(_MOST_AT_ONCE)
        return [(row.id, row.person_id) for row in session.execute(found)]


def drive_again(store: Store, practice_id: str) -> bool:
    """Drive a practice's log again and keep what was found; whether it counts.

    One that cannot be driven again stays as it was sent, for whoever drove it to look at, and counts for nothing.
    """
    with store.transaction() as session:
        row = session.get(PracticeRow, practice_id)
        if row is None or not row.ended or row.driven_again is not None:
            return bool(row and row.driven_again)
        record = row.record
        trained = select(PracticeTrainerRow.person_id).where(PracticeTrainerRow.practice_id == practice_id).limit(1)
        has_trainer = session.scalar(trained) is not None
        lessons = lessons_of(session)
    after: dict[str, Any] | None = None
    try:
        _check(record, lessons, has_trainer=has_trainer)
        after = _found_again(record)
    except Exception as broken:  # whatever a record of somebody's making may do, it counts for nothing then
        log.warning("practice %s does not count: %s: %s", practice_id, type(broken).__name__, str(broken)[:200])
    return settle(store, practice_id, after)


def settle(store: Store, practice_id: str, after: dict[str, Any] | None) -> bool:
    """Keep what was found when a practice was driven again; None where it could not be. Whether it counts."""
    with store.transaction() as session:
        row = session.get(PracticeRow, practice_id, with_for_update=True)
        if row is None or row.driven_again is not None:
            return bool(row and row.driven_again)
        row.driven_again = after is not None
        if after is not None:
            row.after, row.summary = after, summary_of(after)
            row.outcome = str(after["outcome"])[:20] or None
            row.faulty = bool(after["faults"])
        return row.driven_again


def _check(record: Mapping[str, Any], lessons: Mapping[str, Lesson], *, has_trainer: bool) -> None:
    """Raises PracticeError for a record that may not count, whatever comes of driving it."""
    if record["ticks"] > LONGEST_TICKS:
        raise PracticeError("ticks", "are longer than an hour")
    if not has_trainer and any(one[1] in FROM_OUTSIDE for one in record["controls"]):
        raise PracticeError("controls", "were changed from outside although no trainer had joined")
    if record["choice"].get("lesson"):
        _check_lesson(record["choice"], lessons)


def _check_lesson(choice: Mapping[str, Any], lessons: Mapping[str, Lesson]) -> None:
    """Raises PracticeError for a drive that is not the one of the lesson that it names."""
    named = choice["lesson"]
    lesson = lessons.get(named["id"])
    if lesson is None:
        raise PracticeError("lesson.id", "doesn't exist any more")
    if named.get("table") is not None and dict(lesson.table) != named["table"]:
        raise PracticeError("lesson.table", "isn't the saved one")
    has = read_choice(choice)
    free = _FREE | (_AGREED if has["mode"] == "exam" and isinstance(has["procedure"], str) else frozenset())
    for again in (False, True):
        wanted = read_choice(lesson.choice(named["drive"], again))
        same = all(has[name] == value for name, value in wanted.items() if name not in free)
        if same and has["resolution_psi"] <= wanted["resolution_psi"]:
            return
    raise PracticeError("choice", "has a different vehicle, rule set or test order than its lesson")


def _found_again(record: Mapping[str, Any]) -> dict[str, Any]:
    """What was true and what it is worth, driven again. Raises CoreError."""
    drive = replay({**record, "choice": {**record["choice"], "repeat": 1}})
    if drive.digest() != record.get("digest") and record.get("core") != rulebook.version():
        raise PracticeError("core", "comes from another release, and this one can't repeat it exactly")
    found: dict[str, Any] = json.loads(json.dumps(debrief(drive, record.get("marks"))))  # type: ignore[arg-type]
    return found

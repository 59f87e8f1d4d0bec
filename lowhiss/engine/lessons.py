"""The lessons as a screen shows them, and what is said around a practice: in a reader's language."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from lowhiss import rulebook
from lowhiss.core.errors import CoreError
from lowhiss.core.fields import Language
from lowhiss.core.practice import Lesson, PracticeError, read_lesson
from lowhiss.engine.practice import Drive


def lesson_table(lesson: Lesson, language: Language) -> dict[str, Any]:
    """One lesson in words: what it is about, what it asks, which mistakes it is there to cure."""
    mistakes = rulebook.scoring().mistakes
    return {
        "id": lesson.id,
        "number": lesson.number,
        "after": lesson.after,
        "mode": lesson.mode,
        "minutes": lesson.minutes,
        "rules": lesson.rules,
        "title": lesson.title[language],
        "goal": lesson.goal[language],
        "kind": lesson.drives[0].kind,
        "gearbox": lesson.gearbox,
        "pressure": lesson.pressure,
        "show": list(lesson.show),
        "hide": list(lesson.hide),
        "drives": [{"kind": one.kind, "mode": one.mode} for one in lesson.drives],
        "mistakes": [
            {"code": code, "title": mistakes[code].title[language], "advice": mistakes[code].advice[language]}
            for code in lesson.mistakes
        ],
        "table": dict(lesson.table),
    }


def lesson_list(language: Language, own: Sequence[Mapping[str, Any]] = ()) -> list[dict[str, Any]]:
    """The ladder: every built-in lesson in its order, then a fleet's own."""
    return [lesson_table(lesson, language) for lesson in (*rulebook.lessons().values(), *readable(own))]


def readable(own: Iterable[Mapping[str, Any]]) -> list[Lesson]:
    """A fleet's own lessons, but for those that name what this release no longer has: the others stand all the same."""
    found = []
    for table in own:
        try:
            found.append(read_lesson(table, rulebook.lesson_names()))
        except CoreError:
            continue
    return found


def read_own(table: object) -> Lesson:
    """A fleet's own lesson, each of its drives set up once to see that it can be driven. Raises CoreError."""
    lesson = read_lesson(table, rulebook.lesson_names())
    built_in = rulebook.lessons()
    if lesson.id in built_in:
        raise PracticeError("lesson.id", f"is {lesson.id!r}, which is built in: choose another id")
    for n in range(len(lesson.drives)):
        choice = lesson.choice(n)
        try:
            Drive({**choice, "lesson": {**choice["lesson"], "table": lesson.table}})
        except CoreError as broken:
            raise PracticeError(f"drives[{n}].{broken.field}", broken.problem) from broken
    return lesson


def lesson_texts(language: Language) -> dict[str, Any]:
    """The examiner's lines, the closing sentences, and the sheet of a diagnosis with its answers."""
    scoring = rulebook.scoring()
    parts = rulebook.bench()["parts"]
    return {
        "examiner": {key: text[language] for key, text in scoring.tables["examiner"].items()},
        "closing": {key: text[language] for key, text in scoring.tables["closing"].items()},
        "sheet": [
            {
                "part": part,
                "title": row["title"][language],
                "options": [{"id": name, "title": text[language]} for name, text in row["options"].items()],
            }
            for part, row in parts.items()
        ],
    }

"""The lessons as a screen shows them, and what is said around a practice: in a reader's language."""

from __future__ import annotations

from typing import Any

from lowhiss import rulebook
from lowhiss.core.fields import Language
from lowhiss.core.practice import Lesson


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
    }


def lesson_list(language: Language) -> list[dict[str, Any]]:
    """The ladder: every built-in lesson in its order."""
    return [lesson_table(lesson, language) for lesson in rulebook.lessons().values()]


def said_around(language: Language) -> dict[str, Any]:
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

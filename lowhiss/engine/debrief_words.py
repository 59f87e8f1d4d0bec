"""A debrief told in a reader's language and unit."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from lowhiss import rulebook
from lowhiss.core.fields import Language
from lowhiss.core.practice import Scoring
from lowhiss.core.record import read_run
from lowhiss.core.words import Words, verdict_record
from lowhiss.engine.judge_record import judge_record
from lowhiss.engine.practice import fault_in_words, lesson_of, verdict_text


def debrief_text(after: Mapping[str, Any], words: Words) -> dict[str, Any]:
    """What ``debrief`` found, in a reader's language and unit. Raises CoreError for one that cannot be read."""
    found: dict[str, Any] = verdict_text(after, words)
    if after.get("debrief"):
        found["debrief"] = debrief_in_words(after["debrief"], words)
    return found


def debrief_in_words(table: Mapping[str, Any], words: Words) -> dict[str, Any]:
    """A debrief in a reader's language and unit: findings with advice, squares, road, criteria. Raises CoreError."""
    scoring, language = rulebook.scoring(), words.language
    reference = verdict_record(judge_record(read_run(table["reference"])), words)
    lines = {one["stage"]: one["arithmetic"] for one in reference["stages"] if one["stands"]}

    def mistake(code: str) -> dict[str, Any]:
        row = scoring.mistakes[code]
        return {
            "title": row.title[language],
            "advice": row.advice[language],
            "group": row.group,
            "critical": row.critical,
        }

    lesson = table["next"] and table["next"]["lesson"]
    score_parts = [
        {
            **part,
            "title": scoring.words("group_titles", part["group"], language),
            "costs": [
                {"text": _cost(code, scoring, language), "points": points}
                for code, points in part["costs"].items()
                if points
            ],
        }
        for part in table["score"]["parts"]
    ]
    overall = table["overall"]
    vehicle = scoring.words("headline", overall["true"] or "good", language)
    bad = [stage for stage, one in table["squares"].items() if one["true"] == "bad"]
    because = f": {words.stage(bad[0])}, {_in_short(lines[bad[0]], words)}" if bad and lines.get(bad[0]) else ""
    said = scoring.words("headline", f"said_{overall['said']}" if overall["said"] else "unsaid", language)
    told = table["score"]["critical"] or (table["summary"]["whole"] and table["mode"] in ("memory", "exam"))
    band = scoring.words("headline", table["score"]["band"], language) if told else ""
    return {
        **{key: value for key, value in table.items() if key != "reference"},
        "headline": f"{vehicle}{because}. {said} {band}".strip(),
        "findings": [{**one, **mistake(one["code"])} for one in table["findings"]],
        "squares": {
            stage: {
                "title": words.stage(stage),
                **one,
                "text": scoring.words("squares", one["square"], language),
                "truth": lines.get(stage),
            }
            for stage, one in table["squares"].items()
        },
        "score": {**table["score"], "parts": score_parts},
        "sheet": table["sheet"] and _answers_in_words(table["sheet"], language),
        "next_drive": _next_drive(table),
        "road": [scoring.words("road", key, language) for key in table["road"]],
        "unseen": [fault_in_words(fault, language) for fault in table["unseen"]],
        "criteria": [{**one, "text": _criterion(one, words, scoring)} for one in table["criteria"]],
        "next": table["next"]
        and {
            **table["next"],
            **mistake(table["next"]["code"]),
            "lesson_title": rulebook.lessons()[lesson].title[language] if lesson else None,
        },
    }


def _criterion(one: Mapping[str, Any], words: Words, scoring: Scoring) -> str:
    params = dict(one["params"])
    named: dict[str, str] = {
        key: f"{value:g}" if isinstance(value, float) else str(value) for key, value in params.items()
    }
    if "stage" in params:
        named["stage"] = words.stage(params["stage"])
    if "most_psi" in params:
        named["most"] = words.figures.pressure(params["most_psi"])
    if "mistake" in params:
        named["mistake"] = scoring.mistakes[params["mistake"]].title[words.language]
    if "group" in params:
        named["group"] = scoring.words("group_titles", params["group"], words.language)
    return scoring.words("criteria", one["name"], words.language).format_map(named)


def _in_short(line: str, words: Words) -> str:
    """Of an arithmetic line what was read and the limit."""
    limit = words.book.ARITHMETIC["limit"].partition("{")[0]
    read, *rest = line.split(", ")
    return ", ".join([read, *(part for part in rest if part.startswith(limit))])


def _cost(code: str, scoring: Scoring, language: Language) -> str:
    """What cost points: a mistake, help that was taken, or time and air."""
    row = scoring.mistakes.get(code)
    return row.title[language] if row is not None else scoring.words("costs", code, language)


def _answers_in_words(sheet: Mapping[str, Any], language: Language) -> dict[str, Any]:
    parts = rulebook.bench()["parts"]

    def word(part: str, answer: object) -> str:
        option = parts[part]["options"].get(str(answer))
        return option[language] if option else ""

    rows = [
        {
            "part": part,
            "title": parts[part]["title"][language],
            "given": word(part, sheet["given"].get(part)),
            "answers": " / ".join(
                dict.fromkeys(word(part, answer) for one in sheet["answers"] for answer in one[part])
            ),
            "right": right,
        }
        for part, right in sheet["parts"].items()
    ]
    return {"right": sheet["right"], "parts": rows}


def _next_drive(table: Mapping[str, Any]) -> dict[str, Any] | None:
    """The drive to go on with: the same until it is passed, then the next of its lesson, then the next lesson's."""
    named = table["lesson"]
    if named is None:
        return None
    drives = len(lesson_of(named).drives)
    lesson = {key: named[key] for key in ("id", "table") if key in named}
    if not table["passed"]:
        return {"lesson": lesson, "drive": named["drive"]}
    if named["drive"] + 1 < drives:
        return {"lesson": lesson, "drive": named["drive"] + 1}
    later = next((one.id for one in rulebook.lessons().values() if one.after == named["id"]), None)
    return None if later is None else {"lesson": {"id": later}, "drive": 0}

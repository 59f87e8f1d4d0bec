"""A report, or a list of the log, as a paper."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from typing import Any

from lowhiss.core.run import withdrawn_ids
from lowhiss.core.stages import STAGES
from lowhiss.core.units import PRESSURE_UNITS, from_psi
from lowhiss.core.words import Words
from lowhiss.exchange.papers import Paper, Size, Table, pdf_of
from lowhiss.service.errors import RefusedError
from lowhiss.service.runs import lifecycle
from lowhiss.service.runs.log import LogLine
from lowhiss.service.seals import signing
from lowhiss.store.engine import Store

MOST_LINES = 2_000
MOST_MARKS = 500
"""So many marks stand on a paper; the record has all of them."""
_SETS = ("valued", "withdrawn", "shown")
"""Marks that say something of another one; they stand with it."""


def report_pdf(store: Store, run_id: str, words: Words, size: Size, check_at: str) -> bytes:
    """A run's report as PDF, with its signatures and a code to check its seal by. Raises NotFoundError.

    check_at : the address at which a seal is checked, up to its hash.
    """
    report = lifecycle.report(store, run_id, words)
    seals, signed, _ = signing.seals_of(store, run_id)
    book, head, verdict = words.book.PAPER, report.head, report.verdict
    title = head.rules_title[words.language]
    facts = {
        book["outcome"]: _came_out(report.outcome, words),
        book["started"]: _moment(head.started_at),
        book["driver"]: head.driver or "–",
        book["trailers"]: ", ".join(head.unit.trailers) or "–",
        book["judged_by"]: title,
        book["run"]: head.id,
    }
    if head.origin:
        facts[book["origin"]] = head.origin
    if head.recording is not None:
        facts[book["recording"]] = f"{head.recording.get('file', '')} {head.recording['sha256'][:16]}"
    last = seals[-1] if seals else None
    seal = None
    if last is not None:
        said = book["sealed"].format(place=last.place, when=_moment(last.sealed_at), hash=last.sha256, key=last.key)
        seal = f"{said} {book['check']}", f"{check_at}{last.sha256}"
    tables = [_stages(verdict, words), _marks(report.events, words)]
    if signed:
        people = [
            [
                one.name,
                book["driver_part" if one.part == "driver" else one.part],
                _moment(one.signed_at),
                book[f"by_{one.how}"],
            ]
            for one in signed
        ]
        tables.append(Table(book["signatures"], ["", "", "", ""], people))
    return pdf_of(
        Paper(
            language=words.language,
            title=head.unit.name,
            warning=words.book.SHEET["fail"] if report.outcome == "fail" else "",
            facts=facts,
            tables=tables,
            notes=[words.book.SHEET["caution"]] if seal else [book["unsigned"], words.book.SHEET["caution"]],
            foot=f"Low Hiss · {head.unit.name} · {_moment(head.started_at)} · {head.id[:8]}",
            seal=seal,
        ),
        size,
    )


def _stages(verdict: dict[str, Any], words: Words) -> Table:
    book = words.book.PAPER
    rows = []
    for stage in verdict["stages"]:
        limit = stage["limit"]
        lines = [stage["arithmetic"], *(finding["text"] for finding in stage["findings"])]
        attempt = f" ({words.book.SHEET['attempt'].format(number=stage['attempt'])})" if stage["attempt"] > 1 else ""
        outcome = words.outcome(stage["outcome"])
        close = f", {words.book.SHEET['close_call']}" if stage["close_call"] else ""
        said = f"{limit['words']} {limit['source']}." if limit else ""
        rows.append(
            [f"{words.stage(stage['stage'])}{attempt}", f"{outcome}{close}", "\n".join(filter(None, lines)), said]
        )
    return Table(book["stages"], [book["stage"], book["outcome"], book["sum"], book["limit"]], rows)


def _marks(events: list[dict[str, Any]], words: Words) -> Table:
    book, marks = words.book.PAPER, words.book.MARKS
    numbers = {event["event"]: event for event in events if event["type"] == "valued"}
    gone = withdrawn_ids([(one.get("id"), one["event"]) for one in events if one["type"] == "withdrawn"])
    rows = []
    for event in events:
        if event["type"] in _SETS:
            continue
        stage = words.stage(event["stage"]) if event.get("stage") in STAGES else ""
        text = str(event.get("text") or event.get("why") or "")
        later = [marks["withdrawn"]] if event.get("id") in gone else []
        later += [book["after_end"]] if event.get("after_end") else []
        what = ", ".join(filter(None, (stage, text, *later)))
        read = _numbers(numbers.get(event.get("id"), event))
        rows.append([_clock(event["at_s"]), words.mark(event), what, read, str(event.get("by", ""))])
    if len(rows) > MOST_MARKS:
        left = len(rows) - MOST_MARKS
        rows = [*rows[:MOST_MARKS], ["", book["more_marks"].format(count=left), "", "", ""]]
    return Table(book["marks"], [book["at"], book["mark"], "", book["read"], book["by"]], rows, frozenset({3}))


def _numbers(event: dict[str, Any]) -> str:
    """The needles as they were entered, in the unit they were entered in."""
    for unit in PRESSURE_UNITS:
        read = [event.get(f"{needle}_{unit}") for needle in ("primary", "secondary")]
        if any(value is not None for value in read):
            return f"{' · '.join(f'{value:g}' for value in read if value is not None)} {unit}"
    return ""


def check_length(tests: int) -> None:
    """Raises RefusedError where a list of so many tests is no paper."""
    if tests > MOST_LINES:
        sentence = f"since: a PDF holds up to {MOST_LINES} tests. Choose fewer days, or export a table."
        raise RefusedError("paper_long", sentence, "since")


def list_paper(lines: Sequence[LogLine], words: Words, title: str) -> Paper:
    """A list of the log as it is printed: a day, a unit's year, a fleet's month."""
    book = words.book.PAPER
    counted: dict[str, int] = {}
    for line in lines:
        counted[line.outcome] = counted.get(line.outcome, 0) + 1
    facts = {book["tests"]: str(len(lines)), **{_came_out(out, words): str(n) for out, n in sorted(counted.items())}}
    head = [book["started"], book["unit"], book["driver"], book["outcome"], f"{book['lost']} ({words.unit})"]
    rows = [[*_of(one), _came_out(one.outcome, words), _lost(one, words)] for one in lines]
    return Paper(
        language=words.language,
        title=title,
        warning="",
        facts=facts,
        tables=[Table("", head, rows, frozenset({4}))],
        notes=[words.book.SHEET["caution"]],
        foot=f"Low Hiss · {title}",
    )


def _came_out(outcome: str, words: Words) -> str:
    """The word for how a run came out: of a whole test, or of one that stands void."""
    outcomes: dict[str, str] = words.book.OUTCOMES
    return outcomes.get(outcome) or str(words.book.SHEET[outcome])


def _of(line: LogLine) -> tuple[str, str, str]:
    return _moment(line.head.started_at), line.head.unit.name, line.head.driver or "–"


def _lost(line: LogLine, words: Words) -> str:
    drop = line.figures["stages"].get("leak_applied", {}).get("drop_psi")
    return "–" if drop is None else f"{from_psi(drop, words.unit):.{2 if words.unit == 'bar' else 1}f}"


def _moment(at: dt.datetime) -> str:
    return at.astimezone(dt.UTC).strftime("%Y-%m-%d %H:%M UTC")


def _clock(at_s: float) -> str:
    return f"{int(at_s // 60)}:{at_s % 60:04.1f}"

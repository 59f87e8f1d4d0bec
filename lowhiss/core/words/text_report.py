"""A verdict as a report of plain text that a person can read and print."""

from __future__ import annotations

import textwrap
from collections.abc import Iterable, Iterator, Sequence

from lowhiss.core.diagnosis import Hint
from lowhiss.core.judge.model import Finding, RunVerdict, StageVerdict
from lowhiss.core.words.render import Words

WIDTH = 96


def text_report(verdict: RunVerdict, words: Words, hints: Sequence[Hint] = ()) -> str:
    """The whole report; a fail says *do not drive* before it says anything else."""
    return "\n".join(_lines(verdict, words, hints)) + "\n"


def _lines(verdict: RunVerdict, words: Words, hints: Sequence[Hint]) -> Iterator[str]:
    book = words.book.SHEET
    unit = verdict.state.run.unit
    yield f"{book[verdict.overall]}   {unit.name}".rstrip()
    yield f"{book['judged_by']} {verdict.rules.title[words.language]}"
    yield book["limited"].format(limited=verdict.limited, required=verdict.required)
    for stage in verdict.stages:
        yield ""
        yield from _stage(stage, words)
    said = {id(finding) for stage in verdict.stages for finding in stage.findings}
    coach = [finding for finding in verdict.coach if id(finding) not in said]
    if coach:
        yield ""
        yield book["coach"]
        yield from _wrapped(_coach(finding, verdict, words) for finding in coach)
    if hints:
        yield ""
        yield book["hints"]
        yield from _wrapped(words.hint(hint) for hint in hints)
    yield ""
    yield from textwrap.wrap(book["caution"], WIDTH)


def _stage(stage: StageVerdict, words: Words) -> Iterator[str]:
    book = words.book.SHEET
    outcome = words.outcome(stage.outcome)
    if stage.close_call:
        outcome += f", {book['close_call']}"
    attempt = f" ({book['attempt'].format(number=stage.attempt)})" if stage.attempt > 1 else ""
    yield f"{words.stage(stage.stage)}{attempt}: {outcome}"
    if arithmetic := words.arithmetic(stage):
        yield f"  {arithmetic}"
    if stage.limit is not None:
        text = words.limit(stage.limit, stage.bounds)
        yield f"  {book['limit'].format(text=text, source=words.source(stage.limit.source))}"
    yield from _wrapped(words.finding(finding, stage.limit) for finding in stage.findings)


def _coach(finding: Finding, verdict: RunVerdict, words: Words) -> str:
    stage = f"{words.stage(finding.stage)}: " if finding.stage else ""
    grade = f" ({words.book.SHEET['critical']})" if finding.code in verdict.critical else ""
    return f"{stage}{words.finding(finding)}{grade}"


def _wrapped(sentences: Iterable[str]) -> Iterator[str]:
    for sentence in sentences:
        yield from textwrap.wrap(sentence, WIDTH, initial_indent="  - ", subsequent_indent="    ")

"""The sums of the trade over HTTP: what there is, and each worked out."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Path
from pydantic import BaseModel, Field

from lowhiss import rulebook
from lowhiss.api.deps import WordsDep
from lowhiss.api.json_requests import CarefulRoute
from lowhiss.api.schemas import Strict
from lowhiss.core.fields import Language
from lowhiss.core.stages import Stage, stages_of
from lowhiss.core.sums import Choices, InputUnit, SumRow, work_out
from lowhiss.core.words import Words, plain
from lowhiss.service.errors import NotFoundError

router = APIRouter(prefix="/api/sums", tags=["rules"], route_class=CarefulRoute)


class SumChoiceOut(BaseModel):
    """One of the values that a number can have."""

    value: float
    text: str


class SumInputOut(BaseModel):
    """A number that goes into a sum, set on a tape from ``low`` to ``high``, or one of ``choices``."""

    name: str
    title: str
    unit: InputUnit
    low: float
    high: float
    step: float
    start: float
    choices: list[SumChoiceOut]


class SumOut(BaseModel):
    """A sum: its formula, where that comes from, what goes in, and the example it is checked against.

    takes : from which stages of a report its numbers can come, and which measured figure fills in which.
    """

    id: str
    title: str
    formula: str
    source: str
    inputs: list[SumInputOut]
    example: dict[str, float]
    example_text: str
    stages: list[Stage]
    takes: dict[str, str]


class SumBody(Strict):
    """The numbers by name, pressures in psi."""

    given: Annotated[dict[str, float], Field(max_length=20)]


class SumResultOut(BaseModel):
    """One result in the reader's unit."""

    name: str
    title: str
    text: str


class WorkedOut(BaseModel):
    """The results of a sum, the one that it is about first."""

    results: list[SumResultOut]


def _choices(kind: Choices | None, language: Language) -> list[SumChoiceOut]:
    if kind == "chambers":
        return [SumChoiceOut(value=number, text=str(number)) for number in sorted(rulebook.chambers().volumes_in3)]
    if kind == "no_yes":
        words = {"en": ("no", "yes"), "es": ("no", "sí")}[language]
        return [SumChoiceOut(value=value, text=text) for value, text in enumerate(words)]
    return []


def _shown(name: str, value: float, words: Words) -> str:
    figures = words.figures
    if name in ("psi", "kpa", "bar"):
        return f"{plain(value, 3 if name == 'bar' else 1)} {words.book.SUMS[name]}"
    if name.endswith("_psi_per_min"):
        return f"{figures.fixed(value)} {figures.label}/min"
    if name.endswith("_psi_per_s"):
        return f"{figures.fixed(value)} {figures.label}/s"
    if name == "left_psi":
        return figures.pressure(value)
    if name.endswith("_psi"):
        return figures.difference(value)
    if name.endswith("_in3"):
        return f"{plain(value, 0)} in³"
    if name.endswith("_s"):
        return f"{plain(value, 1)} s"
    if name.endswith("_ft3_per_min"):
        return f"{plain(value, 2)} ft³/min"
    if name in ("chance_over", "share_of_required"):
        return f"{plain(100 * value, 0)} %"
    return plain(value, 1)


def _example(row: SumRow, words: Words) -> str:
    given = [_input_text(one.unit, row.example_given[one.name], words) for one in row.inputs]
    title = words.book.SUMS[row.example_result]
    return f"{', '.join(given)}: {title} {_shown(row.example_result, row.example_value, words)}"


def _input_text(unit: InputUnit, value: float, words: Words) -> str:
    if unit == "psi":
        return words.figures.pressure(value)
    if unit == "psi_lost":
        return words.figures.difference(value)
    return f"{plain(value, 2)} {unit}".strip()


@router.get("", operation_id="listSums")
def list_sums(words: WordsDep) -> list[SumOut]:
    """Every sum of the trade."""
    language = words.language
    return [
        SumOut(
            id=row.id,
            title=row.title[language],
            formula=row.formula,
            source=words.source(row.source),
            inputs=[
                SumInputOut(
                    name=one.name,
                    title=one.title[language],
                    unit=one.unit,
                    low=one.low,
                    high=one.high,
                    step=one.step,
                    start=one.start,
                    choices=_choices(one.choices, language),
                )
                for one in row.inputs
            ],
            example=dict(row.example_given),
            example_text=_example(row, words),
            stages=[] if row.takes_kind is None else list(stages_of(row.takes_kind)),  # type: ignore[arg-type]
            takes=dict(row.takes),
        )
        for row in rulebook.sums().values()
    ]


@router.post("/{sum_id}", operation_id="workOut")
def work_out_sum(sum_id: Annotated[str, Path(max_length=40)], body: SumBody, words: WordsDep) -> WorkedOut:
    """A sum worked out, in the reader's unit and language."""
    row = rulebook.sums().get(sum_id)
    if row is None:
        raise NotFoundError("sum_unknown", "This calculator doesn't exist.", "sum_id")
    results: dict[str, Any] = work_out(row, body.given, rulebook.sum_tables())
    main = sorted(results, key=lambda name: name != row.example_result)
    return WorkedOut(
        results=[
            SumResultOut(name=name, title=words.book.SUMS[name], text=_shown(name, results[name], words))
            for name in main
        ]
    )

"""The sums of the trade as a table of data and one function each: numbers in by name, results out by name.

What goes in, within what, the formula, its source and the worked example stand in the rule book (``sums.toml``).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Literal

from lowhiss.core import calculators
from lowhiss.core.errors import CalculationError, RuleError
from lowhiss.core.fields import Fields, Language, both_languages
from lowhiss.core.rules import Source
from lowhiss.core.rules.reader import read_source
from lowhiss.core.uncertainty import drop_uncertainty, reading_uncertainty
from lowhiss.core.units import from_psi

Given = Mapping[str, float]
Results = dict[str, float]
InputUnit = Literal["", "psi", "psi_lost", "s", "in³", "ft³"]
Choices = Literal["chambers", "no_yes"]


@dataclass(frozen=True, slots=True)
class SumInput:
    """A number that goes into a sum. ``choices``: one of a list rather than one on a tape.

    unit : ``psi`` for a reading, ``psi_lost`` for a difference.
    """

    name: str
    title: Mapping[Language, str]
    unit: InputUnit
    low: float
    high: float
    step: float
    start: float
    choices: Choices | None


@dataclass(frozen=True, slots=True)
class SumRow:
    """A sum. ``example``: what goes in, which result, and what it is to the digits that are written.

    takes : of a report's stages of a kind, which measured figure fills in which number.
    """

    id: str
    title: Mapping[Language, str]
    formula: str
    source: Source
    inputs: tuple[SumInput, ...]
    example_given: Mapping[str, float]
    example_result: str
    example_value: float
    takes_kind: str | None
    takes: Mapping[str, str]


def read_sums(table: object) -> dict[str, SumRow]:
    """Every sum by its id, in the order of the table. Raises RuleError naming the field."""
    fields = Fields(table, "sums", RuleError)
    rows = [_row(one) for one in fields.tables("sum")]
    fields.done()
    for row in rows:
        if row.id not in SUMS:
            raise RuleError("sums", f"{row.id!r} has no function")
    return {row.id: row for row in rows}


def _row(fields: Fields) -> SumRow:
    example = fields.table("example")
    takes = dict(fields.raw("takes") or {})
    row = SumRow(
        id=fields.text("id"),
        title=both_languages(fields, "title"),
        formula=fields.text("formula"),
        source=read_source(fields.table("source")),
        inputs=tuple(_input(one) for one in fields.tables("input")),
        example_given=example.raw("give"),
        example_result=example.text("result"),
        example_value=example.number("value"),
        takes_kind=takes.pop("kind", None),
        takes=takes,
    )
    example.done()
    fields.done()
    return row


def _input(fields: Fields) -> SumInput:
    choices = fields.choice("choices", Choices, None)
    one = SumInput(
        name=fields.text("name"),
        title=both_languages(fields, "title"),
        unit=fields.choice("unit", InputUnit),
        low=fields.number("from", 0.0),
        high=fields.number("to", 100_000.0),
        step=fields.number("step", 1.0),
        start=fields.number("start"),
        choices=choices,
    )
    fields.done()
    return one


def work_out(row: SumRow, given: Mapping[str, float], tables: SumTables) -> Results:
    """The results of a sum. Raises CalculationError naming the number that is missing, unknown or outside."""
    names = {one.name for one in row.inputs}
    if unknown := [name for name in given if name not in names]:
        raise CalculationError(
            unknown[0][:40], f"isn't an input of this calculator; choose one of {', '.join(sorted(names))}"
        )
    numbers: dict[str, float] = {}
    for one in row.inputs:
        value = given.get(one.name)
        if value is None:
            raise CalculationError(one.name, "is missing")
        if not one.low <= value <= one.high:
            raise CalculationError(one.name, f"must be from {one.low:g} to {one.high:g}, not {value:g}")
        numbers[one.name] = float(value)
    return SUMS[row.id](numbers, tables)


@dataclass(frozen=True, slots=True)
class SumTables:
    """What sums look up: chamber volumes by type [in³], and the reservoir ratios that are required."""

    volumes_in3: Mapping[int, float]
    power_unit_ratio: float
    trailer_ratio: float


def _strokes(n: Given, _: SumTables) -> Results:
    return {"strokes": calculators.strokes_between(n["start_psi"], n["end_psi"], n["ratio"])}


def _drop(n: Given, _: SumTables) -> Results:
    drop = calculators.application_drop_psi(n["start_psi"], n["ratio"])
    return {"drop_psi": drop, "left_psi": n["start_psi"] - drop}


def _reservoirs(n: Given, tables: SumTables) -> Results:
    types = [int(n["front_type"])] * int(n["front"]) + [int(n["rear_type"])] * int(n["rear"])
    ratio = tables.trailer_ratio if n["trailer"] else tables.power_unit_ratio
    required = calculators.required_reservoir_in3(types, tables.volumes_in3, ratio)
    actual = n["actual_in3"]
    chambers = required / ratio
    return {"required_in3": required, "ratio_there": actual / chambers, "share_of_required": actual / required}


def _build_limit(n: Given, _: SumTables) -> Results:
    return {"limit_s": calculators.build_time_limit_s(n["limit_s"], n["actual_in3"], n["required_in3"])}


def _build_window(n: Given, _: SumTables) -> Results:
    window = (n["from_psi"], n["to_psi"])
    time_s = calculators.build_time_s(n["lower_psi"], n["upper_psi"], n["took_s"], window)
    return {"time_s": time_s, "rate_psi_per_s": (n["upper_psi"] - n["lower_psi"]) / n["took_s"]}


def _odd_hold(n: Given, _: SumTables) -> Results:
    loss = n["loss_psi"] * n["rule_s"] / n["held_s"]
    return {"loss_psi": loss, "rate_psi_per_min": n["loss_psi"] * 60.0 / n["held_s"]}


def _leak_flow(n: Given, _: SumTables) -> Results:
    return {"flow_ft3_per_min": calculators.free_air_flow(n["rate_psi_per_min"], n["volume_ft3"])}


def _needle(n: Given, _: SumTables) -> Results:
    resolution = n["resolution_psi"]
    return {
        "error_psi": drop_uncertainty(resolution),
        "one_reading_psi": reading_uncertainty(resolution),
        "chance_over": chance_over(n["loss_psi"], n["most_psi"], resolution),
        "shown_below_psi": n["most_psi"] - drop_uncertainty(resolution),
    }


def chance_over(loss_psi: float, most_psi: float, resolution_psi: float) -> float:
    """The chance that the true loss is over the limit, from 0 to 1, when each end was read to ``resolution_psi``.

    Each reading lies evenly within half a resolution either way, so the difference follows a triangle of that width.
    JCGM 100 (GUM) 4.3.7 and 4.3.9, from memory. Raises CalculationError for a resolution that is not positive.

    >>> chance_over(4, 4, 1), chance_over(3, 4, 1), chance_over(3.5, 4, 1)
    (0.5, 0.0, 0.125)
    """
    if not 0 < resolution_psi < math.inf:
        raise CalculationError("resolution_psi", f"must be more than 0, not {resolution_psi:g}")
    apart = (most_psi - loss_psi) / resolution_psi
    if abs(apart) >= 1.0:
        return 0.0 if apart > 0 else 1.0
    return (1.0 - apart) ** 2 / 2.0 if apart >= 0 else 1.0 - (1.0 + apart) ** 2 / 2.0


def _convert(n: Given, _: SumTables) -> Results:
    return {"psi": n["psi"], "kpa": from_psi(n["psi"], "kpa"), "bar": from_psi(n["psi"], "bar")}


SUMS: dict[str, Callable[[Given, SumTables], Results]] = {
    "strokes": _strokes,
    "drop": _drop,
    "reservoirs": _reservoirs,
    "build_limit": _build_limit,
    "build_window": _build_window,
    "odd_hold": _odd_hold,
    "leak_flow": _leak_flow,
    "needle": _needle,
    "convert": _convert,
}

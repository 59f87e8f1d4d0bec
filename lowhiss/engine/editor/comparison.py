"""Rule sets side by side for one kind of unit, stage by stage, resolved and worded for one reader."""

from __future__ import annotations

import dataclasses
from collections.abc import Sequence
from dataclasses import dataclass

from lowhiss import rulebook
from lowhiss.core.rules import AppliedBound, Judging, Limit, RuleSet, Source, apply_bounds
from lowhiss.core.stages import LIMITED_STAGES, LimitedStage
from lowhiss.core.status import Consequence
from lowhiss.core.vehicle import Unit
from lowhiss.core.words import Words, plain
from lowhiss.core.words.inspections import InspectionWords
from lowhiss.engine.editor.overlay import chain_of, rows_of, tables_under

_MARGIN = 0.12
"""How much of a row's scale lies beyond the outermost bounds."""


@dataclass(frozen=True, slots=True)
class Cell:
    """One set's limit of one stage; ``limit`` is None where it has none.

    low, high : the bounds as they are drawn, None for an open side.  low_open, high_open : the bound itself is outside.
    drawn_at_psi : the cut-out that a bound which hangs on it is drawn from.
    differs : it is not as the first set's.  own : its source is the fleet.
    """

    limit: Limit | None
    short: str
    text: str
    said: dict[str, str]
    source: str
    low: float | None
    high: float | None
    low_open: bool
    high_open: bool
    drawn_at_psi: float | None
    differs: bool
    own: bool
    reason: str


@dataclass(frozen=True, slots=True)
class Row:
    """One stage across all sets. ``scale``: from where to where its bays are drawn, in ``unit``."""

    stage: LimitedStage
    title: str
    unit: str
    hold_s: float | None
    window_psi: tuple[float, float] | None
    scale: tuple[float, float]
    cells: list[Cell]


def side_by_side(sets: Sequence[RuleSet], unit: Unit, words: Words) -> list[Row]:
    """Every stage that can have a limit, with each set's; the first set is what the others are held against."""
    return [_row(stage, sets, unit, words) for stage in LIMITED_STAGES]


def _row(stage: LimitedStage, sets: Sequence[RuleSet], unit: Unit, words: Words) -> Row:
    limits = [rules.limit_for(stage, unit) for rules in sets]
    first = limits[0]
    cells = [_cell(limit, first, unit, words) for limit in limits]
    ends = [end for cell in cells for end in (cell.low, cell.high) if end is not None]
    known = rulebook.plausible().bounds[stage]
    low, high = (min(ends), max(ends)) if ends else known
    pad = _MARGIN * max(high - low, 0.25 * high)
    shown = next((limit for limit in limits if limit is not None), None)
    return Row(
        stage=stage,
        title=words.stage(stage),
        unit=shown.unit if shown else "psi",
        hold_s=shown.hold_s if shown else None,
        window_psi=shown.window_psi if shown else None,
        scale=(max(0.0, round(low - pad, 2)), round(high + pad, 2)),
        cells=cells,
    )


def _cell(limit: Limit | None, first: Limit | None, unit: Unit, words: Words) -> Cell:
    if limit is None:
        return Cell(None, "", "", {}, "", None, None, False, False, None, first is not None, False, "")
    bounds = apply_bounds(limit, unit)
    hangs = any(bound.of == "cut_out_read" for bound in limit.bounds)
    cut_out_psi = unit.governor.cut_out_psi or rulebook.judging().default_cut_out_psi
    drawn = apply_bounds(limit, unit, cut_out_psi, cut_out_psi) if hangs else bounds
    floor = max((b for b in drawn if b.floor), key=_value, default=None)
    ceiling = min((b for b in drawn if not b.floor), key=_value, default=None)
    return Cell(
        limit=limit,
        short=words.short_limit(limit, bounds),
        text=words.limit(limit, bounds),
        said={language: Words(language, words.unit).limit_text(limit, unit) for language in ("en", "es")},
        source=words.source(limit.source),
        low=None if floor is None else round(floor.value, 3),
        high=None if ceiling is None else round(ceiling.value, 3),
        low_open=floor is not None and floor.comparator == "above",
        high_open=ceiling is not None and ceiling.comparator == "below",
        drawn_at_psi=cut_out_psi if hangs else None,
        differs=not _alike(limit, first, unit),
        own=limit.source.standing == "fleet",
        reason=limit.reason,
    )


def _value(bound: AppliedBound) -> float:
    return bound.value


def _alike(limit: Limit, first: Limit | None, unit: Unit) -> bool:
    """Whether two limits ask the same of this unit, whatever they are called and wherever they come from."""
    if first is None:
        return False
    asked = (limit.unit, limit.hold_s, limit.window_psi)
    hanging = {(b.comparator, b.value) for b in limit.bounds if b.of == "cut_out_read"}
    others = {(b.comparator, b.value) for b in first.bounds if b.of == "cut_out_read"}
    same = set(apply_bounds(limit, unit)) == set(apply_bounds(first, unit))
    return same and hanging == others and asked == (first.unit, first.hold_s, first.window_psi)


@dataclass(frozen=True, slots=True)
class Convention:
    """Something that a rule set decides beside its limits: its name and what each set says, in words."""

    id: str
    title: str
    values: list[str]
    differs: list[bool]


def conventions(sets: Sequence[RuleSet], words: Words) -> list[Convention]:
    """Which gauge counts, how reading error is taken, what may hold a vehicle, what is said, how readings are taken."""
    book = words.book
    rows: list[tuple[str, list[str]]] = [
        ("policy", [book.POLICIES[rules.policy] for rules in sets]),
        ("acceptance", [book.ACCEPTANCES[rules.acceptance] for rules in sets]),
        ("holding", [book.HOLDINGS[rules.holding] for rules in sets]),
        ("calls", [", ".join(book.CALLS[call] for call in rules.calls) or book.CALLS["none"] for rules in sets]),
    ]
    for name in book.CONVENTIONS:
        if name in _JUDGING:
            rows.append((name, [_figure(name, getattr(rules.judging, name), words) for rules in sets]))
    return [
        Convention(name, book.CONVENTIONS[name], values, [value != values[0] for value in values])
        for name, values in rows
    ]


_JUDGING = tuple(field.name for field in dataclasses.fields(Judging))


def _figure(name: str, value: float, words: Words) -> str:
    if name.endswith("_psi"):
        return words.figures.pressure(value)
    units = {"_s": " s", "_mph": " mph"}
    return plain(value, 2) + next((sign for end, sign in units.items() if name.endswith(end)), "")


def source_of(source: Source, words: Words) -> list[str]:
    """Where a number comes from, and what it replaced, the latest first."""
    chain = [words.source(source)]
    while source.replaces is not None:
        source = source.replaces
        chain.append(words.source(source))
    return chain


@dataclass(frozen=True, slots=True)
class InspectionLine:
    """What is measured in an inspection and its bound under a set; ``axles``: of which, empty: all.

    unit : the sign that the figures carry.  own : the bound is the fleet's.
    """

    measure: str
    name: str
    axles: tuple[str, ...]
    unit: str
    at_least: float | None
    at_most: float | None
    source: str
    own: bool


@dataclass(frozen=True, slots=True)
class GroupLine:
    """What a defect of a group of parts means under a set; ``inherited``: what it means under its parent."""

    id: str
    name: str
    consequence: Consequence
    inherited: Consequence


def inspection_lines(rules: RuleSet, words: Words) -> list[InspectionLine]:
    """Everything that is measured in an inspection and held to a number under a set, in the order of the rule book."""
    book, said = tables_under([rules]).book, InspectionWords(rulebook.inspections(), words)
    lines = []
    for measure in book.measures.values():
        for row in rows_of(book, chain_of(rules), measure.id):
            if row.seen or row.table or (row.at_least is None and row.at_most is None):
                continue
            lines.append(
                InspectionLine(
                    measure.id,
                    said.of(measure.name),
                    row.axles,
                    said.sign(row.unit or measure.unit),
                    row.at_least,
                    row.at_most,
                    row.source,
                    rules.id in row.rules and any(one.measure == measure.id for one in rules.inspection_limits),
                )
            )
    return lines


def group_lines(rules: RuleSet, words: Words) -> list[GroupLine]:
    """What a defect of each group of parts means under a set."""
    table = tables_under([rules]).consequences
    return [
        GroupLine(
            group.id,
            group.name[words.language],
            group.under(*_first(chain_of(rules))),
            rulebook.consequences().groups[group.id].under("", rules.lineage or (rules.id,)),
        )
        for group in table.groups.values()
    ]


def _first(chain: tuple[str, ...]) -> tuple[str, tuple[str, ...]]:
    return chain[0], chain[1:]

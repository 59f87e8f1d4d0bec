"""The tables of the inspection with a fleet's own rule sets laid over them."""

from __future__ import annotations

import dataclasses
from collections.abc import Iterable
from typing import cast, get_args

from lowhiss import rulebook
from lowhiss.core.errors import RuleError
from lowhiss.core.inspections import InspectionBook
from lowhiss.core.inspections.model import LimitRow
from lowhiss.core.rules import InspectionLimit, RuleSet
from lowhiss.core.status import CONSEQUENCES, Consequence, Consequences


@dataclasses.dataclass(frozen=True, slots=True)
class InspectionTables:
    """What an inspection and its defects are judged by."""

    book: InspectionBook
    consequences: Consequences


_LAID: dict[tuple[str, ...], InspectionTables] = {}
"""Tables laid before, by the hashes of what was laid over; a hash never changes its content."""


def tables_under(sets: Iterable[RuleSet]) -> InspectionTables:
    """The built-in tables with these rule sets laid over, the first lowest. Raises RuleError naming the field."""
    laid = [rules for rules in sets if rules.id not in rulebook.rule_set_ids()]
    key = tuple(rules.content_hash for rules in laid)
    if key not in _LAID:
        tables = InspectionTables(rulebook.inspections(), rulebook.consequences())
        for rules in laid:
            tables = InspectionTables(_book(tables.book, rules), _consequences(tables.consequences, rules))
        _LAID[key] = tables
    return _LAID[key]


def chain_of(rules: RuleSet) -> tuple[str, ...]:
    """A rule set's id and those it comes from."""
    return (rules.id, *rules.lineage)


def _book(book: InspectionBook, rules: RuleSet) -> InspectionBook:
    own = [_limit(book, rules, place, one) for place, one in enumerate(rules.inspection_limits)]
    # whatever axle it is of, a row of its own would hide the parent's rows for the others
    measures = {one.measure for one in rules.inspection_limits}
    inherited = [
        dataclasses.replace(row, rules=(rules.id,))
        for measure in measures
        for row in rows_of(book, rules.lineage, measure)
        if not _covered(row, [one for one in rules.inspection_limits if one.measure == measure])
    ]
    return dataclasses.replace(
        book,
        limits=(*book.limits, *own, *inherited),
        region_of={**book.region_of, rules.id: book.region(rules.lineage)},
    )


def rows_of(book: InspectionBook, names: tuple[str, ...], measure: str) -> list[LimitRow]:
    """The limits of a measure under the first of these sets that has any."""
    rows = [row for row in book.limits if row.measure == measure]
    return next((mine for name in names if (mine := [row for row in rows if name in row.rules])), [])


def _covered(row: LimitRow, own: list[InspectionLimit]) -> bool:
    return any(not one.axles or set(row.axles or one.axles) <= set(one.axles) for one in own)


def _limit(book: InspectionBook, rules: RuleSet, place: int, one: InspectionLimit) -> LimitRow:
    at = f"round_limit[{place}]"
    measure = book.measures.get(one.measure)
    if measure is None:
        raise RuleError(f"{at}.measure", f"is {one.measure[:40]!r}, which isn't measured in an inspection")
    roles = {role for row in book.limits for role in row.axles}
    if unknown := set(one.axles) - roles:
        raise RuleError(f"{at}.axles", f"must hold only {', '.join(sorted(roles))}, not {min(unknown)[:40]!r}")
    rows = [row for row in rows_of(book, rules.lineage, one.measure) if not row.seen]
    blank = LimitRow(
        measure=one.measure,
        unit=measure.unit,
        rules=(),
        axles=(),
        at_least=None,
        at_most=None,
        seen=False,
        own="",
        school=None,
        notice=None,
        scaled_by="",
        scaled_from=1.0,
        looked_up="",
        otherwise=0.0,
        fact="",
        table=(),
        with_fact=None,
        disc_at_least=None,
        words=None,
        urgent=False,
        source="",
        standing="common_practice",
    )
    like = next((row for row in rows if set(one.axles) == set(row.axles)), rows[0] if rows else blank)
    return dataclasses.replace(
        blank,
        unit=like.unit or measure.unit,
        rules=(rules.id,),
        axles=cast(tuple[object, ...], one.axles),  # type: ignore[arg-type]
        at_least=one.at_least,
        at_most=one.at_most,
        own=like.own,
        urgent=like.urgent,
        source=one.source.document,
        standing="from_memory" if one.source.standing == "from_memory" else "common_practice",
    )


def _consequences(table: Consequences, rules: RuleSet) -> Consequences:
    own = dict(rules.consequences)
    for group, consequence in own.items():
        if group not in table.groups:
            raise RuleError(f"consequences.{group[:40]}", "isn't a group of parts")
        if consequence not in get_args(Consequence):
            raise RuleError(
                f"consequences.{group}", f"must be one of {', '.join(CONSEQUENCES)}, not {consequence[:40]!r}"
            )
    lineage = rules.lineage
    groups = {
        name: dataclasses.replace(
            group,
            by_rules={
                **group.by_rules,
                rules.id: cast(Consequence, own.get(name) or group.under(rules.id, lineage)),
            },
        )
        for name, group in table.groups.items()
    }
    questions = {
        name: dataclasses.replace(one, rules=(*one.rules, rules.id))
        if set(one.rules) & set(lineage) and rules.id not in one.rules
        else one
        for name, one in table.questions.items()
    }
    return Consequences(groups, questions)

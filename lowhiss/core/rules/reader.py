"""Reading a rule set from the plain values of a TOML or JSON document, and deriving one from another."""

from __future__ import annotations

import dataclasses
import re
import tomllib
from collections.abc import Callable
from typing import Any, get_args

from lowhiss.core.errors import RuleError
from lowhiss.core.fields import Fields, both_languages
from lowhiss.core.rules.model import (
    RULES_FORMAT,
    USUAL_CALLS,
    Acceptance,
    Bound,
    Call,
    Comparator,
    Condition,
    InspectionLimit,
    Judging,
    Limit,
    LimitUnit,
    Policy,
    Reference,
    RuleSet,
    Source,
    Standing,
)
from lowhiss.core.stages import LimitedStage, kind_of, stages_of
from lowhiss.core.vehicle import Circuits, Group, Holding, UnitKind

ParentLookup = Callable[[str], RuleSet]


def parse_toml(text: str, where: str) -> dict[str, Any]:
    """The tables of a TOML document. Raises RuleError with the line that is wrong.

    Keys of many parts and deep nesting are refused before they are parsed: what they take grows with their square.
    """
    _check_shape(text, where)
    try:
        return tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        raise RuleError(where, f"isn't valid TOML: {error}") from error


_MAX_KEY_PARTS = 12
_MAX_DEPTH = 24
_BRACKET = re.compile(r"[\[\]{}]")
_KEY = re.compile(r"(?:[A-Za-z0-9_-]+|\"[^\"\n]*\"|'[^'\n]*')[ \t]*")


def _check_shape(text: str, where: str) -> None:
    for place, line in enumerate(text.splitlines(), 1):
        if line.count(".") >= _MAX_KEY_PARTS and _key_parts(line.lstrip(" \t[{")) > _MAX_KEY_PARTS:
            raise RuleError(where, f"line {place} has a key of more than {_MAX_KEY_PARTS} parts")
        if line.count("[") + line.count("{") > _MAX_DEPTH and _depth(line) > _MAX_DEPTH:
            raise RuleError(where, f"line {place} is nested more than {_MAX_DEPTH} deep")
        if line.count("=") > 1 and line.count(".") >= _MAX_KEY_PARTS:
            inner = max(_key_parts(part.lstrip(" \t")) for part in re.split(r"[{,]", line))
            if inner > _MAX_KEY_PARTS:
                raise RuleError(where, f"line {place} has a key of more than {_MAX_KEY_PARTS} parts")


def _key_parts(line: str) -> int:
    """How many parts the dotted key at the beginning of a line has; no more are counted than are too many."""
    parts, at = 0, 0
    while parts <= _MAX_KEY_PARTS and (found := _KEY.match(line, at)):
        parts, at = parts + 1, found.end()
        if not line.startswith(".", at):
            break
        at += 1
        while line.startswith((" ", "\t"), at):
            at += 1
    return parts


def _depth(line: str) -> int:
    depth = deepest = 0
    for bracket in _BRACKET.finditer(line):
        depth += 1 if bracket[0] in "[{" else -1
        deepest = max(deepest, depth)
        if deepest > _MAX_DEPTH:
            break
    return deepest


def read_rule_set(table: object, judging: Judging | None = None, parent_of: ParentLookup | None = None) -> RuleSet:
    """A rule set from plain values; a derived one takes from its parent all that it does not override.

    judging : the conventions to use where the table states none of its own.
    parent_of : finds a parent rule set by id; needed only for a derived set.
    Raises RuleError naming table and key.
    """
    fields = Fields(table, "", RuleError)
    if (given := fields.text("format", RULES_FORMAT)) != RULES_FORMAT:
        raise RuleError("format", f"must be {RULES_FORMAT}, not {given!r}")
    parent = _parent(fields, parent_of)
    base = parent.judging if parent else judging
    name = read_identifier(fields)
    lineage = (parent.id, *parent.lineage) if parent else _lineage(fields)
    if name in lineage:
        between = lineage[: lineage.index(name)]
        through = f" through {' and '.join(between)}" if between else ""
        raise RuleError("parent", f"leads back to {name!r}{through}: choose another")
    rules = RuleSet(
        id=name,
        title=both_languages(fields, "title"),
        about=both_languages(fields, "about") if fields.raw("about") else {},
        lineage=lineage,
        policy=fields.choice("policy", Policy, parent.policy if parent else "both"),
        acceptance=fields.choice("acceptance", Acceptance, parent.acceptance if parent else "simple"),
        judging=read_judging(fields.table("judging", {}), base),
        limits=_merged(parent, [read_limit(item) for item in fields.tables("limit")]),
        holding=fields.choice("holding", Holding, parent.holding if parent else "gear_noted"),
        calls=_calls(fields, parent.calls if parent else USUAL_CALLS),
        inspection_limits=_inspection_limits(fields, parent.inspection_limits if parent else ()),
        consequences=_consequences(fields, parent.consequences if parent else ()),
    )
    fields.done()
    return rules


def read_judging(fields: Fields, base: Judging | None = None) -> Judging:
    """The judging conventions; each one that is absent is taken from ``base``, or missed."""
    values = {}
    for item in dataclasses.fields(Judging):
        if base is None or fields.has(item.name):
            values[item.name] = fields.number(item.name, low=0, high=100_000)
    fields.done()
    return dataclasses.replace(base, **values) if base else Judging(**values)


def read_identifier(fields: Fields) -> str:
    """The id of a rule set or an order of work. Raises the error of ``fields``."""
    name = fields.text("id")
    if not name or len(name) > 60 or not all(c.isalnum() or c in "-_." for c in name):
        raise fields.refuse("id", "must be 1 to 60 letters, digits, dots, dashes or underscores")
    return name


def _parent(fields: Fields, parent_of: ParentLookup | None) -> RuleSet | None:
    name = fields.text("parent", None)
    # a set that was kept whole carries all its limits and needs its parent no more
    if name is None or parent_of is None:
        return None
    return parent_of(name)


def _merged(parent: RuleSet | None, own: list[Limit]) -> tuple[Limit, ...]:
    """The parent's limits with those of the same key replaced, then the new ones."""
    seen: set[str] = set()
    for limit in own:
        if limit.key in seen:
            raise RuleError(f"limit {limit.key!r}", "is given twice; each key stands once")
        seen.add(limit.key)
    if parent is None:
        return tuple(own)
    replacing = {limit.key: limit for limit in own}
    merged = []
    for old in parent.limits:
        new = replacing.pop(old.key, None)
        if new is None:
            merged.append(old)
        elif new.stage != old.stage:
            raise RuleError(f"limit {new.key!r}.stage", f"must stay {old.stage}, as in {parent.id}")
        else:
            merged.append(dataclasses.replace(new, source=dataclasses.replace(new.source, replaces=old.source)))
    return (*replacing.values(), *merged)


def _lineage(fields: Fields) -> tuple[str, ...]:
    """Of a set that was kept whole: its parent, and the sets that came before."""
    parent = fields.text("parent", None)
    return fields.texts("lineage") or ((parent,) if parent else ())


def _calls(fields: Fields, usual: tuple[Call, ...]) -> tuple[Call, ...]:
    if not fields.has("calls"):
        return usual
    given = _chosen(fields, "calls", Call)
    return tuple(call for call in get_args(Call) if call in given)


def _inspection_limits(fields: Fields, usual: tuple[InspectionLimit, ...]) -> tuple[InspectionLimit, ...]:
    """The parent's inspection limits with those of the same measure and axles replaced, then the new ones."""
    merged = {(one.measure, one.axles): one for one in usual}
    for table in fields.tables("round_limit"):
        one = InspectionLimit(
            measure=table.text("measure"),
            axles=table.texts("axles"),
            at_least=table.number("at_least", None, low=-1000, high=10_000),
            at_most=table.number("at_most", None, low=-1000, high=10_000),
            source=read_source(table.table("source")),
        )
        table.done()
        if one.at_least is None and one.at_most is None:
            raise table.refuse("at_least", "is missing: a limit needs at_least, at_most or both")
        if one.at_least is not None and one.at_most is not None and one.at_least > one.at_most:
            raise table.refuse("at_least", f"is {one.at_least:g}, above at_most, {one.at_most:g}: no number is both")
        merged[one.measure, one.axles] = one
    return tuple(merged.values())


def _consequences(fields: Fields, usual: tuple[tuple[str, str], ...]) -> tuple[tuple[str, str], ...]:
    """What a defect of each group means; which groups and consequences there are is checked against their table."""
    given = fields.raw("consequences")
    if given is None:
        return usual
    if not isinstance(given, dict) or not all(isinstance(value, str) for value in given.values()):
        raise fields.refuse("consequences", "must be a table: a group of parts, and what its defect means")
    return tuple(sorted({**dict(usual), **given}.items()))


def read_limit(fields: Fields) -> Limit:
    """One limit from plain values. Raises the error of ``fields``."""
    stage: LimitedStage = fields.choice("stage", LimitedStage)
    unit: LimitUnit = fields.choice("unit", LimitUnit)
    window = _window(fields)
    hold_s = fields.number("hold_s", None, low=1, high=3600)
    climbs, holds = kind_of(stage) == "climb", kind_of(stage) == "hold"
    timed = " and ".join(stages_of("climb"))
    if climbs != (window is not None):
        raise fields.refuse("window_psi", f"goes with {timed}, and {timed} needs it: [lower, upper]")
    if holds != (hold_s is not None):
        raise fields.refuse("hold_s", "goes with the leak stages, and a leak stage needs it")
    if (unit == "s") != climbs:
        raise fields.refuse("unit", f"must be s for {timed} and psi for every other stage")
    bounds = tuple(_bound(item) for item in fields.tables("bounds"))
    if not bounds:
        raise fields.refuse("bounds", "needs at least one bound, such as { at_most = 4 }")
    _agree(bounds, fields)
    limit = Limit(
        key=fields.text("key"),
        stage=stage,
        unit=unit,
        bounds=bounds,
        when=_condition(fields.table("when", {})),
        source=read_source(fields.table("source")),
        words=both_languages(fields, "words") if fields.raw("words") else {},
        window_psi=window,
        hold_s=hold_s,
        reason=fields.text("reason", ""),
    )
    fields.done()
    return limit


def _agree(bounds: tuple[Bound, ...], fields: Fields) -> None:
    """Bounds on the same thing must leave something between them."""
    for floor in (bound for bound in bounds if bound.comparator in ("at_least", "above")):
        for ceiling in (bound for bound in bounds if bound.comparator in ("at_most", "below")):
            alike = (floor.of, floor.times_reservoir_ratio) == (ceiling.of, ceiling.times_reservoir_ratio)
            both_inside = floor.comparator == "at_least" and ceiling.comparator == "at_most"
            if alike and (floor.value > ceiling.value or (floor.value == ceiling.value and not both_inside)):
                wanted = f"{floor.comparator} {floor.value:g} and {ceiling.comparator} {ceiling.value:g}"
                raise fields.refuse("bounds", f"contradict each other: no number is {wanted}".replace("_", " "))


def _window(fields: Fields) -> tuple[float, float] | None:
    given = fields.raw("window_psi")
    if given is None:
        return None
    if (
        not isinstance(given, list)
        or len(given) != 2
        or not all(isinstance(mark, int | float) and 0 <= mark <= 200 for mark in given)
        or given[0] >= given[1]
    ):
        raise fields.refuse("window_psi", "must be two pressures from 0 to 200, the lower first")
    return float(given[0]), float(given[1])


def _bound(fields: Fields) -> Bound:
    comparators = [name for name in get_args(Comparator) if fields.has(name)]
    if len(comparators) != 1:
        raise fields.error(fields.at, f"needs exactly one of {', '.join(get_args(Comparator))}")
    bound = Bound(
        comparator=comparators[0],
        value=fields.number(comparators[0], low=-1000, high=1000),
        of=fields.choice("of", Reference, None),
        times_reservoir_ratio=fields.flag("times_reservoir_ratio", False),
        cap_share_of_cut_out=fields.number("cap_share_of_cut_out", None, low=0, high=1),
    )
    fields.done()
    return bound


def _condition(fields: Fields) -> Condition:
    condition = Condition(
        kind=_chosen(fields, "kind", UnitKind),
        group=_chosen(fields, "group", Group),
        circuits=_chosen(fields, "circuits", Circuits),
        fmvss_121=fields.flag("fmvss_121", True) if fields.has("fmvss_121") else None,
        maker_cut_out_known=fields.flag("maker_cut_out_known", True) if fields.has("maker_cut_out_known") else None,
    )
    fields.done()
    return condition


def _chosen(fields: Fields, key: str, kind: Any) -> tuple[Any, ...]:
    chosen = fields.texts(key)
    for item in chosen:
        if item not in get_args(kind):
            raise fields.refuse(key, f"must hold only {', '.join(get_args(kind))}, not {item!r}")
    return chosen


def read_source(fields: Fields) -> Source:
    """Where a number comes from. Raises the error of ``fields``."""
    source = Source(
        document=fields.text("document"),
        standing=fields.choice("standing", Standing),
        clause=fields.text("clause", ""),
        replaces=read_source(fields.table("replaces")) if fields.has("replaces") else None,
    )
    fields.done()
    return source

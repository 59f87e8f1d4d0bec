"""``lowhiss rules``: the rule book, every limit with its source."""

from __future__ import annotations

import argparse

from lowhiss import rulebook
from lowhiss.commands.common import PASS, add_reader, as_json, print_columns, rules_named, words_of
from lowhiss.core.rules import Bound, Limit, RuleSet
from lowhiss.core.stages import LIMITED_STAGES
from lowhiss.core.words import Words, plain


def add_rules(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("rules", nargs="?", metavar="ID|FILE", help="a rule set (default: list all)")
    parser.add_argument("--json", action="store_true", help="print the rule set as TOML")
    add_reader(parser)
    parser.set_defaults(run=show)


def show(options: argparse.Namespace) -> int:
    """List the sets, or print one."""
    words = words_of(options)
    if options.rules is None:
        rows = [(r.id, r.title[words.language], r.content_hash[:12]) for r in rulebook.rule_sets()]
        print_columns(rows)
        return PASS
    rules = rules_named(options.rules)
    if options.json:
        print(as_json(rules.as_dict()))
        return PASS
    _print_set(rules, words)
    return PASS


def _print_set(rules: RuleSet, words: Words) -> None:
    print(f"{rules.id}: {rules.title[words.language]}")
    if rules.about:
        print(rules.about[words.language])
    print(f"policy {rules.policy}, acceptance {rules.acceptance}, content {rules.content_hash[:12]}\n")
    rows = [
        (limit.key, _bounds(limit, words), words.limit_words(limit), words.source(limit.source))
        for stage in LIMITED_STAGES
        for limit in rules.limits
        if limit.stage == stage
    ]
    print_columns(rows)
    without = [stage for stage in LIMITED_STAGES if all(limit.stage != stage for limit in rules.limits)]
    if without:
        print(f"\n{words.outcome('no_rule')}: {', '.join(without)}")


def _bounds(limit: Limit, words: Words) -> str:
    window = ""
    if limit.window_psi is not None:
        low, high = limit.window_psi
        window = f"{words.figures.reading(low)}→{words.figures.pressure(high)} "
    hold = f" in {plain(limit.hold_s, 1)} s" if limit.hold_s is not None else ""
    return window + ", ".join(_bound(bound, limit, words) for bound in limit.bounds) + hold


def _bound(bound: Bound, limit: Limit, words: Words) -> str:
    sign = {"at_least": "≥", "at_most": "≤", "below": "<", "above": ">"}[bound.comparator]
    figures = words.figures
    amount = plain(bound.value, 1) + " s" if limit.unit == "s" else figures.difference(bound.value)
    if bound.of is not None:
        base = "cut-out read" if bound.of == "cut_out_read" else "maker's cut-out"
        return f"{sign} {base} {'−' if bound.value < 0 else '+'} {figures.difference(abs(bound.value))}"
    if bound.times_reservoir_ratio:
        amount += " × reservoir ratio"
    if bound.cap_share_of_cut_out is not None:
        amount += f" or {plain(bound.cap_share_of_cut_out, 2)} × cut-out if lower"
    return f"{sign} {amount}"

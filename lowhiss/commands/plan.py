"""``lowhiss plan``: what an order of work costs, or the cheapest order of chosen stages."""

from __future__ import annotations

import argparse
from typing import Any, cast, get_args

from lowhiss import rulebook
from lowhiss.commands.common import PASS, Refusal, add_reader, as_json, print_columns, rules_named, words_of
from lowhiss.core.errors import CoreError
from lowhiss.core.fields import choices_text
from lowhiss.core.procedure.planner import Plan, Standing, cheapest_order, plan
from lowhiss.core.stages import ACTIONS, STAGES, Stage
from lowhiss.core.vehicle import Unit, UnitKind
from lowhiss.core.words import Words


def add_plan(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--kind", choices=get_args(UnitKind), default="tractor_semitrailer", help="vehicle type")
    parser.add_argument("--rules", metavar="ID|FILE", default=rulebook.rule_set_ids()[0], help="rule set")
    order = parser.add_mutually_exclusive_group()
    order.add_argument("--procedure", metavar="ID", help="a test order (default: the one of the rule set)")
    order.add_argument("--stages", metavar="A,B,…", help="find the shortest valid order of these stages")
    order.add_argument("--order", metavar="A,B,…", help="these stages and actions in this order")
    parser.add_argument("--from-psi", type=float, default=0.0, metavar="PSI", help="starting pressure (default 0)")
    parser.add_argument("--json", action="store_true", help="print JSON")
    add_reader(parser)
    parser.set_defaults(run=show)


def show(options: argparse.Namespace) -> int:
    if not 0 <= options.from_psi <= 200:
        raise Refusal(f"--from-psi must be from 0 to 200, not {options.from_psi:g}")
    unit = Unit(options.kind)
    rules = rules_named(options.rules)
    planning = rulebook.planning(unit.kind)
    start = Standing(pressure_psi=options.from_psi)
    try:
        if options.stages:
            made = cheapest_order(_stages(options.stages), unit, rules, planning, start)
        elif options.order:
            made = plan(cast(Any, _names(options.order)), unit, rules, planning, start)
        else:
            procedure = (
                rulebook.procedure(options.procedure) if options.procedure else rulebook.default_procedure(rules, unit)
            )
            made = plan(procedure.steps, unit, rules, planning, start)
    except CoreError as error:
        raise Refusal(str(error)) from error
    if options.json:
        print(as_json(_table(made)))
    else:
        _print(made, words_of(options))
    return PASS


def _names(text: str) -> list[str]:
    names = [name.strip() for name in text.split(",") if name.strip()]
    known = (*ACTIONS, *STAGES)
    for name in names:
        if name not in known:
            raise Refusal(f"{name[:60]!r} isn't a step; known are {choices_text(known)}")
    return names


def _stages(text: str) -> list[Stage]:
    names = _names(text)
    for name in names:
        if name not in STAGES:
            raise Refusal(f"{name!r} is an action, not a stage; known stages are {choices_text(STAGES)}")
    return cast(list[Stage], names)


def _table(made: Plan) -> dict[str, Any]:
    return {
        "format": "low-hiss-plan/1",
        "refills": made.refills,
        "engine_starts": made.engine_starts,
        "minutes": round(made.seconds / 60, 1),
        "steps": [
            {
                "step": step.step,
                "added": step.added,
                "seconds": step.seconds,
                "refill": step.refill,
                "start_psi": round(step.start_psi, 1),
                "end_psi": round(step.end_psi, 1),
            }
            for step in made.steps
        ],
    }


def _print(made: Plan, words: Words) -> None:
    figures = words.figures
    rows = [
        (
            f"{'+' if step.added else ' '} {step.step}",
            f"{step.seconds / 60:.1f} min",
            f"{figures.reading(round(step.start_psi))} → {figures.pressure(round(step.end_psi))}",
            words.step(step.step),
        )
        for step in made.steps
    ]
    print_columns(rows)
    print(f"\n{made.refills} refills, {made.engine_starts} engine starts, about {made.seconds / 60:.0f} minutes")
    if any(step.added for step in made.steps):
        print("+ marks steps that the order left out but a stage needs")

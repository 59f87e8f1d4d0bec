"""What the web needs to know of the trade beside scripts: names of steps and kinds, what ends a run, what counts."""

from __future__ import annotations

import json
from typing import Any, get_args

from lowhiss.core.fields import Language
from lowhiss.core.glossary import ROLE_TERMS
from lowhiss.core.record import COUNTING_PURPOSES, END_TYPES, types_that
from lowhiss.core.rules.model import USUAL_CALLS, Acceptance, Call, Policy
from lowhiss.core.stages import ACTIONS, STAGES, STEP_TABLE
from lowhiss.core.status import CONSEQUENCES
from lowhiss.core.vehicle import KIND_TABLE, UNIT_KINDS, Holding, PowerKind
from lowhiss.core.words import Words

_HEAD = """/** Written by scripts/write_generated.py from the tables of the core; not to be edited. */

"""


def trade_words(language: Language) -> str:
    """The words of one language, a module of its own: no screen loads those of another."""
    words = {
        "step": {step: row.short[language] for step, row in STEP_TABLE.items()},
        "kind": {kind: row.title[language] for kind, row in KIND_TABLE.items()},
        "role": {role: getattr(term, language) for role, term in ROLE_TERMS.items()},
        "mark": Words(language, "psi").book.MARKS,
    }
    return f"{_HEAD}export const trade = {_plain(words)}\n"


def trade_lists() -> str:
    """What there is, in whatever language."""
    points = dict.fromkeys(one.name for row in STEP_TABLE.values() for one in row.prompts if one.reads)
    lists: dict[str, tuple[str, ...]] = {
        "STAGES": STAGES,
        "POINTS": tuple(points),
        "UNIT_KINDS": UNIT_KINDS,
        "POWER_KINDS": get_args(PowerKind),
        "END_TYPES": END_TYPES,
        "WATCHED_TYPES": types_that("watched"),
        "COUNTING_PURPOSES": COUNTING_PURPOSES,
        "CONSEQUENCES": CONSEQUENCES,
    }
    return f"{_HEAD}{_lists(lists)}\n"


def editor_words() -> str:
    """The same for the rule desk alone: no other screen loads it."""
    lists: dict[str, tuple[str, ...]] = {
        "ACTIONS": ACTIONS,
        "POLICIES": get_args(Policy),
        "ACCEPTANCES": get_args(Acceptance),
        "HOLDINGS": get_args(Holding),
        "CALLS": get_args(Call),
        "USUAL_CALLS": USUAL_CALLS,
        "MEANS": CONSEQUENCES,
    }
    return f"{_HEAD}{_lists(lists)}\n"


def _lists(lists: dict[str, tuple[str, ...]]) -> str:
    return "\n".join(f"export const {name} = {_plain(list(values))} as const" for name, values in lists.items())


def _plain(value: Any) -> str:
    return json.dumps(value, indent=2, ensure_ascii=False)

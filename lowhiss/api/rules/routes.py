"""The rule book: which rule sets and procedures there are, in their order, with their words."""

from __future__ import annotations

from fastapi import APIRouter

from lowhiss import rulebook
from lowhiss.api.careful import CarefulRoute
from lowhiss.api.rules.schemas import BookOut, BookProcedureOut, BookRulesOut
from lowhiss.core.vehicle import KIND_TABLE

router = APIRouter(prefix="/api/rulebook", tags=["rules"], route_class=CarefulRoute)


@router.get("", operation_id="getRulebook")
def get_rulebook() -> BookOut:
    """Every built-in rule set and procedure, the default first."""
    return BookOut(
        rules=[
            BookRulesOut(
                id=rules.id,
                title=dict(rules.title),
                about=dict(rules.about),
                default_procedure={
                    kind: rulebook.default_procedure_ids(rules)[row.group] for kind, row in KIND_TABLE.items()
                },
            )
            for rules in rulebook.rule_sets()
        ],
        procedures=[
            BookProcedureOut(id=one.id, title=dict(one.title), about=dict(one.about), steps=list(one.steps))
            for one in rulebook.procedures()
        ],
    )

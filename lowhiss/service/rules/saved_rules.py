"""The rule sets that runs were begun under, kept with them by their hash."""

from __future__ import annotations

import datetime as dt

from sqlalchemy.orm import Session

from lowhiss import rulebook
from lowhiss.core.rules import RuleSet, read_rule_set
from lowhiss.store.installation_models import RuleSetRow

_KEPT: dict[str, RuleSet] = {}
"""Rule sets read before, by hash; a hash never changes its content."""


def saved_rules(session: Session, rules_hash: str) -> RuleSet:
    """The rule set of this hash."""
    if rules_hash not in _KEPT:
        _KEPT[rules_hash] = read_rule_set(session.get_one(RuleSetRow, rules_hash).content, rulebook.judging())
    return _KEPT[rules_hash]


def save_rules(session: Session, rules: RuleSet) -> None:
    """Keep a rule set whole, so that what it judged can always be judged again."""
    if session.get(RuleSetRow, rules.content_hash) is None:
        row = RuleSetRow(
            hash=rules.content_hash, name=rules.id, content=rules.as_dict(), kept_at=dt.datetime.now(dt.UTC)
        )
        session.merge(row)
        session.flush()

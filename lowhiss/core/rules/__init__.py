"""Rule sets: what a limit is, how a set is read, derived and identified."""

from lowhiss.core.rules.applied import AppliedBound, apply_bounds
from lowhiss.core.rules.looser import accepts_no_more, is_looser
from lowhiss.core.rules.model import (
    RULES_FORMAT,
    Acceptance,
    Bound,
    Call,
    Condition,
    InspectionLimit,
    Judging,
    Limit,
    LimitUnit,
    Policy,
    RuleSet,
    Source,
    canonical_json,
)
from lowhiss.core.rules.reader import parse_toml, read_identifier, read_judging, read_limit, read_rule_set

__all__ = [
    "RULES_FORMAT",
    "Acceptance",
    "AppliedBound",
    "Bound",
    "Call",
    "Condition",
    "InspectionLimit",
    "Judging",
    "Limit",
    "LimitUnit",
    "Policy",
    "RuleSet",
    "Source",
    "accepts_no_more",
    "apply_bounds",
    "canonical_json",
    "is_looser",
    "parse_toml",
    "read_identifier",
    "read_judging",
    "read_limit",
    "read_rule_set",
]

"""Rule sets: what a limit is, how a set is read, derived and identified."""

from lowhiss.core.rules.applied import AppliedBound, apply_bounds
from lowhiss.core.rules.model import (
    LIMITED_STAGES,
    RULES_FORMAT,
    STAGES,
    YES_NO_STAGES,
    Acceptance,
    Bound,
    Condition,
    Judging,
    Limit,
    LimitedStage,
    Policy,
    RuleSet,
    Source,
    Stage,
    YesNoStage,
    canonical_json,
)
from lowhiss.core.rules.reading import parse_toml, read_judging, read_rule_set

__all__ = [
    "LIMITED_STAGES",
    "RULES_FORMAT",
    "STAGES",
    "YES_NO_STAGES",
    "Acceptance",
    "AppliedBound",
    "Bound",
    "Condition",
    "Judging",
    "Limit",
    "LimitedStage",
    "Policy",
    "RuleSet",
    "Source",
    "Stage",
    "YesNoStage",
    "apply_bounds",
    "canonical_json",
    "parse_toml",
    "read_judging",
    "read_rule_set",
]

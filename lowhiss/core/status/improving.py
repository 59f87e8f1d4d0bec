"""What a test must be to make a vehicle's status better: whole, passed, and by its own rules or stricter ones."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from lowhiss.core.rules import Policy, RuleSet, accepts_no_more
from lowhiss.core.stages import LIMITED_STAGES, Stage
from lowhiss.core.vehicle import Unit


def improves(
    outcomes: Mapping[str, str], required: Sequence[Stage], rules: RuleSet, own: RuleSet, unit: Unit, cut_out_psi: float
) -> bool:
    """Whether a finished test with these outcomes by stage counts as the pass of a vehicle.

    required : the stages of a limited kind that the vehicle's own order asks for.  rules, own : what judged, and what
        should have.  cut_out_psi : what relative limits refer to where the maker's cut-out isn't known [psi].
    Every required stage passed (or has no limit under its own rules), one at least; and where other rules judged,
    stage by stage what they accept its own accept too.
    """
    passed = [stage for stage in required if outcomes.get(stage) == "pass"]
    open_ones = [stage for stage in required if stage not in passed]
    if not any(stage in LIMITED_STAGES for stage in passed):
        return False
    if any(outcomes.get(stage) != "no_rule" or _limited(own, stage, unit) for stage in open_ones):
        return False
    if rules.content_hash == own.content_hash:
        return True
    return all(
        accepts_no_more(rules.limit_for(stage, unit), own.limit_for(stage, unit), unit, cut_out_psi)
        for stage in passed
        if stage in LIMITED_STAGES
    )


def _limited(rules: RuleSet, stage: Stage, unit: Unit) -> bool:
    return stage in LIMITED_STAGES and rules.limit_for(stage, unit) is not None


def stricter_policy(policy: Policy, own: Policy) -> bool:
    """Whether reading by this policy is at least as strict: both needles are stricter than the primary alone."""
    return policy == own or policy == "both"

"""What a judgement is made of: outcomes, findings, applied limits, verdicts on attempts and on the whole run."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Literal, NamedTuple

from lowhiss.core.record import Event
from lowhiss.core.rules import AppliedBound, Limit, RuleSet
from lowhiss.core.run import RunState
from lowhiss.core.stages import Stage

Outcome = Literal["pass", "fail", "void", "not_done", "no_rule"]
DECIDED: tuple[Outcome, ...] = ("pass", "fail")
"""The outcomes of what was validly measured and held against a limit."""
Overall = Literal["pass", "fail", "incomplete"]


WhyCounted = Literal["number", "worse", "confirmed", "waits"]


class LateMark(NamedTuple):
    """A mark that came after the end. ``waits``: it would improve or not change the result, so it is only shown."""

    event: Event
    why: WhyCounted

    @property
    def counts(self) -> bool:
        """Whether the result takes it into account."""
        return self.why != "waits"


class Finding(NamedTuple):
    """Something worth saying about an attempt or the candidate; worded elsewhere from ``code`` and ``params``."""

    code: str
    stage: str | None
    params: dict[str, Any]


@dataclass(slots=True)
class StageVerdict:
    """One attempt at a stage, judged.

    measured : figures with their unit in the name, always in psi and s.
    margin : distance to the nearest bound, in the limit's unit; negative when outside.
    uncertainty : expanded (k = 2), in the limit's unit.
    stands : this attempt is the one by which the stage stands.
    decided_position : the place in the run where it was decided, where that is not its last mark.
    between : the ends of each figure, where it comes from a recording that leaves some of it open.
    """

    stage: Stage
    attempt: int
    outcome: Outcome
    limit: Limit | None = None
    bounds: tuple[AppliedBound, ...] = ()
    measured: dict[str, Any] = field(default_factory=dict)
    margin: float | None = None
    uncertainty: float | None = None
    close_call: bool = False
    findings: list[Finding] = field(default_factory=list)
    stands: bool = False
    decided_position: int | None = None
    between: dict[str, tuple[float, float]] = field(default_factory=dict)

    def find(self, code: str, **params: Any) -> None:
        """Add a finding, once."""
        if not any(finding.code == code for finding in self.findings):
            self.findings.append(Finding(code, self.stage, params))

    def withdraw_comparison(self) -> None:
        """Neither a pass nor a fail came of the comparison: its margin says nothing, nor does a guard band."""
        self.margin = self.uncertainty = None
        self.close_call = False
        self.findings = [finding for finding in self.findings if finding.code != "inside_guard_band"]

    def void(self, code: str, **params: Any) -> StageVerdict:
        """This attempt was done wrongly, as ``code`` says."""
        self.outcome = "void"
        self.find(code, **params)
        return self


@dataclass(slots=True)
class RunVerdict:
    """A run judged under one rule set.

    state : the run as folded, which the verdict was reached from.
    stages : every attempt, in the procedure's order of stages, then those outside it; attempts in order within a
        stage. A required stage without any attempt stands with attempt 0.
    limited, required : how many of the required stages of a limited kind had a limit, and how many there are.
    """

    rules: RuleSet
    state: RunState
    overall: Overall
    stages: list[StageVerdict]
    limited: int
    required: int
    coach: list[Finding]
    critical: list[str]
    minor: list[str]
    late: list[LateMark] = field(default_factory=list)
    """What came in after the run's end, and whether it counts."""

    @property
    def headline(self) -> Literal["pass", "fail", "void", "incomplete"]:
        """One word for a list of runs: an incomplete run in which a stage stands void is called void."""
        if self.overall != "incomplete":
            return self.overall
        return "void" if any(v.stands and v.outcome == "void" for v in self.stages) else "incomplete"

    @property
    def close_call(self) -> bool:
        """Whether a stage stands within its reading error."""
        return any(verdict.stands and verdict.close_call for verdict in self.stages)

    def standing(self) -> dict[str, StageVerdict]:
        """How each stage stands, by stage."""
        return {verdict.stage: verdict for verdict in self.stages if verdict.stands}

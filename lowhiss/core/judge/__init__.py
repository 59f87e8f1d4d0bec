"""The judge: run state and rule set in, verdicts out; one module per stage, one for the whole."""

from lowhiss.core.judge.column import air_column
from lowhiss.core.judge.model import Finding, Outcome, Overall, RunVerdict, StageVerdict
from lowhiss.core.judge.whole import judge_run

__all__ = ["Finding", "Outcome", "Overall", "RunVerdict", "StageVerdict", "air_column", "judge_run"]

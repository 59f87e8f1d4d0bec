"""The judge: run state and rule set in, verdicts out; one module per stage, one for the whole."""

from lowhiss.core.judge.column import air_column
from lowhiss.core.judge.model import DECIDED, Finding, Outcome, Overall, RunVerdict, StageVerdict
from lowhiss.core.judge.timeline import timeline
from lowhiss.core.judge.whole import fold_for, judge_run, judge_state

__all__ = [
    "DECIDED",
    "Finding",
    "Outcome",
    "Overall",
    "RunVerdict",
    "StageVerdict",
    "air_column",
    "fold_for",
    "judge_run",
    "judge_state",
    "timeline",
]

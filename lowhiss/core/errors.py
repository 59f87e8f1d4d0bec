"""Every error the core raises on purpose.

CoreError (a ValueError)
 ├─ RecordError      a run record, or one event of it, cannot be understood
 ├─ RuleError        a rule set or procedure cannot be understood
 └─ CalculationError a calculator was given numbers it has no answer for
"""

from __future__ import annotations


class CoreError(ValueError):
    """One clear sentence about what is wrong and, where it helps, what to do.

    field : where in the input the trouble sits, as ``events[3].state``; empty when it is the whole input.
    """

    def __init__(self, field: str, problem: str) -> None:
        self.field = field
        self.problem = problem
        super().__init__(f"{field}: {problem}" if field else problem)


class RecordError(CoreError):
    """A run record or event is malformed; ``field`` names the event's index and field."""


class RuleError(CoreError):
    """A rule set or procedure is malformed; ``field`` names table and key."""


class CalculationError(CoreError):
    """A calculator's arguments have no answer; ``field`` names the argument."""

"""Practice on the simulated vehicle: what it hides, and what was true of what somebody struck."""

from lowhiss.core.practice.hidden import (
    PracticeData,
    PracticeError,
    code_of,
    commitment,
    draw,
    read_code,
    read_practice_data,
)
from lowhiss.core.practice.truth import TrueMark, true_marks

__all__ = [
    "PracticeData",
    "PracticeError",
    "TrueMark",
    "code_of",
    "commitment",
    "draw",
    "read_code",
    "read_practice_data",
    "true_marks",
]

"""Procedures: orders of work, what each stage needs, and the script that leads a device through them."""

from lowhiss.core.procedure.model import ACTIONS, PROCEDURE_FORMAT, Action, Procedure, Step, read_procedure
from lowhiss.core.procedure.needs import NEEDS, NEEDS_OF_STAGE, Need

__all__ = [
    "ACTIONS",
    "NEEDS",
    "NEEDS_OF_STAGE",
    "PROCEDURE_FORMAT",
    "Action",
    "Need",
    "Procedure",
    "Step",
    "read_procedure",
]

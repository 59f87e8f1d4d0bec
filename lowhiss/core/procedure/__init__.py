"""Procedures: orders of work, how they are led, and the script that leads a device through them."""

from lowhiss.core.procedure.model import PROCEDURE_FORMAT, Procedure, holding_of, read_procedure

__all__ = [
    "PROCEDURE_FORMAT",
    "Procedure",
    "holding_of",
    "read_procedure",
]

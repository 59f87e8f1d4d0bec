"""Procedures: orders of work."""

from lowhiss.core.procedure.model import ACTIONS, PROCEDURE_FORMAT, Action, Procedure, Step, read_procedure

__all__ = ["ACTIONS", "PROCEDURE_FORMAT", "Action", "Procedure", "Step", "read_procedure"]

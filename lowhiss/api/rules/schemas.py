"""The rule book as it goes out."""

from __future__ import annotations

from pydantic import BaseModel

from lowhiss.core.fields import Language
from lowhiss.core.stages import Action, Stage
from lowhiss.core.vehicle import UnitKind


class BookRulesOut(BaseModel):
    """A rule set: its words, and the order of work it is taught in for each kind of unit."""

    id: str
    title: dict[Language, str]
    about: dict[Language, str]
    default_procedure: dict[UnitKind, str]


class BookProcedureOut(BaseModel):
    """A procedure: its words and its steps."""

    id: str
    title: dict[Language, str]
    about: dict[Language, str]
    steps: list[Action | Stage]


class BookOut(BaseModel):
    """The rule book, in its own order."""

    rules: list[BookRulesOut]
    procedures: list[BookProcedureOut]

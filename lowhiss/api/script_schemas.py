"""The run script as it goes out: all that a device needs to lead a run by itself."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict

from lowhiss.api.schemas import Psi
from lowhiss.core.fields import Language
from lowhiss.core.procedure import Action, Need
from lowhiss.core.rules import Stage
from lowhiss.core.units import PressureUnit
from lowhiss.core.vehicle import Knob, Needle


class ScriptBay(BaseModel):
    """Where a limit lies along the air column; an open side is null."""

    low_psi: Psi | None
    high_psi: Psi | None


Sentences = dict[Language, dict[PressureUnit, str]]
"""One sentence for every reader."""


class ScriptLimit(BaseModel):
    """A limit as it holds for this unit, before anything is measured; worded by the core, never by a device."""

    key: str
    unit: Literal["psi", "s"]
    hold_s: float | None
    window_psi: list[float] | None
    short: dict[PressureUnit, str]
    text: Sentences
    said: Sentences
    end: Sentences
    most_psi: Psi | None
    bay: ScriptBay | None


class ScriptBody(BaseModel):
    """The fields of one event's type; in a mark an empty value stands for any."""

    model_config = ConfigDict(extra="allow")

    type: str


class ScriptStrike(BaseModel):
    """One thing to strike: the marks it makes, and whether they want numbers."""

    name: str
    marks: list[ScriptBody]
    optional: bool
    reads: bool


class ScriptStep(BaseModel):
    """One step: an action, or a stage with its needs, its strikes and its limit."""

    step: Action | Stage
    needs: list[Need]
    strikes: list[ScriptStrike]
    says: list[str]
    refill: Literal["stale", "again"] | None
    straight_on: Stage | None
    limit: ScriptLimit | None
    does: dict[Language, str]
    calls: dict[Literal["action", "reading", "pass", "fail"], dict[Language, str]]
    seconds: int | None
    path_psi: list[Psi] | None


class ScriptAnswers(BaseModel):
    """The events that say a need is so, that it is not, and that something else serves; empty where none do."""

    yes: list[ScriptBody]
    no: list[ScriptBody]
    instead: list[ScriptBody]


class ScriptFill(BaseModel):
    """Predicted seconds from each pressure to where it stops pumping; ``own``: the unit's own fills it rests on."""

    from_psi: list[Psi]
    seconds: list[float]
    own: int


class Titled(BaseModel):
    """Something with an id and a title in each language."""

    id: str
    title: dict[str, str]


class TitledRules(Titled):
    """A rule set and the hash of its content."""

    hash: str


class ScriptOut(BaseModel):
    """All that a device needs to lead a run without contact."""

    version: str
    format: Literal["low-hiss-script/4"]
    procedure: Titled
    rules: TitledRules
    knobs: list[Knob]
    needles: list[Needle]
    lowest_psi: Psi
    highest_psi: Psi
    advised_wait_s: float
    needle_rose_psi: Psi
    charged_psi: Psi
    hold_short_s: float
    hold_s: float
    walking_mph: float
    usual_psi: dict[str, Psi]
    fill: ScriptFill
    answers: dict[Need, ScriptAnswers]
    steps: list[ScriptStep]
    refill: list[ScriptStep]
    refill_s: int
    record: dict[str, Any]
    """What the run record holds beside people and events, so that a device can judge by itself."""

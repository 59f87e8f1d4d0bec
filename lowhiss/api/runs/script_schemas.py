"""The run script as it goes out: all that a device needs to lead a run by itself."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict

from lowhiss.api.schemas import Psi
from lowhiss.core.fields import Language
from lowhiss.core.procedure.guide import RefillAfter
from lowhiss.core.stages import Action, Need, Refill, Stage
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


class ScriptPrompt(BaseModel):
    """One thing to mark.

    reads : its marks want numbers.  falls : the needles fall towards it.
    leads : it shows that the actions before it were done.
    """

    name: str
    marks: list[ScriptBody]
    optional: bool
    reads: bool
    falls: bool
    leads: bool


class ScriptStep(BaseModel):
    """One step: an action, or a stage with its needs, its marks and its limit."""

    step: Action | Stage
    needs: list[Need]
    prompts: list[ScriptPrompt]
    says: list[str]
    refill: Refill | None
    refill_after: RefillAfter | None
    straight_on: Stage | None
    by_the_way: bool
    rolls: bool
    marked_as: Action | Stage
    pedal_held: bool
    limit: ScriptLimit | None
    does: dict[Language, str]
    calls: dict[Literal["action", "reading", "pass", "fail"], dict[Language, str]]
    seconds: int | None
    path_psi: list[Psi] | None


Facts = dict[str, str | None]
"""How the vehicle stands, or a part of it; null for what was never recorded or holds no longer."""


class ScriptNeed(BaseModel):
    """When a need is so, and the events that say so, that it is not, that something else serves, that outright deny it.

    met : it is so where all facts of any of these are so.
    """

    met: list[Facts]
    yes: list[ScriptBody]
    no: list[ScriptBody]
    instead: list[ScriptBody]
    denied: list[ScriptBody]


class ScriptEffect(BaseModel):
    """What an event says of the vehicle: ``sets``, where it stood as ``when`` says and not as ``unless`` says."""

    event: ScriptBody
    sets: Facts
    when: Facts | None
    unless: Facts | None


class ScriptFill(BaseModel):
    """Predicted seconds from each pressure to where it stops pumping; ``own``: the unit's own fills it rests on."""

    from_psi: list[Psi]
    seconds: list[float]
    own: int


class Titled(BaseModel):
    """Something with an id and a title in each language."""

    id: str
    title: dict[str, str]


class TitledHash(Titled):
    """A rule set or procedure and the hash of its content."""

    hash: str


class ScriptOut(BaseModel):
    """All that a device needs to lead a run without contact."""

    version: str
    format: Literal["low-hiss-script/6"]
    procedure: TitledHash
    rules: TitledHash
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
    needs: dict[Need, ScriptNeed]
    effects: list[ScriptEffect]
    aside: list[str]
    fresh: Facts
    steps: list[ScriptStep]
    refill: list[ScriptStep]
    refill_s: int
    fill_after: list[Action | Stage]
    record: dict[str, Any]
    """What the run record holds beside people and events, so that a device can judge by itself."""

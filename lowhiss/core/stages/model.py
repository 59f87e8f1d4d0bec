"""What a step of a test is: a stage that is judged, by a limit or by yes and no, or an action that leads to one."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal, get_args

from lowhiss.core.fields import Language
from lowhiss.core.glossary import Term, heading, short_heading
from lowhiss.core.stages.needs import Body, Need

Action = Literal["safe_start", "release", "draw_down", "park", "chocks_in", "chocks_out"]
"""What is done between stages. ``safe_start``: brakes set, neutral, engine started. ``release``: engine off, key on,
knobs in, needles settled. ``draw_down``: pedal strokes with the engine running. ``park``: knobs out."""
LimitedStage = Literal[
    "build_up", "cut_out", "cut_in", "leak_released", "leak_applied", "low_air_warning", "spring_brakes"
]
UnlimitedStage = Literal["rebuild", "hold_trailer", "hold_parking", "rolling_service"]
Stage = LimitedStage | UnlimitedStage
Step = Action | Stage
ACTIONS: tuple[Action, ...] = get_args(Action)
LIMITED_STAGES: tuple[LimitedStage, ...] = get_args(LimitedStage)
UNLIMITED_STAGES: tuple[UnlimitedStage, ...] = get_args(UnlimitedStage)
STAGES: tuple[Stage, ...] = (*LIMITED_STAGES, *UNLIMITED_STAGES)

StepKind = Literal["action", "climb", "governor", "hold", "warning", "knobs", "refill", "tug", "roll"]
"""How a step is done and judged. ``climb``: timed between two marks. ``governor``: one reading. ``hold``: a reading at
each end of a hold. ``warning``: lamp and buzzer. ``knobs``: each knob by itself. ``refill``: another stage's reading.
``tug``: it must not move. ``roll``: it must stop straight."""
Refill = Literal["stale", "again"]
Text = dict[Language, str]
State = Literal["engine", "key", "knobs", "pedal"]

EACH_KNOB = "each"
"""In a mark: stands for every knob of the unit, each a mark of its own."""


@dataclass(frozen=True, slots=True)
class MarkPrompt:
    """One thing to mark. ``marks``: each event it makes; an empty value stands for any.

    optional : advised, never required.  reads : its marks want numbers.  falls : the needles fall towards it.
    leads : it shows that the actions before it were done, though nobody marked them.
    """

    name: str
    marks: tuple[Body, ...]
    optional: bool = False
    reads: bool = False
    falls: bool = False
    leads: bool = True


@dataclass(frozen=True, slots=True, kw_only=True)
class StepRow:
    """One step.

    term : what it is called, and what not.  does, does_automatic : what to do, with either gearbox.
    calls : what is said aloud, by part; ``{read}``, ``{first}`` and ``{lost}`` stand for figures.
    says : the ``what`` of what is said in it, the limit first, reading and verdict after.
    limit : a limit of it as a sentence, where its rule set words none; takes ``{bounds}`` and as needed ``{whom}``,
        ``{hold_s}``, ``{lower}``, ``{upper}``. A stage that has a limit has this.
    needs : what must be so first, in the order in which it is asked.  marks : what is marked, in order.
    states : how the vehicle must stand while it is marked.
    refill : ``stale`` needs a fresh cut-out where none was read since the engine was started; like ``again`` when it
        was marked before.  drains : it spends the air that a refill made, whatever comes after it.
    fills : its reading is a fresh cut-out.  straight_on : the stage that follows without a pause.
    by_the_way : done by doing the stage after it, with nothing of its own to mark.
    moves : the vehicle is held against its engine, or rolls.  wants_trailer : falls away on a single vehicle.
    marked_as : the stage whose marks are its own.  maker : the maker's figure that it is held against.
    accuses : whom a fail concerns, the power unit or the whole set as coupled that day; a trailer knob always the set.
    """

    kind: StepKind
    term: Term
    does: Text
    needs: tuple[Need, ...]
    does_automatic: Text = field(default_factory=dict)
    calls: dict[str, Text] = field(default_factory=dict)
    says: tuple[str, ...] = ()
    limit: Text = field(default_factory=dict)
    prompts: tuple[MarkPrompt, ...] = ()
    states: dict[State, str] = field(default_factory=dict)
    refill: Refill | None = None
    drains: bool = False
    fills: bool = False
    straight_on: Stage | None = None
    by_the_way: bool = False
    moves: bool = False
    wants_trailer: bool = False
    marked_as: Stage | None = None
    maker: Literal["cut_in_psi", "cut_out_psi"] | None = None
    accuses: Literal["power_unit", "set"] = "power_unit"

    @property
    def title(self) -> Text:
        """Its name as a heading."""
        return heading(self.term)

    @property
    def short(self) -> Text:
        """The title for a small place."""
        return short_heading(self.term)

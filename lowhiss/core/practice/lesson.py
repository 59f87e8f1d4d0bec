"""Lessons, read from tables: what is driven, what it hides, what passes it, and which mistakes it is there to cure."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal, get_args

from lowhiss.core.fields import Fields, Language, both_languages
from lowhiss.core.practice.hidden import PracticeError
from lowhiss.core.rules import canonical_json
from lowhiss.core.stages import is_stage

LESSON_FORMAT = "low-hiss-lesson/1"
PRACTICE_FORMAT = "low-hiss-practice/1"
Mode = Literal["free", "led", "memory", "exam", "diagnosis"]
MODES: tuple[Mode, ...] = get_args(Mode)
_MOST_DRIVES = 20
_SHOWN = (
    *("hands", "captions", "stops_starts", "side_strikes", "help", "examiner"),
    *("speedometer", "bench", "both_languages"),
)
"""What a lesson may ask to be shown; what its mode or the dash shows anyhow stands among it so that a file says so."""
_HIDDEN = (
    *("course", "wait_clock", "wait_clock_after_first", "calls_after_second", "limits", "judged", "words", "steps"),
    *("ground_sound", "true_speed", "order", "all"),
)
"""What it may ask to be hidden; what its mode hides anyhow, or no screen ever shows, stands among it likewise."""
_GROUPS = ("safety", "measuring", "judging", "words", "order")


@dataclass(frozen=True, slots=True)
class Passes:
    """What a drive must show. Stages by their ids; a list that is empty, a zero and None ask for nothing.

    said : stages that must be called right.  valid, passed, failed : by the trainee's own numbers.
    err_psi : how far a reading may lie from the truth, by stage.  wait_s : before each clock.
    again : stages that pass on being done over.  stopped_engine_s : after it caught without oil pressure.
    """

    overall: bool = False
    said: tuple[str, ...] = ()
    valid: tuple[str, ...] = ()
    passed: tuple[str, ...] = ()
    failed: tuple[str, ...] = ()
    err_psi: Mapping[str, float] | None = None
    drop_err_psi: float | None = None
    time_err_s: float | None = None
    wait_s: float | None = None
    never: tuple[str, ...] = ()
    clean: bool = False
    shares: Mapping[str, float] | None = None
    again: tuple[str, ...] = ()
    asked: int = 0
    closing_fail: bool = False
    stopped_engine_s: tuple[float, float] | None = None
    tug: bool = False
    note: bool = False
    sheet: bool = False
    cut_outs: int = 0


@dataclass(frozen=True, slots=True)
class LessonDrive:
    """One drive of a lesson. ``faults`` in this vehicle, or a ``pool`` that a seed draws from.

    pool_again : the same, from the second time on.
    """

    kind: str
    mode: Mode
    start: Mapping[str, Any]
    traits: Mapping[str, Any]
    faults: tuple[str, ...]
    pool: str | None
    pool_again: str | None
    steps: tuple[str, ...]
    procedure: str | None
    passes: Passes


@dataclass(frozen=True, slots=True)
class Lesson:
    """A lesson. ``number`` is its place on the ladder, ``after`` the one that opens it. minutes : of a clean drive.

    show, hide : what the mode would hide, or the reverse.  mistakes : those it is there to cure.
    own : a fleet's own, by whom it was made.
    """

    id: str
    number: int
    after: str | None
    mode: Mode
    minutes: float
    rules: str
    title: Mapping[Language, str]
    goal: Mapping[Language, str]
    gearbox: str
    pressure: str | None
    show: tuple[str, ...]
    hide: tuple[str, ...]
    mistakes: tuple[str, ...]
    drives: tuple[LessonDrive, ...]
    table: Mapping[str, Any]

    def presents(self, drive: int) -> dict[str, Any]:
        """What the screen of a drive, counted from 0, shows beyond its mode, or leaves out."""
        hide = set(self.hide)
        return {
            "hands": "hands" in self.show,
            "both_languages": "both_languages" in self.show and self.drives[drive].mode == "led",
            "course": "course" not in hide,
            "wait_clock": "wait_clock" not in hide and not ("wait_clock_after_first" in hide and drive > 0),
            "calls": not ("calls_after_second" in hide and drive > 1),
            "limits": "limits" not in hide,
            "pressure": self.pressure,
        }

    def choice(self, drive: int, again: bool = False) -> dict[str, Any]:
        """What ``engine.practice.read_choice`` takes to set up a drive, counted from 0. Raises PracticeError.

        again : it was driven before, so that what it hides may be drawn from a pool.
        """
        if not 0 <= drive < len(self.drives):
            raise PracticeError("drive", f"is {drive + 1}; {self.id} has {len(self.drives)}")
        one = self.drives[drive]
        pool = (one.pool_again if again else None) or one.pool
        procedure: dict[str, Any] | str | None = one.procedure
        if one.steps:
            procedure = {
                "id": f"lesson-{self.id.replace('_', '-')}",
                "title": dict(self.title),
                "steps": list(one.steps),
            }
        return {
            "kind": one.kind,
            "faults": [] if pool else list(one.faults),
            **({"pool": pool} if pool else {}),
            "start": {**one.start, "gearbox": self.gearbox},
            "traits": dict(one.traits),
            "rules": self.rules,
            "procedure": procedure,
            "mode": one.mode,
            "lesson": {"id": self.id, "drive": drive},
        }


def read_lesson(table: object, known: KnownNames) -> Lesson:
    """A lesson from its table. Raises PracticeError naming the field that is wrong, and what there is instead."""
    fields = Fields(table, "", PracticeError)
    if (given := fields.text("format")) != LESSON_FORMAT:
        raise fields.refuse("format", f"must be {LESSON_FORMAT}, not {given!r}")
    head = fields.table("lesson")
    vehicle = fields.table("vehicle")
    shared = {
        "kind": vehicle.text("kind"),
        "mode": head.choice("mode", Mode),
        "start": _plain(fields, "start"),
        "steps": _steps(fields),
        "procedure": fields.text("procedure", None),
        "passes": _plain(fields, "passes"),
    }
    lesson_id = head.text("id")
    if not lesson_id or len(lesson_id) > 40 or not lesson_id.replace("_", "").replace("-", "").isalnum():
        raise head.refuse("id", "must be letters, digits, - or _, at most 40")
    mistakes = _known(fields, "mistakes", fields.texts("mistakes"), known.mistakes, "mistake")
    given_drives = fields.tables("drives")
    if not 1 <= len(given_drives) <= _MOST_DRIVES:
        raise fields.refuse("drives", f"needs 1 to {_MOST_DRIVES} drives, not {len(given_drives)}")
    lesson = Lesson(
        id=lesson_id,
        number=int(head.number("number", 0.0, low=0, high=999)),
        after=head.text("after", None),
        mode=shared["mode"],
        minutes=head.number("minutes", low=0.5, high=120),
        rules=head.text("rules"),
        title=both_languages(fields, "title"),
        goal=both_languages(fields, "goal"),
        gearbox=vehicle.choice("gearbox", Literal["manual", "automatic"], "manual"),
        pressure=vehicle.choice("pressure", Literal["psi", "kpa", "bar"], None),
        show=_known(fields, "show", fields.texts("show"), _SHOWN, "thing to show"),
        hide=_known(fields, "hide", fields.texts("hide"), _HIDDEN, "thing to hide"),
        mistakes=mistakes,
        drives=tuple(_drive(one, shared, known) for one in given_drives),
        table=fields_table(table),
    )
    for part in (head, vehicle, fields):
        part.done()
    return lesson


@dataclass(frozen=True, slots=True)
class KnownNames:
    """What a lesson may name."""

    kinds: Sequence[str]
    faults: Sequence[str]
    pools: Sequence[str]
    mistakes: Sequence[str]
    procedures: Sequence[str]


def fields_table(table: object) -> dict[str, Any]:
    """The table as plain values, as it was given: what a copy begins from."""
    plain: dict[str, Any] = json.loads(canonical_json(table))
    return plain


def _plain(fields: Fields, key: str) -> dict[str, Any]:
    value = fields.raw(key)
    if value is None:
        return {}
    if not isinstance(value, dict):
        raise fields.refuse(key, "must be a table")
    return value


def _steps(fields: Fields) -> tuple[str, ...]:
    steps = fields.texts("steps")
    if len(steps) > 60:
        raise fields.refuse("steps", f"needs at most 60 steps, not {len(steps)}")
    return steps


def _known(fields: Fields, key: str, given: Sequence[str], allowed: Sequence[str], what: str) -> tuple[str, ...]:
    for one in given:
        if one not in allowed:
            raise fields.refuse(key, f"names {one[:40]!r}, which isn't a {what}; choose one of {', '.join(allowed)}")
    return tuple(given)


def _drive(fields: Fields, shared: Mapping[str, Any], known: KnownNames) -> LessonDrive:
    own = {key: fields.raw(key) for key in ("start", "passes") if fields.has(key)}
    for key, value in own.items():
        if not isinstance(value, dict):
            raise fields.refuse(key, "must be a table")
    kind = fields.text("kind", shared["kind"])
    if kind not in known.kinds:
        raise fields.refuse("kind", f"is {kind[:40]!r}; choose one of {', '.join(known.kinds)}")
    faults = fields.texts("faults")
    _known(fields, "faults", [one.partition(":")[0] for one in faults], known.faults, "fault")
    pool = fields.text("pool", None)
    if pool is not None:
        _known(fields, "pool", (pool,), known.pools, "pool")
    again = fields.text("pool_again", None)
    if again is not None:
        _known(fields, "pool_again", (again,), known.pools, "pool")
    steps = _steps(fields) or shared["steps"]
    procedure = None if steps else (fields.text("procedure", None) or shared["procedure"])
    if procedure is None and not any(is_stage(step) for step in steps):
        raise fields.refuse("steps", "or procedure must be given, and hold at least one stage")
    if procedure is not None:
        _known(fields, "procedure", (procedure,), known.procedures, "test order")
    passes = _passes({**shared["passes"], **own.get("passes", {})}, fields.path("passes"), known)
    drive = LessonDrive(
        kind=kind,
        mode=fields.choice("mode", Mode, shared["mode"]),
        start={**shared["start"], **own.get("start", {})},
        traits=_plain(fields, "traits"),
        faults=faults,
        pool=pool,
        pool_again=again,
        steps=steps,
        procedure=procedure,
        passes=passes,
    )
    fields.done()
    return drive


def _passes(table: object, at: str, known: KnownNames) -> Passes:
    fields = Fields(table, at, PracticeError)

    def stages(key: str) -> tuple[str, ...]:
        given = fields.texts(key)
        for one in given:
            if not is_stage(one):
                raise fields.refuse(key, f"names {one[:40]!r}, which isn't a stage")
        return given

    def figures(key: str) -> dict[str, float] | None:
        if not fields.has(key):
            return None
        inner = fields.table(key)
        return {str(name)[:40]: inner.number(name, low=0, high=1000) for name in _plain(fields, key)}

    errors = figures("err_psi")
    shares = figures("shares")
    for name in shares or ():
        if name not in _GROUPS:
            raise fields.refuse("shares", f"names {name!r}; the groups are {', '.join(_GROUPS)}")
    stopped = fields.raw("stopped_engine_s")
    if stopped is not None and not (
        isinstance(stopped, list) and len(stopped) == 2 and all(isinstance(one, int | float) for one in stopped)
    ):
        raise fields.refuse("stopped_engine_s", "must be two numbers of seconds")
    passes = Passes(
        overall=fields.flag("overall", False),
        said=stages("said"),
        valid=stages("valid"),
        passed=stages("passed"),
        failed=stages("failed"),
        err_psi=errors,
        drop_err_psi=fields.number("drop_err_psi", None, low=0, high=100),
        time_err_s=fields.number("time_err_s", None, low=0, high=600),
        wait_s=fields.number("wait_s", None, low=0, high=600),
        never=_known(fields, "never", fields.texts("never"), known.mistakes, "mistake"),
        clean=fields.flag("clean", False),
        shares=shares,
        again=stages("again"),
        asked=int(fields.number("asked", 0.0, low=0, high=9)),
        closing_fail=fields.flag("closing_fail", False),
        stopped_engine_s=None if stopped is None else (float(stopped[0]), float(stopped[1])),
        tug=fields.flag("tug", False),
        note=fields.flag("note", False),
        sheet=fields.flag("sheet", False),
        cut_outs=int(fields.number("cut_outs", 0.0, low=0, high=9)),
    )
    fields.done()
    return passes

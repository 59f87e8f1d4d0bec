"""What a drive of a lesson had to show, and whether it did: each thing asked for, with what was found."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from lowhiss.core.airsystem import WorldEvent
from lowhiss.core.practice.lesson import Passes
from lowhiss.core.practice.scoring import Score, Square
from lowhiss.core.practice.truth import TrueMark

_RIGHT: tuple[Square, ...] = ("right", "grey", "lucky")


@dataclass(frozen=True, slots=True)
class Held:
    """One hold, as it stands: the error of its loss [psi], and how long was waited before its clock [s]."""

    stage: str
    err_psi: float | None
    wait_s: float | None


@dataclass(frozen=True, slots=True)
class Shown:
    """What a practice showed.

    stages : of this drive.  outcomes : how each stage stands by one's own numbers, and by which attempt.
    made : how often each mistake was.  time_err_s : of a build-up, by stage.
    """

    stages: Sequence[str]
    outcomes: Mapping[str, tuple[str, int]]
    squares: Mapping[str, Square]
    overall: Square
    marks: Sequence[TrueMark]
    holds: Sequence[Held]
    time_err_s: Mapping[str, float]
    made: Mapping[str, int]
    score: Score
    moments: Sequence[WorldEvent]
    claims: Sequence[Mapping[str, Any]]
    notes: int
    sheet_right: bool | None


@dataclass(frozen=True, slots=True)
class Criterion:
    """One thing that was asked for. name : of its sentence in the scoring data.  met : whether it was shown."""

    name: str
    met: bool
    params: Mapping[str, Any] = field(default_factory=dict)


def criteria(passes: Passes, mistakes: Sequence[str], shown: Shown) -> list[Criterion]:
    """Everything that a drive had to show, in the order of the data.

    mistakes : those that its lesson is there to cure: none of them may be made.
    """
    never = tuple(dict.fromkeys((*passes.never, *mistakes)))
    return [*_called(passes, shown), *_measured(passes, shown), *_avoided(passes, never, shown)]


def _called(passes: Passes, shown: Shown) -> Iterable[Criterion]:
    if passes.overall:
        yield Criterion("overall", shown.overall in _RIGHT)
    for stage in passes.said:
        yield Criterion("said", shown.squares.get(stage) in _RIGHT, {"stage": stage})
    wanted = {"valid": ("pass", "fail"), "passed": ("pass",), "failed": ("fail",)}
    for name, outcomes in wanted.items():
        for stage in getattr(passes, name):
            yield Criterion(name, shown.outcomes.get(stage, ("", 0))[0] in outcomes, {"stage": stage})
    for stage in passes.again:
        outcome, attempt = shown.outcomes.get(stage, ("", 0))
        yield Criterion("again", outcome == "pass" and attempt > 1, {"stage": stage})
    if passes.asked:
        asked = sum(claim.get("what") == "redo" for claim in shown.claims)
        yield Criterion("asked", asked >= passes.asked, {"least": passes.asked})
    if passes.closing_fail:
        said = [claim.get("value") for claim in shown.claims if claim.get("what") == "closing"]
        yield Criterion("closing_fail", bool(said) and said[-1] == "fail")
    if passes.sheet:
        yield Criterion("sheet", bool(shown.sheet_right))
    if passes.note:
        yield Criterion("note", shown.notes > 0)


def _measured(passes: Passes, shown: Shown) -> Iterable[Criterion]:
    for stage, most in (passes.err_psi or {}).items():
        if stage not in shown.stages:
            continue
        marks = [one for one in shown.marks if one.stage == stage and one.kind != "settled"]
        errors = [abs((one.late_psi or 0.0) + one.eye_psi) for one in marks if one.eye_psi is not None]
        # a warning that never came, or a knob that does not, has no number to be wrong
        met = all(error <= most for error in errors) and (bool(errors) or stage in shown.squares)
        yield Criterion("err", met, {"stage": stage, "most_psi": most})
    if passes.drop_err_psi is not None:
        for hold in shown.holds:
            met = hold.err_psi is not None and abs(hold.err_psi) <= passes.drop_err_psi
            yield Criterion("drop_err", met, {"stage": hold.stage, "most_psi": passes.drop_err_psi})
    if passes.time_err_s is not None:
        for stage, error in shown.time_err_s.items():
            met = abs(error) <= passes.time_err_s
            yield Criterion("time_err", met, {"stage": stage, "most": passes.time_err_s})
    if passes.wait_s is not None:
        for hold in shown.holds:
            met = hold.wait_s is not None and hold.wait_s >= passes.wait_s
            yield Criterion("waited", met, {"stage": hold.stage, "least": passes.wait_s})
    if passes.cut_outs:
        read = sum(one.kind == "cut_out" and one.quality != "invented" for one in shown.marks)
        yield Criterion("cut_outs", read >= passes.cut_outs, {"least": passes.cut_outs})
    if passes.stopped_engine_s is not None:
        yield _stopped_engine(passes.stopped_engine_s, shown.moments)
    if passes.tug:
        yield Criterion("tug", not any(shown.made.get(code) for code in ("no_tug", "tugged_hard", "stalled")))


def _stopped_engine(within: tuple[float, float], moments: Sequence[WorldEvent]) -> Criterion:
    least, most = within
    caught = [one.t_s for one in moments if one.name == "engine_running"]
    stopped = [one.t_s for one in moments if one.name in ("engine_off", "stalled")]
    ran = [off - on for on in caught for off in stopped[:1] if off > on]
    met = bool(ran) and least <= ran[0] <= most
    return Criterion("stopped_engine", met, {"least": least, "most": most})


def _avoided(passes: Passes, never: Sequence[str], shown: Shown) -> Iterable[Criterion]:
    for code in never:
        yield Criterion("never", not shown.made.get(code), {"mistake": code})
    if passes.clean:
        yield Criterion("clean", not shown.score.critical)
    for group, least in (passes.shares or {}).items():
        share = shown.score.share(group)
        yield Criterion("share", share is None or share >= least, {"group": group, "least": round(100 * least)})

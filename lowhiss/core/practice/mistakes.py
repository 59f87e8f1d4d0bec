"""What was done wrongly in a practice that no run record shows: what truly happened beside what was marked."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from lowhiss.core.airsystem import Start, WorldEvent
from lowhiss.core.practice.scoring import Scoring
from lowhiss.core.practice.truth import At, TrueMark
from lowhiss.core.record import Event
from lowhiss.core.stages import stages_of


@dataclass(frozen=True, slots=True)
class Found:
    """A mistake that was made. at_s : when; None: no single moment.  stage : where it belongs to one."""

    code: str
    at_s: float | None = None
    stage: str | None = None
    detail: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Seen:
    """All that is known of a practice afterwards.

    moments : what truly happened.  marks : what was marked, with its truth.  events : those that stand, states among
    them.  claims : what was said or ticked beside the run record.  knobs : of this unit.  stages : of this drive.
    warning_psi : where this vehicle truly warns.  hold_test_psi : the air that a pull asks for.
    at : what needles showed and tanks held at a time.
    """

    moments: Sequence[WorldEvent]
    marks: Sequence[TrueMark]
    events: Sequence[Event]
    claims: Sequence[Mapping[str, Any]]
    start: Start
    knobs: Sequence[str]
    walking_mph: float
    stages: Sequence[str]
    warning_psi: float
    hold_test_psi: float
    at: At


def found_in(scoring: Scoring, seen: Seen) -> list[Found]:
    """Every mistake, in order of time."""
    found = [
        *_starting(scoring, seen),
        *_reading(scoring, seen),
        *_half_warning(seen),
        *_pulled_by_hand(seen),
        *_pulling(scoring, seen),
        *_moving(scoring, seen),
        *_departure(seen),
        *_claims(seen),
    ]
    return sorted(found, key=lambda one: (one.at_s or 0.0, one.code))


def _named(moments: Iterable[WorldEvent], *names: str) -> list[WorldEvent]:
    return [one for one in moments if one.name in names]


def _starting(scoring: Scoring, seen: Seen) -> Iterable[Found]:
    for caught in _named(seen.moments, "engine_running"):
        if caught.detail.get("gear", "N") != "N":
            yield Found("started_in_gear", caught.t_s)
        latest = caught.t_s + scoring.number("felt", "oil_within_s")
        stop = caught.t_s + scoring.number("felt", "oil_stop_s")
        up = [one for one in _named(seen.moments, "oil_up") if caught.t_s <= one.t_s <= latest]
        stopped = [one for one in _named(seen.moments, "engine_off", "stalled") if caught.t_s <= one.t_s <= stop]
        ran_on = any(one.t_s > stop for one in seen.moments)
        if not up and not stopped and ran_on and seen.moments[-1].t_s > stop:
            yield Found("oil_not_seen", stop)
    for one in _named(seen.moments, "over_revved"):
        yield Found("over_revved", one.t_s)


def _reading(scoring: Scoring, seen: Seen) -> Iterable[Found]:
    late = scoring.tables["late"]
    keys = [one.t_s for one in _named(seen.moments, "key_on")]
    for mark in seen.marks:
        if mark.kind == "settled":
            continue
        sweeping = seen.start.gauges == "electric" and any(0 <= mark.at_s - key < late["sweep_s"] for key in keys)
        if sweeping and mark.typed_psi:
            yield Found("read_in_sweep", mark.at_s, mark.stage)
            continue
        if mark.quality == "invented":
            yield Found("invented_mark", mark.at_s, mark.stage)
            continue
        if mark.eye_psi is not None and abs(mark.eye_psi) > late["off_psi"]:
            yield Found("reading_off", mark.at_s, mark.stage, {"eye_psi": mark.eye_psi})
        if (mark.late_s or 0.0) > late["late_s"] and abs(mark.late_psi or 0.0) > late["late_psi"]:
            yield Found("late_strike", mark.at_s, mark.stage, {"late_s": mark.late_s, "late_psi": mark.late_psi})


def _half_warning(seen: Seen) -> Iterable[Found]:
    """Lamp and buzzer both came, and only one of them was marked."""
    marked = {
        part: [event for event in seen.events if event.type == "warning" and getattr(event, part)]
        for part in ("lamp", "buzzer")
    }
    if not any(marked.values()):
        return
    for part, marks in marked.items():
        came = [one for one in _named(seen.moments, f"{part}_on") if not one.detail.get("check")]
        if came and not marks:
            yield Found("half_warning", came[0].t_s, stages_of("warning")[0], {"part": part})


def _pulled_by_hand(seen: Seen) -> Iterable[Found]:
    """A knob pulled out while it was to come by itself: the air was low already, and nobody had left the stage."""
    stage = stages_of("knobs")[0]
    if stage not in seen.stages:
        return
    over = [
        event.at_s for event in seen.events if event.type in ("skipped", "made_safe") and event.stage in (stage, None)
    ]
    came = {str(one.detail.get("knob")) for one in seen.moments if one.detail.get("cause") == "low_air"}
    for one in _named(seen.moments, "knob_out"):
        waits = one.detail.get("knob") not in came and not any(at < one.t_s for at in over)
        if one.detail.get("cause") == "hand" and waits and 0 < min(one.psi) < seen.warning_psi:
            yield Found("knob_by_hand", one.t_s, stage)


def _pulling(scoring: Scoring, seen: Seen) -> Iterable[Found]:
    felt = scoring.tables["felt"]
    since = 0.0
    for event in seen.events:
        if event.type != "held":
            continue
        if min(seen.at(event.at_s)[0]) < seen.hold_test_psi:
            yield Found("low_pressure_hold_test", event.at_s, event.stage)
        belts = [one for one in _named(seen.moments, "belt") if one.t_s <= event.at_s]
        if not belts or belts[-1].detail.get("state") != "on":
            yield Found("no_belt", event.at_s, event.stage)
        between = [one for one in seen.moments if since <= one.t_s <= event.at_s + 1.5]
        since = event.at_s
        shares = [float(one.detail["share"]) for one in _named(between, "tug")]
        moved = _named(between, "moved")
        if len(seen.knobs) > 1 and all(_knob_at(seen, knob, event.at_s) == "out" for knob in seen.knobs):
            yield Found("both_set", event.at_s, event.stage)
        elif _named(between, "stalled"):
            yield Found("stalled", event.at_s, event.stage)
        elif max(shares, default=0.0) > felt["tug_most"]:
            yield Found("tugged_hard", event.at_s, event.stage, {"share": max(shares)})
        elif max(shares, default=0.0) < felt["tug_least"] and not moved:
            yield Found("no_tug", event.at_s, event.stage)


def _knob_at(seen: Seen, knob: str, at_s: float) -> str:
    """In or out, in truth, at a time."""
    state = "out"
    for one in _named(seen.moments, "knob_in", "knob_out"):
        if one.t_s <= at_s and one.detail.get("knob") == knob:
            state = one.name.removeprefix("knob_")
    return state


def _moving(scoring: Scoring, seen: Seen) -> Iterable[Found]:
    felt = scoring.tables["felt"]
    looked, left = [one.t_s for one in _named(seen.moments, "mirrors")], -1.0
    since = 0.0
    for one in seen.moments:
        if one.name == "left_cab":
            left = one.t_s
        released = one.name == "knob_in" and one.detail.get("cause") == "hand"
        if (released or one.name == "moved") and not any(left < at <= one.t_s for at in looked):
            yield Found("not_clear", one.t_s)
            left = one.t_s - 0.001  # said once for each time that somebody sat down
            looked.append(one.t_s)
        if one.name != "moved":
            continue
        if one.detail.get("belt") == "off" and one.detail.get("released"):
            yield Found("no_belt", one.t_s)
        if "under" in one.detail.get("chocks", ()):
            yield Found("chocks_left_in", one.t_s)
        elif "ground" in one.detail.get("chocks", ()):
            yield Found("chocks_left_behind", one.t_s)
        if one.detail.get("released") and one.detail.get("dragging"):
            yield Found("trailer_dragged", one.t_s)
    for event in seen.events:
        if event.type != "rolled":
            continue
        ways = [one for one in _named(seen.moments, "stopped") if since <= one.t_s <= event.at_s]
        since = event.at_s
        feet = max((abs(float(one.detail["feet"])) for one in ways), default=0.0)
        mph = max((float(one.detail.get("mph", 0.0)) for one in ways), default=0.0)
        if feet < felt["roll_least_ft"] or mph < felt["roll_least_mph"]:
            yield Found("no_roll", event.at_s, event.stage or stages_of("roll")[0])
        if mph > seen.walking_mph:
            yield Found("too_fast", event.at_s, event.stage or stages_of("roll")[0], {"speed_mph": mph})


def _departure(seen: Seen) -> Iterable[Found]:
    for one in _named(seen.moments, "left_cab"):
        if one.detail.get("rolling") or one.detail.get("knob_in"):
            yield Found("left_cab_unsecured", one.t_s)


def _claims(seen: Seen) -> Iterable[Found]:
    for claim in seen.claims:
        if claim.get("what") == "not_so":
            yield Found("claimed_not_so", float(claim["at_s"]))

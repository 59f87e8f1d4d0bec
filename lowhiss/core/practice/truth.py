"""What somebody marked beside what truly happened: how late, and how far from the needle and from the tanks."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass

from lowhiss.core.airsystem import WorldEvent
from lowhiss.core.practice.hidden import PracticeData
from lowhiss.core.record import Event
from lowhiss.core.stages import FILL_STAGE, stages_of

At = Callable[[float], tuple[tuple[float, ...], tuple[float, ...]]]
"""What needles showed and tanks held at a time [psi]."""


@dataclass(frozen=True, slots=True)
class TrueMark:
    """A mark and the moment that it stands for. Times in the vehicle's own time [s], pressures in psi gauge.

    typed_psi : as set, None where it was not.  shown_psi, true_psi : of needles and tanks when it was marked.
    at_moment_psi : of the tanks at the true moment.  late_s : negative when it was marked before.
    quality : ``good``, ``late``, ``read_off``, ``too_early``, or ``invented`` where nothing of its kind had happened.
    late_psi : what the needle moved on meanwhile.  eye_psi : set against needle.  dial_psi : needle against tank, at
    the moment: nobody's fault.  whole_psi : set against tank, at the moment. Each of the needle that counts.
    whose : where most of the error lies: ``reading``, ``reaction``, ``read_late`` or ``dial``.
    """

    at_s: float
    kind: str
    which: str
    stage: str | None
    true_at_s: float | None
    late_s: float | None
    typed_psi: tuple[float, ...] | None
    shown_psi: tuple[float, ...]
    true_psi: tuple[float, ...]
    at_moment_psi: tuple[float, ...] | None
    quality: str
    late_psi: float | None = None
    eye_psi: float | None = None
    dial_psi: float | None = None
    whole_psi: float | None = None
    whose: str | None = None


_MOMENTS: Mapping[str, str] = {FILL_STAGE: "unloaded", "cut_in": "loading"}
"""The true moment of a reading at a point; the others are read whenever somebody likes."""
_SETTLING = ("valves_quiet", "needles_still")
_STAGE_OF = {"warning": stages_of("warning")[0], "popped": stages_of("knobs")[0]}
_SAID_LATE_PSI = 1.0
"""A number is read late where the needle had come nearer to it by this when it was set."""
_NOBODYS_PSI = 1.0
"""A smaller error is not worth a reason."""


def true_marks(
    data: PracticeData, events: Iterable[Event], moments: Sequence[WorldEvent], at: At, set_at: Mapping[str, float]
) -> list[TrueMark]:
    """Every mark that was made, with its truth.

    events : those that stand, numbers that came later already in their marks.  set_at : when the number of a mark was
    set, by its id, where that was later.
    """
    return [
        _held_to(data, event, kind, which, moments, at, set_at.get(event.id or "", event.at_s))
        for event in events
        for kind, which in _marks_of(event)
    ]


def _marks_of(event: Event) -> list[tuple[str, str]]:
    if event.type == "reading":
        return [(str(event.point), str(event.stage))]
    if event.type == "warning":
        return [("warning", part) for part in ("lamp", "buzzer") if getattr(event, part)]
    if event.type == "knob" and event.cause == "popped":
        return [("popped", str(event.knob))]
    return [("settled", str(event.stage))] if event.type == "settled" else []


def _is_its(kind: str, which: str, moment: WorldEvent) -> bool:
    if kind == "warning":
        return moment.name == f"{which}_on" and not moment.detail.get("check")
    if kind == "popped":
        by_itself = moment.name == "knob_out" and moment.detail.get("cause") == "low_air"
        return by_itself and moment.detail.get("knob") == which
    if kind == "settled":
        return moment.name in _SETTLING
    return moment.name == _MOMENTS.get(kind)


def _held_to(
    data: PracticeData,
    event: Event,
    kind: str,
    which: str,
    moments: Sequence[WorldEvent],
    at: At,
    set_s: float,
) -> TrueMark:
    marked = event.at_s
    shown, true = at(marked)
    typed = tuple(psi for psi in (event.primary_psi, event.secondary_psi) if psi is not None) or None
    latest = data.marks["latest_s"] if kind != "settled" else data.marks["settles_within_s"]
    early = data.marks["early_s"] if kind != "settled" else data.marks["settles_within_s"]
    near = [one for one in moments if _is_its(kind, which, one) and marked - latest <= one.t_s <= marked + early]
    moment = max(near, key=lambda one: one.t_s) if near else None
    late = None if moment is None else round(marked - moment.t_s, 2)
    expects = kind in ("warning", "popped", "settled", *_MOMENTS)
    off = typed is not None and any(
        abs(read - needle) > data.marks["off_psi"] for read, needle in zip(typed, shown, strict=False)
    )
    errors = _errors(kind, typed, shown, true, moment, at(set_s)[0])
    return TrueMark(
        at_s=marked,
        kind=kind,
        which=which,
        stage=event.stage or _STAGE_OF.get(kind),
        true_at_s=None if moment is None else moment.t_s,
        late_s=late,
        typed_psi=typed,
        shown_psi=shown,
        true_psi=true,
        at_moment_psi=None if moment is None else moment.psi,
        quality=_quality(data, kind, late, off, expects),
        **errors,  # type: ignore[arg-type]
    )


def _errors(
    kind: str,
    typed: tuple[float, ...] | None,
    shown: tuple[float, ...],
    true: tuple[float, ...],
    moment: WorldEvent | None,
    shown_when_set: tuple[float, ...],
) -> dict[str, float | str | None]:
    """Where a reading's error comes from, on the needle that counts: the lower, for a knob the higher."""
    if typed is None:
        return {}
    shown_then, true_then = (moment.shown, moment.psi) if moment is not None else (shown, true)
    count = min(len(typed), len(shown_then))
    pick = max if kind == "popped" else min
    place = pick(range(count), key=lambda one: shown_then[one])
    late = shown[place] - shown_then[place]
    eye = typed[place] - shown[place]
    dial = shown_then[place] - true_then[place]
    read_late = abs(typed[place] - shown_when_set[place]) + _SAID_LATE_PSI < abs(eye)
    parts = {"reaction": abs(late), "read_late" if read_late else "reading": abs(eye), "dial": abs(dial)}
    whose = max(parts, key=lambda name: parts[name])
    return {
        "late_psi": round(late, 2),
        "eye_psi": round(eye, 2),
        "dial_psi": round(dial, 2),
        "whole_psi": round(typed[place] - true_then[place], 2),
        "whose": whose if parts[whose] > _NOBODYS_PSI else None,
    }


def _quality(data: PracticeData, kind: str, late: float | None, off: bool, expects: bool) -> str:
    if expects and late is None:
        return "too_early" if kind == "settled" else "invented"
    if off:
        return "read_off"
    if late is None:
        return "good"
    if kind == "settled":
        return "too_early" if late < 0 else "good"
    return "late" if late > data.marks["late_s"] else "good"

"""What may be a stage, wherever it stands in a log: climbs, blasts, turns, holds, warnings and pops with intervals."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from itertools import pairwise

import numpy as np

from lowhiss.core.stages import STEP_TABLE, Stage
from lowhiss.trace.bounds import Interval, slope_bounds
from lowhiss.trace.recording import Grid, Series, TraceError
from lowhiss.trace.shape import Span, declines_of, knee, rests_of, rises_of, runs_of, strokes_of, without_lag

_Z = 1.96
_CHECK_VALVE_PSI = 0.8
"""A compressor starts by the air before the check valve: a needle stands that much above it at most."""
_HOLD_LEAST_PSI, _DROP_LEAST_PSI = 60.0, 3.0
_DROP_WITHIN_S, _MAY_END_EARLIER_S = 12.0, 8.0
_FAN_LEAST_STROKES, _FAN_GAP_S, _PAUSE_S = 4, 20.0, 3.0
_FAINT_S = 60.0
"""With hardly any air left strokes move a needle no more: a knob's own column is heard that much longer."""
_WARNING_PSI, _LAST_KNOB_PSI = (40.0, 92.0), 75.0
_MARKED_S, _LOST_PSI, _DIP_SHARE, _DIP_PSI = 0.3, 0.2, 0.25, 0.5
"""Left open where nothing is noisy: when a mark is passed, where a hold begins, how deep a stroke dips unseen."""
_STROKE_S = 3.0
"""How long a stroke takes with the next."""
_VAGUE = 0.4
"""The weight of a stage of which nothing says where in its stretch it is."""
_STEADY_S = 1.0
"""A lamp that flashes is on from its first steady second."""


@dataclass(frozen=True, slots=True)
class FoundMark:
    """A reading as a person would have marked it: when, and each needle with its interval."""

    point: str
    at_s: float
    needles: Mapping[str, Interval]


@dataclass(frozen=True, slots=True)
class FoundStage:
    """A stage found: where, its marks, and its figures with their unit in the name. weight : how well it fits."""

    stage: Stage
    from_s: float
    to_s: float
    marks: tuple[FoundMark, ...]
    measured: Mapping[str, Interval]
    weight: float = 1.0


@dataclass(frozen=True, slots=True)
class Shape:
    """What the finder sees in a log, worked out once."""

    grid: Grid
    lower: Series
    rises: list[Span]
    strokes: list[Span]
    fans: list[list[Span]] = field(default_factory=list)


def shape_of(grid: Grid) -> Shape:
    """Rises, strokes and fanning of a log, on its lower needle."""
    lower = grid.lower
    strokes = strokes_of(grid, lower)
    fans: list[list[Span]] = []
    for stroke in strokes:
        near = fans and (stroke.start - fans[-1][-1].stop) * grid.step_s <= _FAN_GAP_S
        if near:
            fans[-1].append(stroke)
        else:
            fans.append([stroke])
    fans = [one for one in fans if len(one) >= _FAN_LEAST_STROKES or _falls_far(lower, one)]
    if grid.coarse:
        fans = [[one] for one in declines_of(grid, lower)]
    return Shape(grid, lower, rises_of(grid, lower), strokes, fans)


def _falls_far(lower: Series, fan: list[Span]) -> bool:
    part = lower[fan[0].start : fan[-1].stop]
    return bool(part[0] - part.min() > 30.0)


# reading a needle


def reading(grid: Grid, at: int, reach_s: float = 1.0) -> dict[str, Interval]:
    """Each needle about a sample, with what noise and steps leave open."""
    reach = grid.span(reach_s) // 2
    found = {}
    for name, psi in grid.needles.items():
        near = psi[max(0, at - reach) : at + reach + 1]
        error = _Z * grid.noise_psi / np.sqrt(max(1, near.size)) + grid.step_psi / 2
        found[name] = Interval(float(np.median(near)), float(np.median(near)) - error, float(np.median(near)) + error)
    return found


def lower_of(needles: Mapping[str, Interval]) -> Interval:
    return min(needles.values(), key=lambda one: one.value)


def higher_of(needles: Mapping[str, Interval]) -> Interval:
    """The higher needle's reading: a knob stays in while one tank still holds it."""
    return max(needles.values(), key=lambda one: one.value)


# climbs, blasts and turns


def climbs(shape: Shape, window_psi: tuple[float, float]) -> Iterator[FoundStage]:
    """Each time the slower needle came up from the lower mark to the upper one within one rise."""
    grid = shape.grid
    for rise in shape.rises:
        part = shape.lower[rise.start : rise.stop]
        if part[0] > window_psi[0] or part.max() < window_psi[1]:
            continue
        crossings = [_crossing(grid, shape.lower, rise, mark) for mark in window_psi]
        (from_s, early), (to_s, late) = crossings
        if to_s <= from_s:
            continue
        error = float(np.hypot(early, late))
        time = Interval(to_s - from_s, to_s - from_s - error, to_s - from_s + error)
        marks = [
            FoundMark(point, at_s, reading(grid, round((at_s - grid.t_s[0]) / grid.step_s)))
            for point, (at_s, _) in zip(("lower", "upper"), crossings, strict=True)
        ]
        yield FoundStage("build_up", from_s, to_s, tuple(marks), {"time_s": time})


def _crossing(grid: Grid, psi: Series, rise: Span, mark: float) -> tuple[float, float]:
    """When a rise came through a mark by a straight line about it, and how far off that may be [s]."""
    at = rise.start + int(np.argmax(psi[rise.start : rise.stop] >= mark))
    reach = grid.span(8.0 if grid.coarse else 3.0)
    start, stop = max(rise.start, at - reach), min(rise.stop, at + reach)
    t, y = grid.t_s[start:stop], psi[start:stop]
    if t.size < 4:
        return float(grid.t_s[at]), grid.step_s
    slope, level = np.polyfit(t - grid.t_s[at], y, 1)
    if slope <= 0:
        return float(grid.t_s[at]), grid.step_s
    error = (_Z * grid.noise_psi / np.sqrt(t.size) + grid.step_psi / np.sqrt(t.size)) / slope + grid.step_s / 2
    error += _MARKED_S
    return float(grid.t_s[at] + (mark - level) / slope), float(error)


def blasts(shape: Shape) -> Iterator[FoundStage]:
    """Where the compressor stopped: the knee of each rise, by the line before it."""
    grid = shape.grid
    for rise in shape.rises:
        at, before = knee(grid, shape.lower, rise)
        needles = {}
        for name, psi in grid.needles.items():
            t, y = grid.t_s[before.start : before.stop], psi[before.start : before.stop]
            if t.size < 3:
                continue
            if grid.coarse:
                top = float(psi[before.start : before.stop].max())
                needles[name] = Interval(top, top - grid.step_psi * 0.6, top + grid.step_psi * 0.6)
                continue
            slope, level = np.polyfit(t - grid.t_s[min(at, psi.size - 1)], y, 1)
            value = min(float(level), float(psi[before.start : rise.stop].max()) + grid.step_psi / 2)
            share = np.sqrt(t.size) / 2
            error = _Z * grid.noise_psi / share + grid.step_psi / 2 + abs(slope) * grid.step_s
            needles[name] = Interval(value, value - error, value + error)
        if needles:
            at_s = float(grid.t_s[min(at, grid.t_s.size - 1)])
            mark = FoundMark("cut_out", at_s, needles)
            yield FoundStage("cut_out", float(grid.t_s[rise.start]), at_s, (mark,), {"cut_out_psi": lower_of(needles)})


def turns(shape: Shape) -> Iterator[FoundStage]:
    """Where the compressor began again: the low point before a rise that strokes led down to."""
    grid = shape.grid
    tank = without_lag(grid, shape.lower)
    for rise in shape.rises:
        before = [one for one in shape.strokes if 0 <= (rise.start - one.stop) * grid.step_s <= _DROP_WITHIN_S]
        inside = [one for one in shape.strokes if one.start <= rise.start < one.stop]
        if not before and not inside:
            continue
        last = (inside or before)[-1]
        around = slice(last.start, min(rise.stop, max(rise.start, last.stop) + grid.span(2.0)))
        at = around.start + int(shape.lower[around].argmin())
        low = min(float(tank[around].min()), float(shape.lower[at])) - grid.step_psi / 2
        high = float(shape.lower[max(0, last.start - grid.span(0.5)) : last.start + 1].min()) + grid.step_psi / 2
        if high < _HOLD_LEAST_PSI:
            continue
        value = float(shape.lower[at])
        error = _Z * grid.noise_psi
        span = Interval(value, min(low, value) - error, max(high, value) + _CHECK_VALVE_PSI + error)
        needles = {
            name: Interval(float(psi[at]), float(psi[at]) + span.low - value, float(psi[at]) + span.high - value)
            for name, psi in grid.needles.items()
        }
        at_s = float(grid.t_s[at])
        yield FoundStage(
            "cut_in", float(grid.t_s[last.start]), at_s, (FoundMark("cut_in", at_s, needles),), {"cut_in_psi": span}
        )


# holds


def holds(shape: Shape, hold_s: float, applied: bool) -> Iterator[FoundStage]:
    """Each rest that is long enough: with the pedal held it begins with a fall, without it there is none."""
    grid = shape.grid
    for rest in rests_of(grid, shape.lower, shape.strokes, 0.8 * hold_s):
        level = float(shape.lower[rest.start])
        if level < _HOLD_LEAST_PSI or applied != _fell_into(shape, rest):
            continue
        length = min(rest.stop - rest.start - 1, grid.span(hold_s))
        end = rest.stop - 1
        start = end - length
        figures, marks = _loss(grid, rest, start, end, hold_s)
        stage: Stage = "leak_applied" if applied else "leak_released"
        weight = min(1.5, (rest.stop - rest.start) * grid.step_s / hold_s)
        yield FoundStage(stage, float(grid.t_s[start]), float(grid.t_s[end]), marks, figures, weight)


def _fell_into(shape: Shape, rest: Span) -> bool:
    """Whether a press of the pedal led into a rest: pressure fell just before it and stayed down."""
    grid = shape.grid
    before = [one for one in shape.strokes if 0 <= (rest.start - one.stop) * grid.step_s <= _DROP_WITHIN_S]
    if not before:
        return False
    earlier = shape.lower[max(0, before[0].start - grid.span(2.0)) : before[0].start + 1]
    return bool(float(np.median(earlier)) - float(shape.lower[rest.start]) >= _DROP_LEAST_PSI)


def _loss(
    grid: Grid, rest: Span, start: int, end: int, hold_s: float
) -> tuple[dict[str, Interval], tuple[FoundMark, ...]]:
    """What was lost over the hold: nobody knows to the second when it began, so that every place it may have counts."""
    starts, ends = reading(grid, start, 3.0), {}
    worst: Interval | None = None
    for name, psi in grid.needles.items():
        drops = [_drop(grid, psi, start - back, end - back) for back in _places(grid, rest, start)]
        now = drops[0]
        drop = Interval(now.value, min(one.low for one in drops), max(one.high for one in drops)).wider(_LOST_PSI)
        first = starts[name]
        ends[name] = Interval(first.value - drop.value, first.value - drop.high, first.value - drop.low)
        if worst is None or drop.value > worst.value:
            worst = drop
    assert worst is not None, "a recording has a needle"
    share = (end - start) * grid.step_s / hold_s
    figures = {"drop_psi": worst, "hold_s": Interval(hold_s * share, hold_s * share - 1, hold_s * share + 1)}
    at = (float(grid.t_s[start]), float(grid.t_s[end]))
    exact = {name: Interval(one.value, one.value, one.value) for name, one in starts.items()}
    return figures, (FoundMark("start", at[0], exact), FoundMark("end", at[1], ends))


def _places(grid: Grid, rest: Span, start: int) -> list[int]:
    """How many samples earlier the hold may have been: as far as the rest allows, some seconds at most."""
    most = min(grid.span(_MAY_END_EARLIER_S), start - rest.start)
    return sorted({0, *(round(most * share) for share in (0.25, 0.5, 0.75, 1.0))}) if most > 0 else [0]


def _drop(grid: Grid, psi: Series, start: int, end: int) -> Interval:
    """Lost between two samples: by levels where the sender is fine, by every line it allows where it steps."""
    span_s = (end - start) * grid.step_s
    if grid.coarse:
        slopes = slope_bounds(grid.t_s[start : end + 1], psi[start : end + 1], grid.step_psi / 2 * 1.02 + 1e-6)
        if slopes is not None:
            middle = (slopes.low + slopes.high) / 2
            return Interval(-middle * span_s, -slopes.high * span_s, -slopes.low * span_s)
    reach = max(1, grid.span(3.0) // 2)
    first, last = psi[max(0, start - reach) : start + reach + 1], psi[max(0, end - reach) : end + 1]
    value = float(np.mean(first) - np.mean(last))
    error = _Z * grid.noise_psi * np.sqrt(1 / first.size + 1 / last.size) + grid.step_psi / np.sqrt(first.size)
    return Interval(value, value - float(error), value + float(error))


# strokes down to warning and knobs


def warnings(shape: Shape) -> Iterator[FoundStage]:
    """Where the lamp came on and stayed on; without its column, where whoever fanned stopped to read."""
    grid = shape.grid
    lamp = grid.flags.get("lamp")
    for fan in shape.fans:
        at = _lamp_on(grid, lamp, fan) if lamp is not None else _stop_to_read(shape, fan)
        if at is None:
            if lamp is None and (anywhere := _anywhere(shape, fan)) is not None:
                yield anywhere
            continue
        needles = _in_stroke(shape, fan, at, exact=lamp is not None)
        at_s = float(grid.t_s[at])
        found = (FoundMark("warning", at_s, needles),)
        figures = {"warning_psi": lower_of(needles)}
        yield FoundStage(
            "low_air_warning", float(grid.t_s[fan[0].start]), at_s, found, figures, 1.2 if lamp is not None else 1.0
        )


def _anywhere(shape: Shape, fan: list[Span]) -> FoundStage | None:
    """Nobody stopped to read and no lamp was recorded: it came somewhere while they fanned, and nothing says where."""
    grid, span = shape.grid, slice(fan[0].start, fan[-1].stop)
    may = np.flatnonzero((shape.lower[span] > _WARNING_PSI[0]) & (shape.lower[span] < _WARNING_PSI[1]))
    if may.size == 0:
        return None
    first, last = fan[0].start + int(may[0]), fan[0].start + int(may[-1])
    middle = (first + last) // 2
    needles = {}
    for name, psi in grid.needles.items():
        low, high = float(psi[first : last + 1].min()), float(psi[first : last + 1].max())
        value = min(max(float(psi[middle]), low), high)
        needles[name] = Interval(value, low - grid.step_psi, high + grid.step_psi)
    at_s = float(grid.t_s[middle])
    mark = (FoundMark("warning", at_s, needles),)
    from_s = float(grid.t_s[fan[0].start])
    return FoundStage("low_air_warning", from_s, at_s, mark, {"warning_psi": lower_of(needles)}, _VAGUE)


def _lamp_on(grid: Grid, lamp: Series, fan: list[Span]) -> int | None:
    stop = min(lamp.size, fan[-1].stop + grid.span(_FAN_GAP_S))
    for on in runs_of(lamp[fan[0].start : stop] > 0.5):
        long = (on.stop - on.start) * grid.step_s >= _STEADY_S
        if on.start > 0 and (long or on.stop + fan[0].start == stop):
            return fan[0].start + on.start
    return None


def _stop_to_read(shape: Shape, fan: list[Span]) -> int | None:
    """Where whoever fans stops to read, as most do when the lamp comes on."""
    if not shape.grid.coarse:
        return _pause(shape, fan)
    start, stop = fan[0].start, fan[-1].stop
    part, ahead = shape.lower[start:stop], shape.grid.span(_PAUSE_S)
    stays = part[ahead:] - part[:-ahead] > -shape.grid.step_psi * 1.5
    between = (part[:-ahead] > _WARNING_PSI[0]) & (part[:-ahead] < _WARNING_PSI[1])
    longest = max(runs_of(stays & between), key=lambda one: one.stop - one.start, default=None)
    return None if longest is None else start + longest.start


def _pause(shape: Shape, fan: list[Span]) -> int | None:
    """The longest pause between strokes where a warning may come."""
    grid = shape.grid
    pauses = [
        ((after.start - before.stop) * grid.step_s, before)
        for before, after in pairwise(fan)
        if _WARNING_PSI[0] <= shape.lower[before.stop - 1] <= _WARNING_PSI[1]
    ]
    longest = max(pauses, key=lambda one: one[0], default=None)
    if longest is None or longest[0] < _PAUSE_S:
        return None
    stroke = longest[1]
    return stroke.start + int(shape.lower[stroke.start : stroke.stop].argmin())


def _in_stroke(shape: Shape, fan: list[Span], at: int, *, exact: bool) -> dict[str, Interval]:
    """Each needle where something came within a stroke: at a known moment, or anywhere from its start to its end."""
    grid = shape.grid
    faint = Span(max(0, at - grid.span(_STROKE_S)), at + 1)
    stroke = next((one for one in fan if one.start <= at <= one.stop + grid.span(1.0)), faint)
    if grid.coarse:
        stroke = faint
    found = {}
    for name, psi in grid.needles.items():
        tank = without_lag(grid, psi)
        # what rounds may have rounded both ends away from what was so
        error = _Z * grid.noise_psi + grid.step_psi * (1.0 if grid.coarse and not exact else 0.5)
        around = slice(max(0, at - grid.span(0.5)), at + grid.span(0.5) + 1)
        before = float(psi[max(0, stroke.start - 1)])
        if stroke.start > fan[0].start + 1:
            before = min(before, float(tank[fan[0].start : stroke.start].min()))
        if exact:
            value = float(tank[at])
            low, high = float(min(tank[around].min(), psi[around].min())), float(psi[around].max())
            low -= max(_DIP_PSI, _DIP_SHARE * (high - low))
        else:
            low, high = (
                float(min(psi[stroke.start : stroke.stop].min(), tank[stroke.start : stroke.stop].min())),
                before,
            )
            low -= max(_DIP_PSI, _DIP_SHARE * (high - low))
            value = (low + high) / 2
        found[name] = Interval(value, min(low, value) - error, max(high, value) + error)
    return found


def pops(shape: Shape, knobs: tuple[str, ...]) -> Iterator[FoundStage]:
    """Where each knob came out by itself; without their columns only the last is seen, where the fanning ends."""
    grid = shape.grid
    for fan in shape.fans:
        stop = min(grid.t_s.size, fan[-1].stop + grid.span(_FAINT_S))
        marks = []
        for knob in knobs:
            column = grid.flags.get(f"{knob}_in")
            at = _out(column, fan[0].start, stop) if column is not None else _last(shape, fan, knob)
            if at is not None:
                marks.append(FoundMark(knob, float(grid.t_s[at]), _in_stroke(shape, fan, at, exact=column is not None)))
        if marks:
            marks.sort(key=lambda one: one.at_s)
            figures = {f"{one.point}_psi": higher_of(one.needles) for one in marks}
            from_s = float(grid.t_s[fan[0].start])
            yield FoundStage("spring_brakes", from_s, marks[-1].at_s, tuple(marks), figures, float(len(marks)))


def _out(column: Series, start: int, stop: int) -> int | None:
    went = np.flatnonzero(np.diff(column[start:stop]) < -0.5)
    return None if went.size == 0 else start + int(went[-1]) + 1


def _last(shape: Shape, fan: list[Span], knob: str) -> int | None:
    """Where the higher needle, which holds a knob in, comes to its lowest: after that nobody fans any more."""
    if knob != "tractor":
        return None
    grid, start = shape.grid, fan[0].start
    stop = min(grid.t_s.size, fan[-1].stop + grid.span(_FAINT_S))
    higher = np.maximum.reduce([psi[start:stop] for psi in grid.needles.values()])
    least = max(grid.step_psi / 2, _LOST_PSI)
    at = start + int(np.flatnonzero(higher <= higher.min() + least)[0])
    return at if higher.min() < _LAST_KNOB_PSI else None


# where a person put a stage


def placed(shape: Shape, stage: Stage, was: FoundStage | None, from_s: float, to_s: float) -> FoundStage:
    """A stage measured between two times that a person chose: its interval is what noise and steps leave, no more.

    Raises TraceError for times outside the recording, or an end that is not after its beginning.
    """
    grid = shape.grid
    if not grid.t_s[0] <= from_s < to_s <= grid.t_s[-1]:
        raise TraceError("moved", f"puts {stage} from {from_s:g} to {to_s:g} s; the test lasts to {grid.t_s[-1]:g} s")
    start, end = (round((at - grid.t_s[0]) / grid.step_s) for at in (from_s, to_s))
    kind = STEP_TABLE[stage].kind
    if kind == "hold":
        figures, marks = _loss(grid, Span(start, end + 1), start, end, to_s - from_s)
        return FoundStage(stage, from_s, to_s, marks, figures)
    if kind == "climb":
        time = Interval(to_s - from_s, to_s - from_s - grid.step_s, to_s - from_s + grid.step_s)
        marks = (FoundMark("lower", from_s, reading(grid, start)), FoundMark("upper", to_s, reading(grid, end)))
        return FoundStage(stage, from_s, to_s, marks, {"time_s": time})
    needles = reading(grid, end, 0.3)
    if kind == "knobs":
        others = () if was is None else was.marks[:-1]
        last = FoundMark("tractor" if was is None else was.marks[-1].point, to_s, needles)
        marks = (*others, last)
        return FoundStage(stage, from_s, to_s, marks, {f"{one.point}_psi": higher_of(one.needles) for one in marks})
    point = {"warning": "warning", "governor": stage}.get(kind, "cut_out")
    return FoundStage(stage, from_s, to_s, (FoundMark(point, to_s, needles),), {f"{point}_psi": lower_of(needles)})

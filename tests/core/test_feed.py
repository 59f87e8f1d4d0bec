"""Frames of a live feed: what is refused, what is wrong with their order, and the moments that they show."""

from __future__ import annotations

import math

import pint
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lowhiss import rulebook
from lowhiss.core.feed import FeedError, FeedWatch, read_frame
from lowhiss.core.trace_thinning import MAX_POINTS, stretches
from lowhiss.core.vehicle import Unit
from lowhiss.engine.simulation import drive, frame_of, spec_named

SEMI, OLD = Unit("tractor_semitrailer", trailers=("T",)), Unit("straight_truck", circuits="single")
GOOD = {"seq": 1, "t_s": 0.1, "primary_psi": 100, "secondary_psi": 101}


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"primary_psi": None}, "primary"),
        ({"primary_psi": None, "primary": 100}, "primary"),
        ({"primary_kpa": 700}, "primary"),
        ({"secondary_psi": None}, "secondary"),
        ({"primary_psi": 400}, "primary_psi"),
        ({"primary_psi": -20}, "primary_psi"),
        ({"primary_psi": math.nan}, "primary_psi"),
        ({"primary_psi": "100"}, "primary_psi"),
        ({"t_s": -1}, "t_s"),
        ({"seq": 1.5}, "seq"),
        ({"lamp": "on"}, "lamp"),
        ({"speed": 3}, "speed"),
    ],
)
def test_a_frame_that_cannot_be_understood_names_its_field(change, field):
    table = {key: value for key, value in {**GOOD, **change}.items() if value is not None}
    with pytest.raises(FeedError) as refused:
        read_frame(table, SEMI)
    assert refused.value.field == field


def test_pressures_come_in_any_of_the_units():
    units = pint.UnitRegistry()
    kpa = units.Quantity(100, "psi").to("kPa").magnitude
    frame = read_frame({"seq": 1, "t_s": 0, "primary_kpa": kpa}, OLD)
    assert frame.primary_psi == pytest.approx(100)
    assert frame.secondary_psi is None


@pytest.mark.parametrize(
    ("change", "trouble"),
    [
        ({"seq": 2, "t_s": 0.2}, None),
        ({"seq": 1, "t_s": 0.1}, "duplicate"),
        ({"seq": 0, "t_s": 0.2}, "backwards"),
        ({"seq": 2, "t_s": 0.05}, "backwards"),
        ({"seq": 5, "t_s": 0.5}, "gap"),
        ({"seq": 2, "t_s": 0.2, "primary_psi": 60}, "jump"),
    ],
)
def test_what_is_wrong_with_the_order_is_told(change, trouble):
    watch = FeedWatch()
    watch.take(read_frame(GOOD, SEMI))
    assert watch.take(read_frame({**GOOD, **change}, SEMI))[0] == trouble


@pytest.mark.parametrize("kind", ["straight_truck", "tractor_semitrailer"])
@pytest.mark.parametrize("seed", [1, 2])
def test_the_moments_of_a_whole_test_are_proposed_near_where_they_were_marked(kind, seed):
    driven = drive(spec_named(kind), rulebook.rule_set("us-cdl"), rulebook.procedure("us-full"), seed=seed)
    watch = FeedWatch()
    proposed: dict[str, list[float]] = {}
    for seq, sample in enumerate(driven.samples):
        trouble, proposals = watch.take(read_frame(frame_of(seq, sample, driven.spec), driven.spec.unit))
        assert trouble in (None, "jump")
        for one in proposals:
            proposed.setdefault(one.moment, []).append(one.frame.t_s)
    marked = {
        "cut_out": [e["at_s"] for e in driven.record["events"] if e.get("point") == "cut_out"],
        "cut_in": [e["at_s"] for e in driven.record["events"] if e.get("point") == "cut_in"],
        "warning": [e["at_s"] for e in driven.record["events"] if e["type"] == "warning"],
        "tractor_out": [
            e["at_s"] for e in driven.record["events"] if e.get("cause") == "popped" and e["knob"] == "tractor"
        ],
        "settled": [e["at_s"] for e in driven.record["events"] if e["type"] == "settled"],
    }
    # the simulated driver looks at lamp and knobs after each stroke, the feed sees them within it; settled is no edge
    near_s = {"cut_out": 3.0, "cut_in": 6.0, "warning": 3.0, "tractor_out": 3.0, "settled": 15.0}
    for moment, times in marked.items():
        for at_s in times:
            nearest = min(abs(at_s - seen) for seen in proposed[moment])
            assert nearest <= near_s[moment], (moment, at_s, proposed[moment])


def trace(psi_of, hz: float = 10, over_s: float = 600, without=lambda _: False) -> list[dict]:
    times = [n / hz for n in range(int(over_s * hz))]
    return [{"at_s": at, "primary_psi": psi_of(at)} for at in times if not without(at)]


def drawn(frames, most=MAX_POINTS):
    return stretches(iter(frames), frames[0]["at_s"], frames[-1]["at_s"], most)


@given(
    hz=st.sampled_from([1, 2, 10]),
    over_s=st.floats(1, 200),
    most=st.integers(40, 400),
    seed=st.randoms(use_true_random=False),
)
def test_a_thinned_trace_keeps_its_ends_its_peaks_and_its_order(hz, over_s, most, seed):
    frames = trace(lambda _: seed.uniform(0, 150), hz, over_s)
    (line,) = drawn(frames, most)
    told = [one["primary_psi"] for one in frames]
    assert len(line.at_s) <= most + 4
    assert set(zip(line.at_s, line.psi, strict=True)) <= {(one["at_s"], one["primary_psi"]) for one in frames}
    assert (line.at_s[0], line.at_s[-1]) == (frames[0]["at_s"], frames[-1]["at_s"])
    assert (min(line.psi), max(line.psi)) == (min(told), max(told))
    assert list(line.at_s) == sorted(set(line.at_s))


def test_where_no_frames_came_nothing_is_drawn():
    frames = trace(lambda at: 100 - at / 60, without=lambda at: 100 < at < 105 or 300 < at < 301.9)
    assert [(line.at_s[0], line.at_s[-1]) for line in drawn(frames)] == [(0, 100), (105, 599.9)]
    both = [{**one, "secondary_psi": one["primary_psi"] + 1} for one in frames]
    assert [line.needle for line in drawn(both)] == ["primary", "secondary"] * 2
    assert stretches([], 0, 0) == []

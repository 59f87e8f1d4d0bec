"""A real test beside its own feed: whose mark was late, and whose number lay off. On simulated drives, from memory."""

from __future__ import annotations

import copy

import pytest

from lowhiss import rulebook
from lowhiss.engine.feed_comparison import compare_marks
from lowhiss.engine.simulation import drive, frame_of, spec_named


@pytest.fixture(scope="module")
def driven():
    spec = spec_named("tractor_semitrailer")
    rules = rulebook.rule_set("us-cdl")
    found = drive(spec, rules, rulebook.procedure("static-only"))
    frames = [{"at_s": one.dash.t_s, **frame_of(n + 1, one, spec)} for n, one in enumerate(found.samples)]
    return found.record, frames


def test_a_good_drivers_marks_stand_where_the_feed_has_them(driven):
    record, frames = driven
    marks = compare_marks(record, frames)
    assert {one.kind for one in marks} >= {"cut_out", "start", "end", "warning", "popped"}
    read = [one for one in marks if one.typed_psi]
    assert all(abs(a - b) <= 2.5 for one in read for a, b in zip(one.typed_psi, one.shown_psi, strict=True))
    timed = [one for one in marks if one.late_s is not None and one.kind != "settled"]
    assert {one.kind for one in timed} >= {"cut_out", "warning", "popped"}
    assert all(-2 <= one.late_s <= 3 for one in timed), timed


def test_a_mark_marked_late_and_a_number_that_is_off_are_told(driven):
    record, frames = copy.deepcopy(driven[0]), driven[1]
    lamp = next(one for one in record["events"] if one["type"] == "warning" and one.get("lamp"))
    lamp["at_s"] += 4
    cut_out = next(one for one in record["events"] if one.get("point") == "cut_out")
    cut_out["primary_psi"] += 8
    record["events"].sort(key=lambda one: one["at_s"])
    marks = compare_marks(record, frames)
    late = next(one for one in marks if (one.kind, one.which) == ("warning", "lamp"))
    assert late.quality == "late"
    assert late.late_s == pytest.approx(4, abs=1.5)
    assert next(one for one in marks if one.kind == "cut_out").quality == "read_off"


def test_a_feed_of_needles_alone_holds_a_lamp_to_its_number_only(driven):
    record, frames = driven
    bare = [{key: one[key] for key in ("at_s", "seq", "t_s", "primary_psi", "secondary_psi")} for one in frames]
    found = {(one.kind, one.which): one for one in compare_marks(record, bare)}
    assert found["warning", "lamp"].late_s is None
    assert found["warning", "lamp"].quality == "good"
    assert compare_marks(record, []) == []

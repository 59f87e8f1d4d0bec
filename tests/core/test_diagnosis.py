"""Where to look first. Every hint is common practice without a source."""

from __future__ import annotations

import pytest

from lowhiss.core.words import Words
from lowhiss.engine.judge_record import hints_for
from tests.builders import at, climb, hold, judged, leak_record, ready, record


def hints(*tables):
    return [hint.code for hint in hints_for([judged(table) for table in tables])]


def released(loss, **more):
    return hold(
        110, 110 - loss if not isinstance(loss, tuple) else tuple(110 - x for x in loss), stage="leak_released", **more
    )


def test_a_healthy_unit_has_no_hints():
    assert hints(record([*ready(), *released(1), *hold(100, 99, start_s=160)])) == []


def test_applied_much_worse_than_released():
    assert hints(record([*ready(), *released(1), *hold(100, 95, start_s=160)])) == ["downstream_of_foot_valve"]
    assert hints(record([*ready(), *released(3.5), *hold(100, 95, start_s=160)])) == []


@pytest.mark.parametrize(("knob", "code"), [("trailer", "trailer_side"), ("tractor", "spring_brake_side")])
def test_gone_with_a_knob_out(knob, code):
    out = at(200, "knob", knob=knob, state="out", cause="hand")
    assert hints(record([*ready(), *released(5), out, *released(0.5, start_s=260)])) == [code]
    assert hints(record([*ready(), *released(5), out, *released(3, start_s=260)])) == []
    assert hints(record([*ready(), *released(5)]), record([*ready(), out, *released(0.5, start_s=260)])) == [code]


@pytest.mark.parametrize(("loss", "code"), [((4, 0), "primary_circuit"), ((0, 4), "secondary_circuit")])
def test_one_needle_only(loss, code):
    assert hints(record([*ready(), *released(loss)])) == [code]
    assert hints(record([*ready(), *released((4, 2.5))])) == []


def test_slow_build_up_with_nothing_leaking():
    slow = climb((85, 100), 40, start_s=300)
    assert hints(record([*ready(), *released(0.5), *slow])) == ["compressor"]
    assert hints(record([*ready(), *released(3), *slow])) == []


def test_an_application_that_takes_too_much():
    # 110 psi on 12:1 loses 9.6 psi: Boyle
    assert hints(record([*ready(), *released(0), *hold(96, 96, start_s=160)])) == ["water_in_tanks"]
    assert hints(record([*ready(), *released(0), *hold(100, 100, start_s=160)])) == []


def test_needles_that_disagree_when_full():
    table = record([{**e, "secondary_psi": 110} if e.get("stage") == "cut_out" else e for e in ready(cut_out=125)])
    assert hints(table) == ["gauge_or_check_valve"]


def test_three_bad_leak_tests_over_several_runs():
    assert hints(*[leak_record(100, 92)] * 2) == []
    assert hints(*[leak_record(100, 92)] * 3) == ["drain_and_couplings"]


def test_hints_are_worded_in_the_readers_unit():
    (hint,) = hints_for([judged(record([*ready(), *released((4, 0))]))])
    assert Words().hint(hint).startswith("Only the primary needle falls (4.0 psi/min, the other 0.0 psi/min)")
    assert "27.6 kPa/min" in Words("es", "kpa").hint(hint)

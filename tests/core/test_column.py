"""The air column: what it is filled to, the bays that the rules leave, and where each judged figure stands."""

from __future__ import annotations

import pytest

from lowhiss.core.judge.column import air_column
from tests.builders import governor, hold, judged, popped, ready, record, warned, whole_test


def column(table):
    """The column of a record, its bays and pins by stage."""
    drawn = air_column(judged(table))
    bays = {bay["stage"]: (bay["low_psi"], bay["high_psi"]) for bay in drawn["bays"]}
    pins = [(pin["stage"], pin["point"], pin["psi"], pin["outcome"]) for pin in drawn["pins"]]
    return drawn["fill_psi"], bays, pins


def test_a_whole_test_fills_it_to_where_the_pedal_held_hold_ended():
    fill_psi, bays, pins = column(whole_test(rules="us-cdl"))
    assert fill_psi == 99
    # 4 psi in a minute is the combination's allowance (49 CFR 396 appendix, state handbooks); the warning at or above
    # 55 and the buttons between 20 and 45 (FMCSA 2022, handbook 5.3)
    assert bays == {
        "cut_out": (120, 140),
        "leak_applied": (96, 100),
        "low_air_warning": (55, None),
        "spring_brakes": (20, 45),
    }
    assert pins == [
        ("cut_out", "cut_out", 125, "pass"),
        ("leak_applied", "start", 100, "pass"),
        ("leak_applied", "end", 99, "pass"),
        ("low_air_warning", "low_air_warning", 66, "pass"),
        ("spring_brakes", "trailer", 30, "pass"),
        ("spring_brakes", "tractor", 30, "pass"),
    ]


@pytest.mark.parametrize(
    ("events", "fill_psi", "stages"),
    [
        ([], None, set()),
        ([*ready(), *hold(118, 116, stage="leak_released")], 116, {"cut_out", "leak_released"}),
        ([*ready(), *warned(66), *popped(30, 28)], 28, {"cut_out", "low_air_warning", "spring_brakes"}),
        ([*ready(), *governor("cut_in", 102)], 102, {"cut_out", "cut_in"}),
    ],
)
def test_without_a_whole_hold_it_is_filled_to_the_last_figure_measured(events, fill_psi, stages):
    filled, _, pins = column(record(events, procedure="us-full"))
    assert (filled, {stage for stage, *_ in pins}) == (fill_psi, stages)


def test_a_loss_is_drawn_from_the_figure_it_started_at_and_a_time_is_not_drawn():
    _, bays, pins = column(record([*ready(), *hold(118, 116, stage="leak_released")], procedure="us-full"))
    assert bays["leak_released"] == (115, 118)
    assert "leak_applied" not in bays
    assert "build_up" not in bays
    assert pins[-1] == ("leak_released", "end", 116, "pass")

"""The same arrays by methods of others: change points by `ruptures`, robust slopes and lines by `scipy`."""

from __future__ import annotations

import numpy as np
import pytest
import ruptures
from scipy.signal import find_peaks
from scipy.stats import linregress, theilslopes

from lowhiss import rulebook
from lowhiss.core.procedure import read_procedure
from lowhiss.trace import find_stages
from tests.trace.recorded import as_told, driven

DRIVES = {
    "healthy": ("tractor_semitrailer", "us-full"),
    "leaking": ("tractor_semitrailer", "us-full", "primary_leak:severe"),
    "bus": ("bus", "single-vehicle"),
}


@pytest.fixture(scope="module", params=DRIVES)
def found(request):
    one = driven(*DRIVES[request.param])
    recording = as_told(one, "needles")
    rules = rulebook.rule_set(one.record["rules"])
    return recording, find_stages(recording, [read_procedure(one.record["procedure"])], rules, one.spec.unit).stages


def test_where_it_stops_pumping_ruptures_sees_a_change_too(found):
    """Piecewise lines through a rise and what follows it (`ruptures.Dynp`, model "clinear"): one knee, at our place."""
    recording, stages = found
    for stage, one in stages:
        if stage != "cut_out" or one is None:
            continue
        mark = one.marks[0]
        near = (recording.t_s >= mark.at_s - 6) & (recording.t_s <= mark.at_s + 4)
        psi = recording.needles["primary"][near]
        (knee, _) = ruptures.Dynp(model="clinear", min_size=10, jump=1).fit(psi.reshape(-1, 1)).predict(n_bkps=1)
        assert recording.t_s[near][knee] == pytest.approx(mark.at_s, abs=1.0)
        assert psi[knee] == pytest.approx(mark.needles["primary"].value, abs=1.0)


def test_how_fast_a_hold_loses_theil_and_sen_say_too(found):
    """The slope of a hold by `scipy.stats.theilslopes` and `linregress` lies within the interval that we state."""
    recording, stages = found
    held = [one for stage, one in stages if stage.startswith("leak_") and one is not None]
    assert len(held) >= 1
    for one in held:
        inside = (recording.t_s >= one.from_s) & (recording.t_s <= one.to_s)
        minutes = (recording.t_s[inside] - one.from_s) / 60
        span = (one.to_s - one.from_s) / 60
        for needle in recording.needles.values():
            robust = -theilslopes(needle[inside], minutes).slope * span
            least = -linregress(minutes, needle[inside]).slope * span
            drop = one.measured["drop_psi"]
            assert robust <= drop.high + 0.1
            assert least <= drop.high + 0.1
        worst = max(-theilslopes(needle[inside], minutes).slope * span for needle in recording.needles.values())
        assert worst == pytest.approx(drop.value, abs=0.5)


def test_each_stroke_of_fanning_is_a_peak_to_scipy(found):
    """`scipy.signal.find_peaks` on the falling needle counts the strokes: the warning is among them."""
    recording, stages = found
    warned = [one for stage, one in stages if stage == "low_air_warning" and one is not None]
    for one in warned:
        interval = one.marks[0].needles["primary"]
        inside = (recording.t_s >= one.from_s - 30) & (recording.t_s <= one.to_s + 5)
        fall = -np.gradient(recording.needles["primary"][inside], recording.t_s[inside])
        peaks, _ = find_peaks(fall, height=1.5, distance=5)
        lows = recording.needles["primary"][inside][peaks]
        assert peaks.size >= 2
        assert lows.min() - 1 <= interval.high
        assert lows.max() + 1 >= interval.low

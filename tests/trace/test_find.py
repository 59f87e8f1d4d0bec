"""Stages found in recordings: against what was so in simulated drives, and in traces of a model of its own."""

from __future__ import annotations

import itertools
import tomllib

import numpy as np
import pytest

from lowhiss import rulebook
from lowhiss.core.procedure import read_procedure
from lowhiss.engine.recorded import judge_recording
from lowhiss.engine.simulation import spec_named
from lowhiss.trace import Recording, TraceError, find_sessions, find_stages
from lowhiss.trace.bounds import slope_bounds
from lowhiss.trace.recording import steps_of
from tests.trace.recorded import STEP_PSI, as_told, driven, plain_trace, truth_of

DRIVES = {
    "us-full": ("tractor_semitrailer", "us-full"),
    "leaking": ("tractor_semitrailer", "us-full", "coupling_leak:severe"),
    "bus": ("bus", "single-vehicle", "primary_leak:severe"),
    "west": ("tractor_semitrailer", "canada-west"),
    "holds-first": ("tractor_semitrailer", "holds-first", "governor_low:severe"),
    "warning-low": ("straight_truck", "us-full", "warning_low:severe"),
}
WITHIN = {"time_s": 1.5, "cut_out_psi": 1.0, "leak_released": 1.0, "leak_applied": 1.0}
SENDERS = ("box", "needles", "network")


@pytest.fixture(scope="module")
def drives():
    return {name: driven(*what) for name, what in DRIVES.items()}


def found_in(one, recording):
    rules = rulebook.rule_set(one.record["rules"])
    procedure = read_procedure(one.record["procedure"])
    return find_stages(recording, [procedure], rules, one.spec.unit)


def figures(found):
    """Each figure that was found, in order, by its name; of a hold by its stage."""
    told = {}
    for stage, one in found.stages:
        for name, figure in one.measured.items() if one else ():
            if name != "hold_s":
                told.setdefault(stage if name == "drop_psi" else name, []).append(figure)
    return told


@pytest.mark.parametrize("sender", SENDERS)
@pytest.mark.parametrize("name", DRIVES)
def test_what_was_so_is_found(drives, name, sender):
    one = drives[name]
    told, true = figures(found_in(one, as_told(one, sender))), truth_of(one)
    for figure, within in WITHIN.items():
        wanted, seen = true.get(figure, []), told.get(figure, [])
        assert len(seen) == len(wanted), figure
        for want, got in zip(wanted, seen, strict=True):
            assert got.value == pytest.approx(want, abs=within), figure
            assert got.low - 0.4 <= want <= got.high + 0.4
    if sender == "box":
        for figure in ("warning_psi", "tractor_psi", "trailer_psi"):
            for want, got in zip(true.get(figure, []), told.get(figure, []), strict=True):
                assert got.value == pytest.approx(want, abs=1.5)
                assert got.low <= want <= got.high
    if sender == "network":  # two senders in one, no column of a knob: the trailer's is never seen
        assert "trailer_psi" not in told


@pytest.mark.parametrize("sender", SENDERS)
def test_without_an_order_the_one_that_explains_it_best_is_taken(drives, sender):
    one = drives["west"]
    rules = rulebook.rule_set("canada-west")
    every = [rulebook.procedure(name) for name in rulebook.procedure_ids()]
    assert find_stages(as_told(one, sender), every, rules, one.spec.unit).procedure.id == "canada-west"


def test_an_order_that_was_never_seen_is_understood_from_its_file(drives):
    """Warning and knobs first, then the fill, and the hold last: nothing of the finder knows it."""
    order = read_procedure(
        tomllib.loads(
            """
            format = "low-hiss-procedure/1"
            id = "backwards"
            title = { en = "Backwards", es = "Al revés" }
            steps = ["release", "low_air_warning", "spring_brakes", "safe_start", "build_up", "cut_out", "release",
                     "leak_applied"]
            """
        )
    )
    one = drives["west"]
    found = find_stages(as_told(one, "box"), [order], rulebook.rule_set("canada-west"), one.spec.unit)
    stages = dict(found.stages)
    assert all(stages.values())
    times = [stands.marks[0].at_s for stands in stages.values()]
    assert times == sorted(times)


@pytest.mark.parametrize(
    ("cut_out", "rate", "drop", "loss", "pop"),
    [(125.0, 0.7, 10.0, 1.0, 30.0), (118.0, 1.4, 16.0, 6.0, 38.0), (138.0, 0.35, 6.0, 0.0, 22.0)],
)
def test_a_model_of_straight_lines_is_read_too(cut_out, rate, drop, loss, pop):
    recording = plain_trace(cut_out, rate, drop, loss, pop)
    rules, unit = rulebook.rule_set("us-cdl"), spec_named("straight_truck").unit
    found = figures(find_stages(recording, [rulebook.procedure("static-only")], rules, unit))
    assert found["cut_out_psi"][0].value == pytest.approx(cut_out, abs=1.0)
    assert found["leak_applied"][0].value == pytest.approx(loss, abs=1.0)
    assert found["tractor_psi"][-1].low - 1 <= pop <= found["tractor_psi"][-1].high + 4


@pytest.mark.parametrize(("shift_s", "lag_s", "every"), [(0.0, 0.0, 1), (4321.0, 0.0, 1), (0.0, 0.5, 1), (0.0, 0.0, 3)])
def test_when_it_was_recorded_and_how_often_changes_no_verdict(drives, shift_s, lag_s, every):
    one = drives["leaking"]
    whole = as_told(one, "box")
    moved = Recording(
        whole.t_s[::every] + shift_s,
        {name: np.interp(whole.t_s[::every] - lag_s, whole.t_s, psi) for name, psi in whole.needles.items()},
        {name: flag[::every] for name, flag in whole.flags.items()},
    )
    rules = rulebook.rule_set("us-cdl")
    order = rulebook.procedure("us-full")
    was, now = (judge_recording(part, rules, one.spec.unit, order).verdict for part in (whole, moved))
    outcomes = [{stage: verdict.outcome for stage, verdict in one.standing().items()} for one in (was, now)]
    assert outcomes[0] == outcomes[1]
    assert (was.overall, outcomes[0]["leak_applied"]) == ("fail", "fail")


def test_a_number_astride_its_limit_is_left_open_and_says_so(drives):
    """Needles alone cannot say where a lamp came on: between two strokes lies the limit, so nobody is told a pass."""
    one = driven("tractor_semitrailer", "static-only", "warning_low:mild")
    judged = judge_recording(as_told(one, "network"), rulebook.rule_set("us-cdl"), one.spec.unit)
    warning = judged.verdict.standing()["low_air_warning"]
    assert warning.outcome == "not_done"
    assert [finding.code for finding in warning.findings if finding.code == "astride_limit"] == ["astride_limit"]
    assert judged.verdict.overall == "incomplete"


# one number at a time


def test_the_slopes_that_rounded_readings_allow_are_those_of_a_brute_search():
    rng = np.random.default_rng(7)
    for true in (0.0, -0.02, -0.15):
        t_s = np.arange(0.0, 60.0, 1.0)
        psi = np.round((110 + true * t_s + rng.uniform(-0.3, 0.3)) / STEP_PSI) * STEP_PSI
        bounds = slope_bounds(t_s, psi, STEP_PSI / 2)
        assert bounds.low - 1e-9 <= true <= bounds.high + 1e-9
        slopes = np.linspace(-0.4, 0.2, 4001)
        rest = psi[None, :] - slopes[:, None] * t_s[None, :]
        allowed = slopes[(rest.max(axis=1) - rest.min(axis=1)) <= STEP_PSI + 1e-9]
        assert bounds.low == pytest.approx(allowed.min(), abs=3e-4)
        assert bounds.high == pytest.approx(allowed.max(), abs=3e-4)
    assert slope_bounds(t_s, 110 + 20 * np.sin(t_s), STEP_PSI / 2) is None


def test_a_senders_steps_are_seen():
    rng = np.random.default_rng(3)
    smooth = 100 + np.cumsum(rng.normal(0, 0.1, 5000))
    assert steps_of(smooth) == 0.0
    assert steps_of(np.round(smooth / STEP_PSI) * STEP_PSI) == pytest.approx(STEP_PSI, rel=0.01)


def test_tests_are_found_in_days_of_driving(drives):
    """Two tests in three days, between which pressure goes up and down between cut-in and cut-out."""
    one = as_told(drives["us-full"], "network")
    hours = np.arange(0.0, 3 * 86_400.0, 1.0)
    psi = 112 + 12 * np.sin(hours / 40)
    for begins in (20_000.0, 180_000.0):
        at = np.searchsorted(hours, begins)
        part = np.interp(np.arange(0, one.t_s[-1]), one.t_s, one.needles["primary"])
        psi[at : at + part.size] = part
    sessions = find_sessions(Recording(hours, {"primary": psi}))
    assert len(sessions) == 2
    for session, begins in zip(sessions, (20_000.0, 180_000.0), strict=True):
        assert session.from_s <= begins + 300 <= session.to_s
    assert len(find_sessions(one)) == 1


@pytest.mark.parametrize(
    ("t_s", "psi", "says"),
    [
        ([0, 1], [100, 100], "this isn't a recording"),
        ([0, 2, 1, 3], [100, 100, 100, 100], "ascending order"),
        ([0, 1, 2, 3], [800, 810, 790, 800], "probably in kPa"),
        ([0, 1, 2, 3], [np.nan] * 4, "has no numbers"),
    ],
)
def test_what_no_vehicle_records_is_refused(t_s, psi, says):
    with pytest.raises(TraceError, match=says):
        Recording(np.array(t_s, float), {"primary_psi": np.array(psi, float)})


def test_holes_and_noise_are_lived_with(drives):
    one = drives["us-full"]
    whole = as_told(one, "box")
    rng = np.random.default_rng(1)
    keep = ~((whole.t_s > 130) & (whole.t_s < 150))
    torn = Recording(
        whole.t_s[keep],
        {name: np.where(rng.random(keep.sum()) < 0.01, np.nan, psi[keep]) for name, psi in whole.needles.items()},
        {name: flag[keep] for name, flag in whole.flags.items()},
    )
    found = figures(found_in(one, torn))
    assert found["leak_applied"][0].value == pytest.approx(truth_of(one)["leak_applied"][0], abs=1.0)
    assert all(one.low <= one.value <= one.high for one in itertools.chain(*found.values()))


@pytest.mark.parametrize(
    ("kind", "fault"),
    [
        ("tractor_semitrailer", "chamber_leak_tractor:severe"),
        ("tractor_semitrailer", "chamber_leak_trailer:severe"),
        ("straight_truck", "chamber_leak_tractor:severe"),
        ("bus", "chamber_leak_tractor:severe"),
    ],
)
def test_r1_the_minute_without_the_pedal_never_passes_for_the_one_with_it(kind, fault):
    """A torn diaphragm loses air only while the pedal is held: a rest with the pedal up says nothing of it."""
    one = driven(kind, "static-only", fault)
    recording = as_told(one, "needles")
    # only a rest before the pedal was ever held: a log that was cut there
    pressed = next(event["at_s"] for event in one.record["events"] if event["type"] == "pedal")
    cut = recording.between(float(recording.t_s[0]), pressed + 5)
    for part in (recording, cut):
        verdict = judge_recording(part, rulebook.rule_set("us-cdl"), one.spec.unit).verdict
        held = [stage.outcome for stage in verdict.stages if stage.stage == "leak_applied" and stage.stands]
        assert held != ["pass"]


def test_r3_a_day_of_driving_has_no_verdict():
    """It told FAIL: DO NOT DRIVE: pressures between cut-in and cut-out, strokes at lights, and no test."""
    rng = np.random.default_rng(7)
    t_s = np.arange(0.0, 4 * 3600.0)
    psi = 112 + 10 * np.sin(t_s / 170) - np.where(rng.random(t_s.size) < 0.02, 6, 0) + rng.normal(0, 0.2, t_s.size)
    day = Recording(t_s, {"primary": psi, "secondary": psi - 1})
    for session in find_sessions(day):
        found = judge_recording(
            day.between(session.from_s, session.to_s), rulebook.rule_set("us-cdl"), spec_named("straight_truck").unit
        )
        assert found.verdict.overall == "incomplete"
        assert {stage.outcome for stage in found.verdict.stages} == {"not_done"}

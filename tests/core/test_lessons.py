"""Each lesson driven by somebody who does it as it is taught, and by each of its mistakes; what a practice is worth.

What a lesson is about and what passes it is common practice among trainers, no source.
"""

from __future__ import annotations

import itertools
import tomllib

import pytest

from lowhiss import rulebook
from lowhiss.core.errors import CoreError
from lowhiss.core.practice import (
    Calls,
    PracticeError,
    Waste,
    drop_quality,
    mark_quality,
    read_lesson,
    score,
    square_of,
    time_quality,
)
from lowhiss.core.words import Words
from lowhiss.engine.debrief import debrief, diagnoses
from lowhiss.engine.debrief_words import debrief_text
from lowhiss.engine.practice import replay
from tests.core.driven import FINDS
from tests.core.trainee import trainee_of

LESSONS = rulebook.lessons()
SCORING = rulebook.scoring()
DRIVES = [
    # each lesson once in every run; its further drives where there is time
    pytest.param(lesson.id, place, marks=pytest.mark.long if place else ())
    for lesson in LESSONS.values()
    for place in range(len(lesson.drives))
]
SHOWS_IN = {
    ("dash", "oil_not_seen"): 1,
    ("full_air", "bad_called_good"): 1,
    ("needles", "bad_called_good"): 1,
    ("release", "short_wait"): 1,
    ("release", "bad_called_good"): 2,
    ("minute", "not_charged"): 1,
    ("minute", "bad_called_good"): 2,
    ("warning", "bad_called_good"): 1,
    ("knobs", "bad_called_good"): 2,
    ("which_way", "wrong_verdict_said"): 4,
    ("which_way", "bad_called_good"): 2,
    ("static", "bad_called_good"): 1,
    ("again", "third_failure_ignored"): 1,
    ("pull", "low_pressure_hold_test"): 1,
    ("pull", "bad_called_good"): 2,
    ("roll", "bad_called_good"): 2,
    ("bus", "bad_called_good"): 1,
    ("where", "bad_called_good"): 3,
    ("two_tongues", "limit_not_said"): 1,
    ("two_tongues", "reading_not_said"): 1,
    ("two_tongues", "cut_out_not_said"): 1,
    ("limits", "good_called_bad"): 2,
    ("west", "bad_called_good"): 1,
}
"""In which drive of its lesson a mistake can be made at all, where that is not the first."""
FAULTY_SEED = 4
"""Draws a torn diaphragm of the trailer's for the exam."""
FIRST = {code: lesson.id for lesson in reversed(LESSONS.values()) for code in lesson.mistakes}
BY_DRIVERS = frozenset().union(*FINDS.values())
"""Mistakes that the clumsy drivers of `test_airsystem` make in every run too."""
MISTAKES = [
    # each mistake once in every run, here or by a clumsy driver, and one in each lesson; the others where there is time
    pytest.param(
        lesson.id,
        code,
        marks=()
        if FIRST[code] == lesson.id and (code not in BY_DRIVERS or code == lesson.mistakes[0])
        else pytest.mark.long,
    )
    for lesson in LESSONS.values()
    for code in lesson.mistakes
    if lesson.drives[0].steps or FIRST[code] == lesson.id
]
"""Each mistake in each lesson; in one that is a whole test, where no lesson before treats it."""
SHOWN_BY = dict.fromkeys(
    (
        "cut_out_not_said",
        "limit_not_said",
        "reading_not_said",
        "wrong_limit_said",
        "unit_mixed",
        "single_gauge",
        "hold_short",
        "not_charged",
        "wrong_verdict_said",
        "order_changed",
        "chocks_missing",
        "no_closing",
        "left_unsafe",
    ),
    "leak_applied",
) | {"window_too_short": "build_up"}
"""By the end of which stage a mistake has shown: there is no need to drive on."""
COMES_WITH = {
    "started_in_gear": {"claimed_not_so", "chocks_left_in", "not_clear", "stalled"},
    "read_in_sweep": {"cut_out_not_said"},
    "clock_before_settle": {"settle_not_recorded", "short_wait"},
    "pedal_down": {"settle_not_recorded", "clock_before_settle", "short_wait"},
    "no_fresh_cut_out": {"not_charged"},
    "key_off": {"not_charged"},
    "did_not_ask": {"not_charged"},
    "reading_off": {"window_too_short", "end_above_start"},
    "no_tug": {"both_set"},
    "too_fast": {"over_revved"},
    "second_knob_missing": {"knobs_not_released"},
    "good_called_bad": {"inequality_backwards", "wrong_verdict_said"},
    "bad_called_good": {"inequality_backwards", "wrong_verdict_said"},
    "order_changed": {"limit_not_said", "reading_not_said", "did_not_ask", "knob_by_hand", "knobs_not_released"},
    "wrong_verdict_said": {"inequality_backwards"},
    "claimed_not_so": {"not_clear"},
    "left_cab_unsecured": {"not_clear", "chocks_missing"},
    "stalled": {"both_set"},
}
"""What one mistake brings about by itself."""
BY_ITSELF = {"claimed_not_so", "good_called_bad", "bad_called_good"}
"""Whatever was done wrongly may have been ticked as right, and may lead to a wrong call."""


@pytest.mark.parametrize(("lesson", "drive"), DRIVES)
def test_a_lesson_driven_as_it_is_taught_passes(lesson, drive):
    trainee = trainee_of(lesson, drive).drive_it()
    found = trainee.debrief()
    assert [one for one in found["criteria"] if not one["met"]] == []
    assert found["score"]["critical"] == []
    assert found["score"]["total"] >= SCORING.bands["nearly"]


@pytest.mark.parametrize(("lesson", "code"), MISTAKES)
def test_each_mistake_of_a_lesson_fails_it_with_its_own_advice(lesson, code):
    seed = FAULTY_SEED if lesson == "exam" and code in ("moved_after_fail", "bad_called_good") else 1
    found = trainee_of(lesson, SHOWS_IN.get((lesson, code), 0), code, seed).drive_it(SHOWN_BY.get(code, "")).debrief()
    made = {one["code"] for one in found["findings"]}
    assert code in made
    assert made - {code} <= COMES_WITH.get(code, set()) | BY_ITSELF
    assert not found["passed"]
    assert {"name": "never", "met": False, "params": {"mistake": code}} in found["criteria"]


def test_every_lesson_says_what_it_is_about_in_both_languages_and_follows_another():
    for before, lesson in itertools.pairwise(LESSONS.values()):
        assert lesson.after == before.id
        assert lesson.number == before.number + 1
    for lesson in LESSONS.values():
        assert all(lesson.title[language] and lesson.goal[language] for language in ("en", "es"))
        assert lesson.mistakes


def test_every_mistake_has_its_sentence_in_both_languages_and_a_lesson_that_treats_it():
    treated = {code for lesson in LESSONS.values() for code in lesson.mistakes}
    assert set(SCORING.mistakes) - treated == {"lamp_check_only"}  # named in two lessons, and nobody can make it there
    for row in SCORING.mistakes.values():
        assert row.group in SCORING.groups
        assert all(row.title[language] and row.advice[language] for language in ("en", "es"))


# scoring


ALL = Calls(due=11, made=11, taken=True, help={})


def whole(made, qualities=(1.0, 0.8), squares=("right", "right", "grey")):
    return score(SCORING, made, qualities, squares, ALL, Waste(10, 9, 2, 2))


def test_a_mistake_more_never_raises_a_score_and_their_order_says_nothing():
    codes = sorted(SCORING.mistakes)
    for size in (0, 1, 2, 5):
        for start in range(0, len(codes), 3):
            some = dict.fromkeys(codes[start : start + size], 1)
            before = whole(some)
            assert whole(dict(reversed(some.items()))) == before
            for code in codes:
                assert whole({**some, code: some.get(code, 0) + 1}).total <= before.total


def test_what_is_safety_critical_is_outweighed_by_nothing():
    for code, row in SCORING.mistakes.items():
        assert (whole({code: 1}, (1.0,), ("right",)).band == "not_yet") == row.critical


def test_the_whole_is_a_hundred_and_groups_that_were_not_asked_are_left_out():
    assert whole({}, (1.0,), ("right",)).total == 100
    silent = score(SCORING, {}, (1.0,), ("right",), Calls(11, 0, taken=False, help={}), None)
    assert silent.total == 100
    assert silent.share("words") is None


def test_qualities_fade_between_their_two_figures():
    assert mark_quality(SCORING, 0.5, 0.5) == 1
    assert mark_quality(SCORING, 3.0, -2.0) == 0
    assert mark_quality(SCORING, 2.0, 1.0) == pytest.approx(0.5)
    assert drop_quality(SCORING, 0.0, 22) == 1
    assert drop_quality(SCORING, 0.0, 0) == pytest.approx(0.7)
    assert time_quality(SCORING, 3.5) == pytest.approx(0.5)


@pytest.mark.parametrize(
    ("said", "own", "true", "square"),
    [
        ("good", "good", "good", "right"),
        ("good", "good", "bad", "measured_wrongly"),
        ("good", "bad", "bad", "reasoned_wrongly"),
        ("bad", "good", "bad", "lucky"),
        ("bad", "bad", "grey", "grey"),
        (None, "bad", "bad", "unsaid"),
        ("bad", None, "bad", "right"),
        ("good", None, "bad", "wrong"),
    ],
)
def test_the_squares_say_where_it_went_wrong(said, own, true, square):
    assert square_of(said, own, true) == square


# the debrief


@pytest.mark.parametrize("language", ["en", "es"])
def test_a_debrief_is_told_in_words_without_a_brace_left(language):
    trainee = trainee_of("minute", 2, "bad_called_good").drive_it()
    told = debrief_text(debrief(trainee.drive, trainee.marks), Words(language, "kpa"))["debrief"]
    assert told["headline"].startswith({"en": "The vehicle had a fault", "es": "El vehículo tenía una falla"}[language])
    assert "kPa" in told["headline"]
    assert told["next"]["advice"]
    assert told["road"]
    assert "{" not in str([one["text"] for one in told["criteria"]])


def test_a_debrief_of_the_same_log_is_the_same():
    trainee = trainee_of("knobs", 2).drive_it()
    again = replay(trainee.drive.saved_record(trainee.marks))
    assert debrief(again, trainee.marks) == debrief(trainee.drive, trainee.marks)


def test_late_and_misread_are_told_apart():
    late = trainee_of("warning", 0, "late_strike").drive_it()
    marked = [one for one in late.drive.after(late.marks)["marks"] if one["kind"] == "warning"]
    assert marked[0]["whose"] == "reaction"
    misread = trainee_of("full_air", 0, "reading_off").drive_it()
    read = [one for one in misread.drive.after(misread.marks)["marks"] if one["kind"] == "cut_out"]
    assert read[0]["whose"] == "reading"
    assert read[0]["eye_psi"] == pytest.approx(-8, abs=0.6)


def test_a_diagnosis_is_right_by_what_a_test_can_tell():
    trainee = trainee_of("where", 2).drive_it()
    assert trainee.debrief()["sheet"]["right"]
    assert {"cannot_tell", "none"} & set(diagnoses(["check_valve"])[0]["circuit"])
    assert diagnoses([])[0]["may_move"] == ("yes",)
    assert diagnoses(["coupling_leak:severe"])[0]["may_move"] == ("no",)


# bad input

GOOD = """
format = "low-hiss-lesson/1"
lesson = { id = "own", mode = "led", minutes = 5, rules = "us-cdl" }
title = { en = "Own", es = "Propia" }
goal = { en = "A goal", es = "Una meta" }
vehicle = { kind = "bus", gearbox = "automatic" }
steps = ["safe_start", "cut_out"]
start = { tanks_psi = 90 }
mistakes = ["late_strike"]
[passes]
said = ["cut_out"]
[[drives]]
faults = ["governor_low"]
"""


@pytest.mark.parametrize(
    ("was", "now", "says"),
    [
        ('"governor_low"', '"gremlin"', "'gremlin', which isn't a fault"),
        ('"late_strike"', '"laziness"', "'laziness', which isn't a mistake"),
        ('kind = "bus"', 'kind = "barge"', "'barge'; choose one of"),
        ('said = ["cut_out"]', 'said = ["tea"]', "'tea', which isn't a stage"),
        ('said = ["cut_out"]', "clean = 3", "must be true or false"),
        ('"safe_start", "cut_out"', '"safe_start"', "at least one stage"),
        ('format = "low-hiss-lesson/1"', 'format = "2"', "must be low-hiss-lesson/1"),
        ('[[drives]]\nfaults = ["governor_low"]', "", "needs 1 to 20 drives"),
        ("mistakes =", 'show = ["fireworks"]\nmistakes =', "'fireworks', which isn't a thing to show"),
        ("mistakes =", 'hide = ["the sun"]\nmistakes =', "'the sun', which isn't a thing to hide"),
        ("minutes = 5", "minutes = 5, colour = 2", "isn't a known field"),
    ],
)
def test_a_lesson_that_cannot_be_is_refused_in_a_sentence(was, now, says):
    names = rulebook.lesson_names()
    read_lesson(tomllib.loads(GOOD), names)
    assert was in GOOD
    with pytest.raises(PracticeError, match=says.replace("(", r"\(")):
        read_lesson(tomllib.loads(GOOD.replace(was, now)), names)


@pytest.mark.parametrize("traits", [{"wings": 2}, {"warning_psi": 500}, {"leaks": {"tyre": 3}}, {"priority": "yes"}])
def test_a_trait_that_cannot_be_is_refused(traits):
    choice = {**LESSONS["warning"].choice(0), "traits": traits}
    with pytest.raises(CoreError, match="traits"):
        replay({"format": "low-hiss-practice/1", "choice": choice, "controls": [], "ticks": 0})


@pytest.mark.parametrize(
    "marks", [{}, [{"type": "claim"}], [{"type": "claim", "at_s": "soon"}], [{"type": "claim", "at_s": 1, "value": []}]]
)
def test_marks_that_cannot_be_are_refused_by_their_place(marks):
    trainee = trainee_of("warning", 0)
    with pytest.raises(PracticeError, match="marks"):
        debrief(trainee.drive, marks)


def test_a_lessons_screen_shows_what_the_lesson_says():
    """Lesson 4 gives the wait clock once; 7 gives the calls twice; 13 and 15 read in kPa; 17 begins in both tongues."""
    release, knobs = LESSONS["release"], LESSONS["knobs"]
    assert [release.presents(drive)["wait_clock"] for drive in range(3)] == [True, False, False]
    assert [knobs.presents(drive)["calls"] for drive in range(4)] == [True, True, False, False]
    assert {one.id for one in LESSONS.values() if one.presents(0)["pressure"] == "kpa"} == {"bus", "west"}
    assert [LESSONS["two_tongues"].presents(drive)["both_languages"] for drive in range(2)] == [True, False]
    assert [one.id for one in LESSONS.values() if one.presents(0)["hands"]] == [
        "dash",
        "full_air",
        "needles",
        "release",
    ]

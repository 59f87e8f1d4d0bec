"""The words by heart: cards from the rules, fading, typed answers, and spacing against the FSRS package itself."""

from __future__ import annotations

import datetime as dt
import random
from typing import get_args

import pytest
from fsrs import Card as Spaced
from fsrs import Rating, Scheduler

from lowhiss import rulebook
from lowhiss.core.errors import CoreError
from lowhiss.core.practice.cards import CardKind, check, faded
from lowhiss.core.practice.numerals import amounts_in
from lowhiss.core.practice.spacing import Review, folded_reviews, pile, scheduler_for
from lowhiss.engine.cards import answered, deck, gone_wrong, today

NOW = dt.datetime(2026, 11, 27, 8, tzinfo=dt.UTC)
DAY = dt.timedelta(days=1)
ONES = (
    "zero one two three four five six seven eight nine ten eleven twelve thirteen fourteen fifteen sixteen seventeen "
    "eighteen nineteen"
)
TENS = "twenty thirty forty fifty sixty seventy eighty ninety"


def card_of(kind, stage=None, **licence):
    vehicle = {"kind": licence.pop("vehicle")} if "vehicle" in licence else {}
    return next(card for card in deck({**licence, **vehicle}) if card.kind == kind and stage in (None, card.stage))


@pytest.mark.parametrize(
    ("text", "amounts"),
    [
        ("four psi in sixty seconds", [(4, "psi"), (60, "s")]),
        ("One hundred and twenty to a hundred and forty", [(120, None), (140, None)]),
        ("two hundred kPa", [(200, "kpa")]),
        ("ciento veinte libras", [(120, "psi")]),
        ("treinta y cinco segundos", [(35, "s")]),
        ("veintidós o más", [(22, None)]),
        ("a combination, in a minute", [(1, "min")]),
        ("doscientos; 4,5 bar", [(200, None), (4.5, "bar")]),
        ("forty-five", [(45, None)]),
    ],
)
def test_numbers_are_read_in_both_languages(text, amounts):
    assert [(one.value, one.unit) for one in amounts_in(text)] == amounts


def test_every_number_word_from_0_to_200_is_read():
    """Against an independent spelling, made here from its parts."""
    ones, tens = ONES.split(), TENS.split()

    def spelt(n):
        if n < 20:
            return ones[n]
        if n < 100:
            return tens[n // 10 - 2] + (f" {ones[n % 10]}" if n % 10 else "")
        return f"{ones[n // 100]} hundred" + (f" and {spelt(n % 100)}" if n % 100 else "")

    assert [amounts_in(spelt(n))[0].value for n in range(201)] == list(range(201))


def test_cards_come_from_the_rules_in_either_language():
    english = card_of("limit", "leak_applied")
    spanish = card_of("limit", "leak_applied", back="es")
    assert "no more than four psi" in english.back
    assert "no debe perder más de cuatro psi" in spanish.back
    assert english.front.startswith("Applied leak test")
    assert english.key != spanish.key
    assert card_of("limit", "leak_applied", vehicle="bus").back != english.back
    assert {card.kind for card in deck({})} == set(get_args(CardKind))


def test_every_licence_has_cards_with_both_sides():
    for kind in ("bus", "tractor", "straight_truck", "tractor_semitrailer", "multi_trailer"):
        for rules in rulebook.rule_set_ids():
            cards = deck({"kind": kind, "rules": rules, "front": "en", "back": "es"})
            assert all(card.front and card.back for card in cards)
            assert len({card.key for card in cards}) == len(cards)


def test_a_sentence_fades():
    text = "With the pedal held, a combination may lose no more than four psi in one minute."
    assert faded(text, 0) == text
    assert faded(text, 1) == "With the pedal held, a combination may lose no more than ____ psi in ____ minute."
    assert faded(text, 2) == "With the pedal held, a combination may lose ____ ____ psi in ____ minute."
    assert faded(text, 3) == "W t p h, a c m l n m t _ p i _ m."
    assert faded("Con el pedal pisado, una combinación no debe perder más de cuatro psi en un minuto.", 3) == (
        "C e p p, u c n d p m d _ p e _ m."
    )
    assert faded(text, 4) == ""


@pytest.mark.parametrize(
    ("stage", "typed", "findings", "rating"),
    [
        ("leak_applied", "a combination may lose no more than 4 psi in one minute", (), 3),
        ("leak_applied", "no más de cuatro libras en un minuto", (), 3),
        ("leak_applied", "no more than 28 kPa in sixty seconds", (), 3),
        ("leak_applied", "it may not lose much in a minute", ("number_missing",), 2),
        ("leak_applied", "no more than 3 psi in a minute", ("wrong_kind",), 1),
        ("leak_applied", "no more than 9 psi in a minute", ("wrong_number",), 1),
        ("leak_applied", "no more than 4 kPa in a minute", ("unit_mixed",), 1),
        ("leak_applied", "no more than four psi in two minutes", ("wrong_time",), 1),
        ("leak_applied", "at least 4 psi in a minute", ("wrong_direction",), 1),
        ("leak_applied", "less than 4 psi in a minute", ("edge",), 2),
        ("low_air_warning", "light and buzzer at 55 or higher", (), 3),
        ("low_air_warning", "la luz y el zumbador a 55 psi o más", (), 3),
        ("low_air_warning", "light and buzzer at 55 or lower", ("wrong_direction",), 1),
        ("low_air_warning", "the light comes on at 55 or more", ("part_missing",), 2),
        ("low_air_warning", "", ("empty",), 1),
        ("spring_brakes", "between twenty and forty-five", (), 3),
    ],
)
def test_a_typed_answer_is_held_to_numbers_units_and_directions(stage, typed, findings, rating):
    checked = check(card_of("limit", stage), typed)
    assert (checked.findings, checked.rating) == (findings, rating)


def test_a_trio_wants_each_number_with_its_vehicle():
    trio = card_of("trio", "leak_applied")
    assert check(trio, "3, 4 and 6").rating == 3
    assert check(trio, "3, 6, 4").findings == ("swapped",)
    assert check(trio, "3 and 4").findings == ("number_missing",)


def test_what_is_wrong_is_said_in_words():
    key = card_of("limit", "leak_applied").key
    said = answered({}, key, "no more than 3 psi in a minute", "es")
    assert said["said"] == ["Ese es el número de un vehículo sencillo."]
    with pytest.raises(CoreError, match="the rules have changed"):
        answered({}, "gone", "3", "en")


# spacing


def reviews(*ratings, card="a", device="d", start=NOW, step=DAY):
    return [Review(card, rating, start + n * step, device, n) for n, rating in enumerate(ratings)]


def test_good_good_good_gives_the_published_intervals():
    """Ten minutes, two days, eleven days: the package's own default parameters, fuzz off."""
    scheduler = scheduler_for(None, NOW.date())
    at, gaps, told = NOW, [], []
    for n in range(3):
        told.append(Review("a", 3, at, "d", n))
        due = folded_reviews(told, scheduler, at)["a"].due
        gaps.append(due - at)
        at = due
    assert gaps == [dt.timedelta(minutes=10), 2 * DAY, 11 * DAY]


def test_the_fold_is_what_the_package_says_card_by_card():
    rng = random.Random(3)
    scheduler = Scheduler(desired_retention=0.9, enable_fuzzing=False)
    for _ in range(30):
        ratings = [rng.choice((1, 2, 3, 4)) for _ in range(rng.randint(1, 12))]
        told = reviews(*ratings, step=dt.timedelta(hours=rng.randint(1, 90)))
        card = Spaced(card_id=1)
        for one in told:
            card, _ = scheduler.review_card(card, Rating(one.rating), one.at)
        state = folded_reviews(told, scheduler_for(None, NOW.date()), NOW)["a"]
        assert state.due == card.due
        assert state.stability == pytest.approx(card.stability, abs=1e-9)


def test_two_devices_come_to_the_same_state_whatever_arrives_first():
    here, there = reviews(3, 1, 3, device="a"), reviews(3, 3, device="b", start=NOW + DAY / 2)
    scheduler = scheduler_for(None, NOW.date())
    orders = [[*here, *there], [*there, *here], [*reversed(here), *there, *here]]
    states = [folded_reviews(one, scheduler, NOW + 9 * DAY) for one in orders]
    assert states[0] == states[1] == states[2]


def test_a_level_is_gained_on_different_days_and_lost_at_once():
    scheduler = scheduler_for(None, NOW.date())
    level = lambda *ratings, **how: folded_reviews(reviews(*ratings, **how), scheduler, NOW)["a"].level  # noqa: E731
    assert level(3, 3, step=dt.timedelta(minutes=5)) == 0
    assert level(3, 3) == 1
    assert level(3, 3, 3, 3, 1) == 1


def test_an_examination_ahead_shortens_every_wait_and_brings_what_is_unsure():
    exam = NOW.date() + 9 * DAY
    far, near = scheduler_for(None, NOW.date()), scheduler_for(exam, NOW.date())
    told = reviews(3, 3, 4, 4)
    at = NOW + 4 * DAY
    assert folded_reviews(told, near, at)["a"].due <= at + 3 * DAY < folded_reviews(told, far, at)["a"].due
    states = folded_reviews(reviews(3, 3), far, NOW + 2 * DAY)
    evening = states["a"].due - dt.timedelta(hours=2)
    assert pile(["a"], states, evening, None)[0] == []
    states = folded_reviews(reviews(3, 3), far, evening)
    assert pile(["a"], states, evening, evening.date() + DAY)[0] == ["a"]


def test_a_day_has_twenty_cards_and_eight_new_ones_at_most():
    told = [one for n in range(30) for one in reviews(1, card=f"c{n}")]
    states = folded_reviews(told, scheduler_for(None, NOW.date()), NOW + DAY)
    keys = [f"c{n}" for n in range(30)]
    assert len(pile(keys, states, NOW + DAY, None)[0]) == 20
    fresh = pile([f"n{n}" for n in range(30)], {}, NOW, None)
    assert (len(fresh[0]), fresh[1]) == (8, 8)


@pytest.mark.parametrize(
    ("review", "says"),
    [
        ({"card": "a", "rating": 3, "at": "2026-11-27T08:00:00"}, "has no time zone"),
        ({"card": "a", "rating": 9, "at": "2026-11-27T08:00:00Z"}, "from 1 to 4"),
        ({"card": "a", "rating": 3, "at": "yesterday"}, "which isn't a time"),
    ],
)
def test_a_review_that_cannot_be_is_refused(review, says):
    with pytest.raises(CoreError, match=says):
        today({}, [review], NOW.isoformat(), None)


# cases


@pytest.mark.parametrize("rules", rulebook.rule_set_ids())
def test_a_case_is_good_where_the_judge_says_so_and_on_the_bound_the_rule_does(rules):
    """*No more than four* is good at four, *less than three* bad at three. 49 CFR and the CDL manual, from memory."""
    for kind in ("bus", "tractor_semitrailer", "multi_trailer"):
        cards = deck({"kind": kind, "rules": rules})
        for card in cards:
            if card.kind == "direction":
                place = card.key.split("|")[2].rsplit("-", 1)[1]
                strict = "less than" in card.front
                assert card.good is {"inside": True, "on": not strict, "outside": False}[place], card
                assert check(card, "good").rating == (3 if card.good else 1)
                assert check(card, "mal").findings == (("wrong_verdict",) if card.good else ())
        assert deck({"kind": kind, "rules": rules}) == cards


def test_a_reading_is_said_with_its_own_number():
    card = card_of("reading", "low_air_warning")
    shown = min(amount.value for amount in amounts_in(card.front.rsplit("show", 1)[1]))
    assert check(card, f"lamp and buzzer came on at {shown:g}").rating == 3
    assert check(card, f"lamp and buzzer came on at {shown + 1:g}").findings == ("wrong_number",)


def test_what_went_wrong_in_a_drive_comes_back_as_its_card():
    found = [("wrong_limit_said", "leak_applied"), ("late_strike", "cut_out"), ("no_closing", None)]
    choice = {"rules": "us-cdl", "procedure": None}
    back = gone_wrong(choice, found, "tractor_semitrailer")
    kinds = {language: sorted(key.split("|")[0] for key in keys) for language, keys in back.items()}
    assert kinds == {key: ["closing", "closing", "limit"] for key in ("en", "es")}
    assert set(back["en"]) <= {card.key for card in deck({})}
    assert gone_wrong(choice, [("late_strike", "cut_out")], "tractor_semitrailer") == {}

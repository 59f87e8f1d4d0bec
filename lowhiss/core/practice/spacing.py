"""When a card is due again: the published FSRS algorithm, folded over what was answered, in whatever order it came."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from fsrs import Card as Spaced
from fsrs import Rating, Scheduler

_MOST_A_DAY, _NEW_A_DAY = 20, 8
_LEVEL_MOST = 4
_LONGEST_DAYS = 36500
_GOOD = 3


@dataclass(frozen=True, slots=True)
class Review:
    """One answer. at : UTC.  rating : 1 again to 4 easy.  seq : the device's own count."""

    card: str
    rating: int
    at: dt.datetime
    device: str
    seq: int


@dataclass(frozen=True, slots=True)
class Standing:
    """How a card stands after its answers."""

    due: dt.datetime
    stability: float
    difficulty: float
    level: int
    reviews: int
    retrievability: float


def scheduler_for(exam_on: dt.date | None, today: dt.date) -> Scheduler:
    """With an examination ahead nothing waits longer than a third of the days that are left."""
    longest = _LONGEST_DAYS if exam_on is None else max(1, (exam_on - today).days // 3)
    return Scheduler(desired_retention=0.9, maximum_interval=longest, enable_fuzzing=False)


def folded_reviews(reviews: Iterable[Review], scheduler: Scheduler, now: dt.datetime) -> dict[str, Standing]:
    """The state of every card: the fold of its answers in order of time, device and count."""
    by_card: dict[str, list[Review]] = {}
    for one in sorted(set(reviews), key=lambda one: (one.at, one.device, one.seq)):
        by_card.setdefault(one.card, []).append(one)
    return {key: _fold(mine, scheduler, now) for key, mine in by_card.items()}


def _fold(reviews: Sequence[Review], scheduler: Scheduler, now: dt.datetime) -> Standing:
    card = Spaced(card_id=1)
    card.due = reviews[0].at
    level, good_days = 0, []
    for one in reviews:
        card, _ = scheduler.review_card(card, Rating(one.rating), one.at)
        if one.rating >= _GOOD:
            good_days.append(one.at.date())
            if len(set(good_days)) >= 2:
                level, good_days = min(_LEVEL_MOST, level + 1), []
        elif one.rating == 1:
            level, good_days = max(0, level - 1), []
    return Standing(
        due=card.due,
        stability=float(card.stability or 0.0),
        difficulty=float(card.difficulty or 0.0),
        level=level,
        reviews=len(reviews),
        retrievability=float(scheduler.get_card_retrievability(card, now)),
    )


def pile(
    cards: Sequence[str], states: Mapping[str, Standing], now: dt.datetime, exam_on: dt.date | None
) -> tuple[list[str], int]:
    """Today's cards, the longest due first and new ones last, and how many of them are new.

    The last two evenings before an examination every card that is not quite sure comes.
    """
    left = None if exam_on is None else (exam_on - now.date()).days
    unsure = 0.95

    def is_due(key: str) -> bool:
        state = states[key]
        return state.due <= now or (left is not None and 0 <= left <= 2 and state.retrievability < unsure)

    due = sorted((key for key in cards if key in states and is_due(key)), key=lambda key: states[key].due)
    fresh = [key for key in cards if key not in states][: min(_NEW_A_DAY, max(0, _MOST_A_DAY - len(due)))]
    today = [*due[:_MOST_A_DAY], *fresh]
    return today, len(fresh)

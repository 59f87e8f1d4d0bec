"""Cards about a case: a reading that is drawn, and what is said of it. The same draw for whoever has the same rules."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass

from lowhiss.core.fields import Language
from lowhiss.core.judge.common import compare
from lowhiss.core.rules import Limit, RuleSet, apply_bounds
from lowhiss.core.stages import STEP_TABLE, Stage, is_limited, stages_of
from lowhiss.core.vehicle import Unit
from lowhiss.core.words import Words


@dataclass(frozen=True, slots=True)
class Case:
    """A card of a drawn reading. good : what the limit says of it; None where nothing is judged."""

    key: str
    kind: str
    stage: Stage
    front: str
    back: str
    good: bool | None = None


Key = Callable[[str, str], str]
_PLACES = ("inside", "on", "outside")
_FARTHEST_PSI = {"holds": 2, "points": 7}
"""How far from the bound a drawn reading lies at most: a loss is small, a set point is not."""


def cases(
    rules: RuleSet,
    stages: tuple[Stage, ...],
    unit: Unit,
    words: Mapping[Language, Words],
    ways: tuple[Language, Language],
    key: Key,
) -> Iterator[Case]:
    """Which way a limit reads, the sentence of a reading, the sentence of a verdict; for each stage that has them.

    ways : the languages of front and back.
    """
    for stage in stages:
        limit = rules.limit_for(stage, unit) if is_limited(stage) else None
        if limit is None:
            continue
        yield from _directions(limit, unit, words, ways, key)
        yield from _readings(limit, unit, words, ways, key)


def _directions(
    limit: Limit, unit: Unit, words: Mapping[Language, Words], ways: tuple[Language, Language], key: Key
) -> Iterator[Case]:
    """A reading on either side of the bound and on it, and the verdict as it is said aloud."""
    front, back = ways
    bounds = [bound for bound in apply_bounds(limit, unit) if not bound.relative]
    if len(bounds) != 1 or len(limit.bounds) != 1 or limit.unit != "psi":
        return
    bound = bounds[0]
    far = 1 + _drawn(key("direction", limit.key), _FARTHEST_PSI["holds" if limit.hold_s else "points"])
    inside = 1 if bound.floor else -1
    sentences = STEP_TABLE[limit.stage].calls
    for place in _PLACES:
        value = max(0.0, bound.value + {"inside": inside * far, "on": 0, "outside": -inside * far}[place])
        good = compare(value, (bound,)).within
        asked = _ASK["direction"][front].format(
            stage=words[front].stage(limit.stage), value=f"{value:g}", limit=words[front].limit_text(limit, unit)
        )
        told = _ASK["good" if good else "bad"][back]
        yield Case(key("direction", f"{limit.key}-{place}"), "direction", limit.stage, asked, told, good)
        if place == "on" or "pass" not in sentences:
            continue
        said = _ASK["verdict"][front].format(stage=words[front].stage(limit.stage), value=f"{value:g}")
        sentence = sentences["pass" if good else "fail"][back]
        yield Case(key("verdict", f"{limit.key}-{place}"), "verdict", limit.stage, said, sentence)


def _readings(
    limit: Limit, unit: Unit, words: Mapping[Language, Words], ways: tuple[Language, Language], key: Key
) -> Iterator[Case]:
    """Two needles, and the sentence with their numbers: of a loss the larger, of a pressure the lower needle's."""
    front, back = ways
    sentence = STEP_TABLE[limit.stage].calls.get("reading")
    values = [bound.value for bound in apply_bounds(limit, unit) if not bound.relative]
    if sentence is None or not values or limit.unit != "psi" or "{first}" in sentence[back]:
        return
    draw = key("reading", limit.key)
    lost = _drawn(draw, 5)
    if limit.stage in stages_of("hold"):
        start = 100 + _drawn(draw + " start", 20)
        needles = f"{start} · {start + 1} → {start - lost} · {start + 1 - max(0, lost - 1)}"
        figure = f"{lost} psi"
    else:
        low = round(values[0]) + lost
        needles, figure = f"{low} · {low + 1}", f"{low} psi"
    asked = _ASK["reading"][front].format(stage=words[front].stage(limit.stage), needles=needles)
    yield Case(draw, "reading", limit.stage, asked, sentence[back].format(lost=figure, read=figure, first=figure))


def _drawn(what: str, most: int) -> int:
    """A number from 1 to ``most``, the same for the same card."""
    digest = hashlib.sha256(what.rsplit("|", 1)[0].encode()).digest()
    return 1 + int.from_bytes(digest[:4]) % most


_ASK: Mapping[str, Mapping[Language, str]] = {
    "direction": {
        "en": "{stage}: {value} psi. {limit} Good or bad?",
        "es": "{stage}: {value} psi. {limit} ¿Bien o mal?",
    },
    "good": {"en": "Good.", "es": "Bien."},
    "bad": {"en": "Bad.", "es": "Mal."},
    "verdict": {
        "en": "{stage}: {value} psi. Say the verdict.",
        "es": "{stage}: {value} psi. Diga el resultado.",
    },
    "reading": {
        "en": "{stage}: the needles show {needles}. Say it.",
        "es": "{stage}: las agujas marcan {needles}. Dígalo.",
    },
}

"""Every sentence exists in both languages with the same parameters, and figures read as a mechanic writes them."""

from __future__ import annotations

import ast
import inspect
import json
import pkgutil
import re
import string

import pytest
from hypothesis import given, settings

import lowhiss.core.judge
from lowhiss.core.fields import LANGUAGES
from lowhiss.core.findings import FINDINGS
from lowhiss.core.record import read_run
from lowhiss.core.record.model import EVENT_KINDS, ITEMS
from lowhiss.core.stages import STEP_TABLE
from lowhiss.core.units import PRESSURE_UNITS
from lowhiss.core.words import Figures, Words, english, spanish, verdict_record
from lowhiss.engine.judge_record import judge_by_all_rule_sets
from tests.builders import judged, leak_record, stage_of
from tests.conftest import ROOT
from tests.core.test_properties import wild_runs


def fields(template: str) -> set[str]:
    return {name for _, name, _, _ in string.Formatter().parse(template) if name}


def sentences(book: dict) -> list[tuple[str, str]]:
    """Every sentence of a book, by its path."""
    return [
        pair
        for key, value in book.items()
        for pair in (
            [(f"{key}.{part}", text) for part, text in value.items()] if isinstance(value, dict) else [(key, value)]
        )
    ]


BOOKS = [name for name, value in vars(english).items() if isinstance(value, dict) and name.isupper()]


@pytest.mark.parametrize("book", BOOKS)
def test_both_languages_say_the_same(book):
    english_book, spanish_book = getattr(english, book), getattr(spanish, book)
    pairs = dict(zip(sentences(english_book), sentences(spanish_book), strict=True))
    for (key, sentence), (spanish_key, translated) in pairs.items():
        assert key == spanish_key
        assert fields(sentence) == fields(translated), key


def words_in_the_judge() -> set[str]:
    """Every text that stands in the judge's sources, but for what documents them."""
    found = set()
    judging = [one.name for one in pkgutil.iter_modules(lowhiss.core.judge.__path__, "lowhiss.core.judge.")]
    for name in (*judging, "lowhiss.engine.recorded"):
        source = inspect.getsource(__import__(name, fromlist=["_"]))
        found |= {
            n.value for n in ast.walk(ast.parse(source)) if isinstance(n, ast.Constant) and isinstance(n.value, str)
        }
    return found


READERS = [Words(language, unit) for language in LANGUAGES for unit in PRESSURE_UNITS]


def test_every_code_of_the_table_is_one_that_the_judge_reports():
    assert FINDINGS.keys() <= words_in_the_judge()


@given(table=wild_runs())
@settings(max_examples=150)
def test_the_judge_reports_codes_of_the_table_with_the_parameters_of_their_sentences(table):
    for verdict in judge_by_all_rule_sets(read_run({**table, "purpose": "training"})):
        for finding in verdict.coach:
            assert finding.params.keys() >= FINDINGS[finding.code].params, finding.code
            for words in READERS:
                assert re.fullmatch(r"[^{}]+\.", words.finding(finding)), finding.code


def test_the_sentences_of_a_finding_take_the_same_parameters_in_both_languages():
    for code, row in FINDINGS.items():
        assert fields(row.en) == fields(row.es), code
        assert row.en.endswith((".", "}.")), code
        assert row.es.endswith("."), code


@pytest.mark.parametrize(
    ("start", "end", "duration_s", "line"),
    [
        (100, 97, 60, "100 → 97 psi in 60 s, 3.0 psi/min, limit 4, 1.0 to spare, reading error ±0.8"),
        (100, 96, 60.2, "100 → 96 psi in 60.2 s, 4.0 psi/min, limit 4, on the limit, reading error ±0.8"),
        (100, 95, 60, "100 → 95 psi in 60 s, 5.0 psi/min, limit 4, missed by 1.0, reading error ±0.8"),
        (
            100,
            93,
            120,
            "100 → 93 psi in 120 s, 3.5 psi/min, 3.5 psi in 60 s, limit 4, 0.5 to spare, reading error ±0.4",
        ),
        (100, 99, 40, "100 → 99 psi in 40 s, 1.5 psi/min"),
    ],
)
def test_the_arithmetic(start, end, duration_s, line):
    assert Words().arithmetic(stage_of(leak_record(start, end, duration_s=duration_s))) == line


def test_the_same_verdict_in_spanish_and_kilopascals():
    words = Words("es", "kpa")
    verdict = stage_of(leak_record(100, 97))
    assert words.arithmetic(verdict) == (
        "689 → 669 kPa en 60 s, 20.7 kPa/min, límite 27.6, 6.9 de sobra, error de lectura ±5.6"
    )
    assert words.limit(verdict.limit, verdict.bounds) == "no más de 27.6 kPa en 60 s"


def test_figures_lose_no_sign_and_show_no_false_precision():
    assert Figures("psi").difference(-1.25) == "−1.2 psi"
    assert Figures("bar").pressure(100) == "6.89 bar"
    assert Figures("kpa").reading(55) == "379"  # the published pair is 379 kPa / 55 psi, from memory


def test_the_verdict_record_has_the_documented_shape():
    table = verdict_record(judged(leak_record(100, 97)), Words())
    stage = table["stages"][0]
    assert table["format"] == "low-hiss-verdict/1"
    assert (table["overall"], table["limited"], table["required"]) == ("pass", 1, 1)
    assert (stage["outcome"], stage["margin"], stage["uncertainty"]) == ("pass", 1.0, 0.82)
    assert stage["limit"]["max"] == 4
    assert stage["limit"]["source"] == "US CDL manual, air brakes section (from memory)"


DETAILED = {
    "act_malformed",
    "calendar_unknown",
    "choice_unknown",
    "mark_malformed",
    "input_invalid",
    "json_invalid",
    "not_understood",
}
"""Refusals whose sentence names what was sent: the server's own words say more than any of ours could."""


def test_every_refusal_of_the_server_has_words_on_the_screen_in_the_other_language():
    sources = [path.read_text() for room in ("service", "api") for path in (ROOT / "lowhiss" / room).rglob("*.py")]
    said = set(
        re.findall(
            r'(?:(?<!System)(?<!Rule)(?<!Practice)Error|aside|answer)\(\s*(?:\w+, )?"([a-z_]+)"', "\n".join(sources)
        )
    )
    said |= set(re.findall(r'return "([a-z_]+)", f?"[A-Z]', "\n".join(sources)))
    screen = (ROOT / "web" / "src" / "shared" / "i18n" / "es" / "refusals.ts").read_text()
    worded = set(re.findall(r"^  ([a-z_]+):", screen, re.MULTILINE))
    of_files = {code for code in said if code.startswith("csv_")} - worded
    assert worded == said - DETAILED - of_files


SAYS_MORE = ("confirmed", "reading", "engine", "key", "knob", "pedal", "warning")
MARKS = (
    *({"type": kind} for kind in EVENT_KINDS if kind not in SAYS_MORE),
    *({"type": "confirmed", "item": item} for item in ITEMS),
    *({"type": "reading", "point": one.name} for row in STEP_TABLE.values() for one in row.prompts
      if one.reads and one.name not in ("warning", "popped")),
    *({"type": "knob", "knob": knob, "state": state, "cause": cause} for knob in ("tractor", "trailer")
      for state, cause in (("in", None), ("out", None), ("out", "popped"))),
    *({"type": kind, "state": state} for kind, states in (("engine", ("off", "running")), ("key", ("on", "off")),
      ("pedal", ("full", "released"))) for state in states),
    *({"type": "warning", **dict(zip(("lamp", "buzzer"), said, strict=True))}
      for said in ((True, True), (True, None), (None, True), (False, None))),
)  # fmt: skip


@pytest.mark.parametrize("language", LANGUAGES)
def test_every_mark_has_a_word_of_its_own(language):
    words = Words(language, "psi")
    told = {words.mark(mark): mark for mark in MARKS}
    assert words.book.MARKS["other"] not in told
    assert len(told) == len({json.dumps(mark, sort_keys=True) for mark in MARKS})
    assert words.mark({"type": "something newer"}) == words.book.MARKS["other"]

"""The words: each term has one name, and the search for words that are ruled out finds them."""

from __future__ import annotations

import importlib.util
import tomllib

import pytest

from lowhiss.core.stages import ACTIONS, STAGES, STEP_TABLE
from lowhiss.core.words.glossary import glossary_page
from lowhiss.service.people.rights import ROLES
from tests.conftest import ROOT


@pytest.fixture(scope="module")
def words():
    """`scripts/words.py`, which `./test` runs over every text."""
    spec = importlib.util.spec_from_file_location("words", ROOT / "scripts/words.py")
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


@pytest.mark.parametrize(
    ("kind", "text"),
    [
        ("texts", "It stops pumping at 125."),
        ("texts", "Leak-down, pedal up"),
        ("texts", "a rigid truck"),
        ("texts", "There is no such unit."),
        ("texts", "Strike when it comes"),
        ("docs", "It stands beside the report of the inspection."),
        ("es", "Deja de bombear a 125."),
        ("es", "Las perillas saltan."),
    ],
)
def test_a_word_that_is_ruled_out_is_found(words, kind, text):
    table = tomllib.loads((ROOT / "scripts/words.toml").read_text())
    assert any(one.pattern.search(text) for one in words.rulings(table) if kind in one.kinds)


def test_every_kind_of_text_is_searched(words):
    readers = (words.screen_texts, words.rule_book_texts, words.python_texts, words.page_texts)
    counts = [sum(1 for _ in reader()) for reader in readers]
    assert all(count > least for count, least in zip(counts, (3_000, 2_000, 1_500, 500), strict=True)), counts


def test_each_exception_is_still_needed_and_says_why(words):
    table = tomllib.loads((ROOT / "scripts/words.toml").read_text())
    readers = (words.screen_texts, words.rule_book_texts, words.python_texts, words.page_texts, words.names)
    everything = [text for reader in readers for text in reader()]
    for one in table["except"]:
        assert one["reason"]
        assert any(text.where.startswith(one["where"]) and one["text"] in text.text for text in everything), one


def test_sentences_are_counted_without_code_and_tables(words):
    page = (
        "# A heading\n\nOne two three four. Five six seven.\n\n```\nnot this at all here\n```\n\n| a b c | d e f g |\n"
    )
    assert [len(one.split()) for one in words.sentences(page)] == [4, 3, 3, 4]


def test_every_step_and_role_has_one_name_in_each_language():
    for language in ("en", "es"):
        names = [STEP_TABLE[step].title[language] for step in (*ACTIONS, *STAGES)]
        assert len(set(names)) == len(names)
        assert all(name[0].isupper() for name in names)
    page = glossary_page()
    assert all(f"| {role} |" in page for role in ROLES)
    assert (ROOT / "docs/glossary.md").read_text() == page

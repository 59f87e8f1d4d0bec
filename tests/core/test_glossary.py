"""The words: each term has one name, and no text uses a word that the glossary rules out."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator

import pytest

from lowhiss.core.findings import FINDINGS
from lowhiss.core.stages import ACTIONS, STAGES, STEP_TABLE
from lowhiss.core.vehicle import KIND_TABLE
from lowhiss.core.words import english, spanish
from lowhiss.core.words.glossary import TERMS, glossary_page
from lowhiss.service.people.rights import ROLES
from tests.conftest import ROOT

BOOKS = {"en": english, "es": spanish}
STRING = re.compile(r"""'((?:[^'\\\n]|\\.)*)'|"((?:[^"\\\n]|\\.)*)\"""")
IN_TOML = {language: re.compile(rf'\b{language} = "((?:[^"\\]|\\.)*)"') for language in BOOKS}
# a limit's own words are part of its rule set, by whose content tests were judged: they change with its next edition
OTHERWISE = {"lowhiss/rulebook/rules"}


def texts(language: str) -> Iterator[tuple[str, str]]:
    """Every text that somebody can meet in a language, and where it stands."""
    for code, row in FINDINGS.items():
        yield f"findings.py {code}", getattr(row, language)
    for name, table in vars(BOOKS[language]).items():
        if name.isupper():
            yield f"{BOOKS[language].__name__} {name}", json.dumps(table, ensure_ascii=False)
    for step, row in STEP_TABLE.items():
        said = [row.does, row.does_automatic, row.limit, *row.calls.values()]
        yield f"table.py {step}", " ".join(one[language] for one in said if one)
    for kind, row in KIND_TABLE.items():
        yield f"vehicle.py {kind}", row.title[language]
    for path in sorted((ROOT / "web/src/shared/i18n" / language).glob("*.ts")):
        for found in STRING.finditer(path.read_text()):
            yield path.name, found[1] or found[2] or ""
    for path in sorted((ROOT / "lowhiss/rulebook").rglob("*.toml")):
        if str(path.parent.relative_to(ROOT)) not in OTHERWISE:
            for found in IN_TOML[language].finditer(path.read_text()):
                yield path.name, found[1]


@pytest.mark.parametrize("language", BOOKS)
def test_no_text_uses_a_word_that_the_glossary_rules_out(language):
    ruled_out = [re.compile(one, re.IGNORECASE) for term in TERMS for one in getattr(term, f"avoid_{language}")]
    everything = list(texts(language))
    assert len(everything) > 1_500
    assert [(where, text) for where, text in everything for one in ruled_out if one.search(text)] == []


def test_the_words_that_are_ruled_out_are_found_where_they_stand():
    ruled_out = [re.compile(one, re.IGNORECASE) for term in TERMS for one in (*term.avoid_en, *term.avoid_es)]
    for text in ("It stops pumping at 125.", "Deja de bombear a 125.", "Leak-down, pedal up", "a rigid truck"):
        assert any(one.search(text) for one in ruled_out), text


def test_every_step_and_role_has_one_name_in_each_language():
    for language in BOOKS:
        names = [STEP_TABLE[step].title[language] for step in (*ACTIONS, *STAGES)]
        assert len(set(names)) == len(names)
        assert all(name[0].isupper() for name in names)
    page = glossary_page()
    assert all(f"| {role} |" in page for role in ROLES)
    assert (ROOT / "docs/glossary.md").read_text() == page

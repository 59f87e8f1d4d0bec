"""Rule sets as data: reading, deriving, refusing, identifying."""

from __future__ import annotations

import copy
import json
import shutil
import tomllib
from pathlib import Path

import pytest
from jsonschema import Draft202012Validator

from lowhiss import rulebook
from lowhiss.cli import main
from lowhiss.core.errors import RuleError
from lowhiss.core.procedure import read_procedure
from lowhiss.core.rules import Judging, RuleSet, read_rule_set
from lowhiss.exchange.rule_files import load_procedure, load_rule_set
from lowhiss.exchange.schemas import procedure_schema, rules_schema
from tests.builders import judged, leak_record, stage_of, whole_test

ROOT = Path(__file__).resolve().parents[2]

FLEET = """
format = "low-hiss-rules/1"
id = "marram-valley"
parent = "us-cdl"
acceptance = "guarded"
title = { en = "Marram Valley", es = "Marram Valley" }

[judging]
short_wait_s = 30

[[limit]]
key = "leak_applied.combination"
stage = "leak_applied"
unit = "psi"
when = { group = ["combination"] }
hold_s = 60
bounds = [{ at_most = 3 }]
source = { document = "fleet handbook", standing = "fleet" }
words = { en = "No more than three.", es = "No más de tres." }
"""


def read(text: str) -> RuleSet:
    return read_rule_set(tomllib.loads(text), rulebook.judging(), rulebook.rule_set)


def test_a_derived_set_overrides_single_limits_and_keeps_the_chain_of_sources():
    fleet, parent = read(FLEET), rulebook.rule_set("us-cdl")
    assert (fleet.parent, fleet.acceptance, fleet.judging.short_wait_s) == ("us-cdl", "guarded", 30)
    assert len(fleet.limits) == len(parent.limits)
    (limit,) = [limit for limit in fleet.limits if limit.key == "leak_applied.combination"]
    assert limit.source.document == "fleet handbook"
    assert limit.source.replaces == next(old for old in parent.limits if old.key == limit.key).source
    assert stage_of(leak_record(100, 96.9), rules=fleet).outcome == "fail"
    assert stage_of(leak_record(100, 96.9), rules=parent).outcome == "pass"
    grandchild = read_rule_set(
        {**tomllib.loads(FLEET), "id": "yard", "parent": "marram-valley"}, rulebook.judging(), lambda _: fleet
    )
    (twice,) = [limit for limit in grandchild.limits if limit.key == "leak_applied.combination"]
    assert twice.source.replaces == limit.source


def test_a_set_kept_whole_reads_back_the_same_without_its_parent():
    for rules in (*rulebook.rule_sets(), read(FLEET)):
        kept = json.loads(json.dumps(rules.as_dict()))
        again = read_rule_set(kept)
        assert again == rules
        assert again.content_hash == rules.content_hash


def test_the_hash_says_exactly_which_rules_judged():
    hashes = {rules.content_hash for rules in rulebook.rule_sets()}
    assert len(hashes) == 4
    changed = read(FLEET.replace("at_most = 3", "at_most = 3.1"))
    assert changed.content_hash != read(FLEET).content_hash == read(FLEET + "\n# a comment\n").content_hash


BAD = [
    ('id = "marram-valley"', 'id = "marram valley"', "id: must be 1 to 60 letters"),
    ('parent = "us-cdl"', 'parent = "us-lcd"', "'us-lcd' is not a built-in rule set; there are us-cdl"),
    ('"guarded"', '"strict"', "acceptance: must be one of simple, guarded, not 'strict'"),
    ('es = "Marram Valley"', 'fr = "Marram Valley"', "title.es: is missing"),
    ("short_wait_s = 30", "short_wait = 30", "judging.short_wait: isn't a known field"),
    ("short_wait_s = 30", 'short_wait_s = "30"', "judging.short_wait_s: must be a number, not '30'"),
    ('stage = "leak_applied"', 'stage = "leak"', "limit[0].stage: must be one of build_up"),
    (
        'stage = "leak_applied"',
        'stage = "leak_released"',
        "limit 'leak_applied.combination'.stage: must stay leak_applied",
    ),
    ("hold_s = 60\n", "", "limit[0].hold_s: goes with the leak stages, and a leak stage needs it"),
    ('unit = "psi"', 'unit = "s"', "limit[0].unit: must be s for build_up and psi for every other stage"),
    ('unit = "psi"', 'unit = "psi"\nwindow_psi = [85, 100]', "limit[0].window_psi: goes with build_up"),
    ("[{ at_most = 3 }]", "[]", "limit[0].bounds: needs at least one bound"),
    ("{ at_most = 3 }", "{ at_most = 3, below = 4 }", "limit[0].bounds[0]: needs exactly one of at_least, at_most"),
    ("{ at_most = 3 }", "{ most = 3 }", "limit[0].bounds[0]: needs exactly one of"),
    ('["combination"]', '["pair"]', "limit[0].when.group: must hold only single, combination, multi, not 'pair'"),
    ('standing = "fleet"', 'standing = "hearsay"', "limit[0].source.standing: must be one of published"),
    ("[[limit]]", "[[limits]]", "limits: isn't a known field"),
]


@pytest.mark.parametrize(("old", "new", "words"), BAD)
def test_a_bad_rule_file_is_refused_naming_table_and_key(old, new, words, tmp_path):
    assert old in FLEET
    path = tmp_path / "fleet.toml"
    path.write_text(FLEET.replace(old, new, 1))
    with pytest.raises(RuleError) as caught:
        load_rule_set(path, rulebook.judging(), rulebook.rule_set)
    assert words in str(caught.value)


def test_a_key_stands_once_and_broken_text_names_its_line(tmp_path):
    limit = FLEET[FLEET.index("[[limit]]") :]
    with pytest.raises(RuleError, match=r"'leak_applied\.combination': is given twice"):
        read(FLEET + limit)
    path = tmp_path / "broken.toml"
    path.write_text(FLEET + "\n[[[")
    with pytest.raises(RuleError, match=r"broken\.toml: isn't valid TOML: .*line"):
        load_rule_set(path, rulebook.judging(), rulebook.rule_set)
    path.write_bytes(b"\xff\xfe")
    with pytest.raises(RuleError, match="isn't UTF-8 text"):
        load_rule_set(path, rulebook.judging(), rulebook.rule_set)


def test_procedures_read_back_and_bad_ones_are_refused(tmp_path):
    for name in rulebook.procedure_ids():
        procedure = rulebook.procedure(name)
        assert read_procedure(json.loads(json.dumps(procedure.as_dict()))) == procedure
    path = tmp_path / "own.json"
    path.write_text(json.dumps({**rulebook.procedure("us-full").as_dict(), "steps": ["cut_out", "hum"]}))
    with pytest.raises(RuleError, match=r"steps\[1\]: must be one of safe_start, .* not 'hum'"):
        load_procedure(path)


def test_the_published_schemas_accept_what_the_app_ships_and_refuse_what_it_refuses():
    rules, procedures = Draft202012Validator(rules_schema()), Draft202012Validator(procedure_schema())
    for rule_set in rulebook.rule_sets():
        rules.validate(rule_set.as_dict())
    rules.validate(tomllib.loads(FLEET))
    for name in rulebook.procedure_ids():
        procedures.validate(rulebook.procedure(name).as_dict())
    # what only the app can know: ids, parents, and what belongs to which stage
    beyond_a_schema = {
        'id = "marram-valley"',
        'parent = "us-cdl"',
        'stage = "leak_applied"',
        "hold_s = 60\n",
        'unit = "psi"',
    }
    for old, new, _ in BAD:
        if old not in beyond_a_schema:
            assert not rules.is_valid(tomllib.loads(FLEET.replace(old, new, 1))), new


def test_every_judging_convention_is_documented():
    text = (rulebook.files("lowhiss.rulebook") / "judging.toml").read_text()
    for name in Judging.__dataclass_fields__:
        line = next(line for line in text.splitlines() if line.startswith(f"{name} "))
        assert "#" in line


def test_reading_changes_nothing_it_is_given():
    table = tomllib.loads(FLEET)
    before = copy.deepcopy(table)
    read_rule_set(table, rulebook.judging(), rulebook.rule_set)
    assert table == before


# the book


@pytest.fixture
def book(tmp_path, monkeypatch):
    """A copy of the rule book's folder, read instead of the real one."""
    copy = tmp_path / "rulebook"
    shutil.copytree(ROOT / "lowhiss" / "rulebook", copy)
    monkeypatch.setattr(rulebook, "_ROOT", copy)
    rulebook.forget()
    yield copy
    monkeypatch.undo()
    rulebook.forget()


def test_a_new_rule_set_and_a_new_procedure_are_a_file_each_and_nothing_else(book, capsys):
    (book / "rules" / "valley.toml").write_text(
        """
format = "low-hiss-rules/1"
id = "valley"
parent = "us-cdl"
[book]
order = 9
default_procedure = { single = "valley-order", combination = "valley-order", multi = "valley-order" }
[title]
en = "The valley's own"
es = "Las del valle"
[[limit]]
key = "low_air_warning"
stage = "low_air_warning"
unit = "psi"
bounds = [{ at_least = 62 }]
source = { document = "valley handbook", standing = "fleet" }
words = { en = "At 62 or higher.", es = "A 62 o más." }
"""
    )
    (book / "procedures" / "valley-order.toml").write_text(
        """
format = "low-hiss-procedure/1"
id = "valley-order"
steps = ["safe_start", "cut_out", "release", "low_air_warning"]
[book]
order = 0
[title]
en = "The valley's order"
es = "El orden del valle"
"""
    )
    assert rulebook.rule_set_ids() == ("us-cdl", "us-older", "us-federal", "canada-west", "valley")
    assert rulebook.procedure_ids()[0] == "valley-order"
    table = {**whole_test("bus"), "rules": "valley"}
    del table["procedure"]
    verdict = judged(table)
    assert [stage.stage for stage in verdict.stages][:2] == ["cut_out", "low_air_warning"]
    assert verdict.standing()["low_air_warning"].margin == 4  # 66 against 62
    told = rulebook.rule_sets()[-1]
    assert told.title["en"] == "The valley's own"
    assert set(rulebook.default_procedure_ids(told).values()) == {"valley-order"}
    assert main(["rules", "valley"]) == 0
    assert "62" in capsys.readouterr().out


def test_a_file_of_the_book_is_called_as_what_it_holds(book):
    (book / "rules" / "other.toml").write_text((book / "rules" / "us-cdl.toml").read_text())
    rulebook.forget()
    with pytest.raises(RuleError, match="called as what it holds"):
        rulebook.rule_set_ids()

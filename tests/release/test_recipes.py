"""Recipes of CONTRIBUTING.md, each followed in a copy of the package: what it names is all that it takes."""

from __future__ import annotations

import json
import os
import re
import shutil
import subprocess
import sys

import pytest

import lowhiss
from tests.builders import whole_test
from tests.conftest import ROOT

PACKAGE = ROOT / "lowhiss"


@pytest.fixture
def copy(tmp_path):
    """The package, to be changed."""
    shutil.copytree(PACKAGE, tmp_path / "lowhiss", ignore=shutil.ignore_patterns("static", "__pycache__"))
    return tmp_path


def run(copy, *command):
    """What a Python process prints that finds the copy alone."""
    env = {**os.environ, "PYTHONPATH": str(copy)}
    done = subprocess.run([sys.executable, *command], cwd=copy, env=env, capture_output=True, text=True, check=False)
    assert done.returncode in (0, 1, 2), done.stderr
    return done.stdout


def told(copy, code):
    """What an expression comes to in the copy."""
    assert str(copy) in run(copy, "-c", "import lowhiss; print(lowhiss.__file__)")
    return json.loads(run(copy, "-c", f"import json; from lowhiss import rulebook; print(json.dumps({code}))"))


def written_anew(path, name, *edits):
    """A file like this one beside it, under another name."""
    text = path.read_text()
    for was, now in edits:
        assert was in text, was
        text = text.replace(was, now, 1)
    path.with_name(f"{name}.toml").write_text(text)


def test_a_rule_set_is_its_one_file(copy):
    known = copy / "lowhiss" / "rulebook" / "rules" / "us-cdl.toml"
    written_anew(known, "our-yard", ('id = "us-cdl"', 'id = "our-yard"'), ("order = 1", "order = 90"))
    assert told(copy, "rulebook.rule_set_ids()")[-1] == "our-yard"
    (copy / "run.json").write_text(json.dumps(whole_test()))
    verdict = json.loads(run(copy, "-m", "lowhiss.cli", "judge", "run.json", "--rules", "our-yard"))
    assert (verdict["rules"], bool(verdict["stages"])) == ("our-yard", True)


def test_a_limit_is_its_table_in_a_rule_set(copy):
    known = copy / "lowhiss" / "rulebook" / "rules" / "us-cdl.toml"
    text = known.read_text()
    (copy / "run.json").write_text(json.dumps(whole_test()))

    def said():
        return run(copy, "-m", "lowhiss.cli", "rules", "us-cdl")

    before = said()
    known.write_text(text.replace("bounds = [{ at_most = 45 }]", "bounds = [{ at_most = 44 }]", 1))
    assert said() != before
    assert "44" in said()


def test_a_procedure_is_its_one_file(copy):
    known = copy / "lowhiss" / "rulebook" / "procedures" / "static-only.toml"
    written_anew(known, "our-order", ('id = "static-only"', 'id = "our-order"'))
    assert "our-order" in told(copy, "rulebook.procedure_ids()")
    assert "minutes" in run(copy, "-m", "lowhiss.cli", "plan", "--procedure", "our-order", "--json")


def test_a_lesson_is_its_one_file(copy):
    lessons = copy / "lowhiss" / "rulebook" / "lessons"
    last = max(lessons.glob("*.toml"))
    was = re.search(r'id = "(\w+)", number = (\d+), after = "(\w+)"', last.read_text())
    number = int(was[2]) + 1
    now = f'id = "our_lesson", number = {number}, after = "{was[1]}"'
    written_anew(last, f"{number}-our-lesson", (was[0], now))
    assert list(told(copy, "{name: one.number for name, one in rulebook.lessons().items()}"))[-1] == "our_lesson"


def test_an_item_is_its_table_in_one_file(copy):
    (copy / "lowhiss" / "rulebook" / "round" / "items" / "ours.toml").write_text(
        """
order = 45

[[item]]
id = "our_bracket"
zone = "axle"
name = { en = "Our bracket", es = "Nuestro soporte" }
gn = "ms"
kinds = "all"
on = ["unit"]
axles = { steer = "always", drive = "always", trailer = "never" }
block = "suspension"
check = ["secure"]
seconds = 3
repeat = "end"
group = "spring_mount"
in = ["exam", "daily"]
"""
    )
    assert "our_bracket" in told(copy, "list(rulebook.rounds().items)")


def test_the_recipes_stand_where_they_are_looked_for():
    text = (ROOT / "CONTRIBUTING.md").read_text()
    for recipe in ("A limit", "A rule set or a procedure", "A lesson", "An item"):
        assert f"**{recipe}" in text, recipe
    assert lowhiss.__version__ in (ROOT / "lowhiss" / "__init__.py").read_text()

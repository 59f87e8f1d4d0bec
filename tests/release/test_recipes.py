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


def cli(copy, *arguments):
    """What the command line of the copy prints."""
    return run(copy, "-m", "lowhiss.cli", *arguments)


def changed(path, *edits):
    """Each text gives way to another, once."""
    text = path.read_text()
    for was, now in edits:
        assert was in text, was
        text = text.replace(was, now, 1)
    path.write_text(text)


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
    verdict = json.loads(cli(copy, "judge", "run.json", "--rules", "our-yard"))
    assert (verdict["rules"], bool(verdict["stages"])) == ("our-yard", True)


def test_a_limit_is_its_table_in_a_rule_set(copy):
    known = copy / "lowhiss" / "rulebook" / "rules" / "us-cdl.toml"
    text = known.read_text()
    (copy / "run.json").write_text(json.dumps(whole_test()))

    def said():
        return cli(copy, "rules", "us-cdl")

    before = said()
    known.write_text(text.replace("bounds = [{ at_most = 45 }]", "bounds = [{ at_most = 44 }]", 1))
    assert said() != before
    assert "44" in said()


def test_a_procedure_is_its_one_file(copy):
    known = copy / "lowhiss" / "rulebook" / "procedures" / "static-only.toml"
    written_anew(known, "our-order", ('id = "static-only"', 'id = "our-order"'))
    assert "our-order" in told(copy, "rulebook.procedure_ids()")
    assert "minutes" in cli(copy, "plan", "--procedure", "our-order", "--json")


def test_a_lesson_is_its_one_file(copy):
    lessons = copy / "lowhiss" / "rulebook" / "lessons"
    last = max(lessons.glob("*.toml"))
    was = re.search(r'id = "(\w+)", number = (\d+), after = "(\w+)"', last.read_text())
    number = int(was[2]) + 1
    now = f'id = "our_lesson", number = {number}, after = "{was[1]}"'
    written_anew(last, f"{number}-our-lesson", (was[0], now))
    assert list(told(copy, "{name: one.number for name, one in rulebook.lessons().items()}"))[-1] == "our_lesson"


def test_an_item_is_its_table_in_one_file(copy):
    (copy / "lowhiss" / "rulebook" / "inspection" / "items" / "ours.toml").write_text(
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
    assert "our_bracket" in told(copy, "list(rulebook.inspections().items)")


def test_the_recipes_stand_where_they_are_looked_for():
    text = (ROOT / "CONTRIBUTING.md").read_text()
    for recipe in ("A limit", "A rule set", "A lesson", "An item", "A stage", "A kind", "A finding", "A filter"):
        assert f"**{recipe}" in text, recipe
    assert lowhiss.__version__ in (ROOT / "lowhiss" / "__init__.py").read_text()


def test_a_stage_with_its_limit_is_four_places(copy):
    package = copy / "lowhiss"
    changed(package / "core/stages/model.py", ('"leak_applied", ', '"leak_applied", "leak_supply", '))
    table = package / "core/stages/table.py"
    row = re.search(r'    "leak_applied": StepRow\(\n.*?\n    \),\n', table.read_text(), re.DOTALL)[0]
    ours = row.replace("leak_applied", "leak_supply").replace("pedal held", "supply shut")
    changed(table, (row, row + ours.replace("With the pedal held", "With the supply shut")))
    rules = package / "rulebook/rules/us-cdl.toml"
    limit = re.search(r'\[\[limit\]\]\nkey = "leak_applied.single"\n.*?\n\n', rules.read_text(), re.DOTALL)[0]
    unworded = re.sub(r"words\..*\n", "", limit).replace("leak_applied", "leak_supply")
    changed(rules, (limit, limit + unworded.replace("at_most = 3", "at_most = 7")))
    changed(package / "rulebook/procedures/static-only.toml", ('"leak_applied",', '"leak_applied",\n  "leak_supply",'))

    assert "With the supply shut, a single vehicle may lose no more than 7 psi" in cli(copy, "rules", "us-cdl")
    cli(copy, "simulate", "--unit", "bus", "--procedure", "static-only", "--rules", "us-cdl", "--out", "ours")
    verdict = json.loads(cli(copy, "judge", "ours.run.json"))
    held = next(stage for stage in verdict["stages"] if stage["stage"] == "leak_supply")
    assert held["outcome"] == "pass"
    assert "Applied leak test, supply shut" in cli(copy, "judge", "ours.run.json", "--text")
    # the desk of rules weighs it as well
    checked = (
        "from lowhiss.core.vehicle import Unit\nfrom lowhiss.core.words import Words\n"
        "from lowhiss.engine.editor.comparison import side_by_side\nfrom lowhiss.rulebook import rule_sets\n"
        "print([row.title for row in side_by_side(rule_sets(), Unit('bus'), Words('en'))])"
    )
    assert "supply shut" in run(copy, "-c", checked)


def test_a_kind_of_unit_is_its_row_its_file_and_its_path(copy):
    package = copy / "lowhiss"
    row = 'KindRow("single", "never", {"en": "coach", "es": "autocar"})'
    changed(
        package / "core/vehicle.py",
        ('UnitKind = Literal["straight_truck", "bus",', 'UnitKind = Literal["straight_truck", "bus", "coach",'),
        ('PowerKind = Literal["straight_truck", "bus",', 'PowerKind = Literal["straight_truck", "bus", "coach",'),
        ('    "tractor": KindRow(', f'    "coach": {row},\n    "tractor": KindRow('),
    )
    kinds = package / "rulebook/kinds"
    (kinds / "coach.toml").write_text(
        (kinds / "bus.toml").read_text().replace("cut_out_psi = 125", "cut_out_psi = 122")
    )
    changed(package / "rulebook/inspection/ways.toml", ('kinds = ["bus"]', 'kinds = ["bus", "coach"]'))

    assert "minutes" in cli(copy, "plan", "--kind", "coach")
    cli(copy, "simulate", "--unit", "coach", "--out", "ours")
    verdict = json.loads(cli(copy, "judge", "ours.run.json"))
    full = next(stage for stage in verdict["stages"] if stage["stage"] == "cut_out")
    assert (verdict["overall"], round(full["measured"]["psi"])) == ("pass", 121)
    assert told(copy, "len(rulebook.inspections().paths['coach'])") > 0
    assert told(copy, "rulebook.driving().kind('coach')['drive_wheels']") == 2


def test_a_finding_is_its_row_and_the_judges_line(copy):
    package = copy / "lowhiss"
    row = '    "very_short": FindingCode("minor", "Held for no {hold_s} s.", "No sostuvo {hold_s} s."),\n'
    changed(package / "core/findings.py", ('    "no_number": FindingCode(', f'{row}    "no_number": FindingCode('))
    leak = package / "core/judge/leak.py"
    short = re.search(r'( +)verdict\.find\("hold_short".*\n', leak.read_text())
    changed(leak, (short[0], f'{short[0]}{short[1]}verdict.find("very_short", hold_s=hold_s)\n'))
    (copy / "run.json").write_text((ROOT / "docs/examples/mv-09-hold-short-void.json").read_text())
    assert "Held for no 60 s." in cli(copy, "judge", "run.json", "--text")


def test_a_filter_of_the_log_is_one_field_of_the_service(copy):
    """In the web it is its name in `wanted.ts` and a word in each language, which the types hold together."""
    log = copy / "lowhiss/service/runs/log.py"
    changed(log, ("    recorded: bool = False\n", "    recorded: bool = False\n    close_call: bool = False\n"))
    asked = (
        "from lowhiss.service.runs.log import Wanted, _conditions\n"
        "print(*_conditions(None, Wanted.model_validate({'close_call': 'yes'})))"
    )
    assert "run.close_call = true" in run(copy, "-c", asked)

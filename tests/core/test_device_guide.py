"""The guide on the device answers as the core's does: thousands of seeded walks, Python against TypeScript in Node."""

from __future__ import annotations

import json
import random
import shutil
import subprocess
from itertools import product

import pytest

from lowhiss import rulebook
from lowhiss.core.procedure.guide import Guide, led_order
from lowhiss.core.script import compile_script
from lowhiss.core.vehicle import UNIT_KINDS, Unit
from tests.conftest import ROOT
from tests.walks import answer, walk

WALKS_OF_ORDER = 50
LOOKS_AT_WALK = 4
READ_OF_SCRIPT = ("needs", "effects", "aside", "fresh", "fill_after", "steps", "refill")


def orders():
    """Every procedure on every kind of unit, with either gearbox and with a trailer knob or without."""
    for number, (name, kind) in enumerate(product(rulebook.procedure_ids(), UNIT_KINDS)):
        gearbox = ("manual", "automatic", None)[number % 3]
        yield rulebook.procedure(name), Unit(kind, gearbox=gearbox, trailer_knob=number % 2 == 0)


def answers_along(order, events, looks):
    """The core's answers after so many of the events."""
    guide = Guide(order)
    answers = {0: answer(guide.lead())}
    for n, event in enumerate(events, start=1):
        guide.take(event)
        if n in looks:
            answers[n] = answer(guide.lead())
    return [answers[n] for n in looks]


@pytest.mark.parametrize("walks_of_order", [3, pytest.param(WALKS_OF_ORDER, marks=pytest.mark.long)])
def test_the_device_leads_as_the_core_does_wherever_a_run_wanders(walks_of_order):
    questions, answers = [], []
    for seed, (procedure, unit) in enumerate(orders()):
        rng = random.Random(seed)
        order = led_order(procedure, unit)
        script = compile_script(procedure, rulebook.rule_set("us-cdl"), unit, rulebook.planning(unit.kind))
        asked, told = [], []
        for _ in range(walks_of_order):
            events = walk(order, unit, rng, rng.choice((0.0, 0.1, 0.25, 0.5)))
            looks = sorted({0, len(events), *(rng.randrange(len(events) + 1) for _ in range(LOOKS_AT_WALK))})
            asked.append({"events": events, "looks": looks})
            told.append(answers_along(order, events, looks))
        questions.append(json.dumps({"order": {key: script[key] for key in READ_OF_SCRIPT}, "walks": asked}))
        answers.append(told)
    node = shutil.which("node")
    assert node is not None, "./test installs it"
    ran = subprocess.run(
        [node, str(ROOT / "web" / "scripts" / "guide.mjs")],
        input="\n".join(questions),
        capture_output=True,
        text=True,
        check=True,
        timeout=300,
    )
    on_device = [json.loads(line) for line in ran.stdout.splitlines()]
    for number, (core, device) in enumerate(zip(answers, on_device, strict=True)):
        assert core == device, f"order {number}"

"""The published schemas say what the app reads: no more, no less, as far as a schema can."""

from __future__ import annotations

import json

import pytest
from hypothesis import given, settings
from jsonschema import Draft202012Validator

from lowhiss import rulebook
from lowhiss.core.errors import RecordError
from lowhiss.core.inspections import INSPECTION_FORMAT, MARK_TYPES, read_inspection
from lowhiss.core.record import read_run
from lowhiss.core.words import Words, verdict_record
from lowhiss.exchange.schemas import inspection_schema, run_schema
from tests.builders import at, judged, leak_record, reading, record, whole_test
from tests.conftest import ROOT
from tests.core.test_properties import wild_runs

INSPECTIONS = Draft202012Validator(inspection_schema())
RUNS = Draft202012Validator(run_schema())
VERDICTS = Draft202012Validator(json.loads((ROOT / "docs/schemas/low-hiss-verdict-1.json").read_text()))


@given(table=wild_runs())
@settings(max_examples=40)
def test_what_the_app_judges_the_schemas_accept(table):
    RUNS.validate(table)
    VERDICTS.validate(verdict_record(judged(table), Words()))


@pytest.mark.parametrize("path", sorted((ROOT / "docs/examples").glob("*.json")), ids=lambda path: path.stem)
def test_the_shipped_examples(path):
    table = json.loads(path.read_text())
    (INSPECTIONS if table["format"] == INSPECTION_FORMAT else RUNS).validate(table)


def test_every_mark_of_an_inspection_has_a_schema_and_the_schema_refuses_what_the_app_refuses():
    good = json.loads((ROOT / "docs/examples/mv-05-inspection-stays.json").read_text())
    kinds = {one["properties"]["type"]["const"] for one in inspection_schema()["properties"]["marks"]["items"]["oneOf"]}
    assert kinds == set(MARK_TYPES)
    for mark in (
        {"at_s": 1, "type": "danced"},
        {"at_s": 1, "type": "answer", "asks": [], "answer": "right"},
        {"at_s": 1, "type": "answer", "asks": ["floor@P"], "answer": "from_run"},
        {"at_s": 1, "type": "answer", "asks": ["floor@P"], "answer": "right", "colour": "red"},
        {"at_s": 1, "type": "axles", "axles": [{"role": "front"}]},
    ):
        table = {**good, "marks": [mark]}
        assert not INSPECTIONS.is_valid(table)
        with pytest.raises(RecordError):
            read_inspection(table, rulebook.inspections())


@pytest.mark.parametrize(
    "table",
    [
        record([at(1, "engine")]),
        record([at(1, "engine", state="idling")]),
        record([at(-1, "key", state="on")]),
        record([at(1, "hoot")]),
        record([at(1, "pedal", state="full", colour="red")]),
        record([reading(1, "cut_out", "cut_out", 201)]),
        record([at(1, "said", what="limit:lunch")]),
        {**leak_record(100, 99), "unit": {"kind": "barge"}},
        {**leak_record(100, 99), "format": "low-hiss-run/2"},
        {**whole_test(), "gauges": {"resolution_psi": 0}},
    ],
)
def test_what_the_app_refuses_the_schema_refuses(table):
    assert not RUNS.is_valid(table)
    with pytest.raises(RecordError):
        read_run(table)

"""The published schemas say what the app reads: no more, no less, as far as a schema can."""

from __future__ import annotations

import json

import pytest
from hypothesis import given, settings
from jsonschema import Draft202012Validator

from lowhiss.core.errors import RecordError
from lowhiss.core.record import read_run
from lowhiss.core.words import Words, verdict_record
from lowhiss.exchange.schemas import run_schema
from tests.builders import at, judged, leak_record, reading, record, whole_test
from tests.conftest import ROOT
from tests.core.test_properties import wild_runs

RUNS = Draft202012Validator(run_schema())
VERDICTS = Draft202012Validator(json.loads((ROOT / "docs/schemas/low-hiss-verdict-1.json").read_text()))


@given(table=wild_runs())
@settings(max_examples=40)
def test_what_the_app_judges_the_schemas_accept(table):
    RUNS.validate(table)
    VERDICTS.validate(verdict_record(judged(table), Words()))


@pytest.mark.parametrize("path", sorted((ROOT / "docs/examples").glob("*.json")), ids=lambda path: path.stem)
def test_the_shipped_examples(path):
    RUNS.validate(json.loads(path.read_text()))


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

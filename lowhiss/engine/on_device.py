"""The judge as a device carries it: the same core, asked in JSON and answering in JSON, without a server."""

from __future__ import annotations

import json

from lowhiss.core.fields import Language
from lowhiss.core.record import read_run
from lowhiss.core.units import PressureUnit
from lowhiss.core.words import Words
from lowhiss.engine.judging import judge_record, sheet_of


def judge(record: str, language: Language, unit: PressureUnit) -> str:
    """What the server's sheet says of a run, from its run record as JSON text. Raises CoreError, ValueError."""
    run = read_run(json.loads(record))
    return json.dumps(sheet_of(judge_record(run), Words(language, unit)))

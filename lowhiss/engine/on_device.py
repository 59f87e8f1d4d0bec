"""The judge as a device carries it: the same core, asked in JSON and answering in JSON, without a server."""

from __future__ import annotations

import json

from lowhiss.core.fields import Language
from lowhiss.core.record import read_run
from lowhiss.core.rounds import read_round
from lowhiss.core.units import PressureUnit
from lowhiss.core.words import Words
from lowhiss.engine.judging import judge_record, sheet_of
from lowhiss.engine.rounds import run_marks, script_of, state_of, state_table
from lowhiss.rulebook import rounds


def round_state(record: str, run: str, language: Language, unit: PressureUnit) -> str:
    """How a round stands, from its record and that of the air test beside it. Raises CoreError, ValueError.

    run : the run record as JSON text with ``offset_s``, its begin in the round's time [s]; empty for none.
    """
    read = read_round(json.loads(record), rounds())
    beside = json.loads(run) if run else {}
    marks = run_marks(beside.get("events", []), beside.get("offset_s", 0.0))
    return json.dumps(state_table(read, state_of(read, run=marks), Words(language, unit)))


def round_script(record: str, language: Language, unit: PressureUnit) -> str:
    """What leads a round from here on, from its record. Raises CoreError, ValueError."""
    return json.dumps(script_of(read_round(json.loads(record), rounds()), Words(language, unit)))


def judge(record: str, language: Language, unit: PressureUnit) -> str:
    """What the server's sheet says of a run, from its run record as JSON text. Raises CoreError, ValueError."""
    run = read_run(json.loads(record))
    return json.dumps(sheet_of(judge_record(run), Words(language, unit)))

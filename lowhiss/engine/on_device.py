"""The judge as a device carries it: the same core, asked in JSON and answering in JSON, without a server."""

from __future__ import annotations

import json

from lowhiss.core.airsystem import FROM_OUTSIDE
from lowhiss.core.fields import Language
from lowhiss.core.inspections import read_inspection
from lowhiss.core.practice import PracticeError
from lowhiss.core.record import read_run
from lowhiss.core.units import PressureUnit
from lowhiss.core.words import Words
from lowhiss.engine.cards import answered, today
from lowhiss.engine.debrief import debrief
from lowhiss.engine.debrief_words import debrief_text
from lowhiss.engine.inspections import run_marks, script_of, state_of, state_table
from lowhiss.engine.judge_record import judge_record, report_of
from lowhiss.engine.lessons import lesson_list, lesson_texts
from lowhiss.engine.practice import Drive, lesson_of, new_code, possible_faults, resume
from lowhiss.engine.simulation import spec_named, spec_of_table
from lowhiss.rulebook import air_data, inspections, practice


def inspection_state(record: str, run: str, language: Language, unit: PressureUnit) -> str:
    """How an inspection stands, from its record and that of the air test beside it. Raises CoreError, ValueError.

    run : the run record as JSON text with ``offset_s``, its begin in the inspection's time [s]; empty for none.
    """
    read = read_inspection(json.loads(record), inspections())
    beside = json.loads(run) if run else {}
    marks = run_marks(beside.get("events", []), beside.get("offset_s", 0.0))
    return json.dumps(state_table(read, state_of(read, run=marks), Words(language, unit)))


def inspection_script(record: str, language: Language, unit: PressureUnit) -> str:
    """What leads an inspection from here on, from its record. Raises CoreError, ValueError."""
    return json.dumps(script_of(read_inspection(json.loads(record), inspections()), Words(language, unit)))


def judge(record: str, language: Language, unit: PressureUnit) -> str:
    """What the server's report says of a run, from its run record as JSON text. Raises CoreError, ValueError."""
    run = read_run(json.loads(record))
    return json.dumps(report_of(judge_record(run), Words(language, unit)))


def cards_today(licence: str, reviews: str, now: str, exam_on: str) -> str:
    """Today's cards of the words, from what was answered. exam_on : a date, empty for none. Raises CoreError."""
    return json.dumps(today(json.loads(licence), json.loads(reviews), now, exam_on or None))


def card_answered(licence: str, key: str, typed: str, language: Language) -> str:
    """Whether a typed answer is right, in words. Raises CoreError."""
    return json.dumps(answered(json.loads(licence), key, typed, language))


# the practice vehicle: one at a time on a device

_drives: list[Drive] = []


def practice_choices(vehicle: str, language: Language) -> str:
    """What a vehicle can hide, in words: its faults and the pools. vehicle : a kind's name, or a specification."""
    table = json.loads(vehicle)
    spec = spec_named(table) if isinstance(table, str) else spec_of_table(table)
    faults = air_data().tables["faults"]
    return json.dumps(
        {
            "faults": [
                {"id": name, "title": faults[name]["title"][language], "shows": faults[name]["shows"][language]}
                for name in faults
                if name in possible_faults(spec)
            ],
            "pools": [{"id": name, "title": title[language]} for name, title in practice().titles.items()],
        }
    )


def practice_code(pool: str, seed: int) -> str:
    """Six letters that set up what a seed draws from a pool. Raises PracticeError."""
    return json.dumps(new_code(pool, int(seed)))


def practice_lessons(language: Language, own: str) -> str:
    """The ladder of lessons with a fleet's ``own`` tables, and what is said around a practice. Raises CoreError."""
    return json.dumps({"lessons": lesson_list(language, json.loads(own)), **lesson_texts(language)})


def practice_lesson(lesson: str, drive: int, again: str, order: str) -> str:
    """What sets up a drive of a lesson. lesson : its ``id``, or a fleet's own whole in ``table``. Raises CoreError.

    order : the order of work that was agreed before an examination; empty for the lesson's own.
    """
    named = json.loads(lesson)
    choice = lesson_of(named).choice(int(drive), json.loads(again))
    if order:
        choice["procedure"] = order
    return json.dumps(
        {**choice, "lesson": {**choice["lesson"], **({"table": named["table"]} if "table" in named else {})}}
    )


def practice_is_so(bodies: str) -> str:
    """Whether the vehicle is as somebody says, for each event of a list."""
    return json.dumps([_drives[0].world.is_so(body) for body in json.loads(bodies)])


def practice_begin(choice: str, kept: str, record: str) -> str:
    """Begin a practice, or go on with one from what was kept of it and its record."""
    drive = resume(kept, json.loads(record)) if record else Drive(json.loads(choice))
    drive.repeat_report()
    _drives[:] = [drive]
    return json.dumps(drive.described())


def practice_control(name: str, value: str) -> str:
    """Move a control of the vehicle; why it did not move, empty where it did. Raises CoreError."""
    if name in FROM_OUTSIDE:
        raise PracticeError("control", f"is {name}: the driver can't do this")
    return _drives[0].control(name, json.loads(value))


def practice_trainer(name: str, value: str) -> str:
    """Do what a trainer may do to the vehicle from outside. Raises CoreError."""
    if name not in FROM_OUTSIDE:
        raise PracticeError("control", f"is {name[:40]!r}: a trainer can set faults and drain tanks, but not drive")
    return _drives[0].control(name, json.loads(value))


def practice_frame(tick: int) -> str:
    """Let time go on to a tick; what the senses get then."""
    _drives[0].advance(int(tick))
    return json.dumps(_drives[0].frame())


def practice_truth() -> str:
    """What only a trainer's screen shows."""
    return json.dumps(_drives[0].truth())


def practice_save() -> str:
    """The practice as it stands, for this device to go on from."""
    return json.dumps(_drives[0].keep())


def practice_log(since: int) -> str:
    """What was moved since the first so many controls."""
    return json.dumps(_drives[0].log()[int(since) :])


def practice_after(marks: str) -> str:
    """The truth beside the marks, once it is over, without words. Raises CoreError."""
    return json.dumps(debrief(_drives[0], json.loads(marks)))


def practice_text(after: str, language: Language, unit: PressureUnit) -> str:
    """A debrief in a reader's language and unit. Raises CoreError."""
    return json.dumps(debrief_text(json.loads(after), Words(language, unit)))


def practice_record(marks: str) -> str:
    """The open record of the practice: what the server keeps."""
    return json.dumps(_drives[0].saved_record(json.loads(marks)))

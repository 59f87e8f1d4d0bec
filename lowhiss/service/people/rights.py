"""Who may do what: the one place that decides. Every operation of the API has a row here, or it does not run."""

from __future__ import annotations

from typing import Literal, get_args

from lowhiss.core.status import ActType

Role = Literal["driver", "trainer", "workshop", "manager"]
ROLES: tuple[Role, ...] = get_args(Role)

_EVERYONE: frozenset[str] = frozenset({"nobody", *ROLES})
_SIGNED_IN: frozenset[str] = frozenset(ROLES)
_MANAGER: frozenset[str] = frozenset({"manager"})
_KEEPS_UNITS: frozenset[str] = frozenset({"workshop", "manager"})
_TRAINER: frozenset[str] = frozenset({"trainer"})
_SEES_PEOPLE: frozenset[str] = frozenset({"trainer", "manager"})

RIGHTS: dict[str, frozenset[str]] = {
    # signing in
    "about": _EVERYONE,
    "health": _EVERYONE,
    "me": _EVERYONE,
    "signIn": _EVERYONE,
    "demoSignIn": _EVERYONE,
    "redeemCode": _EVERYONE,
    "listCabPeople": _EVERYONE,
    "switchPerson": _EVERYONE,
    "signOut": _EVERYONE,
    "signOutEverywhere": _SIGNED_IN,
    "changeMe": _SIGNED_IN,
    "setPin": _SIGNED_IN,
    "saveSessionKey": _SIGNED_IN,
    # people
    "listPeople": _SEES_PEOPLE,
    "addPerson": _MANAGER,
    "editPerson": _MANAGER,
    "retirePerson": _MANAGER,
    "resetPerson": _MANAGER,
    # units
    "listUnits": _SIGNED_IN,
    "getUnit": _SIGNED_IN,
    "getTrends": _SIGNED_IN,
    "addUnit": _KEEPS_UNITS,
    "editUnit": _KEEPS_UNITS,
    "retireUnit": _MANAGER,
    "setUnitDue": _MANAGER,
    "importUnits": _KEEPS_UNITS,
    "coupleUnit": _SIGNED_IN,
    "listTrailers": _SIGNED_IN,
    "addTrailer": _KEEPS_UNITS,
    "editTrailer": _KEEPS_UNITS,
    "retireTrailer": _MANAGER,
    "getCourse": _SIGNED_IN,
    "getScript": _SIGNED_IN,
    "makeFeedToken": _KEEPS_UNITS | _SEES_PEOPLE,
    "sendFeed": frozenset({"nobody"}),
    "watchFeed": _SIGNED_IN,
    # standing
    "getStatus": _EVERYONE,
    "getStatusCsv": _EVERYONE,
    "getDueCalendar": _EVERYONE,
    "listReadTokens": _MANAGER,
    "makeReadToken": _MANAGER,
    "voidReadToken": _MANAGER,
    "getWorkshop": _SIGNED_IN,
    "addActs": _SIGNED_IN,
    "savePhoto": _SIGNED_IN,
    "getPhoto": _SIGNED_IN,
    "listGroups": _SIGNED_IN,
    "getReading": _TRAINER,
    "getCalendar": _SIGNED_IN,
    "setCalendar": _MANAGER,
    # runs
    "beginRun": _SIGNED_IN,
    "listOpenRuns": _SIGNED_IN,
    "getRun": _SIGNED_IN,
    "addEvents": _SIGNED_IN,
    "listEvents": _SIGNED_IN,
    "makeJoinCode": _SIGNED_IN,
    "joinRun": _SIGNED_IN,
    "takeLead": _SIGNED_IN,
    "watchRun": _SIGNED_IN,
    "watchInspection": _SIGNED_IN,
    "getReport": _SIGNED_IN,
    "getRuleSetVerdicts": _SIGNED_IN,
    "lookAtResult": _MANAGER,
    "decideReported": _MANAGER,
    "getRunScript": _SIGNED_IN,
    "getRecord": _SIGNED_IN,
    "getTrace": _SIGNED_IN,
    "getFeedComparison": _SIGNED_IN,
    "getNeedles": _SIGNED_IN,
    "readLog": _SIGNED_IN,
    "countLog": _SIGNED_IN,
    "getFindable": _SIGNED_IN,
    "listViews": _SIGNED_IN,
    "saveView": _SIGNED_IN,
    "dropView": _SIGNED_IN,
    # inspections
    "startInspection": _SIGNED_IN,
    "beginInspection": _SIGNED_IN,
    "listInspections": _SIGNED_IN,
    "getInspection": _SIGNED_IN,
    "addInspectionMarks": _SIGNED_IN,
    "listInspectionMarks": _SIGNED_IN,
    "getInspectionScript": _SIGNED_IN,
    "getInspectionState": _SIGNED_IN,
    "getInspectionRecord": _SIGNED_IN,
    "makeInspectionCode": _SIGNED_IN,
    "joinByCode": _SIGNED_IN,
    "listPapers": _SIGNED_IN,
    "setPaper": _SIGNED_IN,
    # practice
    "getVehicle": _SIGNED_IN,
    "savePractice": _SIGNED_IN,
    "listPractices": _SIGNED_IN,
    "getPractice": _SIGNED_IN,
    "makePracticeCode": _SIGNED_IN,
    "watchPractice": _SIGNED_IN,
    # learning
    "getProgress": _SIGNED_IN,
    "listInvitations": _SIGNED_IN,
    "answerInvitation": _SIGNED_IN,
    "listClasses": _SEES_PEOPLE,
    "makeClass": _SEES_PEOPLE,
    "editClass": _SEES_PEOPLE,
    "getBoard": _SEES_PEOPLE,
    "assignLesson": _SEES_PEOPLE,
    "takeBackAssignment": _SEES_PEOPLE,
    "addTrainerNote": _SEES_PEOPLE,
    "getLearningRecord": _SIGNED_IN,
    "getLearningCsv": _SIGNED_IN,
    "getMarksCsv": _SIGNED_IN,
    "forgetLearning": _SIGNED_IN,
    "listOwnLessons": _SIGNED_IN,
    "getLessonFile": _SIGNED_IN,
    "saveOwnLesson": _SEES_PEOPLE,
    "retireOwnLesson": _SEES_PEOPLE,
    "saveReviews": _SIGNED_IN,
    "listReviews": _SIGNED_IN,
    "getExamination": _SIGNED_IN,
    "announceExamination": _SEES_PEOPLE,
    # recordings
    "saveRecording": _SIGNED_IN,
    "listRecordings": _SIGNED_IN,
    "getRecording": _SIGNED_IN,
    "judgeRecording": _SIGNED_IN,
    "saveFeed": _SIGNED_IN,
    "attachRecording": _SIGNED_IN,
    "countRecording": _MANAGER,
    "sayNoTest": _SIGNED_IN,
    "takeBackNoTest": _SIGNED_IN,
    "beginBatch": _SIGNED_IN,
    "listBatches": _SIGNED_IN,
    "getBatch": _SIGNED_IN,
    "putBatchFile": _SIGNED_IN,
    "startBatch": _SIGNED_IN,
    "stopBatch": _SIGNED_IN,
    "getBatchLines": _SIGNED_IN,
    # what leaves and what comes
    "getReportPdf": _SIGNED_IN,
    "beginExport": _SEES_PEOPLE,
    "listExports": _SEES_PEOPLE,
    "getExport": _SEES_PEOPLE,
    "stopExport": _SEES_PEOPLE,
    "getExportFile": _SEES_PEOPLE,
    "getTable": _KEEPS_UNITS | _SEES_PEOPLE,
    "importRuns": _MANAGER,
    # seals
    "signReport": _SIGNED_IN,
    "getSeals": _SIGNED_IN,
    "getSealFile": _SIGNED_IN,
    "getSealHead": _SIGNED_IN,
    "checkSeal": _EVERYONE,
    "getChain": _MANAGER,
    # rules
    "getRulebook": _SIGNED_IN,
    "setTestedBy": _MANAGER,
    "listEditions": _SIGNED_IN,
    "compareRules": _SIGNED_IN,
    "getInspectionRules": _SIGNED_IN,
    "checkRules": _SEES_PEOPLE,
    "saveDraft": _SEES_PEOPLE,
    "importRules": _SEES_PEOPLE,
    "dropDraft": _SEES_PEOPLE,
    "publishRules": _MANAGER,
    "retireRules": _MANAGER,
    "getRuleFile": _SIGNED_IN,
    "weighLimit": _SEES_PEOPLE,
    "planOrder": _SIGNED_IN,
    "listSums": _SIGNED_IN,
    "workOut": _SIGNED_IN,
    "askWhatIf": _SEES_PEOPLE,
    "listWhatIfs": _SEES_PEOPLE,
    "getWhatIf": _SEES_PEOPLE,
    "stopWhatIf": _SEES_PEOPLE,
    "getWhatIfLines": _SEES_PEOPLE,
    "getWhatIfCsv": _SEES_PEOPLE,
    "getCard": _SIGNED_IN,
}
NARROWER: dict[str, str] = {
    "addEvents": "the person who started the test or took it over makes all marks; people who joined with a code only "
    "marks, readings, call-outs and notes, never what commands the driver; a trainer or manager who did not join only "
    "notes, and `late_confirmed`; others only send on marks left on a device by people who were signed in there",
    "addInspectionMarks": "the person who started the inspection makes all marks; people who joined with its code only "
    "answers, what was named, and notes; a trainer or manager who did not join only notes; others only send on marks "
    "left on the device that started it",
    "makeInspectionCode": "only the person leading the inspection",
    "getTable": "the table of people: only those who may list people",
    "setPaper": "everybody their own documents; the workshop and managers those of units, trailers and people",
    "getStatus": "nobody without a token for reading it",
    "getStatusCsv": "nobody without a token for reading it",
    "getDueCalendar": "nobody without a token for reading the calendar",
    "addActs": "only a manager releases a hold; only the workshop and managers start work, certify a repair "
    "or that none is needed, and make a defect less severe; everybody reports, raises the severity, places a hold "
    "and acknowledges",
    "listEditions": "only trainers and managers see drafts",
    "listOpenRuns": "own tests and those joined; trainers and managers see all, to take one over",
    "makeJoinCode": "only the person leading the test",
    "signReport": "the person who made the test, with a trainer or manager as witness; each confirms who they are",
    "sendFeed": "a device with the unit's token, which isn't a person",
    "takeLead": "a trainer or manager, who then has joined and is shown, or the person already leading",
    "editPerson": "nobody may take the last active manager's role away; on the server, `lowhiss manager` makes one",
    "retirePerson": "nobody may deactivate themselves or the last active manager",
}
"""What the use case itself narrows further, in words."""


ACTS: dict[ActType, frozenset[str]] = {
    "hold_placed": _SIGNED_IN,
    "hold_released": _MANAGER,
    "hold_struck_out": _SEES_PEOPLE,
    "defect_seen": _SIGNED_IN,
    "defect_rated": _SIGNED_IN,
    "defect_taken": _KEEPS_UNITS,
    "repaired": _KEEPS_UNITS,
    "no_repair": _KEEPS_UNITS,
    "acknowledged": _SIGNED_IN,
    "trip_over": _SIGNED_IN,
    "defect_fixed": _SIGNED_IN,
    "round_done": _SIGNED_IN,
    "rechecked": _SIGNED_IN,
}
"""Who may do what about a vehicle by `addActs`."""
DECIDING: frozenset[ActType] = frozenset(
    {"hold_released", "hold_struck_out", "defect_rated", "defect_taken", "repaired", "no_repair"}
)
"""What decides something: it counts only in the session of whoever decides, never sent on for them."""
MILDER: frozenset[str] = _KEEPS_UNITS
"""Who may rate a defect milder than it was rated before."""


def acts_of(role: str | None) -> list[ActType]:
    """What somebody of this role may do about a vehicle."""
    return [act for act, allowed in ACTS.items() if role in allowed]


def may(role: str | None, operation: str) -> bool:
    """Whether somebody of this role (None: not signed in) may do this. Raises KeyError for an unknown operation."""
    return (role or "nobody") in RIGHTS[operation]


def rights_table() -> str:
    """The table as Markdown."""
    heads = ("nobody", *ROLES)
    lines = [
        "# Who may do what",
        "",
        "For managers, and for developers of another client: which role may use which operation.",
        "Made from `lowhiss/service/people/rights.py`, which decides. *nobody* is somebody who is not signed in.",
        "",
        f"| operation | {' | '.join(heads)} | narrower |",
        f"|---|{'---|' * (len(heads) + 1)}",
    ]
    for operation, allowed in RIGHTS.items():
        marks = " | ".join("yes" if head in allowed else "–" for head in heads)
        lines.append(f"| `{operation}` | {marks} | {NARROWER.get(operation, '')} |")
    lines += ["", "What people may do about a vehicle (`addActs`):", "", f"| act | {' | '.join(ROLES)} |"]
    lines.append(f"|---|{'---|' * len(ROLES)}")
    for act, allowed in ACTS.items():
        lines.append(f"| `{act}` | {' | '.join('yes' if role in allowed else '–' for role in ROLES)} |")
    milder = " | ".join("yes" if role in MILDER else "–" for role in ROLES)
    lines.append(f"| `defect_rated`, milder than before | {milder} |")
    return "\n".join(lines) + "\n"

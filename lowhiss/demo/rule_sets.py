"""The demo fleet's own rules: a set that was published twice and is being written on, and an order of work."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy.orm import Session

from lowhiss.service.rules import editor

_HANDBOOK = "Marram Valley handbook"


def _limit(key: str, stage: str, bounds: list[dict[str, float]], clause: str, **more: Any) -> dict[str, Any]:
    source = {"document": _HANDBOOK, "clause": clause, "standing": "fleet"}
    return {"key": key, "stage": stage, "unit": "psi", "bounds": bounds, "source": source, **more}


def _rules(*limits: dict[str, Any], **more: Any) -> dict[str, Any]:
    return {
        "format": "low-hiss-rules/1",
        "id": "marram-valley",
        "title": {"en": "Marram Valley", "es": "Valle Marram"},
        "parent": "us-cdl",
        "limit": list(limits),
        **more,
    }


_WARNING = _limit("low_air_warning", "low_air_warning", [{"at_least": 60}], "3.1")
_CUT_OUT = _limit("cut_out", "cut_out", [{"at_least": 120}, {"at_most": 135}], "3.2")
_COMBINATION = {"group": ["combination"]}
_HELD = _limit("leak_applied.combination", "leak_applied", [{"at_most": 3}], "4.2", when=_COMBINATION, hold_s=60)
_ORDER = {
    "format": "low-hiss-procedure/1",
    "id": "marram-morning",
    "title": {"en": "Marram Valley morning", "es": "Mañana de Valle Marram"},
    "steps": [
        "safe_start", "cut_out", "release", "leak_applied", "low_air_warning", "spring_brakes", "safe_start",
        "build_up", "rebuild", "chocks_out", "hold_parking", "hold_trailer", "rolling_service",
    ],
}  # fmt: skip


def rule_all(session: Session, now: dt.datetime) -> None:
    """Keep what the fleet has made of its rules, each as it was done then."""

    def day(back: float) -> dt.datetime:
        return now - dt.timedelta(days=back)

    trainer, manager = "Hanne Solberry", "Odile Ferrow"
    for back, written in ((410, _rules(_WARNING)), (160, _rules(_WARNING, _CUT_OUT, holding="gear_too"))):
        draft = editor.draft_in(session, trainer, written, None, day(back))
        editor.publish_in(session, manager, "rules", "marram-valley", draft.revision, None, day(back - 1))
    draft = editor.draft_in(session, "Rafe Tolland", _ORDER, None, day(90))
    editor.publish_in(session, manager, "procedure", "marram-morning", draft.revision, None, day(88))
    editor.draft_in(session, trainer, _rules(_WARNING, _CUT_OUT, _HELD, holding="gear_too"), None, day(3))

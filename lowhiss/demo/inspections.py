"""The inspections of the demo: what its drivers looked at before their trips, facts of units, papers."""

from __future__ import annotations

import datetime as dt
import random
from typing import Any

from sqlalchemy.orm import Session

from lowhiss import rulebook
from lowhiss.core.inspections import measure_of, needs_number, plan, read_inspection
from lowhiss.core.inspections.limits import bounds_at
from lowhiss.core.inspections.plan import Ask
from lowhiss.demo.scenario import TRAILERS, demo_id
from lowhiss.engine.inspections import rules_in_force
from lowhiss.service.fleet.rows import find_trailer, find_unit
from lowhiss.service.inspections.imports import import_inspection, record_for
from lowhiss.store.inspection_models import PaperRow

_SEED = 41
_LOOKS: dict[str, dict[str, bool]] = {
    "MV-12": {"camera": False, "gearbox_temp": False, "slider5": True, "side_box": False, "rear_window": True},
    "MV-05": {"camera": False, "gearbox_temp": False, "dry_body": False, "tank": True, "side_box": True},
    "MV-21": {"camera": False, "gearbox_temp": False, "kneel": True, "ramp": True, "roof_hatch": True, "baggage": True},
    "T-04": {
        "tank": True,
        "dry_body": False,
        "flatbed": False,
        "reefer": False,
        "tandem_slider": False,
        "power_legs": False,
    },
}
"""What inspections have asked of these already."""
_Seen = dict[str, dict[str, Any]]
_INSPECTIONS: tuple[tuple[float, str, str, str, str, _Seen], ...] = (
    # days back, unit, way, what for, by whom, what was not simply right: by ask
    (6.2, "MV-12", "round-daily", "dispatch", "Ines Aldous", {}),
    (4.2, "MV-12", "round-daily", "dispatch", "Ines Aldous", {}),
    (
        2.2,
        "MV-12",
        "round-daily",
        "dispatch",
        "Bram Osei",
        {
            "washer@P": {"answer": "fixed", "wrong": ["works"], "text": "jug filled up"},
            "horn_air@P": {"answer": "not_right", "wrong": ["works"], "text": "only hisses"},
        },
    ),
    (1.1, "MV-05", "round-daily-rigid", "dispatch", "Tove Lind", {}),
    (
        8.4,
        "MV-21",
        "round-bus",
        "training",
        "Kit Varga",
        {
            "exit_windows@P": {
                "answer": "not_right",
                "wrong": ["locked"],
                "text": "third on the left",
                "teaching": True,
            },
            "gauge_volts@P": {"answer": "right", "value": 14.4},
            "windshield@P": {"answer": "not_reached", "why": "dark"},
        },
    ),
)
_PAPERS: tuple[tuple[str, str, float | None, str], ...] = (
    # of what, which paper, days from today, number
    ("MV-12", "p_registration", 19, "MVMH 412"),
    ("MV-12", "p_insurance", 210, "C 7 0412"),
    ("MV-12", "p_inspection", 96, "A 2291"),
    ("T-04", "p_inspection", -4, "A 2304"),
    ("MV-05", "p_registration", 140, "MVMH 405"),
    ("MV-21", "p_insurance", 210, "C 7 0421"),
)


def look_all(session: Session, now: dt.datetime) -> None:
    """Keep every inspection and paper, in order of time."""
    for name, facts in _LOOKS.items():
        trailer = name in TRAILERS
        row = (find_trailer if trailer else find_unit)(session, demo_id(name))
        row.look = {"facts": facts, "figures": {}}
    numbers = random.Random(_SEED)
    for place, (back_days, unit, way, purpose, by, seen) in enumerate(sorted(_INSPECTIONS, key=lambda one: -one[0])):
        started_at = now - dt.timedelta(days=back_days)
        head = record_for(session, demo_id(unit), way, purpose, by)
        head |= {"id": demo_id(f"round {place}"), "started_at": started_at.isoformat()}
        import_inspection(
            session, {**head, "marks": _marks(head, seen, numbers)}, demo_id(unit), demo_id(by), demo=True
        )
    for name, paper, days, number in _PAPERS:
        kind = "trailer" if name in TRAILERS else "unit"
        until = (now + dt.timedelta(days=days)).date() if days is not None else None
        holder = demo_id(name)
        session.add(
            PaperRow(
                holder_id=holder,
                paper=paper,
                holder_kind=kind,
                until=until,
                number=number,
                by_name="Wanda Keel",
                at=now,
            )
        )


def _marks(head: dict[str, Any], seen: _Seen, numbers: random.Random) -> list[dict[str, Any]]:
    """Somebody's answers, one after the other, as long as each takes; what is measured reads well inside."""
    book = rulebook.inspections()
    record = read_inspection(head, book)
    today = {"dg": False}
    planned = plan(book, record.set, book.ways[record.way], today)
    at_s = 5.0
    marks: list[dict[str, Any]] = [{"at_s": 1.0, "type": "fact", "part": "P", "fact": "dg", "so": False}]
    for wanted in planned.wanted:
        marks.append({"at_s": at_s, "type": "fact", "part": wanted.part, "fact": wanted.fact.id, "so": False})
        at_s += 2.0
    for ask in planned.asks:
        at_s += ask.seconds * numbers.uniform(0.8, 1.4)
        given = seen.get(ask.key) or _healthy(
            ask, record.set, rules_in_force(record).chain, numbers, glance=bool(ask.item.axles)
        )
        marks.append({"at_s": round(at_s, 1), "type": "answer", "asks": [ask.key], "answer": "right", **given})
    marks += [{"at_s": at_s + 4, "type": "brought", "what": one.id} for one in book.bring_back if one.id != "strap"]
    marks.append({"at_s": at_s + 10, "type": "finished"})
    return [{"id": f"mark {place}", "device": "cab", "seq": place, **mark} for place, mark in enumerate(marks)]


def _healthy(ask: Ask, usual: Any, rules: tuple[str, ...], numbers: random.Random, *, glance: bool) -> dict[str, Any]:
    book = rulebook.inspections()
    measure = measure_of(book, ask)
    bounds = bounds_at(book, usual, ask, rules, {})
    if measure is None or measure.tape is None or not needs_number(measure, bounds):
        return {}
    if glance:
        return {"answer": "seen_not_measured"}
    (bound, *_) = bounds
    stands = measure.tape.stands
    value = stands if bound.holds(stands) else (bound.at_least if bound.at_least is not None else bound.at_most)
    more = numbers.choice((0, 0, measure.tape.step))
    return {"value": round((value or 0.0) + (more if bound.holds((value or 0.0) + more) else 0), 4)}

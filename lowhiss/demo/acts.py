"""What the people of the demo did about their vehicles: defects in every state, repairs, a hold and its release."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from lowhiss.core.status import UnitPart
from lowhiss.demo.scenario import PEOPLE, TRAILERS, demo_id
from lowhiss.service.fleet.acts import save_act
from lowhiss.store.fleet_models import HoldRow

_MENDED_AFTER = dt.timedelta(hours=8)
_Done = tuple[float, str, str, str, dict[str, Any]]
_DONE: tuple[_Done, ...] = (
    # days back, on what, by whom, what; {"of": key}: what was said under that key, {"hold": unit}: what holds it
    (
        236.0,
        "MV-07",
        "Jory Pask",
        "repaired",
        {"did": "Secondary tank line replaced", "parts": "line, two fittings", "holds": [{"hold": "MV-07"}]},
    ),
    (96.0, "MV-03", "Tove Lind", "hold_placed", {"reason": "Pulls left when braking lightly", "as": "pulls"}),
    (
        95.2,
        "MV-03",
        "Odile Ferrow",
        "hold_released",
        {"hold": {"of": "pulls"}, "reason": "Driven with Wanda Keel: the road falls off there, the brakes are even"},
    ),
    (
        41.0,
        "MV-12",
        "Ines Aldous",
        "defect_seen",
        {"group": "cab_door", "what": "window motor slow", "as": "door"},
    ),
    (40.1, "MV-12", "Wanda Keel", "no_repair", {"defect": {"of": "door"}, "reason": "Greased; it shuts and seals"}),
    (12.0, "MV-05", "Kit Varga", "defect_seen", {"group": "washer", "what": "no water, pump hums", "as": "washer"}),
    (
        11.7,
        "MV-05",
        "Wanda Keel",
        "repaired",
        {"did": "Washer pump replaced", "parts": "pump", "defects": [{"of": "washer"}]},
    ),
    (11.1, "MV-05", "Tove Lind", "acknowledged", {"defects": [{"of": "washer"}]}),
    (
        6.2,
        "MV-14",
        "Pia Munro",
        "defect_seen",
        {"group": "mud_flap", "what": "left flap torn", "where": "axle 2, left", "as": "flap"},
    ),
    (
        5.9,
        "MV-14",
        "Jory Pask",
        "defect_rated",
        {"defect": {"of": "flap"}, "consequence": "note", "reason": "Three of four bolts hold, clear of the tire"},
    ),
    (0.6, "MV-11", "Sol Brandt", "defect_seen", {"group": "marker", "what": "front left marker out"}),
    (
        0.9,
        "MV-02",
        "Bram Osei",
        "defect_seen",
        {"group": "tire_damage", "what": "cut to the ply", "where": "axle 2, right, outer", "as": "tire"},
    ),
    (0.7, "MV-02", "Wanda Keel", "defect_taken", {"defect": {"of": "tire"}}),
    (0.3, "T-07", "Noor Tavish", "defect_seen", {"group": "reflector", "what": "right rear reflector cracked"}),
)


def do_all(session: Session, now: dt.datetime) -> None:
    """Keep everything that was done, in order of time, once the runs are there."""
    said: dict[str, str] = {}
    for place, (back_days, name, by, kind, given) in enumerate(_DONE):
        body = {key: value for key, value in given.items() if key != "as"}
        act_id = demo_id(f"act {place}")
        if "as" in given:
            said[given["as"]] = act_id
        for key, value in body.items():
            listed = [_named(session, one, said) for one in (value if isinstance(value, list) else [value])]
            body[key] = listed if isinstance(value, list) else listed[0]
        part = UnitPart("trailer" if name in TRAILERS else "unit", demo_id(name))
        at = now - dt.timedelta(days=back_days)
        if kind == "repaired" and body.get("holds"):
            at = session.get_one(HoldRow, body["holds"][0]).opened_at + _MENDED_AFTER
        save_act(session, act_id, kind, part, at, demo_id(by), by, PEOPLE[by], body)


def _named(session: Session, value: Any, said: dict[str, str]) -> Any:
    if not isinstance(value, dict):
        return value
    if "of" in value:
        return said[value["of"]]
    owner = demo_id(value["hold"])
    return session.scalar(select(HoldRow.id).where(HoldRow.owner_id == owner, HoldRow.lifted_at.is_(None)))

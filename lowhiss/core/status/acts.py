"""What people do about a vehicle beside testing it: holds placed and released, defects reported, repairs certified.

An act is never changed. What stands of a vehicle is folded from its acts and its tests.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal, NamedTuple, get_args

from lowhiss.core.errors import RecordError
from lowhiss.core.fields import Fields
from lowhiss.core.status.consequences import Consequence

PartKind = Literal["unit", "trailer"]
ActType = Literal[
    "hold_placed",
    "hold_released",
    "hold_struck_out",
    "defect_seen",
    "defect_rated",
    "defect_taken",
    "defect_fixed",
    "repaired",
    "no_repair",
    "acknowledged",
    "trip_over",
    "round_done",
    "rechecked",
]
ACT_TYPES: tuple[ActType, ...] = get_args(ActType)
_MAX_LISTED = 50


class UnitPart(NamedTuple):
    """A power unit or a trailer."""

    kind: PartKind
    id: str


@dataclass(frozen=True, slots=True)
class Act:
    """One act on a part. ``body``: the fields of its type as they were given, checked."""

    id: str
    type: ActType
    part: UnitPart
    at: dt.datetime
    by: str
    body: dict[str, Any] = field(default_factory=dict)


class ActKind(NamedTuple):
    """What an act of a type is.

    reads : checks its fields and gives them back.  hold, defect : the field that names what it is about.
    """

    reads: Callable[[Fields], dict[str, Any]]
    hold: str = ""
    defect: str = ""

    def named(self, body: Mapping[str, Any]) -> tuple[list[str], list[str]]:
        """The holds and the defects that an act of this type is about, by their ids."""
        holds, defects = (body.get(key, []) for key in (self.hold, self.defect))
        return ([holds] if isinstance(holds, str) else holds, [defects] if isinstance(defects, str) else defects)


def read_act_body(kind: str, body: object) -> dict[str, Any]:
    """The fields of an act, checked. Raises RecordError naming the field."""
    known = next((one for one in ACT_TYPES if one == kind), None)
    if known is None:
        raise RecordError("type", f"must be one of {', '.join(ACT_TYPES)}")
    fields = Fields(body, "", RecordError)
    read = ACT_KINDS[known].reads(fields)
    fields.done()
    return {name: value for name, value in read.items() if value not in (None, "", [])}


def _words(fields: Fields, key: str, *, needed: bool = True) -> str:
    text = (fields.text(key) if needed else fields.text(key, "")).strip()
    if needed and not text:
        raise fields.refuse(key, "is empty: say it in a few words")
    if len(text) > 500:
        raise fields.refuse(key, f"is {len(text)} characters long; the maximum is 500")
    return text


def _ids(fields: Fields, key: str) -> list[str]:
    given = fields.texts(key)
    if len(given) > _MAX_LISTED or any(not 1 <= len(name) <= 80 for name in given):
        raise fields.refuse(key, f"must be at most {_MAX_LISTED} ids")
    return list(given)


def _placed(fields: Fields) -> dict[str, Any]:
    return {"reason": _words(fields, "reason")}


def _released(fields: Fields) -> dict[str, Any]:
    return {"hold": fields.text("hold"), "reason": _words(fields, "reason")}


def _seen(fields: Fields) -> dict[str, Any]:
    seen = {
        "group": fields.text("group", None),
        "finding": fields.text("finding", None),
        "what": _words(fields, "what", needed=False),
        "where": _words(fields, "where", needed=False),
        "run": fields.text("run", None),
        "round": fields.text("round", None),
        "item": fields.text("item", None),
        "place": fields.text("place", None),
        "wrong": list(_ids(fields, "wrong")),
        "value": fields.number("value", None),
        "measure": fields.text("measure", None),
        "asked": list(_ids(fields, "asked")),
        "consequence": fields.choice("consequence", Consequence, None),
        "teaching": fields.flag("teaching", False) or None,
    }
    if not (seen["group"] or seen["finding"] or seen["what"]):
        raise fields.refuse("what", "is empty: say what is not right, or choose the part")
    if not seen["group"] and not seen["consequence"]:
        raise fields.refuse(
            "consequence", "is missing: say whether the vehicle stays, finishes its trip, or it is noted"
        )
    return seen


def _rated(fields: Fields) -> dict[str, Any]:
    return {
        "defect": fields.text("defect"),
        "consequence": fields.choice("consequence", Consequence),
        "reason": _words(fields, "reason"),
    }


def _defect_only(fields: Fields) -> dict[str, Any]:
    return {"defect": fields.text("defect")}


def _fixed(fields: Fields) -> dict[str, Any]:
    return {
        "defect": fields.text("defect"),
        "did": _words(fields, "did", needed=False),
        "round": fields.text("round", None),
    }


def _rechecked(fields: Fields) -> dict[str, Any]:
    return {"defect": fields.text("defect"), "round": fields.text("round")}


def _inspection_done(fields: Fields) -> dict[str, Any]:
    return {"round": fields.text("round")}


def _repaired(fields: Fields) -> dict[str, Any]:
    return {
        "did": _words(fields, "did"),
        "parts": _words(fields, "parts", needed=False),
        "odometer": fields.number("odometer", None, low=0, high=10_000_000),
        "defects": _ids(fields, "defects"),
        "holds": _ids(fields, "holds"),
        "stages": _ids(fields, "stages"),
    }


def _no_repair(fields: Fields) -> dict[str, Any]:
    return {"defect": fields.text("defect"), "reason": _words(fields, "reason")}


def _acknowledged(fields: Fields) -> dict[str, Any]:
    defects = _ids(fields, "defects")
    if not defects:
        raise fields.refuse("defects", "is empty: name what was looked at")
    return {"defects": defects}


def _trip_over(_: Fields) -> dict[str, Any]:
    return {}


ACT_KINDS: dict[ActType, ActKind] = {
    "hold_placed": ActKind(_placed),
    "hold_released": ActKind(_released, hold="hold"),
    "hold_struck_out": ActKind(_released, hold="hold"),
    "defect_seen": ActKind(_seen),
    "defect_rated": ActKind(_rated, defect="defect"),
    "defect_taken": ActKind(_defect_only, defect="defect"),
    "defect_fixed": ActKind(_fixed, defect="defect"),
    "repaired": ActKind(_repaired, hold="holds", defect="defects"),
    "no_repair": ActKind(_no_repair, defect="defect"),
    "acknowledged": ActKind(_acknowledged, defect="defects"),
    "trip_over": ActKind(_trip_over),
    "round_done": ActKind(_inspection_done),
    "rechecked": ActKind(_rechecked, defect="defect"),
}

"""The inspection without a screen: what is asked, what an answer means, what follows, what may be done in the fill.

Each worked item names its source. *Common practice* and *from memory* mean what they mean in the rule book.
"""

from __future__ import annotations

import csv
import random
import re
from copy import deepcopy
from itertools import pairwise, product
from pathlib import Path

import pytest

import lowhiss
from lowhiss import rulebook
from lowhiss.core.errors import RecordError, RuleError
from lowhiss.core.inspections import (
    INSPECTION_TABLES,
    Axle,
    FillMoment,
    InspectionSet,
    Look,
    Open,
    RunMark,
    Vehicle,
    listening,
    look_table,
    offered,
    plan,
    read_inspection,
    read_inspection_book,
    set_table,
    walk_orders_for,
)
from lowhiss.core.rules import parse_toml
from lowhiss.core.vehicle import UNIT_KINDS
from lowhiss.core.words import Words
from lowhiss.core.words.inspections import InspectionWords, fraction
from lowhiss.engine.inspections import exit_code, script_of, state_of, state_table
from tests.builders import HEALTHY

BOOK = rulebook.inspections()
TABLE = rulebook.consequences()
EVERY_FACT = dict.fromkeys(BOOK.facts, True)
NO_FACT = dict.fromkeys(BOOK.facts, False)
TRAILERS = {"tractor_semitrailer": 1, "multi_trailer": 2}


def vehicle_set(kind: str, facts: dict[str, bool] | None = None, axles: tuple[Axle, ...] | None = None, **figures):
    look = Look(axles, facts if facts is not None else NO_FACT, figures)
    trailers = tuple(Vehicle(f"T-0{n}", Look(None, look.facts)) for n in range(1, TRAILERS.get(kind, 0) + 1))
    return InspectionSet(kind, Vehicle("MV-12", look), trailers)


def record(kind: str, marks: list[dict], *, way: str = "path", rules: str = "us-cdl", **more) -> dict:
    unit = set_table(more.pop("set", None) or vehicle_set(kind, more.pop("facts", None), **more.pop("figures", {})))
    marks = [{"at_s": 10.0 * n, "device": "one", **mark} for n, mark in enumerate(marks)]
    return {"format": "low-hiss-round/1", "unit": unit, "way": way, "rules": rules, "marks": marks, **more}


def judged(kind: str, marks: list[dict], run=(), **more):
    return state_of(read_inspection(record(kind, marks, **more), BOOK), run=run)


def answer(ask: str, kind: str = "right", **more) -> dict:
    return {"type": "answer", "asks": [ask], "answer": kind, **more}


def one(state, key: str):
    return next(item for item in state.items if item.ask.key == key)


# --- the tables are whole


def test_the_tables_use_every_group_question_and_measure():
    used = {item.group for item in BOOK.items.values()}
    assert used - set(TABLE.groups) == {"act", "paper"}
    assert set(TABLE.groups) - used == set()
    assert {name for group in TABLE.groups.values() for name in group.questions} == set(TABLE.questions)
    assert {item.measure for item in BOOK.items.values()} - {""} == set(BOOK.measures)
    # the idle is noted and never judged
    assert set(BOOK.measures) - {row.measure for row in BOOK.limits} == {"idle"}
    for row in BOOK.limits:
        assert row.source
        assert set(row.rules) <= set(rulebook.rule_set_ids())


def test_every_item_is_asked_on_some_unit_and_none_twice_on_any():
    seen: set[str] = set()
    facts = [EVERY_FACT, {**EVERY_FACT, "breakers": False, "power_legs": False}, NO_FACT]
    lifting = (Axle("steer", air_susp=True), Axle("drive", dual=True), Axle("drive", lift=True, disc=True))
    for kind, known, axles in product(UNIT_KINDS, facts, (None, lifting)):
        usual = vehicle_set(kind, known, axles)
        for way in walk_orders_for(BOOK, usual):
            keys = [ask.key for ask in plan(BOOK, usual, way, {"dg": known["dg"]}).asks]
            assert len(keys) == len(set(keys))
            seen |= {key.partition("@")[0] for key in keys}
    assert set(BOOK.items) == seen


def test_no_item_condition_or_group_is_named_in_code():
    root = Path(lowhiss.__file__).parent
    rooms = ("core/inspections", "core/words", "engine", "service/inspections", "api/inspections")
    text = "\n".join(path.read_text() for room in rooms for path in sorted((root / room).glob("*inspection*/*.py")))
    text += "\n".join(
        path.read_text() for room in rooms for path in sorted((root / room).glob("*.py")) if "inspection" in str(path)
    )
    words = set(re.findall(r'"([a-z0-9_]+)"', text))
    # words of the tables themselves that an item or a group happens to be called by, too
    shape = {*BOOK.zones, *BOOK.firsts, *INSPECTION_TABLES, "color", "complete", "clear", "step", "drum", "figures"}
    # the one condition that a number decides
    assert words & (set(BOOK.items) | set(TABLE.groups) | set(BOOK.conditions)) - shape == {"within"}


def test_every_vehicle_is_gone_inspection_once_and_both_sides_are_seen():
    for kind in UNIT_KINDS:
        usual = vehicle_set(kind)
        planned = plan(BOOK, usual, BOOK.ways["path"])
        ends = {ask.end for ask in planned.asks if ask.end}
        assert len(ends) == 2 * sum(len(part.axles) for part in planned.parts)
        assert {end.rsplit(".", 1)[1] for end in ends} == {"left", "right"}
        turned = plan(BOOK, usual, BOOK.ways["path"], mirrored=True)
        assert {ask.key for ask in turned.asks} == {ask.key for ask in planned.asks}


def test_a_dolly_has_axles_of_its_own_and_a_b_train_none():
    dolly = plan(BOOK, vehicle_set("multi_trailer", {**NO_FACT, "a_dolly": True}), BOOK.ways["path"])
    train = plan(BOOK, vehicle_set("multi_trailer", {**NO_FACT, "a_dolly": False}), BOOK.ways["path"])
    assert {ask.part.code for ask in dolly.asks} - {ask.part.code for ask in train.asks} == {"D2"}
    fifth = [ask.place.code for ask in train.asks if ask.item.id == "dolly_fifth"]
    assert fifth == ["L1"]
    assert [ask.place.code for ask in dolly.asks if ask.item.id == "dolly_fifth"] == ["D2"]
    assert [ask.place.code for ask in dolly.asks if ask.item.id == "jaw"] == ["C1", "C2"]
    assert [ask.place.code for ask in dolly.asks if ask.item.id == "valves_open"] == ["L1"]
    assert [ask.place.code for ask in dolly.asks if ask.item.id == "valve_last"] == ["L2"]


def test_a_fact_that_nobody_knows_is_asked_and_then_decides():
    unknown = vehicle_set("tractor_semitrailer", {})
    wanted = {(row.fact.id, row.part) for row in plan(BOOK, unknown, BOOK.ways["path"]).wanted}
    assert {("slider5", "P"), ("tandem_slider", "L1"), ("dg", "P")} <= wanted
    assert not {name for name, _ in wanted} & {
        "clutch",
        "abs",
        "passenger_seat",
    }  # assumed until somebody says otherwise
    said = [
        {"type": "fact", "part": "P", "fact": "slider5", "so": True},
        {"type": "fact", "part": "L1", "fact": "tandem_slider", "so": False},
    ]
    state = judged("tractor_semitrailer", said, set=unknown)
    keys = {ask.key for ask in state.plan.asks}
    assert "slider5@P" in keys
    assert not any(key.startswith("tandem_pins") for key in keys)
    assert state.set.power.look.facts["slider5"] is True


# --- the order of an exam, as it is written down


def test_the_exam_inspection_goes_in_the_cab_in_its_own_order():
    first = BOOK.ways["round-exam-tractor-trailer"].first["cab"]
    planned = plan(
        BOOK,
        vehicle_set("tractor_semitrailer", {**NO_FACT, "clutch": True, "trailer_abs_dash": True}),
        BOOK.ways["round-exam-tractor-trailer"],
    )
    cab = list(dict.fromkeys(ask.item.id for ask in planned.asks if ask.stop == "cab"))
    there = [name for name in first if name in cab]
    assert cab[: len(there)] == there


def test_the_daily_inspection_of_a_rigid_takes_about_five_minutes():
    # 272 s of hands and eyes: common practice, no source; lights alone are seen on the same walk
    planned = plan(BOOK, vehicle_set("straight_truck"), BOOK.ways["round-daily-rigid"])
    assert 200 <= sum(ask.seconds for ask in planned.asks) <= 400
    assert {ask.item.id for ask in planned.asks if ask.item.axles} == {
        "tire_wall", "tire_tread", "valve", "rim", "lugs", "hub", "brake_hoses", "mud_flap", "brake_clean",
    }  # fmt: skip


# --- worked items: unit, school, answer -> outcome, consequence

SEMI, RIGID, BUS, MULTI = "tractor_semitrailer", "straight_truck", "bus", "multi_trailer"
WORKED = list(csv.DictReader((Path(__file__).parent / "inspection_items.csv").read_text().splitlines()))


@pytest.mark.parametrize("row", WORKED, ids=lambda row: f"{row['rules']} {row['ask']} {row['answer']} {row['value']}")
def test_a_worked_item(row):
    assert row["source"]
    mark = answer(row["ask"], row["answer"], wrong=row["wrong"].split(), yes=row["yes"].split())
    if row["value"]:
        mark["value"] = float(row["value"])
    if row["unit"]:
        mark["unit"] = row["unit"]
    facts = {**NO_FACT, "power_steering": True, "a_dolly": True, "abs": True}
    found = one(judged(row["kind"], [mark], rules=row["rules"], facts=facts), row["ask"])
    expected = (row["outcome"], row["means"] or None, row["findings"].split())
    assert (found.outcome, found.consequence, list(found.findings)) == expected


def test_there_are_worked_items_enough():
    assert len(WORKED) >= 60


def test_the_makers_own_figure_is_the_bound():
    figures = {"oil_psi": 25, "tire_psi": 105, "coolant_f": 230}
    state = judged(
        SEMI,
        [
            answer("gauge_oil@P", value=24),
            answer("tire_air@P.axle1.left", value=104),
            answer("gauge_coolant@P", value=225),
        ],
        figures=figures,
    )
    assert [one(state, key).outcome for key in ("gauge_oil@P", "tire_air@P.axle1.left", "gauge_coolant@P")] == [
        "not_right",
        "not_right",
        "right",
    ]
    doubled = judged(SEMI, [answer("gauge_volts@P", value=28.2)], figures={"system_v": 24})
    assert one(doubled, "gauge_volts@P").outcome == "right"
    # a wheel of 18 in: the inch bound goes with it, 2 in x 18/20
    smaller = judged(SEMI, [answer("steering_play@P", value=1.9)], figures={"wheel_in": 18})
    assert one(smaller, "steering_play@P").outcome == "not_right"


def test_degrees_and_inches_are_not_turned_into_each_other():
    # 10 degrees at a 20 in wheel are 1.75 in, 2 in are 11.5 degrees: geometry
    state = judged(SEMI, [answer("steering_play@P", value=1.9)])
    assert one(state, "steering_play@P").outcome == "right"
    assert (
        one(judged(SEMI, [answer("steering_play@P", value=10.9, unit="deg")]), "steering_play@P").outcome == "not_right"
    )


# --- the questions with their answers


def test_same_as_the_left_is_no_look_where_it_matters():
    keys = [f"{name}@P.axle2.right" for name in ("brake_hoses", "lugs", "slack", "chamber")] + [
        "tire_tread@P.axle2.right.outer",
        "tire_air@P.axle2.right.outer",
    ]
    marks = [answer(key, "by_reference") for key in keys]
    state = judged(SEMI, marks)
    outcomes = {key: one(state, key).outcome for key in keys}
    assert [key for key, outcome in outcomes.items() if outcome == "speech"] == ["chamber@P.axle2.right"]
    assert not state.complete
    said = judged(SEMI, marks, purpose="rehearsal")
    assert {one(said, key).outcome for key in keys} == {"speech"}


def test_a_pushrod_is_measured_only_released_and_chocked():
    slack = answer("slack@P.axle1.left", value=1.25)
    seen = one(judged(SEMI, [answer("slack@P.axle1.left", value=0.75)]), "slack@P.axle1.left")
    assert (seen.outcome, seen.findings) == ("unmeasured", ("not_released",))
    released, chocked = ({"type": "state", "first": first, "so": True} for first in ("released", "chocked"))
    good = answer("slack@P.axle1.left", value=0.75)
    outcomes = [
        one(judged(SEMI, [*states, good]), "slack@P.axle1.left").outcome
        for states in ((released,), (chocked,), (released, chocked))
    ]
    assert outcomes == ["unmeasured", "unmeasured", "right"]
    found = one(judged(SEMI, [released, chocked, slack]), "slack@P.axle1.left")
    assert (found.outcome, found.consequence) == ("not_right", "stay")


def test_what_the_air_test_asks_is_not_asked_again_and_what_it_does_not_answer_is():
    run = [
        RunMark(5, {"type": "confirmed", "item": "window_down"}),
        RunMark(6, {"type": "confirmed", "item": "abs_lamps_out"}),
        RunMark(7, {"type": "confirmed", "item": "seat_belt"}),
        RunMark(8, {"type": "reading", "stage": "cut_out", "point": "cut_out"}),
        RunMark(9, {"type": "rolled", "stopped": True}),
    ]
    state = judged(SEMI, [], run=run, facts={**NO_FACT, "abs": True, "trailer_abs_dash": True})
    answered = {item.ask.item.id for item in state.items if item.answer == "from_run"}
    assert answered == {"abs_power", "abs_trailer_dash", "gauge_air"}
    for name in ("window", "belt_driver", "lamp_abs_trailer", "gauge_speed"):
        assert any(item.ask.item.id == name and item.outcome == "open" for item in state.items), name
    rolled = judged(SEMI, [], run=[RunMark(9, {"type": "rolled", "stopped": True, "speed_mph": 4})])
    assert one(rolled, "gauge_speed@P").outcome == "right"


def test_answers_that_came_while_the_air_built_are_counted():
    run = [
        RunMark(0, {"type": "engine", "state": "running"}),
        RunMark(35, {"type": "reading", "stage": "cut_out", "point": "cut_out"}),
        RunMark(60, {"type": "engine", "state": "off"}),
    ]
    marks = [answer(key) for key in ("wiper@P.left", "wiper@P.right", "horn_city@P", "heater@P", "defroster@P")]
    assert judged(SEMI, marks, run=run).while_filling == 4


FILLING = BOOK.filling


@pytest.mark.parametrize(
    ("moment", "left", "said"),
    [
        # 112 psi, cut-out usually 124 at 1.2 psi/s: the blast is ten seconds away; ours
        (FillMoment("first", 90, to_blast_s=10, below_psi=12), [Open("heater", "noisy", 8)], None),
        (FillMoment("first", 30, to_blast_s=60), [Open("heater", "noisy", 8)], "heater"),
        (FillMoment("first", 30, to_blast_s=20), [Open("heater", "noisy", 8), Open("wheel", "any", 3)], "wheel"),
        (FillMoment("first", 30, to_blast_s=60, below_psi=9), [Open("wheel", "any", 3)], None),
        (
            FillMoment("first", 30),
            [Open("horn_air", "air", 3), Open("shift", "never", 4), Open("kit", "any", 10)],
            "kit",
        ),
        (FillMoment("first", 119), [Open("kit", "any", 10)], "kit"),
        (FillMoment("first", 121), [Open("kit", "any", 10), Open("wheel", "any", 3)], "wheel"),
        (FillMoment("refill", 61), [Open("kit", "any", 10)], None),
        (FillMoment("refill", 30, timed=True), [Open("wheel", "any", 3)], None),
        (FillMoment("first", 30), [], None),
    ],
)
def test_what_is_offered_while_the_air_builds(moment, left, said):
    assert offered(FILLING, moment, left) == said
    if moment.to_blast_s == 10:
        assert listening(FILLING, moment)


# --- what an answer never does


def test_what_was_found_is_not_taken_back_by_looking_again():
    state = judged(SEMI, [answer("wiper@P.left", "not_right", wrong=["works"]), answer("wiper@P.left")])
    found = one(state, "wiper@P.left")
    assert (found.outcome, found.findings) == ("not_right", ("was_not_right",))
    washed = judged(SEMI, [answer("washer@P", "not_right", wrong=["works"]), answer("washer@P", "fixed")])
    assert one(washed, "washer@P").outcome == "fixed"


def test_two_devices_that_answer_one_item_differently_leave_the_worse():
    here, there = {"device": "one"}, {"device": "two"}
    marks = [{**answer("floor@P", "not_reached", why="dark"), **here}, {**answer("floor@P"), **there}]
    found = one(judged(SEMI, marks), "floor@P")
    assert (found.outcome, found.findings) == ("unseen", ("not_reached", "two_answers"))
    looked_again = one(judged(SEMI, [*marks, {**answer("floor@P"), **here}]), "floor@P")
    assert (looked_again.outcome, looked_again.findings) == ("right", ())


def test_after_the_end_only_what_is_worse_counts():
    end = {"type": "finished"}
    late = judged(SEMI, [end, answer("floor@P"), answer("washer@P", "not_right", wrong=["works"])])
    assert one(late, "floor@P").outcome == "open"
    found = one(late, "washer@P")
    assert (found.outcome, found.findings) == ("not_right", ("after_end",))


def test_a_known_defect_is_never_right_in_passing():
    known = [{"id": "d1", "item": "washer", "place": "P", "what": "dead", "consequence": "finish"}]
    outcomes = {}
    for kind in ("right", "still", "worse", "gone"):
        found = one(judged(SEMI, [answer("washer@P", kind)], known=known), "washer@P")
        outcomes[kind] = (found.outcome, found.consequence)
    assert outcomes == {
        "right": ("open", None),
        "still": ("not_right", "finish"),
        "worse": ("not_right", "stay"),
        "gone": ("right", None),
    }


def test_a_fifth_of_the_brakes_defective_is_said_of_the_whole_set():
    # North American out-of-service criteria, 20 per cent (from memory): ten ends, so two
    bad = [answer(f"chamber@{end}", "not_right", wrong=["dry"]) for end in ("P.axle2.left", "L1.axle1.right")]
    assert [code for code, _ in judged(SEMI, bad[:1]).findings] == []
    assert ("fifth", ("L1.axle1.right", "P.axle2.left")) in judged(SEMI, bad).findings


def test_what_comes_too_quick_is_marked_and_not_blocked():
    quick = [
        {**answer(key), "at_s": 0.4 * n}
        for n, key in enumerate(["floor@P", "overhead@P", "wheel_firm@P", "horn_city@P"])
    ]
    state = judged(SEMI, quick)
    assert {one(state, mark["asks"][0]).findings for mark in quick} == {("too_quick",)}
    assert {one(state, mark["asks"][0]).outcome for mark in quick} == {"right"}
    slow = judged(SEMI, [{**mark, "at_s": 3 * mark["at_s"] + 1} for mark in quick])
    assert {one(slow, mark["asks"][0]).findings for mark in quick} == {()}


def test_one_touch_that_answers_a_block_is_one_touch():
    block = [f"{name}@P.axle1.left" for name in ("brake_hoses", "chamber", "drum", "brake_clean")]
    state = judged(SEMI, [{"type": "answer", "asks": block, "answer": "right"}])
    assert {(one(state, key).outcome, one(state, key).findings) for key in block} == {("right", ())}


def test_half_a_pair_left_open_is_said_at_the_end():
    state = judged(SEMI, [answer("wiper@P.left"), {"type": "state", "first": "chocked"}, {"type": "finished"}])
    findings = dict(state.findings)
    assert "wiper@P.right" in findings["side_open"]
    assert "chocks" in findings["left_out"]
    assert one(state, "floor@P").findings == ("left_open",)


@pytest.mark.parametrize(("kind", "trailers"), [(SEMI, 1), (MULTI, 2)])
def test_what_is_on_the_trailer_is_looked_at_beside_the_trailer(kind, trailers):
    """The frame, crossmembers and tanks of a trailer were asked for behind the cab. Facts of the trade."""
    asks = judged(kind, [], facts=NO_FACT, way="round-exam-tractor-trailer" if kind == SEMI else "path").plan.asks
    stops = {ask.key: ask.stop for ask in asks}
    for item in ("frame", "crossmembers", "air_tanks"):
        assert stops[f"{item}@P"] == "tractor_rear"
        for number in range(1, trailers + 1):
            assert stops[f"{item}@L{number}"].startswith("side_left"), item


def test_naming_is_judged_apart_from_the_vehicle():
    marks = [answer("floor@P"), answer("horn_city@P"), {"type": "said", "asks": ["floor@P"]}]
    state = judged(SEMI, marks, purpose="training")
    assert one(state, "floor@P").findings == ()
    assert one(state, "horn_city@P").findings == ("not_named",)
    assert one(state, "horn_city@P").outcome == "right"


def test_a_finding_set_up_for_teaching_leads_nowhere():
    state = judged(SEMI, [answer("washer@P", "not_right", wrong=["works"], teaching=True)], purpose="training")
    assert (state.worst, state.clear) == (None, False)
    assert one(state, "washer@P").outcome == "not_right"


def test_the_order_in_which_marks_arrive_does_not_matter():
    numbers = random.Random(16)
    marks = [
        {
            "at_s": 3.0 * n,
            "device": numbers.choice("ab"),
            **answer(key, numbers.choice(["right", "not_right", "not_reached", "later"]), why="dark"),
        }
        for n, key in enumerate(
            numbers.choices(["floor@P", "overhead@P", "wheel_firm@P", "chamber@P.axle1.left"], k=24)
        )
    ]
    for mark in marks:
        if mark["answer"] != "not_reached":
            mark.pop("why")
    outcomes = set()
    for _ in range(20):
        table = record(SEMI, [])
        table["marks"] = numbers.sample(marks, len(marks))
        outcomes.add(tuple(item.outcome for item in state_of(read_inspection(table, BOOK)).items))
    assert len(outcomes) == 1


def test_a_complete_inspection_is_clear_only_when_nothing_is_not_right():
    usual = vehicle_set(RIGID)
    keys = [ask.key for ask in plan(BOOK, usual, BOOK.ways["round-daily-rigid"]).asks]
    marks = [
        answer(key, **({"value": HEALTHY[name]} if (name := key.partition("@")[0]) in HEALTHY else {})) for key in keys
    ]
    state = judged(RIGID, marks, way="round-daily-rigid")
    assert (state.complete, state.clear, exit_code(state)) == (True, True, 0)
    fewer = judged(RIGID, marks[:-1], way="round-daily-rigid")
    assert (fewer.complete, exit_code(fewer)) == (False, 2)
    dead = judged(
        RIGID,
        [*marks[:-1], answer(keys[-1]), answer("washer@P", "not_right", wrong=["works"])],
        way="round-daily-rigid",
    )
    assert (dead.complete, dead.clear, dead.worst, exit_code(dead)) == (True, False, "stay", 1)
    # a dead washer stops driving away and nothing else; a fuel leak beside it stops the engine too
    leak = answer("fuel_filter@P", "not_right", wrong=["dry"])
    assert (dead.blocks, judged(RIGID, [answer("washer@P", "not_right", wrong=["works"]), leak]).blocks) == (
        "leave",
        "start",
    )


# --- reading

BAD = [
    ({"unit": {"kind": "straight_truck", "look": {"axles": []}}}, "unit.look.axles"),
    ({"unit": {"kind": "straight_truck", "look": {"axles": [{"role": "front"}]}}}, "unit.look.axles[0].role"),
    ({"unit": {"kind": "tractor_semitrailer"}}, "unit.trailers"),
    ({"unit": {"kind": "straight_truck", "trailers": [{"name": "T"}]}}, "unit.trailers"),
    ({"unit": {"kind": "straight_truck", "look": {"figures": {"oil_psi": 900}}}}, "unit.look.figures.oil_psi"),
    ({"way": "round-bus"}, "way"),
    ({"way": "sideways"}, "way"),
    ({"format": "low-hiss-run/1"}, "format"),
    ({"marks": {}}, "marks"),
    ({"marks": [answer("floor")]}, "marks[0].asks"),
    ({"marks": [answer("flor@P")]}, "marks[0].asks"),
    ({"marks": [{"type": "answer", "asks": [], "answer": "right"}]}, "marks[0].asks"),
    ({"marks": [{"type": "answer", "asks": ["floor@P"] * 2, "answer": "right"}]}, "marks[0].asks"),
    ({"marks": [answer("floor@P", "fine")]}, "marks[0].answer"),
    ({"marks": [answer("floor@P", "from_run")]}, "marks[0].answer"),
    ({"marks": [answer("floor@P", "not_right", wrong=["works"])]}, "marks[0].wrong"),
    ({"marks": [answer("floor@P", wrong=["clear"])]}, "marks[0].wrong"),
    ({"marks": [answer("floor@P", "not_reached")]}, "marks[0].why"),
    ({"marks": [answer("floor@P", value="ten")]}, "marks[0].value"),
    ({"marks": [answer("floor@P", value=float("nan"))]}, "marks[0].value"),
    ({"marks": [answer("floor@P", "not_right", yes=["whether"])]}, "marks[0].yes"),
    ({"marks": [{"type": "fact", "fact": "wings", "so": True}]}, "marks[0].fact"),
    ({"marks": [{"type": "fact", "part": "L3", "fact": "tank", "so": True}]}, "marks[0].part"),
    ({"marks": [{"type": "axles", "axles": []}]}, "marks[0].axles"),
    ({"marks": [{"type": "brought", "what": "lunch"}]}, "marks[0].what"),
    ({"marks": [{"type": "danced"}]}, "marks[0].type"),
    ({"marks": [{"type": "note", "text": " "}]}, "marks[0].text"),
]


@pytest.mark.parametrize(("wrong", "field"), BAD)
def test_a_record_that_cannot_be_read_names_its_field(wrong, field):
    good = {"format": "low-hiss-round/1", "unit": {"kind": "straight_truck"}, "marks": []}
    table = {**good, **wrong}
    table["marks"] = (
        [{"at_s": 0, **mark} for mark in table["marks"]] if isinstance(table["marks"], list) else table["marks"]
    )
    with pytest.raises(RecordError) as refused:
        read_inspection(table, BOOK)
    assert refused.value.field == field


def tables() -> tuple[dict, list]:
    root = Path(rulebook.__file__).parent / "inspection"
    found = {name: parse_toml((root / f"{name}.toml").read_text(), name) for name in INSPECTION_TABLES}
    return found, [
        (path.name, parse_toml(path.read_text(), path.name)) for path in sorted((root / "items").glob("*.toml"))
    ]


ITEM = {
    "id": "beacon", "zone": "cab", "name": {"en": "Beacon", "es": "Torreta"}, "gn": "fs", "kinds": "all",
    "on": ["unit"],
    "check": ["works"], "seconds": 3, "repeat": "once", "group": "lamp_other", "in": ["daily"],
}  # fmt: skip


def test_a_fleets_own_item_is_one_file_and_nothing_else():
    found, items = tables()
    book = read_inspection_book(found, [*items, ("own.toml", {"item": [ITEM]})], TABLE.groups, TABLE.questions)
    keys = [ask.key for ask in plan(book, vehicle_set(RIGID), book.ways["path"]).asks]
    assert "beacon@P" in keys


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"check": ["shiny"]}, "own.toml.item[0].check"),
        ({"first": ["sunny"]}, "own.toml.item[0].first"),
        ({"fitted": ["wings"]}, "own.toml.item[0].fitted"),
        ({"zone": "moon"}, "own.toml.item[0].zone"),
        ({"measure": "charm"}, "own.toml.item[0].measure"),
        ({"group": "beacons"}, "own.toml.item[0].group"),
        ({"repeat": "end"}, "own.toml.item[0].axles"),
        ({"seconds": 0}, "own.toml.item[0].seconds"),
        ({"colour": "amber"}, "own.toml.item[0].colour"),
        ({"id": "floor"}, "own.toml.item[0].id"),
    ],
)
def test_an_item_file_with_an_unknown_word_is_refused_by_its_field(change, field):
    found, items = tables()
    with pytest.raises(RuleError) as refused:
        read_inspection_book(
            found, [*items, ("own.toml", {"item": [{**ITEM, **change}]})], TABLE.groups, TABLE.questions
        )
    assert refused.value.field == field


@pytest.mark.parametrize(
    ("row", "field"),
    [
        ({"measure": "dual_gap", "at_most": 3}, "measure"),
        ({"measure": "tread", "seen": True}, "words"),
        ({"measure": "tread"}, "at_most"),
        ({"measure": "tread", "at_least": 4, "unit": "furlong"}, "unit"),
    ],
)
def test_a_limit_without_a_unit_or_a_number_is_refused(row, field):
    found, items = tables()
    broken = deepcopy(found)
    broken["limits"]["limit"].append({"rules": ["us-cdl"], "source": "ours", "standing": "common_practice", **row})
    with pytest.raises(RuleError) as refused:
        read_inspection_book(broken, items, TABLE.groups, TABLE.questions)
    assert refused.value.field.endswith(f".{field}")


# --- words


def test_every_sentence_and_limit_is_whole_in_both_languages():
    for kind, language in product(UNIT_KINDS, ("en", "es")):
        table = record(kind, [], facts=EVERY_FACT)
        script = script_of(read_inspection(table, BOOK), Words(language, "kpa" if language == "es" else "psi"))
        for ask in script["asks"]:
            assert ask["say"].strip()
            assert not re.search(r"[{}]|None|  ", ask["say"]), ask["say"]
            for measure in ask["measures"]:
                assert not re.search(r"[{}]|None", measure["limit"] + measure["school"])
        assert {item["means"] for item in script["items"].values()} <= {"stay", "finish", "note", None}


def test_made_sentences_say_part_and_conditions():
    said = InspectionWords(BOOK, Words("en", "psi"))
    planned = plan(BOOK, vehicle_set(SEMI), BOOK.ways["path"])
    assert said.say(planned.of("alternator@P"), []) == "Alternator is firmly mounted and not cracked, bent or broken."
    low = planned.of("lamp_low@P")
    assert said.say(low, []).endswith("complete, with nothing missing, and they work.")
    spanish = InspectionWords(BOOK, Words("es", "psi"))
    assert spanish.say(planned.of("alternator@P"), []) == "Alternador: firme y sin grietas, dobleces ni roturas."


@pytest.mark.parametrize(("value", "text"), [(1.75, "1 3/4"), (0.0625, "1/16"), (3.0, "3"), (0.0, "0"), (2.999, "3")])
def test_inches_are_said_as_a_tape_shows_them(value, text):
    assert fraction(value) == text


def test_the_state_tells_what_is_not_right_and_what_follows():
    marks = [answer("tire_tread@P.axle1.left", value=3), answer("washer@P", "not_right", wrong=["works"])]
    read = read_inspection(record(SEMI, marks), BOOK)
    table = state_table(read, state_of(read), Words("es", "psi"))
    tread = next(item for item in table["items"] if item["key"] == "tire_tread@P.axle1.left")
    assert tread["not_so"] == "Dibujo de la llanta: 3/32 in"
    assert (tread["limit"], tread["report"]) == ("al menos 4/32 in", "llantas")
    canada = state_table(read, state_of(read, "canada-west"), Words("en", "psi"), "canada-west")
    assert {one["key"]: one["report"] for one in canada["items"]}["washer@P"] == "NSC 13: 23"
    assert table["worst"] == "stay"


def test_a_look_is_read_back_as_it_was_written():
    look = Look((Axle("steer"), Axle("drive", dual=True, air_susp=True)), {"clutch": True}, {"oil_psi": 20.0})
    usual = InspectionSet(RIGID, Vehicle("MV-05", look))
    table = {"format": "low-hiss-round/1", "unit": set_table(usual), "marks": []}
    assert read_inspection(table, BOOK).set == usual
    assert look_table(look)["axles"][1]["dual"] is True


def test_stations_follow_each_other_on_one_side():
    sides = [
        one.stop.side
        for one in plan(BOOK, vehicle_set(MULTI), BOOK.ways["path"]).stations
        if one.stop.side in ("left", "right", "rear")
    ]
    assert [pair for pair in pairwise(sides) if len(set(pair)) == 2] == [("left", "rear"), ("rear", "right")]


def test_what_is_outside_of_a_bus_is_looked_at_outside():
    """Baggage doors and the engine's stand along the sides and at the rear: nobody looks at them from the aisle."""
    usual = rulebook.inspections()
    zones = {name: usual.items[name].zone for name in ("baggage", "engine_door")}
    assert zones == {"baggage": "cab_side", "engine_door": "rear"}
    inside = next(stop for stop in usual.paths["bus"] if "bus" in stop.zones)
    assert not set(zones.values()) & set(inside.zones)


def test_only_papers_of_the_country_are_asked():
    papers = rulebook.inspections().papers
    for rules, region in (("us-cdl", "us"), ("us-federal", "us"), ("canada-west", "canada")):
        script = script_of(read_inspection(record("bus", [], rules=rules), BOOK), Words("en", "psi"), rules)
        asked = {one["id"] for item in script["items"].values() for one in item["questions"] if one["id"] in papers}
        assert asked == {name for name, one in papers.items() if region in one.regions}
        assert asked != set(papers)

"""How a vehicle stands: defects, what follows from them, when it is due, and the worst of it all."""

from __future__ import annotations

import datetime as dt
import tomllib
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lowhiss import rulebook
from lowhiss.core.errors import RecordError, RuleError
from lowhiss.core.status import (
    ACT_TYPES,
    CONSEQUENCES,
    STATUSES,
    Act,
    Clock,
    DueRule,
    Hold,
    PartFacts,
    TestedSet,
    UnitPart,
    defects_of,
    end_of_day,
    good_until,
    read_act_body,
    read_consequences,
    read_due_rule,
    status_of,
    zone_of,
)
from tests.conftest import ROOT

BEGUN = dt.datetime(2026, 3, 2, 12, 0, tzinfo=dt.UTC)
U, T = UnitPart("unit", "U"), UnitPart("trailer", "T")
DENVER = ZoneInfo("America/Denver")
GROUPS = rulebook.consequences()


def hours(number):
    return BEGUN + dt.timedelta(hours=number)


def act(hour, kind, part=U, by="Tove Lind", **body):
    return Act(f"{kind}{hour}", kind, part, hours(hour), by, body)


def passed(hour, *stages, parts=(U,), outcome="pass", counts=True):
    return TestedSet(f"run{hour}", parts, hours(hour), "r", {stage: {"outcome": outcome} for stage in stages}, counts)


SEEN = "defect_seen0"
WASHER = act(0, "defect_seen", group="washer")
HOSE = act(0, "defect_seen", group="brake_hose")
WORDS = act(0, "defect_seen", what="a rattle", consequence="note")
MENDED = act(3, "repaired", by="Jory Pask", did="new hose", defects=[SEEN])
DEFECTS = [
    # default by group and rule set: inspection table, us-cdl and canada-west
    ([WASHER], [], "us-cdl", 1, "stay"),
    ([WASHER], [], "canada-west", 1, "finish"),
    ([WORDS], [], "us-cdl", 1, "note"),
    # an unknown rule set takes the worst of the row
    ([WASHER], [], "our own", 1, "stay"),
    # who saw it may call it worse, never milder
    ([act(0, "defect_seen", group="washer", consequence="stay")], [], "canada-west", 1, "stay"),
    ([act(0, "defect_seen", group="brake_hose", consequence="note")], [], "us-cdl", 1, "stay"),
    # one trip: until it is over, or a day has passed
    ([WASHER], [], "canada-west", 23.9, "finish"),
    ([WASHER], [], "canada-west", 24.1, "stay"),
    ([WASHER, act(2, "trip_over")], [], "canada-west", 3, "stay"),
    # rated later by whoever may
    ([HOSE, act(1, "defect_rated", defect=SEEN, consequence="note", reason="only a shadow")], [], "us-cdl", 2, "note"),
    # certified
    ([HOSE, act(1, "defect_taken", defect=SEEN)], [], "us-cdl", 2, "stay"),
    ([HOSE, act(1, "no_repair", defect=SEEN, reason="dry, no leak")], [], "us-cdl", 2, None),
    ([WASHER, act(1, "repaired", did="pump", defects=[SEEN])], [], "us-cdl", 2, None),
    # a brake hose asks for both leak tests after its repair
    ([HOSE, MENDED], [], "us-cdl", 5, "stay"),
    ([HOSE, MENDED], [passed(4, "leak_applied")], "us-cdl", 5, "stay"),
    ([HOSE, MENDED], [passed(4, "leak_applied", "leak_released")], "us-cdl", 5, None),
    ([HOSE, MENDED], [passed(4, "leak_applied", "leak_released", counts=False)], "us-cdl", 5, "stay"),
    ([HOSE, MENDED], [passed(2, "leak_applied", "leak_released")], "us-cdl", 5, "stay"),
    ([HOSE, MENDED], [passed(4, "leak_applied", "leak_released", outcome="void")], "us-cdl", 5, "stay"),
    ([HOSE, MENDED], [passed(4, "leak_applied", "leak_released", parts=(T,))], "us-cdl", 5, "stay"),
    # set up for teaching it never means anything
    ([act(0, "defect_seen", group="brake_hose", teaching=True)], [], "us-cdl", 1, None),
    # a second certificate changes nothing
    ([HOSE, act(1, "no_repair", defect=SEEN, reason="dry"), MENDED], [], "us-cdl", 5, None),
]


@pytest.mark.parametrize(("acts", "tests", "rules", "hour", "means"), DEFECTS)
def test_what_a_defect_means(acts, tests, rules, hour, means):
    (defect,) = defects_of(U, reversed(acts), tests, GROUPS, rules)
    assert defect.consequence(hours(hour)) == means


def test_every_rating_stands_beside_the_others_with_who_when_and_why():
    rated = act(1, "defect_rated", by="Jory Pask", defect=SEEN, consequence="finish", reason="seal only")
    (defect,) = defects_of(U, [HOSE, rated], [], GROUPS, "us-cdl")
    assert [(one.by, one.consequence, one.reason) for one in defect.ratings] == [
        ("", "stay", ""),
        ("Jory Pask", "finish", "seal only"),
    ]


def test_the_next_driver_reads_and_says_so():
    read = act(5, "acknowledged", by="Ines Aldous", defects=[SEEN])
    (defect,) = defects_of(U, [HOSE, MENDED, read], [], GROUPS, "us-cdl")
    assert (defect.certified_by, defect.said) == ("Jory Pask", "new hose")
    assert defect.acknowledged == (("Ines Aldous", hours(5)),)


def test_the_table_of_consequences_is_whole_and_never_milder_in_a_later_column_than_it_says():
    for group in GROUPS.groups.values():
        assert set(group.by_rules) == set(rulebook.rule_set_ids())
        assert {language for language, name in group.name.items() if name} == {"en", "es"}
        assert set(group.by_rules.values()) <= set(CONSEQUENCES)
    # 49 CFR 392.7 and 396.11 (from memory): brakes, steering, wheels keep a vehicle where it is
    for known in ("brake_hose", "steering_play", "rim", "lug", "turn_rear", "air_line"):
        assert GROUPS.groups[known].by_rules["us-federal"] == "stay", known


@pytest.mark.parametrize(
    ("group", "yes", "blocks"),
    [
        # common practice, no source: what may fail, fall or come apart stops rolling; what burns or seizes, the engine
        ("brake_hose", (), "roll"),
        ("steering_play", (), "roll"),
        ("tire_low", ("flat",), "roll"),
        ("jaw", (), "roll"),
        ("cargo", (), "roll"),
        ("fuel_leak", (), "start"),
        ("oil_pressure", (), "start"),
        ("washer", (), "leave"),
        ("brake_lamp", ("both",), "leave"),
        # counted as one of another group
        ("washer_fluid", ("empty",), "leave"),
        ("valve", ("valve_leaks",), "roll"),
        # an item of the fleet's own
        ("our own", (), "roll"),
    ],
)
def test_what_a_defect_that_means_stay_stops(group, yes, blocks):
    assert GROUPS.blocks(group, "us-cdl", yes) == blocks


def test_a_value_that_stops_nothing_known_is_refused():
    table = tomllib.loads((ROOT / "lowhiss/rulebook/consequences.toml").read_text())
    table["consequence"][0]["blocks"] = "fly"
    with pytest.raises(RuleError, match="blocks"):
        read_consequences(table)


# what people may say


@pytest.mark.parametrize(
    ("kind", "body", "problem"),
    [
        ("flown", {}, "type: must be one of"),
        ("hold_placed", {}, "reason: is missing"),
        ("hold_placed", {"reason": "  "}, "reason: is empty"),
        ("hold_placed", {"reason": "x" * 501}, "reason: is 501 characters long"),
        ("hold_released", {"reason": "fine"}, "hold: is missing"),
        ("defect_seen", {}, "what: is empty"),
        ("defect_seen", {"what": "a rattle"}, "consequence: is missing"),
        (
            "defect_seen",
            {"what": "a rattle", "consequence": "explode"},
            "consequence: must be one of stay, finish, note",
        ),
        ("defect_rated", {"defect": "d", "consequence": "note"}, "reason: is missing"),
        ("repaired", {"did": "x", "odometer": -1}, "odometer: must be a number from 0"),
        ("repaired", {"did": "x", "holds": ["h"] * 51}, "holds: must be at most 50 ids"),
        ("repaired", {"holds": ["h"]}, "did: is missing"),
        ("acknowledged", {}, "defects: is empty"),
        ("trip_over", {"why": "home"}, "why: isn't a known field"),
    ],
)
def test_an_act_that_says_too_little_is_refused_by_its_field(kind, body, problem):
    with pytest.raises(RecordError, match=f"^{problem}"):
        read_act_body(kind, body)


def test_every_act_has_a_reader():
    for kind in ACT_TYPES:
        with pytest.raises(RecordError):
            read_act_body(kind, {"no such field": 1})


# due


@pytest.mark.parametrize(
    ("passed_at", "rule", "until"),
    [
        # local midnight of Denver: 07:00 UTC in winter, 06:00 in summer
        ("2026-01-10T20:00", DueRule("days", 1), "2026-01-12T07:00"),
        ("2026-01-10T20:00", DueRule("trip"), "2026-01-11T07:00"),
        # 23:30 local is still that day, half past midnight the next
        ("2026-01-11T06:30", DueRule("trip"), "2026-01-11T07:00"),
        ("2026-01-11T07:30", DueRule("trip"), "2026-01-12T07:00"),
        # clocks go forward on 8 March 2026, back on 1 November: the day is 23 and 25 hours long
        ("2026-03-07T20:00", DueRule("days", 1), "2026-03-09T06:00"),
        ("2026-10-31T20:00", DueRule("days", 1), "2026-11-02T07:00"),
        # ends of months
        ("2026-01-31T20:00", DueRule("months", 1), "2026-03-01T07:00"),
        ("2028-01-31T20:00", DueRule("months", 1), "2028-03-01T07:00"),
        ("2026-11-30T20:00", DueRule("months", 3), "2027-03-01T07:00"),
        ("2026-10-15T20:00", DueRule("months", 12), "2027-10-16T06:00"),
    ],
)
def test_until_when_a_pass_is_good(passed_at, rule, until):
    moment = dt.datetime.fromisoformat(f"{passed_at}:00+00:00")
    assert good_until(moment, rule, DENVER) == dt.datetime.fromisoformat(f"{until}:00+00:00")


@given(
    st.datetimes(dt.datetime(2000, 1, 1), dt.datetime(2060, 1, 1), timezones=st.just(dt.UTC)),
    st.sampled_from(["America/Denver", "Europe/Lisbon", "Asia/Kathmandu", "Pacific/Apia", "UTC"]),
    st.integers(0, 400),
)
def test_a_pass_is_good_to_the_end_of_a_local_day_and_no_rule_ends_it_sooner(moment, zone, days):
    where = ZoneInfo(zone)
    today, until = moment.astimezone(where).date(), good_until(moment, DueRule("days", days), where)
    last = (until - dt.timedelta(seconds=1)).astimezone(where)
    assert until > moment
    # Apia had no 30 December 2011: the day before it then is the last
    assert last.date() in (today + dt.timedelta(days=days), today + dt.timedelta(days=days - 1))
    assert until == end_of_day(today + dt.timedelta(days=days), where)


@pytest.mark.parametrize(
    ("rule", "problem"),
    [
        ({"every": "days", "count": 0}, "count: must be a number from 1"),
        ({"every": "months", "count": 1.5}, "count: must be a whole number"),
        ({"every": "weeks"}, "every: must be one of days, months, trip"),
        ({"every": "days", "count": 4000}, "count: must be a number from 1 to 3650"),
    ],
)
def test_a_rule_that_is_none_is_refused(rule, problem):
    with pytest.raises(RecordError, match=problem):
        read_due_rule(rule)


def test_a_zone_that_is_none_is_refused():
    with pytest.raises(RecordError, match="time_zone: 'Mars/Base' isn't a known time zone"):
        zone_of("Mars/Base")
    with pytest.raises(RecordError, match="time_zone"):
        zone_of("../etc/passwd")


# the worst of it

HELD = Hold("h", None, BEGUN, (U,), reason="pulls")
(STAY,) = defects_of(U, [HOSE], [], GROUPS, "us-cdl")
(TRIP,) = defects_of(U, [WASHER], [], GROUPS, "canada-west")
(NOTED,) = defects_of(U, [WORDS], [], GROUPS, "us-cdl")
WEEKLY = DueRule("days", 7)


def stands(now_hour=1, trailer=None, **facts):
    clock = Clock(hours(now_hour), DENVER)
    unit = PartFacts(U, **{"passed_at": BEGUN, **facts})
    return status_of([unit, *([trailer] if trailer else [])], clock)


@pytest.mark.parametrize(
    ("facts", "status"),
    [
        ({}, "fit"),
        ({"rule": WEEKLY}, "fit"),
        ({"passed_at": None}, "never_tested"),
        ({"holds": (HELD,), "passed_at": None}, "on_hold"),
        ({"holds": (HELD,), "defects": (STAY,)}, "on_hold"),
        ({"defects": (STAY,), "rule": WEEKLY, "passed_at": hours(-1000)}, "unfit"),
        ({"defects": (TRIP,)}, "restricted"),
        ({"defects": (NOTED,)}, "fit"),
        ({"rule": WEEKLY, "passed_at": hours(-24 * 9)}, "overdue"),
        ({"rule": WEEKLY, "passed_at": None}, "never_tested"),
        ({"rule": WEEKLY, "passed_at": hours(-24 * 7)}, "due"),
        ({"rule": WEEKLY, "passed_at": hours(-24 * 6)}, "due"),
        ({"rule": WEEKLY, "passed_at": hours(-24 * 5)}, "fit"),
        ({"rule": WEEKLY, "passed_at": hours(-24 * 6), "defects": (TRIP,)}, "due"),
        ({"trailer": PartFacts(T, holds=(Hold("t", None, BEGUN, (T,)),))}, "on_hold"),
        ({"trailer": PartFacts(T, defects=(STAY,))}, "unfit"),
        ({"trailer": PartFacts(T)}, "never_tested"),  # F5: a set is as well tested as its worst member
        ({"trailer": PartFacts(T, passed_at=BEGUN)}, "fit"),
        ({"trailer": PartFacts(T, rule=WEEKLY, passed_at=hours(-24 * 9))}, "overdue"),
    ],
)
def test_how_a_set_stands(facts, status):
    assert stands(**facts) == status


def test_a_hold_that_has_left_the_tractor_leaves_it_free():
    hold = Hold("h", "leak_applied", BEGUN, (T,))
    assert stands(holds=(hold,)) == "fit"


def test_statuses_are_ordered_worst_first():
    assert STATUSES == ("on_hold", "unfit", "overdue", "never_tested", "due", "restricted", "fit")

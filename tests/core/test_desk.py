"""The rule desk: deriving, what is looser than the law, what cannot be meant, sets side by side, limits in words."""

from __future__ import annotations

import contextlib
import copy
import itertools
import json
import tomllib

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lowhiss import rulebook
from lowhiss.core.errors import RuleError
from lowhiss.core.judge.common import compare
from lowhiss.core.procedure import PROCEDURE_FORMAT, read_procedure
from lowhiss.core.record import read_run
from lowhiss.core.rules import apply_bounds, read_rule_set
from lowhiss.core.stages import LIMITED_STAGES
from lowhiss.core.status import CONSEQUENCES
from lowhiss.core.vehicle import UNIT_KINDS, Governor, Unit
from lowhiss.core.words import Words
from lowhiss.demo.scenario import demo_runs
from lowhiss.engine.editor.checks import cases, check_reasons, looser_limits, read_fleet_rules
from lowhiss.engine.editor.comparison import conventions, group_lines, inspection_lines, side_by_side
from lowhiss.engine.editor.limit_impact import weigh
from lowhiss.engine.editor.orders import order
from lowhiss.engine.editor.overlay import tables_under
from lowhiss.engine.judge_record import judge_record
from lowhiss.exchange.rule_toml import check_rule_file, tables_of, toml_text
from tests.builders import at, judged, leak_record, whole_test
from tests.conftest import DEMO_LOADED_AT

CDL = "US CDL manual, air brakes section"
OLDER = "older US CDL manual, air brakes section"
CFR, BUILT = "49 CFR 393.51", "49 CFR 393.51 with FMVSS 121"
PAIR = {"group": ["combination"]}
SOURCE = {"document": "yard handbook", "standing": "fleet"}


def derived(parent="us-cdl", *limits, **more):
    return {
        "format": "low-hiss-rules/1",
        "id": "yard",
        "title": {"en": "Yard", "es": "Patio"},
        "parent": parent,
        "limit": list(limits),
        **more,
    }


def limit(key, stage, *bounds, unit="psi", **more):
    return {"key": key, "stage": stage, "unit": unit, "bounds": list(bounds), "source": SOURCE, **more}


def own(*limits, parent="us-cdl", **more):
    return read_fleet_rules(derived(parent, *limits, **more), rulebook.rule_set)


WARNING = limit("low_air_warning", "low_air_warning", {"at_least": 60})
RUNS = [read_run(record) for _, record in demo_runs(DEMO_LOADED_AT)]


def outcome(verdict):
    return verdict.overall, {stage: one.outcome for stage, one in verdict.standing().items()}


# deriving


@pytest.mark.parametrize("name", rulebook.rule_set_ids())
def test_a_set_derived_without_a_change_judges_every_demo_run_as_its_parent_does(name):
    parent = rulebook.rule_set(name)
    child = own(parent=name)
    changed = own(WARNING, parent=name) if parent.limit_for("low_air_warning", Unit("bus")) else child
    back = read_fleet_rules({**derived(name), "limit": []}, rulebook.rule_set)
    assert changed.content_hash != child.content_hash or changed is child
    assert back.content_hash == child.content_hash
    for run in RUNS[::3]:
        assert outcome(judge_record(run, child)) == outcome(judge_record(run, parent))


NARROWABLE = [
    (name, one.key, side)
    for name in rulebook.rule_set_ids()
    for one in rulebook.rule_set(name).limits
    for side in range(len(one.bounds))
]


def narrowed(table, key, side, by):
    """The same limit with one bound moved inwards."""
    found = copy.deepcopy(next(one for one in table["limit"] if one["key"] == key))
    bound = found["bounds"][side]
    comparator = next(name for name in ("at_least", "above", "at_most", "below") if name in bound)
    bound[comparator] += by if comparator in ("at_least", "above") else -by
    return found


@given(st.sampled_from(NARROWABLE), st.floats(0.0, 6.0), st.floats(0.0, 200.0))
def test_narrowing_a_bound_never_turns_what_fails_into_what_passes(which, by, value):
    name, key, side = which
    parent = rulebook.rule_set(name)
    table = narrowed(parent.as_dict(), key, side, by)
    try:
        child = read_rule_set(derived(name, table), rulebook.judging(), rulebook.rule_set)
    except RuleError:
        return  # moved past one another: refused, as the table below shows
    old, new = (next(one for one in rules.limits if one.key == key) for rules in (parent, child))
    for unit in itertools.islice(cases(old), 3):
        before, after = (apply_bounds(one, unit, 125.0, 125.0) for one in (old, new))
        if before and after and compare(value, after).within:
            assert compare(value, before).within


def test_a_set_keeps_its_whole_line_and_a_circle_is_refused_naming_it():
    first = own(WARNING)
    second = read_rule_set({**derived("yard"), "id": "north"}, rulebook.judging(), lambda _: first)
    assert second.lineage == ("yard", "us-cdl")
    assert rulebook.default_procedure_ids(second) == rulebook.default_procedure_ids(rulebook.rule_set("us-cdl"))
    whole = read_rule_set(json.loads(json.dumps(second.as_dict())))
    assert (whole.lineage, whole.content_hash) == (second.lineage, second.content_hash)
    with pytest.raises(RuleError, match=r"parent: leads back to 'yard' through north: choose another"):
        read_rule_set(derived("north"), rulebook.judging(), lambda _: second)


# what cannot be meant

REFUSED = [
    (
        limit("low_air_warning", "low_air_warning", {"at_least": 70}, {"at_most": 45}),
        "no number is at least 70 and at most 45",
    ),
    (limit("cut_out", "cut_out", {"above": 120}, {"at_most": 120}), "no number is above 120 and at most 120"),
    # 55 in a field that is read as kPa is 8 psi
    (
        limit("low_air_warning", "low_air_warning", {"at_least": 7.977}),
        "55 kPa was written: was another unit meant?",
    ),
    (limit("low_air_warning", "low_air_warning", {"at_least": 379}), "must be 35 to 95 psi, not 379 psi"),
    (limit("leak_applied.combination", "leak_applied", {"at_most": 4}, hold_s=5), "hold_s: must be 30 to 600 s, not 5"),
    (limit("build_up.dual", "build_up", {"at_most": 2}, unit="s", window_psi=[85, 100]), "must be 3 to 900 s, not 2"),
    (
        limit("build_up.dual", "build_up", {"at_most": 45}, unit="s", window_psi=[85, 180]),
        "must end at 130 psi or lower",
    ),
    (limit("cut_in", "cut_in", {"at_least": -80, "of": "cut_out_read"}), "must be -60 to 30 psi, not -80 psi"),
]


@pytest.mark.parametrize(("bad", "words"), REFUSED, ids=lambda value: value if isinstance(value, str) else "")
def test_what_no_school_could_mean_is_refused_naming_the_limit(bad, words):
    with pytest.raises(RuleError) as caught:
        own(bad)
    assert words in str(caught.value).replace("−", "-")


@pytest.mark.parametrize(
    ("more", "words"),
    [
        ({"consequences": {"wings": "stay"}}, "consequences.wings: isn't a group of parts"),
        ({"consequences": {"marker": "burn"}}, "must be one of stay, finish, note, not 'burn'"),
        (
            {"round_limit": [{"measure": "wings", "at_least": 2, "source": SOURCE}]},
            "'wings', which isn't measured in an inspection",
        ),
        ({"round_limit": [{"measure": "tread", "source": SOURCE}]}, "needs at_least, at_most or both"),
        ({"round_limit": [{"measure": "tread", "at_least": 4, "at_most": 2, "source": SOURCE}]}, "no number is both"),
        ({"round_limit": [{"measure": "tread", "axles": ["wing"], "at_least": 4, "source": SOURCE}]}, "not 'wing'"),
        ({"calls": ["song"]}, "calls: must hold only cut_out, limit, reading, verdict, not 'song'"),
        ({"holding": "hope"}, "holding: must be one of chocks, gear_noted, gear_too, not 'hope'"),
        ({"id": "us-cdl"}, "leads back to 'us-cdl'"),
        ({"id": "us-older"}, "'us-older' is a built-in rule set"),
        ({"limit": [WARNING] * 101}, "holds 101 limits; the maximum is 100"),
    ],
)
def test_what_else_a_set_may_not_hold(more, words):
    with pytest.raises(RuleError) as caught:
        read_fleet_rules({**derived(), **more}, rulebook.rule_set)
    assert words in str(caught.value)


# looser than the law; every published value is from memory, as the rule book says

LOOSER = [
    (limit("low_air_warning", "low_air_warning", {"at_least": 50}), {CDL, CFR, BUILT}),
    (limit("low_air_warning", "low_air_warning", {"at_least": 55}), {BUILT}),
    (limit("low_air_warning", "low_air_warning", {"at_least": 60}), set()),
    # less than three is tighter than no more than three
    (limit("leak_released.combination", "leak_released", {"at_most": 3}, when=PAIR, hold_s=60), {CDL}),
    (limit("leak_released.combination", "leak_released", {"below": 3}, when=PAIR, hold_s=60), set()),
    # by the minute: 6 in two minutes is tighter than 4 in one, 9 is looser
    (limit("leak_applied.combination", "leak_applied", {"at_most": 6}, when=PAIR, hold_s=120), set()),
    (limit("leak_applied.combination", "leak_applied", {"at_most": 9}, when=PAIR, hold_s=120), {CDL}),
    (limit("spring_brakes", "spring_brakes", {"at_least": 15}, {"at_most": 45}), {CDL, OLDER}),
    (limit("spring_brakes", "spring_brakes", {"at_least": 20}), {CDL, OLDER}),
    (limit("cut_out", "cut_out", {"at_least": 120}, {"at_most": 135}), set()),
    # over another window nothing can be told
    (
        limit(
            "build_up.dual", "build_up", {"at_most": 300}, unit="s", window_psi=[60, 100], when={"circuits": ["dual"]}
        ),
        set(),
    ),
]


@pytest.mark.parametrize(("one", "laws"), LOOSER)
def test_a_limit_is_held_against_every_published_rule_that_is_known(one, laws):
    rules = own(one)
    found = {looser.source.document for looser in looser_limits(rules, rulebook.rule_set("us-cdl"))}
    assert found == laws
    if not found:
        check_reasons(rules, rulebook.rule_set("us-cdl"))
        return
    with pytest.raises(RuleError, match=r"reason: is missing: it is looser than .*, from memory; give"):
        check_reasons(rules, rulebook.rule_set("us-cdl"))
    check_reasons(own({**one, "reason": "the shop's own gauge reads two low"}), rulebook.rule_set("us-cdl"))


def test_an_unchanged_parent_is_never_called_looser():
    for name in rulebook.rule_set_ids():
        assert looser_limits(own(parent=name), rulebook.rule_set(name)) == []


# in words


def test_a_limit_without_words_makes_its_sentence_in_both_languages():
    def said(one):
        (found,) = [made for made in own(one).limits if made.key == one["key"]]
        return Words("en").limit_words(found), Words("es").limit_words(found)

    assert said(WARNING) == (
        "When the low-air warning comes on, the gauge must read at least 60 psi.",
        "Cuando se activa el aviso de baja presión, el manómetro debe marcar 60 psi o más.",
    )
    held = limit("leak_applied.combination", "leak_applied", {"at_most": 3}, when=PAIR, hold_s=60)
    assert said(held)[0] == "With the pedal held, a combination may lose no more than 3 psi in 60 seconds."
    below = limit(
        "cut_in",
        "cut_in",
        {"at_least": -25, "of": "cut_out_read"},
        {"at_most": -20, "of": "cut_out_read"},
        {"at_least": 80},
    )
    assert said(below)[0] == (
        "At governor cut-in the gauge must read 20 to 25 psi below governor cut-out, at least 80 psi."
    )
    maker = limit("cut_out", "cut_out", {"at_least": -5, "of": "maker_cut_out"}, {"at_most": 5, "of": "maker_cut_out"})
    assert "within 5 psi of the maker's figure" in said(maker)[0]


def test_every_builtin_limit_can_make_a_sentence_of_its_own():
    for rules in rulebook.rule_sets():
        for one in rules.as_dict()["limit"]:
            bare = {key: value for key, value in one.items() if key != "words"}
            made = read_rule_set({**derived(rules.id), "limit": [bare]}, rulebook.judging(), rulebook.rule_set)
            (found,) = [kept for kept in made.limits if kept.key == one["key"]]
            for language in ("en", "es"):
                sentence = Words(language).limit_words(found)
                assert sentence.endswith(".")
                assert "{" not in sentence
                assert "  " not in sentence


# files


@pytest.mark.parametrize("name", rulebook.rule_set_ids())
def test_a_set_goes_through_toml_and_back_whole(name):
    rules = rulebook.rule_set(name)
    again = read_rule_set(check_rule_file(tables_of(toml_text(rules.as_dict()).encode())))
    assert again.content_hash == rules.content_hash
    own_set = own(
        WARNING,
        parent=name,
        holding="gear_too",
        calls=["cut_out", "verdict"],
        consequences={"marker": "stay"},
        round_limit=[{"measure": "tread", "axles": ["steer"], "at_least": 5, "source": SOURCE}],
        judging={"short_wait_s": 30},
    )
    table = tomllib.loads(toml_text(own_set.as_dict()))
    assert read_rule_set(table).content_hash == own_set.content_hash


def test_a_file_that_is_no_rules_is_refused():
    for data, words in (
        (b"x" * (1024 * 1024 + 1), "the maximum is 1024 kB"),
        (b"\xff", "isn't UTF-8"),
        (b"[[[", "isn't valid TOML"),
        (b'format = "recipe/1"', "neither a rule set nor a test order"),
    ):
        with pytest.raises(RuleError, match=words):
            check_rule_file(tables_of(data))


# side by side


def test_side_by_side_says_what_differs_for_this_unit_and_where_it_comes_from():
    sets = [*rulebook.rule_sets(), own(WARNING)]
    rows = {row.stage: row for row in side_by_side(sets, Unit("tractor_semitrailer"), Words())}
    assert tuple(rows) == LIMITED_STAGES
    assert [cell.differs for cell in rows["low_air_warning"].cells] == [False, True, True, True, True]
    assert [cell.short for cell in rows["leak_released"].cells] == ["< 3", "≤ 3", "", "", "< 3"]
    assert rows["leak_released"].cells[0].high_open
    assert [cell.own for cell in rows["low_air_warning"].cells] == [False] * 4 + [True]
    assert rows["cut_in"].cells[3].drawn_at_psi == 125
    bus = {row.stage: row for row in side_by_side(sets, Unit("bus"), Words("es", "kpa"))}
    assert bus["leak_applied"].cells[0].text == "no más de 20.7 kPa en 60 s"
    for row in (*rows.values(), *bus.values()):
        low, high = row.scale
        for cell in row.cells:
            assert all(end is None or low <= end <= high for end in (cell.low, cell.high))


def test_conventions_stand_side_by_side_in_words():
    rules = own(holding="gear_too", calls=[], judging={"short_wait_s": 30}, policy="primary")
    told = {one.id: one for one in conventions([rulebook.rule_set("us-cdl"), rules], Words())}
    assert told["holding"].values == ["chocks; low gear is noted", "chocks or low gear"]
    assert told["calls"].values[1] == "nothing"
    assert told["short_wait_s"].values == ["20 s", "30 s"]
    assert [name for name, one in told.items() if one.differs[1]] == ["policy", "holding", "calls", "short_wait_s"]


# what holds it, what is said


def _gear_only(**more):
    table = whole_test(purpose="training", **more)
    for event in table["events"]:
        if event.get("item") == "wheels_chocked":
            event["item"] = "neutral"
    table["events"].insert(5, at(6.5, "confirmed", item="in_gear"))
    return table


@pytest.mark.parametrize(
    ("holding", "found"), [("chocks", "chocks_missing"), ("gear_noted", "held_by_gear_only"), ("gear_too", None)]
)
def test_low_gear_alone_is_a_mistake_a_remark_or_the_way_as_the_school_has_it(holding, found):
    verdict = judged(_gear_only(), own(holding=holding))
    assert {"chocks_missing", "held_by_gear_only"} & {*verdict.critical, *verdict.minor} == (
        {found} if found else set()
    )
    # a unit's own fact goes before the school's
    by_unit = judged(_gear_only(unit={"kind": "tractor_semitrailer", "holding": "chocks"}), own(holding=holding))
    assert "chocks_missing" in by_unit.critical


def test_what_must_be_said_is_the_schools():
    table = whole_test(purpose="training")
    table["events"] = [event for event in table["events"] if event["type"] != "said"]
    strict = judged(table, own(calls=["cut_out", "limit", "reading", "verdict"]))
    assert {"cut_out_not_said", "limit_not_said", "reading_not_said", "verdict_not_said"} <= {
        *strict.critical,
        *strict.minor,
    }
    silent = judged(table, own(calls=[]))
    assert not {code for code in (*silent.critical, *silent.minor) if code.endswith("_not_said")}


# the inspection


def test_a_fleets_own_inspection_numbers_and_consequences_hold_for_it_and_what_comes_from_it():
    rules = own(
        consequences={"marker": "stay"},
        round_limit=[{"measure": "tread", "axles": ["steer"], "at_least": 5, "source": SOURCE}],
        parent="canada-west",
    )
    lines = {(line.measure, line.axles): line for line in inspection_lines(rules, Words())}
    assert lines["tread", ("steer",)].at_least == 5
    assert lines["tread", ("steer",)].own
    parents = {(line.measure, line.axles): line for line in inspection_lines(rulebook.rule_set("canada-west"), Words())}
    assert {key: line.at_least for key, line in lines.items() if key != ("tread", ("steer",))} == {
        key: line.at_least for key, line in parents.items() if key != ("tread", ("steer",))
    }
    groups = {group.id: group for group in group_lines(rules, Words())}
    assert (groups["marker"].consequence, groups["marker"].inherited) != (groups["marker"].inherited,) * 2
    table = tables_under([rules]).consequences
    plain = rulebook.consequences()
    for name, group in plain.groups.items():
        expected = "stay" if name == "marker" else group.under("canada-west")
        assert table.groups[name].under("yard") == expected
        assert expected in CONSEQUENCES
    child = read_rule_set({**derived("yard"), "id": "north"}, rulebook.judging(), lambda _: rules)
    assert tables_under([rules, child]).consequences.groups["marker"].under("north") == "stay"


# what was measured before


@given(st.lists(st.tuples(st.floats(0, 12), st.integers(1, 9)), max_size=30), st.sampled_from(UNIT_KINDS))
def test_what_is_weighed_is_what_the_judge_would_say(values, kind):
    unit = Unit(kind, governor=Governor(cut_out_psi=125))
    was = rulebook.rule_set("us-cdl").limit_for("leak_applied", unit)
    now = rulebook.rule_set("canada-west").limit_for("leak_applied", unit)
    for one in weigh([(round(value, 1), runs) for value, runs in values], was, now, unit):
        start = 100.0
        if kind == "tractor_semitrailer" and one.value >= 0.1:
            record = leak_record(start, round(start - one.value, 1))
            assert (judged(record).overall == "pass") == one.was
        assert one.now == (one.value <= 4)


def spots(value, path=()):
    """The way to everything in a rule file."""
    yield path
    if isinstance(value, dict | list):
        for key, part in value.items() if isinstance(value, dict) else enumerate(value):
            yield from spots(part, (*path, key))


WRITTEN = [
    {**rulebook.rule_set("us-cdl").as_dict(), "id": "yard"},
    derived("us-older", WARNING, holding="gear_too", calls=["cut_out"]),
    {**rulebook.procedure("us-full").as_dict(), "id": "morning"},
]
SPOTS = [(number, path) for number, table in enumerate(WRITTEN) for path in spots(table) if path]
ODD = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=20) | st.dates() | st.datetimes(),
    lambda part: st.lists(part, max_size=3) | st.dictionaries(st.text(max_size=5), part, max_size=3),
    max_leaves=4,
)


def written_again(table):
    """A rule file as it is read, and as its TOML is read. Raises RuleError."""
    if table.get("format") == PROCEDURE_FORMAT:
        read = read_procedure(table)
        order(read, Unit("bus"), rulebook.rule_set("us-cdl"))
        return read, read_procedure(check_rule_file(tables_of(toml_text(table).encode())))
    read = read_fleet_rules(table, rulebook.rule_set)
    looser_limits(read, rulebook.rule_set(read.parent) if read.parent else None)
    return read, read_fleet_rules(check_rule_file(tables_of(toml_text(table).encode())), rulebook.rule_set)


@pytest.mark.parametrize("table", WRITTEN)
def test_a_rule_file_is_read_as_it_is_written(table):
    read, again = written_again(table)
    assert again.content_hash == read.content_hash


@given(spot=st.sampled_from(SPOTS), odd=ODD)
def test_whatever_stands_anywhere_in_a_rule_file_is_read_as_it_is_written_or_refused(spot, odd):
    number, (*way, last) = spot
    table = copy.deepcopy(WRITTEN[number])
    inside = table
    for key in way:
        inside = inside[key]
    inside[last] = odd
    with contextlib.suppress(RuleError):
        read, again = written_again(table)
        assert again.content_hash == read.content_hash

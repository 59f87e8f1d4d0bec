"""Practice: what is hidden, what is told while it runs, the log that replays, and the truth beside what was marked."""

from __future__ import annotations

import json
from collections import Counter

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lowhiss import rulebook
from lowhiss.cli import main
from lowhiss.core.errors import CoreError
from lowhiss.core.practice import PracticeError, code_of, draw, read_code
from lowhiss.core.words import Words
from lowhiss.engine import on_device
from lowhiss.engine.practice import Drive, go_on, possible_faults, replay, resume, sounds_of, verdict_text
from lowhiss.engine.simulation import spec_named
from tests.core.driven import Cab

DATA = rulebook.practice()
KINDS = ("straight_truck", "bus", "tractor", "tractor_semitrailer", "multi_trailer")


@pytest.mark.parametrize("pool", DATA.pools)
def test_every_pool_draws_what_it_says_and_a_third_are_healthy(pool):
    possible = possible_faults(spec_named("tractor_semitrailer"))
    drawn = Counter(tuple(draw(DATA, pool, seed, possible)) for seed in range(3000))
    weights = DATA.pools[pool]
    whole = sum(weights.values())
    assert drawn[()] / 3000 > 0.3
    for fault, weight in weights.items():
        expected = weight / whole
        found = drawn[() if fault == "healthy" else (fault,)] / 3000
        assert found == pytest.approx(expected, abs=0.03)
        assert fault == "healthy" or fault.partition(":")[0] in possible


def test_a_vehicle_without_a_trailer_never_draws_what_needs_one():
    possible = possible_faults(spec_named("bus"))
    for seed in range(500):
        assert all(fault.partition(":")[0] in possible for fault in draw(DATA, "any", seed, possible))


@settings(max_examples=100)
@given(pool=st.sampled_from(list(DATA.pools)), seed=st.integers(0, 24**6 // 5 - 1))
def test_a_code_is_six_letters_and_comes_back(pool, seed):
    code = code_of(DATA, pool, seed)
    assert len(code) == 6
    assert read_code(DATA, f" {code[:3].lower()} {code[3:]}") == (pool, seed)


@pytest.mark.parametrize("code", ["", "ABC", "ABCDEFG", "ABCDE1", "ABCDIO"])
def test_a_code_that_is_none_is_said(code):
    with pytest.raises(PracticeError) as refused:
        read_code(DATA, code)
    assert refused.value.field == "code"


def a_drive(**choice) -> Drive:
    """Started, filled a little, released, braked."""
    drive = Drive({"kind": "straight_truck", "seed": 3, "salt": "x", "start": {"tanks_psi": 118.0}, **choice})
    for tick, name, value in (
        (10, "clutch", 1.0),
        (10, "key", "on"),
        (60, "key", "start"),
        (260, "key", "on"),
        (300, "clutch", 0.0),
        (500, "parking", "in"),
        (900, "pedal", 1.0),
        (1300, "pedal", 0.0),
        (1500, "key", "off"),
    ):
        drive.advance(tick)
        drive.control(name, value)
    drive.advance(2000)
    return drive


def test_a_frame_holds_the_senses_and_not_a_word_of_the_truth():
    drive = a_drive(faults=["primary_leak"])
    frame = drive.frame()
    assert set(frame) == {
        *("t_s", "tick", "needles", "lamp", "buzzer", "abs_power", "abs_trailer", "rpm", "mph", "oil_psi"),
        *(
            "coolant_f",
            "volts",
            "parking",
            "trailer",
            "pitch_deg",
            "ground_in",
            "rolls",
            "wheel_deg",
            "key",
            "gear",
            "no_crank",
        ),
        *("pedal", "clutch", "throttle", "idle_rpm", "window", "belt", "where", "chocks", "sounds"),
        *("first_state", "states", "pops"),
    }
    told = json.dumps([frame, drive.described()])
    assert "primary_leak" not in told
    assert "fault" not in told


def test_the_log_replays_to_the_same_trace_bit_for_bit():
    drive = a_drive(faults=["primary_leak:mild"])
    record = json.loads(json.dumps(drive.saved_record([])))
    again = replay(record)
    assert again.digest() == record["digest"]
    assert again.world.moments == drive.world.moments
    other = replay({**record, "controls": record["controls"][:-1]})
    assert other.digest() != record["digest"]


def test_a_practice_that_was_kept_goes_on_at_the_same_moment():
    drive = Drive({"kind": "bus", "seed": 1, "start": {"gearbox": "automatic"}})
    drive.control("key", "on")
    drive.advance(333)
    kept, at = drive.keep(), drive.world.tick
    drive.advance(500)
    drive.control("belt", "on")
    drive.advance(700)
    record = json.loads(json.dumps(drive.saved_record([])))
    assert go_on(kept).world.tick == at
    on = resume(kept, record)
    assert at < on.world.tick == drive.world.tick
    assert on.digest() == drive.digest()
    # what was kept is lost: its log is driven again
    assert resume("", record).digest() == resume("no such thing", record).digest() == drive.digest()
    with pytest.raises(PracticeError):
        go_on("AAAA")


def test_a_practice_of_another_core_is_driven_again_from_its_log(monkeypatch):
    drive = a_drive()
    kept, record = drive.keep(), json.loads(json.dumps(drive.saved_record([])))
    monkeypatch.setattr(rulebook, "version", lambda: "another")
    with pytest.raises(PracticeError):
        go_on(kept)
    assert resume(kept, record).digest() == drive.digest()


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"format": "x"}, "format"),
        ({"choice": None}, "choice"),
        ({"controls": [[1, "key"]]}, "controls[0]"),
        ({"controls": [["1", "key", "on"]]}, "controls[0]"),
        ({"controls": [[90, "key", "on"], [10, "key", "off"]]}, "controls[1]"),
        ({"controls": [[10, "warp", 1]]}, "control"),
        ({"controls": {}}, "controls"),
        ({"ticks": -4}, "ticks"),
        ({"ticks": 10**9}, "ticks"),
    ],
)
def test_a_record_that_cannot_be_driven_is_said(change, field):
    record = {**Drive({"kind": "bus"}).saved_record([]), "ticks": 100, **change}
    with pytest.raises(CoreError) as refused:
        replay(record)
    assert refused.value.field == field


@pytest.mark.parametrize(
    ("choice", "field"),
    [
        ({}, "kind"),
        ({"kind": "bus", "vehicle": {}}, "kind"),
        ({"kind": "boat"}, "unit"),
        ({"kind": "bus", "pool": "odd"}, "pool"),
        ({"kind": "bus", "code": "??"}, "code"),
        ({"kind": "bus", "faults": ["coupling_leak"]}, "fault"),
        ({"kind": "bus", "mode": "fast"}, "mode"),
        ({"kind": "bus", "start": 3}, "start"),
        ({"kind": "bus", "start": {"gear": "9"}}, "start.gear"),
        ({"kind": "bus", "rules": "nobody"}, "rules"),
        ({"kind": "bus", "seed": -1}, "seed"),
        ({"kind": "bus", "extra": 1}, "extra"),
        ({"vehicle": {"power": {"name": "X", "kind": "bus"}}}, "X.chambers"),
    ],
)
def test_a_choice_that_cannot_be_is_said(choice, field):
    with pytest.raises(CoreError) as refused:
        Drive(choice)
    assert refused.value.field == field


def test_who_drives_may_not_set_the_vehicle_and_a_trainer_moves_no_control():
    on_device.practice_begin(json.dumps({"kind": "bus"}), "", "")
    with pytest.raises(PracticeError):
        on_device.practice_control("faults", "[]")
    with pytest.raises(PracticeError):
        on_device.practice_trainer("pedal", "1")
    assert on_device.practice_trainer("empty", '"primary"') == ""
    assert json.loads(on_device.practice_truth())["psi"]["primary"] == pytest.approx(0, abs=0.5)
    assert json.loads(on_device.practice_frame(40))["tick"] == 40
    with pytest.raises(CoreError):
        on_device.practice_trainer("empty", '"attic"')
    with pytest.raises(CoreError):
        on_device.practice_trainer("faults", '["no_such"]')


def mark(at_s: float, kind: str, **fields) -> dict:
    return {"at_s": round(at_s, 3), "type": kind, "id": f"m{at_s}", **fields}


def read_at(drive: Drive, at_s: float) -> dict[str, float]:
    primary, secondary = drive.at(at_s)[0]
    return {"primary_psi": round(primary), "secondary_psi": round(secondary)}


def test_what_was_marked_stands_beside_what_was_true():
    drive = Drive({"kind": "straight_truck", "seed": 3, "start": {"tanks_psi": 118.0}})
    world = drive.world
    world.engine.alive, world.engine.rpm, world.hands.key = True, 1100.0, "on"
    world.engine.idle_rpm = 1100.0
    drive.advance(3000)
    blast = next(one for one in world.moments if one.name == "unloaded").t_s
    cut_out = {"stage": "cut_out", "point": "cut_out"}
    far = {"primary_psi": 90, "secondary_psi": 90}
    marks = [
        mark(blast + 0.3, "reading", **cut_out, **read_at(drive, blast + 0.3)),
        mark(blast + 4, "reading", **cut_out, **read_at(drive, blast + 4)),
        mark(blast + 0.5, "reading", **cut_out, **far),
        mark(2, "warning", lamp=True, buzzer=True),
    ]
    after = verdict_text(drive.after(marks), Words("en"))
    assert [one["quality"] for one in after["marks"]] == ["invented", "invented", "good", "read_off", "late"]
    good = after["marks"][2]
    assert good["late_s"] == pytest.approx(0.3, abs=0.03)
    assert good["true_psi"][0] == pytest.approx(124, abs=1.5)
    assert after["faults"] == []
    assert after["set_points_psi"]["cut_out"] == 124


def test_a_practice_record_is_judged_and_says_that_it_is_simulated():
    drive = a_drive()
    record = drive.record([mark(5, "note", text="x")])
    assert record["simulated"] is True
    assert record["purpose"] == "rehearsal"
    assert [event["at_s"] for event in record["events"]] == sorted(event["at_s"] for event in record["events"])
    after = a_drive(faults=["water"]).after([])
    english, spanish = (verdict_text(after, Words(language)) for language in ("en", "es"))
    assert (english["faults"][0]["title"], spanish["faults"][0]["title"]) == (
        "Water in the tanks",
        "Agua en los tanques",
    )
    with pytest.raises(PracticeError):
        verdict_text({**after, "faults": ["no_such"]}, Words("en"))


def test_the_command_line_drives_a_record_again(tmp_path, capsys):
    drive = a_drive(faults=["primary_leak"])
    path = tmp_path / "practice.json"
    record = drive.saved_record([])
    path.write_text(json.dumps(record))
    assert main(["practice", str(path)]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["same_trace"] is True
    assert told["faults"][0]["id"] == "primary_leak"
    path.write_text(json.dumps({**record, "digest": "0"}))
    assert main(["practice", str(path)]) == 1
    path.write_text("[]")
    assert main(["practice", str(path)]) == 64


# what can be heard: the table of practice.md 1.3, from equations, no source


def level_at(cab: Cab, place: str) -> float:
    found = [one["level"] for one in sounds_of(cab.world) if one["name"] == "hiss" and one["place"] == place]
    return max(found, default=0.0)


def test_a_healthy_vehicle_is_silent_and_a_leak_is_heard_only_with_the_engine_off():
    quiet = Cab().do(key="on", window="down").knobs().wait(30)
    assert not [one for one in sounds_of(quiet.world) if one["name"] == "hiss"]
    leaks = Cab("tractor_semitrailer", "coupling_leak").do(key="on", window="down").knobs().wait(30)
    assert 2.5 <= level_at(leaks, "coupling") <= 4
    assert level_at(leaks.do(window="up"), "coupling") < 2
    running = Cab("tractor_semitrailer", "coupling_leak").start().do(window="down").knobs().wait(30)
    assert level_at(running, "coupling") == 0


def test_letting_the_pedal_up_is_a_sneeze_and_the_blast_can_be_faint():
    cab = (
        Cab("straight_truck").do(key="on", window="down").knobs().wait(10).do(pedal=1.0).wait(3).do(pedal=0.0).wait(0.1)
    )
    assert max(one["level"] for one in sounds_of(cab.world)) > 6
    levels = {}
    for faults in ((), ("faint_blast",)):
        full = Cab("straight_truck", *faults, tanks_psi=121.0).start()
        full.world.engine.idle_rpm = 900.0
        while not full.world.blasting:
            full.wait(0.05)
        levels[faults] = next(one["level"] for one in sounds_of(full.world) if one["name"] == "blast")
    assert levels[()] > 6
    assert levels["faint_blast",] <= 2

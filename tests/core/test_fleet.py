"""Power units and trailers, and the unit that is assembled from them."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lowhiss import rulebook
from lowhiss.core.errors import RecordError
from lowhiss.core.fleet import as_table, assemble, check_reservoirs, read_power_unit, read_trailer

VOLUMES = rulebook.chambers().volumes_in3
TYPES = st.lists(st.sampled_from(sorted(VOLUMES)), max_size=24)
TANKS = st.lists(st.integers(50, 20_000).map(float), max_size=12)


@given(chambers=TYPES, tanks=TANKS, kind=st.sampled_from(["straight_truck", "bus", "tractor"]))
def test_a_power_unit_reads_back_as_it_was_and_its_check_is_a_plain_sum(chambers, tanks, kind):
    table = {"name": "MV-01", "kind": kind, "chambers": chambers, "reservoirs_in3": tanks}
    power = read_power_unit(table, VOLUMES)
    kept = {key: list(value) if isinstance(value, tuple) else value for key, value in as_table(power).items()}
    assert read_power_unit(kept, VOLUMES) == power
    check = check_reservoirs(power, VOLUMES, 12)
    if not chambers or not tanks:
        assert check is None
    else:
        assert check.required_in3 == 12 * sum(VOLUMES[number] for number in chambers)
        assert check.enough == (sum(tanks) >= check.required_in3)


@pytest.mark.parametrize(
    ("count", "kind"), [(0, "tractor"), (1, "tractor_semitrailer"), (2, "multi_trailer"), (3, "multi_trailer")]
)
def test_the_kind_follows_from_the_trailers(count, kind):
    power = read_power_unit({"name": "MV-01", "kind": "tractor", "fmvss_121": False}, VOLUMES)
    unit = assemble(power, [f"T-{n}" for n in range(count)], 1.25)
    assert (unit.kind, unit.reservoir_ratio, unit.fmvss_121) == (kind, 1.25, False)
    assert unit.knobs == ("tractor", "trailer")


@pytest.mark.parametrize(
    ("kind", "trailers", "facts", "knobs"),
    [
        ("tractor", 0, {"trailer_knob": False}, ("tractor",)),
        ("tractor", 1, {"trailer_knob": False}, ("tractor", "trailer")),  # whoever pulls one has its knob
        ("bus", 0, {"trailer_knob": True}, ("tractor",)),
        ("straight_truck", 0, {}, ("tractor",)),
    ],
)
def test_the_knobs_follow_from_the_kind_and_what_the_tractor_has(kind, trailers, facts, knobs):
    power = read_power_unit({"name": "MV-01", "kind": kind, "gearbox": "automatic", **facts}, VOLUMES)
    unit = assemble(power, ["T"] * trailers)
    assert (unit.knobs, unit.gearbox) == (knobs, "automatic")


def test_only_a_tractor_pulls():
    bus = read_power_unit({"name": "MV-21", "kind": "bus"}, VOLUMES)
    with pytest.raises(RecordError, match="trailers: can't be coupled to a bus"):
        assemble(bus, ["T-01"])


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"name": ""}, "name: must be 1 to 60 characters long"),
        ({"chambers": "30 30"}, "chambers: must be a list of at most 24 numbers"),
        ({"chambers": [True]}, "chambers[0]: must be a number"),
        ({"chambers": [30] * 25}, "chambers: must be a list of at most 24 numbers"),
        ({"reservoirs_in3": [49.9]}, "reservoirs_in3[0]: is 49.9; a reservoir holds 50 to 20000 in³"),
        ({"wheels": 6}, "wheels: isn't a known field"),
    ],
)
def test_what_no_trailer_has_is_named(change, words):
    with pytest.raises(RecordError) as caught:
        read_trailer({"name": "T-01", **change}, VOLUMES)
    assert words in str(caught.value)

"""The simulated vehicle: air in tanks, valves and chambers, its faults, and those who drive a test on it."""

from lowhiss.core.airsystem.driver import Driver, Habits, Sample
from lowhiss.core.airsystem.driving import DriveData, Start, gear_places, read_start
from lowhiss.core.airsystem.faults import SEVERITIES, fault_names, with_faults, with_traits
from lowhiss.core.airsystem.model import AirSystem, Controls, Dash
from lowhiss.core.airsystem.spec import AirData, AirSpec, AirSystemError, kind_spec, read_air_data, unit_spec
from lowhiss.core.airsystem.world import CONTROLS, FROM_OUTSIDE, World, WorldEvent

__all__ = [
    "CONTROLS",
    "FROM_OUTSIDE",
    "SEVERITIES",
    "AirData",
    "AirSpec",
    "AirSystem",
    "AirSystemError",
    "Controls",
    "Dash",
    "DriveData",
    "Driver",
    "Habits",
    "Sample",
    "Start",
    "World",
    "WorldEvent",
    "fault_names",
    "gear_places",
    "kind_spec",
    "read_air_data",
    "read_start",
    "unit_spec",
    "with_faults",
    "with_traits",
]

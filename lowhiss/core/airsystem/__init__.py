"""The simulated vehicle: air in tanks, valves and chambers, its faults, and those who drive a test on it."""

from lowhiss.core.airsystem.driver import Driver, Habits, Sample
from lowhiss.core.airsystem.faults import SEVERITIES, fault_names, with_faults
from lowhiss.core.airsystem.model import AirSystem, Controls, Dash
from lowhiss.core.airsystem.spec import AirData, AirSpec, AirSystemError, kind_spec, read_air_data, unit_spec

__all__ = [
    "SEVERITIES",
    "AirData",
    "AirSpec",
    "AirSystem",
    "AirSystemError",
    "Controls",
    "Dash",
    "Driver",
    "Habits",
    "Sample",
    "fault_names",
    "kind_spec",
    "read_air_data",
    "unit_spec",
    "with_faults",
]

"""Pressure units and the one rounding rule that readings pass before they are compared."""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Literal, get_args

PressureUnit = Literal["psi", "kpa", "bar"]
PRESSURE_UNITS: tuple[PressureUnit, ...] = get_args(PressureUnit)

KPA_PER_PSI = 6.894757293168361
"""1 lbf/in² in kPa, from the pound (0.45359237 kg), standard gravity (9.80665 m/s²) and the inch (25.4 mm)."""
ATMOSPHERE_PSI = 14.695948775513
"""The standard atmosphere, 101.325 kPa, in psi."""

_PSI_PER: dict[PressureUnit, float] = {"psi": 1.0, "kpa": 1.0 / KPA_PER_PSI, "bar": 100.0 / KPA_PER_PSI}


def to_psi(value: float, unit: PressureUnit) -> float:
    """Gauge pressure ``value`` in ``unit``, as psi.

    >>> round(to_psi(379, "kpa"), 2)
    54.97
    """
    return value * _PSI_PER[unit]


def from_psi(value_psi: float, unit: PressureUnit) -> float:
    """Gauge pressure in psi, expressed in ``unit``.

    >>> round(from_psi(100, "bar"), 3)
    6.895
    """
    return value_psi / _PSI_PER[unit]


@lru_cache(maxsize=8192)
def round_tenth(value: float) -> float:
    """``value`` rounded to 0.1, halves away from below (half up), as readings are before any comparison.

    The small addition keeps a half that binary fractions or a unit conversion made a hair too small.

    >>> round_tenth(54.969), round_tenth(0.25)
    (55.0, 0.3)
    """
    return math.floor(value * 10.0 + 0.500000001) / 10.0

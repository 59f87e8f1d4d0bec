"""The sums of the trade, each with its equation. Gauge pressures in psi; volumes in one unit throughout."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping

from lowhiss.core.errors import CalculationError
from lowhiss.core.units import ATMOSPHERE_PSI


def application_drop_psi(start_psi: float, volume_ratio: float) -> float:
    """The pressure that one full application takes from the service reservoirs [psi].

    Boyle, absolute pressures: p2 = p1·V/(V + Vc), with volume_ratio = V/Vc.
    start_psi : gauge pressure before.  volume_ratio : reservoir ÷ chamber volume, 12 as required for power units.
    Raises CalculationError for a negative pressure or a ratio that is not positive.

    >>> round(application_drop_psi(120, 12), 1)
    10.4
    """
    _at_least_zero("start_psi", start_psi)
    _positive("volume_ratio", volume_ratio)
    return (start_psi + ATMOSPHERE_PSI) / (volume_ratio + 1)


def strokes_between(start_psi: float, end_psi: float, volume_ratio: float) -> float:
    """Full applications that bring the gauge from ``start_psi`` down to ``end_psi``; not rounded.

    n = ln((start + 14.7) ÷ (end + 14.7)) ÷ ln((V + Vc) ÷ V); Boyle's law for each brake application.
    Raises CalculationError unless 0 ≤ end_psi ≤ start_psi and the ratio is positive.

    >>> round(strokes_between(108, 60, 12), 1)
    6.2
    """
    _at_least_zero("end_psi", end_psi)
    _positive("volume_ratio", volume_ratio)
    if end_psi > start_psi:
        raise CalculationError(
            "end_psi", f"must not be above the start, {start_psi:g} psi: brake applications only lower the pressure"
        )
    falls = math.log((start_psi + ATMOSPHERE_PSI) / (end_psi + ATMOSPHERE_PSI))
    return falls / math.log((volume_ratio + 1) / volume_ratio)


def required_reservoir_in3(types: Iterable[int], volumes_in3: Mapping[int, float], ratio: float) -> float:
    """The least combined service reservoir volume for these brake chambers [in³].

    types : the type number of each chamber, one for each chamber.  volumes_in3 : a chamber's volume by type.
    ratio : reservoirs ÷ chambers (FMVSS 121 S5.1.2.1: 12 for power units; S5.2.1.1: 8 for trailers; from memory).
    Raises CalculationError for a type that is not in the table or no chambers at all.

    >>> required_reservoir_in3([30, 30, 20, 20], {20: 54, 30: 89}, 12)
    3432
    """
    _positive("ratio", ratio)
    chambers = list(types)
    if not chambers:
        raise CalculationError("types", "needs at least one brake chamber")
    for number in chambers:
        if number not in volumes_in3:
            known = ", ".join(str(item) for item in sorted(volumes_in3))
            raise CalculationError("types", f"{number} is not a chamber type of the table; known are {known}")
    return ratio * sum(volumes_in3[number] for number in chambers)


def build_time_limit_s(limit_s: float, actual_in3: float, required_in3: float) -> float:
    """The build-up limit for reservoirs that differ from the required volume [s]: limit × actual ÷ required.

    FMVSS 121 S5.1.1, from memory. Raises CalculationError unless all are positive.

    >>> build_time_limit_s(25, 5000, 4000)
    31.25
    """
    for name, value in (("limit_s", limit_s), ("actual_in3", actual_in3), ("required_in3", required_in3)):
        _positive(name, value)
    return limit_s * actual_in3 / required_in3


def free_air_flow(rate_psi_per_min: float, volume: float) -> float:
    """The flow of free air that a leak lets out [volume's unit per minute]: Q = V·(dp/dt) ÷ 14.7.

    Boyle at constant temperature. Raises CalculationError for a negative rate or a volume that is not positive.

    >>> round(free_air_flow(4, 6), 2)
    1.63
    """
    _at_least_zero("rate_psi_per_min", rate_psi_per_min)
    _positive("volume", volume)
    return volume * rate_psi_per_min / ATMOSPHERE_PSI


def build_time_s(lower_psi: float, upper_psi: float, duration_s: float, window_psi: tuple[float, float]) -> float:
    """The time over ``window_psi`` at the rate seen between two other marks [s]; linear interpolation.

    Raises CalculationError unless both spans rise and the duration is positive.

    >>> round(build_time_s(83, 102, 17, (85, 100)), 1)
    13.4
    """
    _positive("duration_s", duration_s)
    if upper_psi <= lower_psi:
        raise CalculationError("upper_psi", f"must be above the lower mark, {lower_psi:g} psi")
    if window_psi[1] <= window_psi[0]:
        raise CalculationError("window_psi", "must name the lower mark first")
    return (window_psi[1] - window_psi[0]) * duration_s / (upper_psi - lower_psi)


def _positive(name: str, value: float) -> None:
    if not 0 < value < math.inf:
        raise CalculationError(name, f"must be more than 0, not {value:g}")


def _at_least_zero(name: str, value: float) -> None:
    if not 0 <= value < math.inf:
        raise CalculationError(name, f"must be 0 or more, not {value:g}")

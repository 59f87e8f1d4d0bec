"""How sure a reading is. Rectangular distributions after JCGM 100 (GUM) 4.3.7, from memory; k = 2 throughout.

The kernels are written so that a verdict can say "close call"; none of them is rounded.
"""

from __future__ import annotations

import math


def reading_uncertainty(resolution: float) -> float:
    """Expanded uncertainty (k = 2) of one reading rounded to ``resolution``, in the same unit.

    Standard uncertainty r/√12 (rectangular, half-width r/2), doubled.

    >>> round(reading_uncertainty(1.0), 3)
    0.577
    """
    return 2.0 * resolution / math.sqrt(12.0)


def drop_uncertainty(resolution: float) -> float:
    """Expanded uncertainty (k = 2) of the difference of two such readings: 2·r/√6, in the same unit.

    >>> round(drop_uncertainty(1.0), 3)
    0.816
    """
    return 2.0 * resolution / math.sqrt(6.0)


def build_time_uncertainty_s(resolution_psi: float, rate_psi_per_s: float, reaction_s: float) -> float:
    """Expanded uncertainty [s] of a build-up time: a reaction time at each end, and the drop's error at the rate seen.

    Raises ZeroDivisionError when ``rate_psi_per_s`` is 0; a needle that does not move has no time.

    >>> round(build_time_uncertainty_s(1.0, 1.0, 0.2), 3)
    1.216
    """
    return 2.0 * reaction_s + drop_uncertainty(resolution_psi) / rate_psi_per_s

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


def build_time_uncertainty_s(
    resolution_psi: float, span_psi: float, duration_s: float, window_psi: float, reaction_s: float
) -> float:
    """Expanded uncertainty (k = 2) [s] of a build-up time over ``window_psi``, from ``duration_s`` over ``span_psi``.

    A reaction time of ``reaction_s``, standard, at each end, and the drop's standard uncertainty r/√6 at the rate
    seen, added in quadrature (JCGM 100, from memory) and scaled to the window as the time itself is.
    Raises ZeroDivisionError when ``span_psi`` is 0: a needle that does not move has no time.

    >>> round(build_time_uncertainty_s(1.0, 15.0, 15.0, 15.0, 0.2), 3)
    0.993
    """
    needle_s = resolution_psi / math.sqrt(6.0) * duration_s / span_psi
    return 2.0 * math.sqrt(2.0 * reaction_s**2 + needle_s**2) * window_psi / span_psi

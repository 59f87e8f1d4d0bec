"""How steep a line can be that passes every reading of a sender that rounds: bounds by a small linear programme."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lowhiss.trace.recording import Series


@dataclass(frozen=True, slots=True)
class Interval:
    """A number with the ends between which it lies, at 95 %."""

    value: float
    low: float
    high: float

    def wider(self, by: float) -> Interval:
        """An interval that is wider at each end."""
        return Interval(self.value, self.low - by, self.high + by)

    def as_dict(self) -> dict[str, float]:
        return {"value": round(self.value, 2), "low": round(self.low, 2), "high": round(self.high, 2)}


def slope_bounds(t_s: Series, psi: Series, within_psi: float) -> Interval | None:
    """The slopes [psi/s] of all straight lines that come within ``within_psi`` of every reading.

    None where no line does: the readings bend more than that. The value is the slope of least squares, kept inside.
    """
    from scipy.optimize import linprog  # takes as long to load as a third of the server

    t = t_s - t_s.mean()
    rows = np.concatenate([np.column_stack([np.ones_like(t), t]), np.column_stack([-np.ones_like(t), -t])])
    limits = np.concatenate([psi + within_psi, within_psi - psi])
    ends = []
    for sign in (1.0, -1.0):
        answer = linprog([0.0, sign], A_ub=rows, b_ub=limits, bounds=[(None, None)] * 2, method="highs")
        if not answer.success:
            return None
        ends.append(float(answer.x[1]))
    low, high = min(ends), max(ends)
    least = float(np.polyfit(t, psi, 1)[0])
    return Interval(min(max(least, low), high), low, high)

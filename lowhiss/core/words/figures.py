"""The one place that turns figures into text: psi inside, the reader's unit outside."""

from __future__ import annotations

from dataclasses import dataclass

from lowhiss.core.units import PressureUnit, from_psi

_LABEL: dict[PressureUnit, str] = {"psi": "psi", "kpa": "kPa", "bar": "bar"}
_READING_DECIMALS: dict[PressureUnit, int] = {"psi": 1, "kpa": 0, "bar": 2}
_DIFFERENCE_DECIMALS: dict[PressureUnit, int] = {"psi": 1, "kpa": 1, "bar": 3}


def plain(value: float, decimals: int) -> str:
    """``value`` to at most ``decimals`` places, without trailing zeros, with a real minus sign.

    >>> plain(4.0, 1), plain(-0.25, 2), plain(-0.01, 1)
    ('4', '−0.25', '0')
    """
    text = f"{abs(value):.{decimals}f}"
    if "." in text:
        text = text.rstrip("0").rstrip(".")
    return f"−{text}" if value < 0 and float(text) != 0 else text


@dataclass(frozen=True, slots=True)
class Figures:
    """Figures as one reader wants them.

    >>> Figures("kpa").pressure(55), Figures("psi").difference(3)
    ('379 kPa', '3 psi')
    """

    unit: PressureUnit = "psi"

    @property
    def label(self) -> str:
        """The unit's sign."""
        return _LABEL[self.unit]

    def reading(self, psi: float) -> str:
        """A gauge reading or a bound on one, without its unit."""
        return plain(from_psi(psi, self.unit), _READING_DECIMALS[self.unit])

    def amount(self, psi: float) -> str:
        """A loss, margin or error, without its unit; one figure more than a reading has."""
        return plain(from_psi(psi, self.unit), _DIFFERENCE_DECIMALS[self.unit])

    def pressure(self, psi: float) -> str:
        """A gauge reading with its unit."""
        return f"{self.reading(psi)} {self.label}"

    def difference(self, psi: float) -> str:
        """A loss, margin or error with its unit."""
        return f"{self.amount(psi)} {self.label}"

    def fixed(self, psi: float) -> str:
        """A rate or margin that keeps its last place, as ``3.0``."""
        decimals = _DIFFERENCE_DECIMALS[self.unit]
        text = f"{abs(from_psi(psi, self.unit)):.{decimals}f}"
        return f"−{text}" if psi < 0 and float(text) != 0 else text

    @staticmethod
    def seconds(value_s: float) -> str:
        """A time without its unit, to a tenth."""
        return plain(value_s, 1)

"""Air in volumes: what is inside, its pressure and temperature, and how fast it passes from one to another.

Units throughout: absolute psi, in³, seconds. An amount of air is psi·in³ at ambient temperature, so that a volume at
ambient temperature holds ``p·V``. Temperatures are ratios to the ambient one.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Gas:
    """The air and its surroundings."""

    ambient_psi: float
    gamma: float
    tank_tau_s: float
    small_tau_s: float
    critical_ratio: float


def passing(up_psi: float, down_psi: float, critical: float) -> float:
    """The share of choked flow through a valve, line or hole, 0 to 1 (ISO 6358 form), linear in the last hundredth.

    up_psi, down_psi : absolute pressures on both sides.  critical : pressure ratio below which the flow is choked.

    >>> passing(100, 20, 0.3), passing(100, 100, 0.3), round(passing(100, 65, 0.3), 3)
    (1.0, 0.0, 0.866)
    """
    ratio = down_psi / up_psi
    if ratio <= critical:
        return 1.0
    if ratio >= 1.0:
        return 0.0
    if ratio > _NEARLY:
        over = (_NEARLY - critical) / (1 - critical)
        return math.sqrt(1 - over * over) * (1 - ratio) / (1 - _NEARLY)
    over = (ratio - critical) / (1 - critical)
    return math.sqrt(1 - over * over)


_NEARLY = 0.99


def decay(x: float) -> float:
    """e⁻ˣ for a small x, by + − × ÷ alone, so that every machine finds the same bits; within 2e-7 up to 0.2.

    >>> round(decay(0.1), 7)
    0.9048374
    """
    return (12.0 - 6.0 * x + x * x) / (12.0 + 6.0 * x + x * x)


def re_expanded(table: Sequence[float], ratio: float) -> float:
    """How many times its volume the air left in a compressor's clearance grows, from a table at whole pressure ratios.

    table : at the ratios 1, 2, 3 …, straight between them.  ratio : of the delivery pressure to ambient.
    """
    place = min(max(ratio, 1.0), float(len(table))) - 1.0
    low = min(int(place), len(table) - 2)
    return table[low] + (table[low + 1] - table[low]) * (place - low)


def hole_conductance(area_in2: float, discharge: float = 1.0) -> float:
    """How freely air at 68 °F passes a hole [in³/s]: 7815·(Cd·A), from the choked flow of an ideal gas.

    area_in2 : its area [in²].  discharge : its discharge coefficient.

    >>> round(hole_conductance(0.01), 2)
    78.15
    """
    return 7815.0 * discharge * area_in2


def leak_conductance(rate_psi_per_min: float, volume_in3: float, at_abs_psi: float) -> float:
    """The conductance [in³/s] of a leak that lets ``volume_in3`` lose so much a minute at that absolute pressure.

    >>> round(leak_conductance(6, 1147, 114.7), 3)
    1.0
    """
    return rate_psi_per_min / 60 * volume_in3 / at_abs_psi


@dataclass(frozen=True, slots=True)
class Shape:
    """A volume against its absolute pressure: straight pieces between corners, constant outside them.

    corners : ``(abs psi, in³)``, at least one, pressures rising and volumes not falling.
    """

    corners: tuple[tuple[float, float], ...]

    def volume(self, psi: float) -> float:
        """The volume at an absolute pressure [in³]."""
        first, last = self.corners[0], self.corners[-1]
        if psi <= first[0]:
            return first[1]
        if psi >= last[0]:
            return last[1]
        for (p0, v0), (p1, v1) in zip(self.corners, self.corners[1:], strict=False):
            if psi <= p1:
                return v0 + (v1 - v0) * (psi - p0) / (p1 - p0)
        raise AssertionError(psi)


def rigid(volume_in3: float) -> Shape:
    """A volume that does not change."""
    return Shape(((14.7, volume_in3),))


@dataclass(frozen=True, slots=True)
class Piece:
    """One straight piece of a shape, with what is needed to find the pressure from the energy.

    In it ``V = v0 + slope·(p − p0)`` and ``W = p·V + (γ−1)·∫p dV``, from ``w0`` on.
    """

    w0: float
    p0: float
    v0: float
    slope: float
    a: float
    b: float
    c: float


def pieces(shape: Shape, gamma: float) -> tuple[Piece, ...]:
    """The pieces of a shape in order of energy, from empty upwards."""
    found: list[Piece] = []
    work = 0.0
    (_, first_v), *_ = shape.corners
    corners = [(0.0, first_v), *shape.corners]
    for number, (p0, v0) in enumerate(corners):
        slope = 0.0
        if number + 1 < len(corners):
            p1, v1 = corners[number + 1]
            slope = (v1 - v0) / (p1 - p0) if p1 > p0 else 0.0
        grown = (gamma - 1) * (work - slope * p0 * p0 / 2)
        found.append(
            Piece(
                w0=p0 * v0 + (gamma - 1) * work,
                p0=p0,
                v0=v0,
                slope=slope,
                a=slope * (1 + (gamma - 1) / 2),
                b=v0 - slope * p0,
                c=grown,
            )
        )
        if number + 1 < len(corners):
            p1, _ = corners[number + 1]
            work += slope * (p1 * p1 - p0 * p0) / 2
    return tuple(found)


def pressure(steps: tuple[Piece, ...], energy: float) -> tuple[float, float, float]:
    """Absolute pressure [psi], volume [in³] and the volume's growth with pressure [in³/psi] at an energy W."""
    for piece in reversed(steps):
        if energy >= piece.w0:
            break
    rest = energy - piece.c
    psi = (
        rest / piece.b
        if piece.a == 0
        else (math.sqrt(piece.b * piece.b + 4 * piece.a * rest) - piece.b) / (2 * piece.a)
    )
    return psi, piece.v0 + piece.slope * (psi - piece.p0), piece.slope


def energy_at(steps: tuple[Piece, ...], psi: float) -> float:
    """The energy W at an absolute pressure."""
    for piece in reversed(steps):
        if psi >= piece.p0:
            break
    return piece.a * psi * psi + piece.b * psi + piece.c

"""Brakes, chocks and the vehicle's way along one axis. SI inside; pressures in psi gauge."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from lowhiss.core.airsystem.driving import DriveData, Start


@dataclass(frozen=True, slots=True)
class Axle:
    """Axles that are braked alike. rated, load : in kg.  springs : whether they have spring brakes."""

    name: str
    rated: float
    load: float
    springs: bool


@dataclass(frozen=True, slots=True)
class Pressed:
    """What the chambers of each axle group feel, in their order: service and spring pressure [psi gauge]."""

    service: tuple[float, ...]
    springs: tuple[float, ...]


class Brakes:
    """How hard each axle group is braked."""

    def __init__(self, kind: str, data: DriveData, start: Start) -> None:
        table = data.kind(kind)
        names = ["steer", "drive", *(f"trailer{n}" for n in range(len(table["rated"]) - 2))]
        loads = table[start.load]
        self.axles = tuple(
            Axle(name, rated, load, name != "steer")
            for name, rated, load in zip(names, table["rated"], loads, strict=True)
        )
        self._table = data.tables["brakes"]
        self._grip = self._table[f"tyre_{start.tyres}"]
        self.mass_kg = math.fsum(axle.load for axle in self.axles)
        self.weak: Mapping[str, float] = {}
        self.forces: tuple[float, ...] = tuple(0.0 for _ in self.axles)
        self.left_minus_right = 0.0

    def service(self, axle: Axle, psi: float) -> float:
        """The force of the service brakes of an axle group at a chamber pressure [N], before the tyres give way."""
        table = self._table
        over = max(0.0, psi - table["service_from_psi"])
        return float(table["service_per_psi"] * over * axle.rated * table["gravity"])

    def spring(self, axle: Axle, psi: float) -> float:
        """The force of its spring brakes at a hold-off pressure [N]."""
        if not axle.springs:
            return 0.0
        table = self._table
        on = max(0.0, 1 - psi / table["spring_off_psi"])
        return float(table["spring_ratio"] * on * axle.rated * table["gravity"])

    def press(self, pressed: Pressed) -> float:
        """The whole braking force that these pressures allow [N]."""
        weak, table = self.weak, self._table
        forces = []
        left, right = weak.get("service_left", 1.0), weak.get("service_right", 1.0)
        for axle, service_psi, spring_psi in zip(self.axles, pressed.service, pressed.springs, strict=True):
            service = self.service(axle, service_psi)
            if axle.name == "steer":
                self.left_minus_right = service * (left - right) / 2
                service *= (left + right) / 2
            else:
                service *= weak.get("service_drive" if axle.name == "drive" else "service_trailer", 1.0)
            spring = self.spring(axle, spring_psi) * weak.get("park" if axle.name == "drive" else "trailer_park", 1.0)
            grip = self._grip * axle.load * table["gravity"]
            forces.append(min(max(service, spring), grip))
        self.forces = tuple(forces)
        return math.fsum(forces)

    def holding(self, place: int) -> float:
        """What a healthy spring brake of one axle group would hold with, air out [N]."""
        return self.spring(self.axles[place], 0.0)


class Chocks:
    """Two chocks at one driven wheel, a little away from it."""

    def __init__(self, kind: str, data: DriveData, brakes: Brakes) -> None:
        table = data.kind(kind)
        self._table = data.tables["chock"]
        self._wheel_n = brakes.axles[1].load / table["drive_wheels"] * data.number("brakes", "gravity")
        self.front_at = self.back_at = 0.0
        self.run_over = False

    def force(self, at_m: float, front: bool, back: bool) -> float:
        """What they push back with at a place of the vehicle [N], forwards positive."""
        table = self._table
        pushed = 0.0
        for under, at, way in ((front, self.front_at, 1.0), (back, self.back_at, -1.0)):
            climbed = way * (at_m - at) - table["gap_m"]
            if not under or climbed <= 0:
                continue
            if climbed > table["over_m"]:
                self.run_over = True
                continue
            pushed -= way * self._wheel_n * min(1.0, climbed / table["rise_m"])
        return pushed

    def touched(self, at_m: float, front: bool, back: bool) -> bool:
        """Whether the wheel stands against one."""
        gap = self._table["gap_m"]
        return (front and at_m - self.front_at > gap) or (back and self.back_at - at_m > gap)


class Body:
    """What the seat, the wheel in the hands and the picture outside do."""

    def __init__(self, data: DriveData, camber: float) -> None:
        """camber : how much the ground turns the wheel, 0 to 1."""
        self._table = data.tables["body"]
        self._camber = camber
        self.pitch_deg = self._pitching = 0.0
        self.wheel_deg = self._ground_deg = self._pulled_deg = 0.0

    def feel(self, force_share: float, left_minus_right_n: float, moving: bool, dt: float) -> None:
        """One step. force_share : drive less brakes over the weight."""
        table = self._table
        w = table["nod_rad_per_s"]
        pull = w * w * (table["nod_deg"] * force_share - self.pitch_deg) - 2 * table["nod_damping"] * w * self._pitching
        self._pitching += pull * dt
        self.pitch_deg += self._pitching * dt
        wanted = table["wheel_deg_per_kn"] * left_minus_right_n / 1000 if moving else 0.0
        self._pulled_deg += (wanted - self._pulled_deg) * min(1.0, dt / table["wheel_s"])
        ground = self._camber * table["camber_deg"] if moving else 0.0
        self._ground_deg += (ground - self._ground_deg) * min(1.0, dt / table["camber_s"])
        self.wheel_deg = self._pulled_deg + self._ground_deg


def braked_by(pressures: Mapping[str, float], trailers: int, ambient: float) -> Pressed:
    """The pressures of the axle groups from those of the volumes, absolute in, gauge out."""

    def gauge(*names: str) -> float:
        found = next(name for name in names if name in pressures)
        return pressures[found] - ambient

    service: Sequence[float] = [
        gauge("secondary_brakes", "primary_brakes"),
        gauge("primary_brakes"),
        *(gauge(f"brakes{n}") for n in range(trailers)),
    ]
    springs = [0.0, gauge("springs"), *(gauge("trailer_line") for _ in range(trailers))]
    return Pressed(tuple(service), tuple(springs))

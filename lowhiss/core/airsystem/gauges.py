"""What the dash shows beside the air: key-on checks, oil, coolant, volts, revs and speed. Steps of one tick."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from lowhiss.core.airsystem.driving import DriveData, Gauges
from lowhiss.core.airsystem.gas import decay

MPH = 2.2369362920544025
"""Miles an hour for one metre a second."""


class Panel:
    """Lamps and needles as the driver sees them; ``parts`` says what is wrong with it."""

    def __init__(
        self, data: DriveData, parts: Mapping[str, str], gauges: Gauges, needles: Sequence[float], coolant_f: float
    ) -> None:
        self._table = data.tables["gauges"]
        self.parts = parts
        self._gauges = gauges
        self._on_s: float | None = None
        self.needles = [0.0] * len(needles) if gauges == "electric" else list(needles)
        self.oil_psi = self.volts = self.rpm_shown = self._speed = 0.0
        self.coolant_f = coolant_f
        self._cold = max(0.0, min(1.0, (data.number("gauges", "coolant_open_f") - coolant_f) / 100))
        self._ran = False

    @property
    def sweeping(self) -> bool:
        """Whether electric needles show that they can move, and nothing else yet."""
        table = self._table
        return (
            self._gauges == "electric"
            and self._on_s is not None
            and self._on_s < table["sweep_up_s"] + table["sweep_back_s"]
        )

    @property
    def checking(self) -> bool:
        """Whether lamp and buzzer prove themselves."""
        return self._on_s is not None and self._on_s < self._table["lamp_check_s"]

    def abs_lamp(self, which: str) -> bool:
        """Whether the lamp of ``abs_power`` or ``abs_trailer`` is on."""
        fault = self.parts.get(which)
        if self._on_s is None or fault == "never":
            return False
        return fault == "stays" or self._on_s < self._table["abs_check_s"]

    @property
    def mph_shown(self) -> float:
        """The speedometer; it is dead below walking pace."""
        return self._speed if self._speed >= self._table["dead_mph"] else 0.0

    def step(self, *, key: bool, cranking: bool, alive: bool, rpm: float, speed_m_per_s: float, dt: float) -> None:
        """One tick."""
        table = self._table
        self._on_s = (0.0 if self._on_s is None else self._on_s + dt) if key else None
        self._ran = (self._ran or alive) if key else False
        lag = 1 - decay(dt / table["dial_lag_s"])
        self.rpm_shown += ((rpm if key else 0.0) - self.rpm_shown) * lag
        self._speed += (abs(speed_m_per_s) * MPH - self._speed) * lag
        self._oil(alive, rpm, dt)
        if alive:
            fast = rpm >= table["coolant_fast_rpm"]
            rate = table["coolant_fast_f_per_min" if fast else "coolant_idle_f_per_min"]
            self.coolant_f = min(max(table["coolant_open_f"], self.coolant_f), self.coolant_f + rate / 60 * dt)
        charged = self.parts.get("charging") != "none"
        if not key:
            self.volts = 0.0
        elif cranking:
            self.volts = table["volts_cranking"]
        elif alive:
            self.volts = table["volts_running" if charged else "volts_uncharged"]
        else:
            self.volts = table["volts_after" if self._ran and charged else "volts_on"]

    def _oil(self, alive: bool, rpm: float, dt: float) -> None:
        table = self._table
        fault = self.parts.get("oil")
        wanted = 0.0
        if alive and fault != "none":
            cold = 1 + table["oil_cold_share"] * self._cold
            wanted = min(table["oil_most_psi"], table["oil_least_psi"] + table["oil_psi_per_rpm"] * rpm) * cold
        lag_s = table["oil_slow_lag_s"] if fault == "slow" and alive else table["oil_lag_s"]
        self.oil_psi += (wanted - self.oil_psi) * (1 - decay(dt / lag_s))

    def follow(self, needles: Sequence[float], lag_s: float, dt: float) -> None:
        """Let the air needles show what their gauges say: electric ones fall without the key, and sweep with it."""
        if self._gauges == "mechanical":
            self.needles = list(needles)
            return
        table = self._table
        for place, psi in enumerate(needles):
            if self._on_s is None:
                wanted = 0.0
            elif self.sweeping:
                up = table["sweep_up_s"]
                rising = self._on_s / up if self._on_s < up else 1 - (self._on_s - up) / table["sweep_back_s"]
                self.needles[place] = table["sweep_psi"] * rising
                continue
            else:
                wanted = psi
            at = self.needles[place]
            near = abs(wanted - at)
            # once it has caught up it shows the gauge itself, which has its own lag
            self.needles[place] = wanted if near < 0.5 else at + (wanted - at) * (1 - decay(dt / lag_s))

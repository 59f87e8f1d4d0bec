"""Engine, clutch or converter, and gears. Torques in N·m, speeds in rpm outside and rad/s inside, steps of one tick."""

from __future__ import annotations

from lowhiss.core.airsystem.driving import DriveData, Gearbox, Power

RPM = 9.549296585513721
"""Turns a minute for one radian a second."""


class Engine:
    """A governed diesel: it must be cranked, idles by itself, and dies when it is held below its stalling speed."""

    def __init__(self, power: Power, data: DriveData, fires_after_s: float) -> None:
        """fires_after_s : of cranking; by the seed."""
        self.power = power
        self._data = data
        self._table = data.tables["engine"]
        self._fires_after_s = fires_after_s
        self.rpm = 0.0
        self.alive = False
        self.idle_rpm = power.idle_rpm
        self.cranked_s = 0.0
        self.ran_s = 0.0
        self._integral = self._boost = 0.0

    @property
    def cranking(self) -> bool:
        """Whether the starter turns it."""
        return not self.alive and self.cranked_s >= self._table["starter_after_s"]

    def torque(self, throttle: float, key: str, may_start: bool, pumping: bool, dt: float) -> float:
        """What it gives at the clutch in this step, the compressor's share taken off."""
        table, power = self._table, self.power
        load = table["compressor_nm"] + table["compressor_nm_per_rpm"] * self.rpm if pumping else 0.0
        if not self.alive:
            self._crank(key == "start" and may_start, dt)
            return -power.friction_nm - load if self.rpm > 0 and not self.cranking else 0.0
        if key == "off":
            self.alive = False
            return -power.friction_nm - load
        self.ran_s += dt
        wanted = self.idle_rpm + throttle * (power.governed_rpm - self.idle_rpm)
        if self.ran_s < table["flare_s"]:
            wanted += table["flare_rpm"]
        self._boost += (throttle - self._boost) / table["boost_s"] * dt
        most = power.idle_nm + (power.most_nm - power.idle_nm) * self._boost
        behind = wanted - self.rpm
        given = power.idle_nm / table["governor_rpm"] * behind + self._integral
        grown = self._integral + power.idle_nm / table["integral_rpm_s"] * behind * dt
        self._integral = min(max(grown, -power.friction_nm), most)
        return float(min(max(given, -power.friction_nm), most) - load)

    def turn(self, torque: float, dt: float) -> None:
        """Let a torque speed it up or slow it down."""
        if self.cranking:
            return
        self.rpm = max(0.0, self.rpm + torque / self.power.inertia_kg_m2 * RPM * dt)

    def dies(self, biting: bool) -> bool:
        """Whether it is stalled by what it has to pull now; it is dead from then on."""
        if self.alive and biting and self.rpm < self._table["stalls_rpm"] and self.ran_s > self._table["flare_s"]:
            self.alive = False
            return True
        return False

    def _crank(self, held: bool, dt: float) -> None:
        table = self._table
        if not held:
            self.cranked_s = 0.0
            return
        self.cranked_s += dt
        if self.cranking:
            self.rpm = max(self.rpm, table["starter_rpm"])
        if self.cranked_s >= table["starter_after_s"] + self._fires_after_s:
            self.alive = True
            self.rpm = self.idle_rpm * 0.6
            self.cranked_s = self.ran_s = self._integral = self._boost = 0.0


class Driveline:
    """What joins the engine to the wheels: a clutch under the foot, an automated one, or a converter."""

    def __init__(self, power: Power, data: DriveData, gearbox: Gearbox) -> None:
        self.power, self.gearbox = power, gearbox
        self._table = data.tables["driveline"]
        self._creep = 0.0
        self.locked = False

    @property
    def radius_m(self) -> float:
        """Of a driven wheel."""
        return float(self._table["wheel_radius_m"])

    def ratio(self, gear: str) -> float:
        """Engine turns for one of the wheel; nothing in neutral."""
        if gear == "N":
            return 0.0
        if gear == "D" and "D" not in self.power.gears:
            gear = "L"
        return self.power.gears[gear]

    def capacity(self, clutch: float, gear: str, pedal: float, throttle: float, dt: float) -> float:
        """How much torque the clutch can carry now."""
        table = self._table
        if gear == "N":
            self._creep = 0.0
            return 0.0
        if self.gearbox == "manual":
            over = table["open_above"] - clutch
            if over <= 0:
                return 0.0
            share = min(1.0, over / table["biting_travel"])
            return float(self.power.clutch_nm * share * share)
        step = dt / (table["opens_s"] if pedal > table["opens_at_pedal"] else -table["creep_s"])
        self._creep = min(1.0, max(0.0, self._creep - step))
        return float((table["creep_nm"] + table["creep_nm_per_throttle"] * throttle) * self._creep)

    def converted(self, rpm: float, wheel_rpm: float) -> tuple[float, float]:
        """What a converter takes from the engine, and gives to the gears."""
        table = self._table
        if rpm <= 0:
            return 0.0, 0.0
        along = max(0.0, wheel_rpm / rpm)
        couples = table["converter_couples"]
        thousand = rpm / 1000
        taken = float(table["converter_nm"] * thousand * thousand)
        if along > couples:
            taken *= max(-1.0, (1 - along) / (1 - couples))
            return taken, taken
        gain = table["converter_gain"] - (table["converter_gain"] - 1) * along / couples
        return taken, float(taken * gain)

    def force(self, torque: float, ratio: float) -> float:
        """What a torque at the clutch pushes with at the wheels [N]; forwards is positive."""
        efficiency = self._table["efficiency"]
        lost = efficiency if torque * ratio >= 0 or torque >= 0 else 1 / efficiency
        return float(torque * ratio * lost / self.radius_m)

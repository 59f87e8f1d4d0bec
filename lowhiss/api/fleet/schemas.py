"""What goes in and out about power units, trailers and couplings."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Any, Literal, cast

from pydantic import BaseModel, Field

from lowhiss.api.fleet.status_schemas import CourseOut, HoldOut, UnitStatusOut
from lowhiss.api.people.schemas import Version
from lowhiss.api.runs.schemas import LatestOut
from lowhiss.api.schemas import Strict, Uuid
from lowhiss.core.fleet import MAX_TRAILERS, ReservoirCheck
from lowhiss.core.stages import Stage
from lowhiss.core.status.drift import State
from lowhiss.core.vehicle import Circuits, Gearbox, Holding, Knob, PowerKind, UnitKind
from lowhiss.service.fleet.trailers import ListedTrailer
from lowhiss.service.fleet.trends import UnitTrend, moment_of
from lowhiss.service.fleet.unit_csv import Imported
from lowhiss.service.fleet.unit_status import UnitStatus
from lowhiss.service.fleet.units import ListedUnit, UnitEdit
from lowhiss.service.runs.log import Latest

Number = Annotated[float, Field(allow_inf_nan=False, ge=-1e9, le=1e9)]
Numbers = Annotated[list[Number], Field(max_length=50)]
VehicleName = Annotated[str, Field(max_length=200)]


class GovernorBody(Strict):
    """The maker's figures [psi]; null where unknown."""

    cut_in_psi: Number | None = None
    cut_out_psi: Number | None = None


class UnitBody(Strict):
    """A power unit as it should be. Volumes are checked against the chambers, pressures against what is possible."""

    name: VehicleName
    kind: PowerKind
    circuits: Circuits = "dual"
    governor: GovernorBody = Field(default_factory=GovernorBody)
    chambers: Numbers = Field(default_factory=list)
    reservoirs_in3: Numbers = Field(default_factory=list)
    build_year: Annotated[int, Field(ge=-9999, le=9999)] | None = None
    fmvss_121: bool | None = None
    gearbox: Gearbox | None = None
    trailer_knob: bool = True
    holding: Holding | None = None
    """None: as its order of work or rule set says."""
    resolution_psi: Annotated[float, Field(ge=0.1, le=20)] = 1.0
    rules: Annotated[str, Field(max_length=60)] | None = None
    """None: as its kind is tested."""
    procedure: Annotated[str, Field(max_length=60)] | None = None

    def to_service(self) -> UnitEdit:
        """As the service takes it."""
        facts = self.model_dump(exclude={"resolution_psi", "rules", "procedure", "version"}, exclude_none=True)
        return UnitEdit(facts, self.resolution_psi, self.rules, self.procedure)


class EditUnitBody(UnitBody):
    """All fields, with the version that was looked at."""

    version: Version


class CoupleBody(Strict):
    """The trailers to be coupled, the first directly behind; none uncouples."""

    version: Version
    trailer_ids: Annotated[list[Uuid], Field(max_length=MAX_TRAILERS)]


class TrailerBody(Strict):
    """A trailer as it should be."""

    name: VehicleName
    chambers: Numbers = Field(default_factory=list)
    reservoirs_in3: Numbers = Field(default_factory=list)

    def to_service(self) -> dict[str, Any]:
        """As the service takes it."""
        return self.model_dump(exclude={"version"})


class EditTrailerBody(TrailerBody):
    """All fields, with the version that was looked at."""

    version: Version


class ReservoirsOut(BaseModel):
    """Service reservoirs against what the chambers require [in³]."""

    actual_in3: float
    required_in3: float
    ratio: float
    enough: bool
    source: str

    @classmethod
    def of(cls, check: ReservoirCheck | None, source: str) -> ReservoirsOut | None:
        if check is None:
            return None
        return cls(
            actual_in3=check.actual_in3,
            required_in3=check.required_in3,
            ratio=round(check.ratio, 3),
            enough=check.enough,
            source=source,
        )


class GovernorOut(BaseModel):
    """The maker's figures [psi]; null where unknown."""

    cut_in_psi: float | None
    cut_out_psi: float | None


class UnitOut(BaseModel):
    """A power unit as it is coupled today; ``kind`` follows from its trailers, ``power_kind`` is its own."""

    id: str
    name: str
    kind: UnitKind
    power_kind: PowerKind
    circuits: Circuits
    governor: GovernorOut
    chambers: list[int]
    reservoirs_in3: list[float]
    reservoirs: ReservoirsOut | None
    build_year: int | None
    fmvss_121: bool
    gearbox: Gearbox | None
    trailer_knob: bool
    holding: Holding | None
    resolution_psi: float
    trailers: list[str]
    trailer_ids: list[str]
    rules: str
    procedure: str | None
    own_rules: str | None
    own_procedure: str | None
    version: int
    retired: bool
    demo: bool

    @classmethod
    def fields_of(cls, listed: ListedUnit, source: str) -> dict[str, Any]:
        """The fields, from the service's answer."""
        power = listed.power
        return {
            "id": listed.id,
            "name": power.name,
            "kind": listed.unit.kind,
            "power_kind": power.kind,
            "circuits": power.circuits,
            "governor": GovernorOut(cut_in_psi=power.governor.cut_in_psi, cut_out_psi=power.governor.cut_out_psi),
            "chambers": list(power.chambers),
            "reservoirs_in3": list(power.reservoirs_in3),
            "reservoirs": ReservoirsOut.of(listed.check, source),
            "build_year": power.build_year,
            "fmvss_121": power.fmvss_121,
            "gearbox": power.gearbox,
            "trailer_knob": power.trailer_knob,
            "holding": power.holding,
            "resolution_psi": listed.resolution_psi,
            "trailers": list(listed.unit.trailers),
            "trailer_ids": list(listed.trailer_ids),
            "rules": listed.rules,
            "procedure": listed.procedure,
            "own_rules": listed.own_rules,
            "own_procedure": listed.own_procedure,
            "version": listed.version,
            "retired": listed.retired,
            "demo": listed.demo,
        }

    @classmethod
    def of(cls, listed: ListedUnit, source: str) -> UnitOut:
        return cls(**cls.fields_of(listed, source))


class YardUnitOut(UnitOut):
    """A unit with its latest run and how it stands, as the yard lists it."""

    latest: LatestOut | None
    status: UnitStatusOut | None
    """None: it is retired."""

    @classmethod
    def in_yard(cls, listed: ListedUnit, source: str, latest: Latest | None, status: UnitStatus | None) -> YardUnitOut:
        return cls(
            **cls.fields_of(listed, source),
            latest=None if latest is None else LatestOut.of(latest),
            status=None if status is None else UnitStatusOut.of(status),
        )


class MeasuredOut(BaseModel):
    """What one run measured of a quantity, with its reading error (k = 2), in the quantity's own unit."""

    run_id: str
    at: dt.datetime
    value: float
    error: float
    outcome: Literal["pass", "fail"]


class RepairOut(BaseModel):
    """A certified repair that touched a quantity."""

    at: dt.datetime
    did: str
    by: str


class TrendOut(BaseModel):
    """One measured quantity of a unit from test to test.

    low, high : what it must stay within; null for an open side.  segment : as many of the last readings the trend is
    taken from; those before were of another set, or before a repair.  level : the line's value at the last reading.
    meets, meets_from, meets_until : when the line meets the limit, and the ends of the interval; null where it does not
    within a year.
    """

    stage: Stage
    knob: Knob | None
    unit: Literal["psi", "s"]
    readings: list[MeasuredOut]
    repairs: list[RepairOut]
    segment: int
    low: float | None
    high: float | None
    limit: str
    state: State
    text: str
    slope_per_day: float | None
    slope_low: float | None
    slope_high: float | None
    level: float | None
    meets: dt.datetime | None
    meets_from: dt.datetime | None
    meets_until: dt.datetime | None

    @classmethod
    def of(cls, one: UnitTrend) -> TrendOut:
        trend, slope = one.trend, one.trend.slope

        def moment(day: float | None) -> dt.datetime | None:
            return None if day is None else moment_of(day)

        return cls(
            stage=one.quantity.stage,
            knob=one.quantity.knob,
            unit=cast(Literal["psi", "s"], one.unit),
            readings=[
                MeasuredOut(
                    run_id=reading.run_id,
                    at=moment_of(reading.day),
                    value=reading.value,
                    error=error,
                    outcome=cast(Literal["pass", "fail"], reading.outcome),
                )
                for reading, error in zip(one.readings, one.errors, strict=True)
            ],
            repairs=[RepairOut(at=repair.at, did=repair.did, by=repair.by) for repair in one.repairs],
            segment=one.segment,
            low=one.window.low,
            high=one.window.high,
            limit=one.limit_text,
            state=trend.state,
            text=one.text,
            slope_per_day=None if slope is None else slope.median,
            slope_low=None if slope is None else slope.low,
            slope_high=None if slope is None else slope.high,
            level=trend.level,
            meets=moment(trend.meets_day),
            meets_from=moment(trend.meets_from),
            meets_until=moment(trend.meets_until),
        )


class UnitPageOut(BaseModel):
    """A unit, how it stands, its last tests, every hold that ever accused it, and the first page of its course."""

    unit: UnitOut
    status: UnitStatusOut
    tests: list[LatestOut]
    holds: list[HoldOut]
    course: CourseOut


class TrailerOut(BaseModel):
    """A trailer and where it is coupled."""

    id: str
    name: str
    chambers: list[int]
    reservoirs_in3: list[float]
    reservoirs: ReservoirsOut | None
    coupled_to: str | None
    version: int
    retired: bool
    demo: bool

    @classmethod
    def of(cls, listed: ListedTrailer, source: str) -> TrailerOut:
        return cls(
            id=listed.id,
            name=listed.trailer.name,
            chambers=list(listed.trailer.chambers),
            reservoirs_in3=list(listed.trailer.reservoirs_in3),
            reservoirs=ReservoirsOut.of(listed.check, source),
            coupled_to=listed.coupled_to,
            version=listed.version,
            retired=listed.retired,
            demo=listed.demo,
        )


class BadLineOut(BaseModel):
    """A line that cannot be taken, and why."""

    line: int
    problem: str


class ImportedOut(BaseModel):
    """What the file holds; ``kept`` says whether its units were added."""

    names: list[str]
    bad: list[BadLineOut]
    kept: bool

    @classmethod
    def of(cls, imported: Imported) -> ImportedOut:
        bad = [BadLineOut(line=bad.line, problem=bad.problem) for bad in imported.bad]
        return cls(names=imported.names, bad=bad, kept=imported.kept)


class FeedTokenOut(BaseModel):
    """The secret of a unit's sender."""

    token: str

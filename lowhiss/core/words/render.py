"""Sentences from codes and parameters: the same judgement in any language and any unit."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from types import ModuleType
from typing import TYPE_CHECKING, Any, cast

from lowhiss.core.fields import Language
from lowhiss.core.findings import FINDINGS
from lowhiss.core.judge.model import Finding, StageVerdict
from lowhiss.core.rules import AppliedBound, Limit, Source, apply_bounds
from lowhiss.core.stages import STEP_TABLE, Stage, Step, kind_of
from lowhiss.core.units import PressureUnit
from lowhiss.core.vehicle import Unit
from lowhiss.core.words import english, spanish
from lowhiss.core.words.figures import Figures, plain

# whoever judges a record waits neither for the fleet's statistics nor for the diagnosis
if TYPE_CHECKING:
    from lowhiss.core.diagnosis import Hint
    from lowhiss.core.status import Bias, Trend

_BOOKS: dict[Language, ModuleType] = {"en": english, "es": spanish}
_NEVER_READINGS = frozenset({"apart_psi", "rose_psi", "drop_psi", "expected_drop_psi"})
"""Parameters that are differences though their names end like a reading's."""


@dataclass(frozen=True, slots=True)
class Words:
    """The judge's words for one reader."""

    language: Language = "en"
    unit: PressureUnit = "psi"

    @property
    def book(self) -> ModuleType:
        """The sentences of this language."""
        return _BOOKS[self.language]

    @property
    def figures(self) -> Figures:
        """The formatter for this reader's unit."""
        return Figures(self.unit)

    def outcome(self, outcome: str) -> str:
        """The word for an outcome."""
        return str(self.book.OUTCOMES[outcome])

    def stage(self, stage: str) -> str:
        """The name of a stage."""
        return STEP_TABLE[cast(Step, stage)].title[self.language]

    def mark(self, event: Mapping[str, Any]) -> str:
        """The word for a mark, from the fields of its record."""
        marks: dict[str, str] = self.book.MARKS
        return marks.get(_mark_name(event), marks["other"])

    def step(self, step: str, unit: Unit | None = None) -> str:
        """What to do in a step, on this unit where its gearbox says how."""
        row = STEP_TABLE[cast(Step, step)]
        by_itself = row.does_automatic if unit is not None and unit.gearbox == "automatic" else None
        return (by_itself or row.does)[self.language]

    def order_refusal(self, step: Step, first: Sequence[Step], *, hangs: bool) -> str:
        """Why an order cannot be done: what must come before a step, or before the limit that hangs on it."""
        names = [STEP_TABLE[one].short[self.language] for one in (step, *first)]
        template: str = self.book.ORDERS["hangs" if hangs else "before"]
        return template.format(step=names[0], first=str(self.book.ORDERS["or"]).join(names[1:]))

    def finding(self, finding: Finding, limit: Limit | None = None) -> str:
        """A finding as a sentence; ``limit`` gives the unit of its margin."""
        row = FINDINGS[finding.code]
        template = row.en if self.language == "en" else row.es
        return template.format(**{name: self._param(name, value, limit) for name, value in finding.params.items()})

    def finding_in_general(self, code: str) -> str:
        """What a finding says, without the figures of any one run."""
        row = FINDINGS[code]
        return (row.en if self.language == "en" else row.es).format(**dict.fromkeys(row.params, "…"))

    def hint(self, hint: Hint) -> str:
        """A hint for the mechanic as a sentence."""
        template: str = self.book.HINTS[hint.code]
        return template.format(**{name: self._param(name, value, None) for name, value in hint.params.items()})

    def _param(self, name: str, value: Any, limit: Limit | None) -> str:
        if name == "states":
            return ", ".join(self.book.STATES[state] for state in value)
        if name == "stages":
            return ", ".join(self.stage(stage) for stage in value)
        if isinstance(value, list):
            return ", ".join(self._param(name, item, limit) for item in value)
        if isinstance(value, str):
            return str(self.book.WORDS.get(value, value))
        if name in ("margin", "uncertainty"):
            return self._amount(value, limit)
        if name.endswith("_psi_per_min"):
            return f"{self.figures.fixed(value)} {self.figures.label}/min"
        if name.endswith("_psi"):
            return self.figures.difference(value) if name in _NEVER_READINGS else self.figures.pressure(value)
        return plain(value, 1)

    def _amount(self, value: float, limit: Limit | None) -> str:
        if limit is not None and limit.unit == "s":
            return f"{plain(value, 1)} s"
        return self.figures.difference(value)

    def source(self, source: Source) -> str:
        """Where a number comes from, and how well that is known."""
        standing = self.book.STANDINGS[source.standing]
        if source.standing == "common_practice":
            return str(standing)
        name = f"{source.document} {source.clause}".strip()
        return f"{name} ({standing})" if standing else name

    def looser(self, limit: Limit, source: Source) -> str:
        """That a limit is looser than a published rule."""
        return str(self.book.LOOSER).format(stage=self.stage(limit.stage), source=self.source(source))

    def limit(self, limit: Limit, bounds: tuple[AppliedBound, ...]) -> str:
        """The limit as applied, in short: ``no more than 4 psi in 60 s``.

        What hangs on a reading that is still to come is said as that: ``20 to 25 psi below where it stopped pumping``.
        """
        text = self._bounds(limit, bounds)
        if not any(bound.relative for bound in bounds) and (hanging := self._hanging(limit)):
            text = f"{hanging}, {text}" if text else hanging
        if limit.window_psi is not None:
            lower, upper = limit.window_psi
            return self._fill(
                "window", lower=self.figures.reading(lower), upper=self.figures.pressure(upper), text=text
            )
        if limit.hold_s is not None:
            return self._fill("hold", text=text, hold_s=plain(limit.hold_s, 1))
        return text

    def limit_text(self, limit: Limit, unit: Unit) -> str:
        """The limit as a candidate says it aloud: in the rules' own words, or in figures where those would mislead.

        They would where another pressure unit is read, or where the figure is worked out for this very unit.
        """
        scaled = unit.reservoir_ratio != 1.0 and any(bound.times_reservoir_ratio for bound in limit.bounds)
        if self.unit == "psi" and not scaled and all(bound.of != "maker_cut_out" for bound in limit.bounds):
            return self.limit_words(limit)
        return f"{self.stage(limit.stage)}: {self.limit(limit, apply_bounds(limit, unit))}."

    def limit_words(self, limit: Limit) -> str:
        """The limit as a plain sentence in the rules' own unit: as somebody wrote it, else made from its bounds."""
        if limit.words:
            return limit.words[self.language]
        own = Words(self.language)
        bounds = tuple(AppliedBound(bound.comparator, bound.value, False) for bound in limit.bounds if bound.of is None)
        text = own._bounds(limit, bounds)
        for said in (own._hanging(limit), own._by_the_maker(limit)):
            text = f"{said}, {text}" if said and text else said or text
        whom = limit.when.group[0] if len(limit.when.group) == 1 else "any"
        lower, upper = limit.window_psi or (0.0, 0.0)
        sentence = (
            STEP_TABLE[limit.stage]
            .limit[self.language]
            .format(
                whom=self.book.WHOM[whom],
                bounds=text,
                hold_s=plain(limit.hold_s or 0, 1),
                lower=plain(lower, 1),
                upper=plain(upper, 1),
            )
        )
        scaled = any(bound.times_reservoir_ratio for bound in limit.bounds)
        return f"{sentence}{self.book.LIMITS['scaled'] if scaled else ''}."

    def short_limit(self, limit: Limit, bounds: tuple[AppliedBound, ...]) -> str:
        """The limit as short as it can be shown, without the unit of a pressure: ``120–140``, ``≤ 4``, ``55+``."""
        floor, ceiling = _nearest(bounds)
        seconds = " s" if limit.unit == "s" else ""
        if any(bound.of == "cut_out_read" for bound in limit.bounds) and not any(bound.relative for bound in bounds):
            return "…".join(self.figures.amount(bound.value) for bound in limit.bounds if bound.of == "cut_out_read")
        if floor is not None and ceiling is not None:
            return f"{self._bare(limit, floor.value)}–{self._bare(limit, ceiling.value)}{seconds}"
        if floor is not None:
            return f"{self._bare(limit, floor.value)}+"
        if ceiling is not None:
            sign = "<" if ceiling.comparator == "below" else "≤"
            return f"{sign} {self._bare(limit, ceiling.value)}{seconds}"
        return ""

    def end_of_hold(self, limit: Limit, bounds: tuple[AppliedBound, ...]) -> str:
        """Where a needle may end, as a sentence that takes the figure ``{end}``; empty for a limit without a loss."""
        ceiling = _nearest(bounds)[1]
        if ceiling is None or limit.hold_s is None:
            return ""
        key = "at_least" if ceiling.comparator == "at_most" else "above"
        return self._fill(key, min=f"{{end}} {self.figures.label}")

    def _hanging(self, limit: Limit) -> str:
        """The bounds that hang on a cut-out still to be read."""
        below = sorted(-bound.value for bound in limit.bounds if bound.of == "cut_out_read")
        if not below:
            return ""
        amounts = f"{self.figures.amount(below[0])} {self.figures.label}"
        if len(below) > 1:
            amounts = self._fill("between", min=self.figures.amount(below[0]), max=self.figures.difference(below[-1]))
        return self._fill("below_cut_out", amounts=amounts)

    def _by_the_maker(self, limit: Limit) -> str:
        """The bounds that hang on the maker's figure."""
        apart = sorted(bound.value for bound in limit.bounds if bound.of == "maker_cut_out")
        if not apart:
            return ""
        if len(apart) == 2 and apart[0] == -apart[1]:
            return self._fill("near_maker", amount=self.figures.difference(apart[1]))
        ends = [f"{'+' if value >= 0 else '−'}{self.figures.amount(abs(value))}" for value in apart]
        return self._fill("from_maker", ends=" … ".join(ends), unit=self.figures.label)

    def _fill(self, key: str, **values: str) -> str:
        return str(self.book.LIMITS[key]).format(**values)

    def _bounds(self, limit: Limit, bounds: tuple[AppliedBound, ...]) -> str:
        floor, ceiling = _nearest(bounds)
        if floor is not None and ceiling is not None:
            return self._fill("between", min=self._bare(limit, floor.value), max=self._bound(limit, ceiling.value))
        if ceiling is not None:
            return self._fill(ceiling.comparator, max=self._bound(limit, ceiling.value))
        if floor is None:
            return ""
        text = self._fill(floor.comparator, min=self._bound(limit, floor.value))
        capped = [bound for bound in limit.bounds if bound.cap_share_of_cut_out is not None]
        # a floor that was lowered has its cap in it already
        if capped and floor.value == capped[0].value and capped[0].cap_share_of_cut_out is not None:
            return self._fill("capped", text=text, percent=plain(100 * capped[0].cap_share_of_cut_out, 0))
        return text

    def _bare(self, limit: Limit, value: float) -> str:
        if limit.unit == "s":
            return plain(value, 1)
        return self.figures.amount(value) if limit.hold_s is not None else self.figures.reading(value)

    def _bound(self, limit: Limit, value: float) -> str:
        return f"{self._bare(limit, value)} {'s' if limit.unit == 's' else self.figures.label}"

    def arithmetic(self, verdict: StageVerdict) -> str:
        """The sum as a mechanic would write it: ``100 → 97 psi in 60 s, 3.0 psi/min, limit 4, 1.0 to spare, …``."""
        parts = self._measured_parts(verdict)
        if not parts or verdict.limit is None or verdict.margin is None:
            return ", ".join(parts)
        limit = verdict.limit
        parts.append(self._sum("limit", limit=self._limit_figure(verdict, limit)))
        amount = f"{abs(verdict.margin):.1f} s" if limit.unit == "s" else self.figures.fixed(abs(verdict.margin))
        if verdict.margin == 0:
            parts.append(self._sum("on_the_limit"))
        else:
            parts.append(self._sum("to_spare" if verdict.margin > 0 else "outside", margin=amount))
        if verdict.uncertainty is not None:
            error = f"{verdict.uncertainty:.1f} s" if limit.unit == "s" else self.figures.fixed(verdict.uncertainty)
            parts.append(self._sum("error_s" if limit.unit == "s" else "error", uncertainty=error))
        return ", ".join(parts)

    def trend(self, trend: Trend, unit: str) -> str:
        """How a quantity stands, as a sentence; ``unit`` is what it is measured in, ``psi`` or ``s``."""
        from lowhiss.core.status.drift import DAYS_A_MONTH, MIN_DAYS, MIN_POINTS, Slope

        def amount(value: float) -> str:
            return f"{plain(value, 1)} s" if unit == "s" else self.figures.difference(value)

        slope = trend.slope or Slope(0.0, None, None)
        monthly = [amount(DAYS_A_MONTH * (slope.median if a_day is None else a_day)) for a_day in slope]
        return str(self.book.TRENDS[trend.state]).format(
            points=trend.points,
            min_points=MIN_POINTS,
            min_days=plain(MIN_DAYS, 0),
            apart=amount(abs(trend.apart)),
            a_month=monthly[0],
            low=monthly[1],
            high=monthly[2],
        )

    def failed(self, stage: str, figures: Mapping[str, Any], limit: Limit | None, unit: Unit) -> str:
        """What a failed stage measured, and its limit: ``99 → 94 psi in 60 s, no more than 4 psi in 60 s``."""
        verdict = StageVerdict(cast(Stage, stage), 1, "fail", limit, measured=dict(figures))
        parts = self._measured_parts(verdict)
        if limit is not None:
            parts.append(self.limit(limit, apply_bounds(limit, unit)))
        return ", ".join(parts)

    def status(self, status: str) -> str:
        """How a unit stands, in short."""
        return str(self.book.STATUSES_OF_UNITS[status])

    def reading(self, bias: Bias | None) -> str:
        """How somebody reads a loss, as a fact; nothing of it where there are too few tests."""
        if bias is None:
            from lowhiss.core.status.readers import MIN_TESTS

            return str(self.book.READING["too_few"]).format(tests=MIN_TESTS)
        key = "same" if not bias.seen else "low" if bias.mean_psi > 0 else "high"
        amount, error = self.figures.difference(abs(bias.mean_psi)), self.figures.difference(bias.error_psi)
        return str(self.book.READING[key]).format(tests=bias.tests, amount=amount, error=error)

    def due_title(self) -> str:
        """What stands in a calendar on the day when a unit is due; takes ``{unit}``."""
        return str(self.book.DUE_TITLE)

    def hold(self, key: str, **values: Any) -> str:
        """A sentence about a hold; ``stage`` is named in the reader's words."""
        if "stage" in values:
            values["stage"] = self.stage(values["stage"])
        return str(self.book.HOLDS[key]).format(**values)

    def act(self, kind: str, **values: str) -> str:
        """What somebody did about a vehicle, as a sentence."""
        return str(self.book.ACTS[kind]).format(**values).strip()

    def run(self, outcome: str, purpose: str) -> str:
        """A run in a line of time: how it came out, and for what it was where that was not a trip."""
        said = str(self.book.RUNS[outcome])
        return f"{said} ({self.book.RUNS[purpose]})" if purpose in self.book.RUNS else said

    def consequence(self, consequence: str) -> str:
        """What a defect means, in a word or two."""
        return str(self.book.CONSEQUENCES[consequence])

    def defect_state(self, state: str) -> str:
        """How far a defect has come."""
        return str(self.book.DEFECT_STATES[state])

    def _sum(self, key: str, **values: str) -> str:
        return str(self.book.ARITHMETIC[key]).format(**values)

    def _limit_figure(self, verdict: StageVerdict, limit: Limit) -> str:
        bounds = verdict.bounds
        if len(bounds) == 1 and bounds[0].comparator in ("at_most", "at_least"):
            figure = self._bare(limit, bounds[0].value)
            return figure if bounds[0].comparator == "at_most" else f"≥ {figure}"
        if len(bounds) == 1:
            return f"{'<' if bounds[0].comparator == 'below' else '>'} {self._bare(limit, bounds[0].value)}"
        return self._bounds(limit, bounds).removesuffix(f" {self.figures.label}") or self.limit(limit, bounds)

    def _measured_parts(self, verdict: StageVerdict) -> list[str]:
        measured = verdict.measured
        figures = self.figures
        if kind_of(verdict.stage) == "hold" and "drop_psi" in measured:
            ends = {
                "start": figures.reading(measured["start_psi"]),
                "end": figures.reading(measured["end_psi"]),
                "unit": figures.label,
                "duration_s": figures.seconds(measured["duration_s"]),
            }
            parts = [self._sum("hold", **ends)]
            if "rate_psi_per_min" in measured:
                parts.append(self._sum("rate", rate=figures.fixed(measured["rate_psi_per_min"]), unit=figures.label))
            if "normalised_psi" in measured and verdict.limit is not None:
                loss = f"{figures.fixed(measured['normalised_psi'])} {figures.label}"
                parts.append(self._sum("normalised", loss=loss, hold_s=plain(verdict.limit.hold_s or 0, 1)))
            return parts
        if "time_s" in measured and verdict.limit is not None and verdict.limit.window_psi is not None:
            lower, upper = verdict.limit.window_psi
            parts = [
                self._sum(
                    "climb",
                    start=figures.reading(measured["start_psi"]),
                    end=figures.reading(measured["end_psi"]),
                    unit=figures.label,
                    duration_s=figures.seconds(measured["duration_s"]),
                )
            ]
            if (measured["start_psi"], measured["end_psi"]) != (lower, upper):
                marks = {"lower": figures.reading(lower), "upper": figures.reading(upper)}
                parts.append(self._sum("time", time_s=figures.seconds(measured["time_s"]), **marks))
            return parts
        if "psi" in measured:
            return [self._sum("reading", psi=figures.pressure(measured["psi"]))]
        return []


def _nearest(bounds: tuple[AppliedBound, ...]) -> tuple[AppliedBound | None, AppliedBound | None]:
    """The floor and the ceiling that a reading meets first; None for an open side."""
    floor = max((bound for bound in bounds if bound.floor), key=lambda bound: bound.value, default=None)
    ceiling = min((bound for bound in bounds if not bound.floor), key=lambda bound: bound.value, default=None)
    return floor, ceiling


def _mark_name(event: Mapping[str, Any]) -> str:
    """Under which name the word for a mark stands: its type, or what it says of what."""
    match event["type"]:
        case "confirmed":
            return str(event.get("item"))
        case "reading":
            return str(event.get("point"))
        case "engine":
            return "engine_off" if event.get("state") == "off" else "engine_running"
        case "key":
            return "key_on" if event.get("state") == "on" else "key_off"
        case "pedal":
            return "pedal_full" if event.get("state") == "full" else "pedal_released"
        case "knob":
            way = "in" if event.get("state") == "in" else "popped" if event.get("cause") == "popped" else "out"
            return f"{'trailer' if event.get('knob') == 'trailer' else 'tractor'}_{way}"
        case "warning":
            lamp, buzzer = event.get("lamp"), event.get("buzzer")
            if lamp is False or buzzer is False:
                return "no_warning"
            return "warning" if None not in (lamp, buzzer) else "lamp" if lamp is not None else "buzzer"
        case kind:
            return str(kind)

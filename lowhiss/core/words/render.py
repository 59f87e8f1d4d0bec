"""Sentences from codes and parameters: the same judgement in any language and any unit."""

from __future__ import annotations

from dataclasses import dataclass
from types import ModuleType
from typing import Any

from lowhiss.core.fields import Language
from lowhiss.core.judge.model import AppliedBound, Finding, StageVerdict
from lowhiss.core.leakhunt import Hint
from lowhiss.core.rules import Limit, Source
from lowhiss.core.units import PressureUnit
from lowhiss.core.words import english, spanish
from lowhiss.core.words.figures import Figures, plain

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
        return str(self.book.STAGES[stage])

    def step(self, step: str) -> str:
        """What to do in a step."""
        return str(self.book.STEPS[step])

    def finding(self, finding: Finding, limit: Limit | None = None) -> str:
        """A finding as a sentence; ``limit`` gives the unit of its margin."""
        template: str = self.book.FINDINGS[finding.code]
        return template.format(**{name: self._param(name, value, limit) for name, value in finding.params.items()})

    def hint(self, hint: Hint) -> str:
        """A hint for the mechanic as a sentence."""
        template: str = self.book.HINTS[hint.code]
        return template.format(**{name: self._param(name, value, None) for name, value in hint.params.items()})

    def _param(self, name: str, value: Any, limit: Limit | None) -> str:
        if name == "states":
            return ", ".join(self.book.STATES[state] for state in value)
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

    def limit(self, limit: Limit, bounds: tuple[AppliedBound, ...]) -> str:
        """The limit as applied, in short: ``no more than 4 psi in 60 s``."""
        text = self._bounds(limit, bounds)
        if limit.window_psi is not None:
            lower, upper = limit.window_psi
            return self._fill(
                "window", lower=self.figures.reading(lower), upper=self.figures.pressure(upper), text=text
            )
        if limit.hold_s is not None:
            return self._fill("hold", text=text, hold_s=plain(limit.hold_s, 1))
        return text

    def _fill(self, key: str, **values: str) -> str:
        return str(self.book.LIMITS[key]).format(**values)

    def _bounds(self, limit: Limit, bounds: tuple[AppliedBound, ...]) -> str:
        floor = max((b for b in bounds if b.comparator in ("at_least", "above")), key=lambda b: b.value, default=None)
        ceiling = min((b for b in bounds if b.comparator in ("at_most", "below")), key=lambda b: b.value, default=None)
        if floor is not None and ceiling is not None:
            return self._fill("between", min=self._bare(limit, floor.value), max=self._bound(limit, ceiling.value))
        if ceiling is not None:
            return self._fill(ceiling.comparator, max=self._bound(limit, ceiling.value))
        if floor is not None:
            return self._fill(floor.comparator, min=self._bound(limit, floor.value))
        return limit.words[self.language]

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

    def _sum(self, key: str, **values: str) -> str:
        return str(self.book.ARITHMETIC[key]).format(**values)

    def _limit_figure(self, verdict: StageVerdict, limit: Limit) -> str:
        bounds = verdict.bounds
        if len(bounds) == 1 and bounds[0].comparator in ("at_most", "at_least"):
            figure = self._bare(limit, bounds[0].value)
            return figure if bounds[0].comparator == "at_most" else f"≥ {figure}"
        if len(bounds) == 1:
            return f"{'<' if bounds[0].comparator == 'below' else '>'} {self._bare(limit, bounds[0].value)}"
        return self._bounds(limit, bounds).removesuffix(f" {self.figures.label}")

    def _measured_parts(self, verdict: StageVerdict) -> list[str]:
        measured = verdict.measured
        figures = self.figures
        if verdict.stage in ("leak_released", "leak_applied") and "drop_psi" in measured:
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

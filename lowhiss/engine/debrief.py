"""The debrief of a practice: where judgement went wrong, what was done wrongly, what it is worth, what comes next.

It is found out in figures and ids, on the server and on a device alike; ``debrief_words`` tells it.
"""

from __future__ import annotations

import itertools
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from typing import Any, cast

from lowhiss import rulebook
from lowhiss.core.judge import StageVerdict
from lowhiss.core.practice import (
    Calls,
    Found,
    Held,
    PracticeError,
    Score,
    Seen,
    Shown,
    Waste,
    criteria,
    drop_quality,
    found_in,
    mark_quality,
    score,
    square_of,
    time_quality,
)
from lowhiss.core.practice.scoring import Called
from lowhiss.core.record import Event, read_run
from lowhiss.core.run import standing_events
from lowhiss.core.stages import FILL_STAGE, is_limited, kind_of, stages_of
from lowhiss.engine.cards import gone_wrong
from lowhiss.engine.judge_record import judge_record
from lowhiss.engine.practice import CLAIM, Drive, lesson_of
from lowhiss.engine.reference import Truth, reference_drive

_CALLED: Mapping[object, Called] = {"pass": "good", "fail": "bad"}


def debrief(drive: Drive, marks: Sequence[Mapping[str, Any]]) -> dict[str, Any]:
    """All that ``Drive.after`` tells, and the debrief with it, without words. Raises CoreError."""
    check_marks(marks)
    after = drive.after(marks)
    return {**after, "debrief": _Debrief(drive, after, marks).table()}


def check_marks(marks: object) -> None:
    """Raises PracticeError naming the place of a mark that has no time, or of a claim that says nothing plain."""
    if not isinstance(marks, list):
        raise PracticeError("marks", "must be a list")
    for place, one in enumerate(marks):
        at_s = one.get("at_s") if isinstance(one, dict) else None
        if isinstance(at_s, bool) or not isinstance(at_s, int | float):
            raise PracticeError(f"marks[{place}].at_s", "must be a number of seconds")
        if one.get("type") == CLAIM and any(isinstance(value, dict | list) for value in one.values()):
            raise PracticeError(f"marks[{place}]", "is a claim: its values must be text, numbers or true and false")


class _Debrief:
    """One debrief in the making."""

    def __init__(self, drive: Drive, after: Mapping[str, Any], marks: Sequence[Mapping[str, Any]]) -> None:
        self.drive, self.scoring = drive, rulebook.scoring()
        self.claims = [dict(one) for one in marks if one.get("type") == CLAIM]
        run = read_run(after["run"])
        self.verdict = judge_record(run)
        self.events = standing_events(run.events)[0]
        self.marks = drive.true_marks(run)
        self.lesson = lesson_of(drive.lesson) if drive.lesson else None
        self.reference = reference_drive(
            drive.spec, drive.world, drive.rules, drive.procedure, drive.world.faults, drive.choice["resolution_psi"]
        )
        self.said = _calls_made(self.events)
        self.standing = self.verdict.standing()

    def table(self) -> dict[str, Any]:
        squares = self.squares()
        overall = self.overall(squares)
        found = self.found(squares, overall)
        made = Counter(one.code for one in found)
        holds = self.holds()
        times = self.time_errors()
        calls, waste = self.calls(), self.waste()
        result = score(
            self.scoring,
            made,
            self.qualities(holds, times),
            [one["square"] for one in squares.values() if one["said"] or one["own"]],
            calls,
            waste,
        )
        sheet = self.sheet()
        asked = []
        if self.lesson is not None and self.drive.lesson is not None:
            shown = Shown(
                stages=self.drive.procedure.stages(self.drive.spec.unit),
                outcomes={stage: (one.outcome, one.attempt) for stage, one in self.standing.items()},
                squares={stage: one["square"] for stage, one in squares.items()},
                overall=overall["square"],
                marks=self.marks,
                holds=holds,
                time_err_s=times,
                made=made,
                score=result,
                moments=self.drive.world.moments,
                claims=self.claims,
                notes=sum(event.type == "note" for event in self.events),
                sheet_right=None if sheet is None else sheet["right"],
            )
            passes = self.lesson.drives[self.drive.lesson["drive"]].passes
            asked = [
                {"name": one.name, "met": one.met, "params": dict(one.params)}
                for one in criteria(passes, self.lesson.mistakes, shown)
            ]
        return {
            "mode": self.drive.choice["mode"],
            "lesson": self.drive.lesson,
            "passed": all(one["met"] for one in asked) if asked else None,
            "criteria": asked,
            "score": _score_table(result),
            "findings": [_found_table(one) for one in found],
            "squares": squares,
            "overall": overall,
            "calls": {"due": calls.due, "made": calls.made, "taken": calls.taken, "help": dict(calls.help)},
            "waste": None
            if waste is None
            else {
                "minutes": waste.minutes,
                "reference_minutes": waste.reference_minutes,
                "refills": waste.refills,
                "reference_refills": waste.reference_refills,
            },
            "holds": [{"stage": one.stage, "err_psi": one.err_psi, "wait_s": one.wait_s} for one in holds],
            "time_err_s": times,
            "road": self.road(squares),
            "unseen": list(self.drive.world.faults) if self.reference_overall() == "good" else [],
            "sheet": sheet,
            "next": self.next(found, squares),
            "cards": gone_wrong(self.drive.choice, [(one.code, one.stage) for one in found], self.drive.spec.unit.kind),
            "summary": self.summary(result, made, asked),
            "reference": self.reference.record,
        }

    def summary(self, result: Score, made: Mapping[str, int], asked: Sequence[Mapping[str, Any]]) -> dict[str, Any]:
        """What somebody's progress hangs on, as ``core.practice.progress`` reads it, but for when it was."""
        choice, lesson = self.drive.choice, self.drive.lesson
        return {
            "mode": choice["mode"],
            "lesson": lesson["id"] if lesson else None,
            "drive": lesson["drive"] if lesson else 0,
            "passed": all(one["met"] for one in asked) if asked else None,
            "total": result.total,
            "codes": sorted(made),
            "critical": list(result.critical),
            "shares": {part.group: round(part.points / part.whole, 3) for part in result.parts if part.whole},
            "helped": any(claim.get("what") == "help" for claim in self.claims),
            "faulty": bool(self.drive.world.faults),
            "whole": self._whole() and choice["mode"] != "diagnosis",
            "vehicle": f"{self.drive.spec.kind} {' '.join(self.drive.world.faults)}".strip(),
        }

    # good or bad

    def squares(self) -> dict[str, dict[str, Any]]:
        """Each stage with something to be called: what was said, one's own numbers, the truth."""
        found: dict[str, dict[str, Any]] = {}
        for stage in self.drive.procedure.stages(self.drive.spec.unit):
            true = self.reference.truths.get(stage)
            own = _CALLED.get(self.standing[stage].outcome) if stage in self.standing else None
            # where nobody was asked, what one's own numbers say is what was called
            asked = is_limited(stage) and (self.lesson is not None or self.drive.choice["mode"] != "led")
            said = self.said.get(stage, None if asked else own)
            if true is None and said is None:
                continue
            found[stage] = {"said": said, "own": own, "true": true, "square": square_of(said, own, true)}
        return found

    def reference_overall(self) -> Truth | None:
        truths = set(self.reference.truths.values())
        return "bad" if "bad" in truths else "grey" if "grey" in truths else "good" if truths else None

    def overall(self, squares: Mapping[str, Mapping[str, Any]]) -> dict[str, Any]:
        """The vehicle as a whole: what was said of it at the end, or what the stages come to."""
        closing = [claim.get("value") for claim in self.claims if claim.get("what") == "closing"]
        said: Called | None = _CALLED.get(closing[-1]) if closing else None
        if said is None and squares:
            called = {one["said"] for one in squares.values() if one["said"] or one["own"]}
            all_good = called == {"good"} and self.verdict.headline == "pass"
            said = "bad" if "bad" in called else "good" if all_good else None
        outcomes = {one.outcome for one in self.standing.values()}
        own: Called | None = "bad" if "fail" in outcomes else "good" if self.verdict.headline == "pass" else None
        true = self.reference_overall()
        square = square_of(said, own, true)
        return {"said": said, "own": own, "true": true, "square": square, "closing": bool(closing)}

    # what was done wrongly

    def found(self, squares: Mapping[str, Mapping[str, Any]], overall: Mapping[str, Any]) -> list[Found]:
        """Every mistake: those of the judge, those that only the truth shows, those of judgement and of the exam."""
        seen = Seen(
            moments=self.drive.world.moments,
            marks=self.marks,
            events=self.events,
            claims=self.claims,
            start=self.drive.world.start,
            knobs=self.drive.spec.unit.knobs,
            walking_mph=self.drive.rules.judging.rolling_mph,
            stages=self.drive.procedure.stages(self.drive.spec.unit),
            warning_psi=self.drive.world.air.spec.warning_psi,
            hold_test_psi=self.drive.rules.judging.hold_test_psi,
            at=self.drive.at,
        )
        judged = list(self._judged())
        called = list(self._called(squares, overall))
        backwards = {one.stage for one in called if one.code == "inequality_backwards"}
        found = [
            *(one for one in judged if not (one.code == "wrong_verdict_said" and one.stage in backwards)),
            *found_in(self.scoring, seen),
            *called,
            *self._examined(),
        ]
        # the judge and the truth may say the same
        kept: dict[tuple[str, str | None], Found] = {}
        for one in found:
            kept.setdefault((one.code, one.stage if one.code in _EACH_STAGE else None), one)
        return list(kept.values())

    def _judged(self) -> Iterable[Found]:
        of_stages = set()
        for verdict in self.verdict.stages:
            for finding in verdict.findings:
                of_stages.add((finding.code, finding.stage))
                row = self.scoring.mistakes.get(finding.code)
                if finding.code in self._cannot_help():
                    continue
                if row is not None and (verdict.stands or row.critical or finding.code == "retest_without_refill"):
                    yield Found(finding.code, self._when(verdict), verdict.stage, finding.params)
        for finding in self.verdict.coach:
            code = finding.code
            if code == "wrong_limit_said" and _other_unit(finding.params):
                code = "unit_mixed"
            if (finding.code, finding.stage) in of_stages:
                continue
            if code in self.scoring.mistakes and self._is_due(finding.stage):
                yield Found(code, None, finding.stage, finding.params)
        alone = self.drive.choice["mode"] in ("memory", "exam")
        if alone and self.calls().taken:
            yield from (Found(code, None, stage) for code, stage in self._unsaid() if code in self.scoring.mistakes)

    def _unsaid(self) -> Iterable[tuple[str, str]]:
        """What had to be said of which stage and was not, where anything was said at all."""
        said = [event for event in self.events if event.type == "said"]
        spoken = {event.what for event in said}
        codes = {(finding.code, finding.stage) for finding in self.verdict.coach}
        for stage, verdict in self.standing.items():
            spoken_of = is_limited(stage) and stage != FILL_STAGE and self._is_due(stage)
            if not spoken_of or verdict.limit is None or not verdict.attempt:
                continue
            for part in ("limit", "reading", "verdict"):
                code = f"{part}_not_said"
                if f"{part}:{stage}" not in spoken or (code, stage) in codes:
                    yield code, stage

    def _is_due(self, stage: str | None) -> bool:
        """Whether a stage is part of this drive: what happens by the way asks for no words."""
        return stage is None or stage in self.drive.procedure.stages(self.drive.spec.unit)

    def _cannot_help(self) -> set[str]:
        """What this drive leaves nobody another choice in."""
        stuck = {"second_knob_missing"} if self.drive.world.air.spec.red_stuck else set()
        no_fill = FILL_STAGE not in self.drive.procedure.stages(self.drive.spec.unit)
        return stuck | ({"no_fresh_cut_out"} if no_fill else set())

    def _when(self, verdict: StageVerdict) -> float | None:
        attempts = self.verdict.state.attempts.get(verdict.stage, [])
        marks = attempts[verdict.attempt - 1].marks if 0 < verdict.attempt <= len(attempts) else []
        return marks[-1].event.at_s if marks else None

    def _called(self, squares: Mapping[str, Mapping[str, Any]], overall: Mapping[str, Any]) -> Iterable[Found]:
        wrong = []
        for stage, one in squares.items():
            against_own = one["said"] and one["own"] and one["said"] != one["own"]
            bounds = self.standing[stage].bounds if stage in self.standing else ()
            if against_own and len(bounds) == 1 and bounds[0].comparator in ("at_least", "above"):
                yield Found("inequality_backwards", self._when(self.standing[stage]), stage)
            if one["true"] in ("good", "bad") and one["said"] and one["said"] != one["true"]:
                wrong.append(one["true"])
                code = "bad_called_good" if one["true"] == "bad" else "good_called_bad"
                yield Found(code, None, stage)
        sheet = self.sheet()
        if sheet is not None and sheet["given"] and not sheet["parts"]["may_move"]:
            wrong.append("sheet")
            yield Found("bad_called_good" if sheet["given"]["may_move"] == "yes" else "good_called_bad")
        if overall["said"] and overall["true"] in ("good", "bad") and overall["said"] != overall["true"] and not wrong:
            yield Found("bad_called_good" if overall["true"] == "bad" else "good_called_bad")

    def _examined(self) -> Iterable[Found]:
        """What only whoever works without a prompt can forget."""
        mode, world = self.drive.choice["mode"], self.drive.world
        for stage, attempts in self.verdict.state.attempts.items():
            fails = [one for one in self.verdict.stages if one.stage == stage and one.outcome == "fail"]
            if len(fails) >= _THIRD and len([one for one in attempts if one.marks]) > fails[_THIRD - 1].attempt:
                yield Found("third_failure_ignored", None, stage)
        if mode not in ("memory", "exam"):
            return
        whole = self._whole()
        closed = any(claim.get("what") == "closing" for claim in self.claims)
        if whole and not closed:
            yield Found("no_closing")
        if mode != "exam":
            return
        controls = world.air.controls
        if whole and (controls.tractor_in or world.hands.gear != "N"):
            yield Found("left_unsafe", world.t_s)
        asked = {claim.get("stage") for claim in self.claims if claim.get("what") == "redo"}
        for stage, verdict in self.standing.items():
            if verdict.outcome == "void" and stage not in asked:
                yield Found("did_not_ask", self._when(verdict), stage)
        first = {
            stage: min(mark.event.order for attempt in attempts for mark in attempt.marks)
            for stage, attempts in self.verdict.state.attempts.items()
            if any(attempt.marks for attempt in attempts)
        }
        agreed = [stage for stage in self.drive.procedure.stages(self.drive.spec.unit) if stage in first]
        if agreed != sorted(agreed, key=lambda stage: first[stage]):
            yield Found("order_changed")

    def _whole(self) -> bool:
        """Whether this was a whole test, not some steps of one for a lesson."""
        if self.lesson is None or self.drive.lesson is None:
            return True
        return not self.lesson.drives[self.drive.lesson["drive"]].steps

    # how well it was measured

    def holds(self) -> list[Held]:
        """Each hold that stands: its loss as set against that of the needles, and the wait."""
        found = []
        for stage in stages_of("hold"):
            verdict = self.standing.get(stage)
            if verdict is None or not verdict.attempt:
                continue
            ends = [one for one in self.marks if one.stage == stage and one.kind in ("start", "end") and one.typed_psi]
            pairs = [(a, b) for a, b in itertools.pairwise(ends) if a.kind == "start" and b.kind == "end"]
            error = None
            if pairs:
                start, end = pairs[-1]
                error = max(
                    (
                        (typed_a - typed_b) - (shown_a - shown_b)
                        for typed_a, typed_b, shown_a, shown_b in zip(
                            start.typed_psi or (), end.typed_psi or (), start.shown_psi, end.shown_psi, strict=False
                        )
                    ),
                    key=abs,
                )
            wait = verdict.measured.get("wait_s")
            found.append(Held(stage, None if error is None else round(error, 2), wait))
        return found

    def time_errors(self) -> dict[str, float]:
        """Of each build-up: the time as marked against that of the slower needle, between the same marks."""
        found: dict[str, float] = {}
        for stage in stages_of("climb"):
            verdict = self.standing.get(stage)
            window = verdict.limit.window_psi if verdict is not None and verdict.limit is not None else None
            marked = {one.kind: one.at_s for one in self.marks if one.stage == stage}
            if window is None or not {"lower", "upper"} <= marked.keys():
                continue
            true = [
                self.drive.slower_reaches(psi, marked[point])
                for psi, point in zip(window, ("lower", "upper"), strict=True)
            ]
            if None not in true:
                lower, upper = cast(list[float], true)
                found[stage] = round((marked["upper"] - marked["lower"]) - (upper - lower), 2)
        return found

    def qualities(self, holds: Sequence[Held], times: Mapping[str, float]) -> list[float]:
        """Of everything that had to be measured, as far as the practice came; what is missing counts as nothing."""
        order = self.drive.procedure.stages(self.drive.spec.unit)
        touched = [stage for stage in order if self.verdict.state.attempts.get(stage)]
        found: list[float] = []
        for stage in order[: order.index(touched[-1]) + 1] if touched else ():
            kind = kind_of(stage)
            if kind == "hold":
                hold = next((one for one in holds if one.stage == stage and one.err_psi is not None), None)
                wait = (hold.wait_s or 0.0) if hold else 0.0
                found.append(drop_quality(self.scoring, hold.err_psi or 0.0, wait) if hold else 0.0)
            elif kind == "climb":
                found.append(time_quality(self.scoring, times[stage]) if stage in times else 0.0)
            elif kind in ("warning", "knobs", "governor"):
                found += self._marked(stage, kind)
        return found

    def _marked(self, stage: str, kind: str) -> list[float]:
        marks = [one for one in self.marks if one.stage == stage and one.kind != "settled"]
        due = len(marks) or 1
        if kind == "knobs":
            due = len({one.knob for one in self.drive.world.air.popped if one.cause == "low_air"})
        elif kind == "warning":
            names = {one.name for one in self.drive.world.moments if not one.detail.get("check")}
            due = len({"lamp_on", "buzzer_on"} & names)
        worths = [
            0.0
            if one.quality == "invented" or one.eye_psi is None
            else mark_quality(self.scoring, one.late_psi or 0.0, one.eye_psi)
            for one in marks
        ]
        return [*worths, *[0.0] * max(0, due - len(worths))]

    # what was said, and what it took

    def calls(self) -> Calls:
        """Each cut-out once, and limit, reading and verdict of each other stage that has a limit."""
        said = [event for event in self.events if event.type == "said"]
        missed = sum(
            int(finding.params["missed"]) for finding in self.verdict.coach if finding.code == "cut_out_not_said"
        )
        due = len(self.verdict.state.cut_outs)
        made = due - missed if any(event.what == FILL_STAGE for event in said) else 0
        stages = [
            stage
            for stage, verdict in self.standing.items()
            if is_limited(stage) and stage != FILL_STAGE and self._is_due(stage) and verdict.limit and verdict.attempt
        ]
        due += 3 * len(stages)
        made += 3 * len(stages) - len(list(self._unsaid()))
        helped = Counter(str(claim.get("rung")) for claim in self.claims if claim.get("what") == "help")
        rungs = {rung: helped[rung] for rung in self.scoring.tables["help"] if helped[rung]}
        parts_said = {str(event.what).partition(":")[0] for event in said} - {"verdict"}
        return Calls(due, made, bool(parts_said), rungs)

    def waste(self) -> Waste | None:
        """Only of a whole test: a lesson is not hurried."""
        alone = self.drive.choice["mode"] in ("memory", "exam")
        if not alone or not self._whole() or self.verdict.headline not in ("pass", "fail"):
            return None
        unloaded = sum(one.name == "unloaded" for one in self.drive.world.moments)
        return Waste(
            round(self.drive.world.t_s / 60, 2), self.reference.minutes, unloaded, max(1, self.reference.refills)
        )

    def road(self, squares: Mapping[str, Mapping[str, Any]]) -> list[str]:
        """What each wrong call would have meant on the road, by the key of its sentence."""
        keys = []
        for stage, one in squares.items():
            if one["said"] == "good" and one["true"] == "bad":
                true = self.reference.verdict.standing().get(stage)
                high = f"{stage}_high"
                above = true is not None and any(
                    bound.comparator in ("at_most", "below") and float(true.measured.get("psi", 0.0)) > bound.value
                    for bound in true.bounds
                )
                keys.append(high if above and high in self.scoring.tables["road"] else stage)
            elif one["said"] == "bad" and one["true"] == "good":
                keys.append("good_called_bad")
        return list(dict.fromkeys(keys))

    def sheet(self) -> dict[str, Any] | None:
        """A diagnosis as it was handed in, beside what is so; None where there is none."""
        handed = [claim for claim in self.claims if claim.get("what") == "sheet"]
        if not handed and self.drive.choice["mode"] != "diagnosis":
            return None
        right = diagnoses(self.drive.world.faults)
        given = {part: handed[-1].get(part) for part in right[0]} if handed else {}
        parts = {part: bool(handed) and any(given[part] in one[part] for one in right) for part in right[0]}
        return {
            "given": given,
            "answers": [{part: list(values) for part, values in one.items()} for one in right],
            "parts": parts,
            "right": all(parts.values()),
        }

    def next(self, found: Sequence[Found], squares: Mapping[str, Mapping[str, Any]]) -> dict[str, Any] | None:
        """The costliest mistake, or what a wrong call came of where that is known, and the lesson that treats it."""
        causes = {
            one.stage
            for one in found
            if one.code not in _WRONG_CALLS
            and one.stage is not None
            and one.stage in squares
            and squares[one.stage]["square"] == "measured_wrongly"
        }
        codes = {one.code for one in found if not (one.code in _WRONG_CALLS and one.stage in causes)}
        rows = [self.scoring.mistakes[code] for code in sorted(codes) if code in self.scoring.mistakes]
        if not rows:
            return None
        worst = max(rows, key=lambda row: (row.critical, row.share * self.scoring.groups[row.group], row.code))
        stage = next((one.stage for one in found if one.code == worst.code), None)
        treat = [one for one in rulebook.lessons().values() if worst.code in one.mistakes]
        # the lesson that somebody is in, else one that is about this stage, else the first
        treat.sort(key=lambda one: (one != self.lesson, all(stage not in drive.steps for drive in one.drives)))
        return {"code": worst.code, "lesson": treat[0].id if treat else None}


_EACH_STAGE = frozenset(
    {"bad_called_good", "good_called_bad", "limit_not_said", "reading_not_said", "single_gauge", "late_strike"}
)
_WRONG_CALLS = frozenset({"bad_called_good", "good_called_bad"})
_THIRD = 3
_KPA_IN_PSI = 6.894757


def _calls_made(events: Iterable[Event]) -> dict[str, Called]:
    """What was called of each stage last."""
    said: dict[str, Called] = {}
    for event in events:
        part, _, stage = (event.what or "").partition(":")
        if event.type == "said" and part == "verdict" and event.value in _CALLED:
            said[stage] = _CALLED[event.value]
    return said


def _other_unit(params: Mapping[str, Any]) -> bool:
    """Whether a limit was said with the right number in another unit."""
    said = float(params.get("said", 0.0))
    return any(
        abs(said * factor - right) <= 0.06 * max(right, 1)
        for right in params.get("right", ())
        for factor in (1 / _KPA_IN_PSI, _KPA_IN_PSI, 14.5038, 1 / 14.5038)
    )


def diagnoses(faults: Sequence[str]) -> list[dict[str, tuple[str, ...]]]:
    """The sheets that are right for what is wrong: one for each fault, each part with the answers that will do."""
    bench = rulebook.bench()
    names = {fault.partition(":")[0]: fault.partition(":")[2] for fault in faults}
    if not names:
        return [{"circuit": ("none",), "when": ("never",), "side": ("none",), "part": ("none",), "may_move": ("yes",)}]
    for pair in bench["together"]:
        if set(pair["faults"]) == set(names):
            return [_answers(pair["sheet"], "severe")]
    return [_answers(bench["sheets"][name], severity) for name, severity in names.items()]


def _answers(table: Mapping[str, Any], severity: str) -> dict[str, tuple[str, ...]]:
    stays = table["stays"]
    moves = stays == "never" or (stays == "severe" and severity == "mild")
    answers = {part: tuple(values) for part, values in table.items() if part != "stays"}
    return {**answers, "may_move": ("yes",) if moves else ("no",)}


def _found_table(found: Found) -> dict[str, Any]:
    at_s = None if found.at_s is None else round(found.at_s, 2)
    return {"code": found.code, "at_s": at_s, "stage": found.stage, "detail": dict(found.detail)}


def _score_table(result: Score) -> dict[str, Any]:
    return {
        "total": result.total,
        "band": result.band,
        "critical": list(result.critical),
        "parts": [
            {
                "group": part.group,
                "points": round(part.points, 1),
                "whole": part.whole,
                "costs": {code: round(cost * part.whole, 1) for code, cost in part.costs.items()},
            }
            for part in result.parts
        ],
    }

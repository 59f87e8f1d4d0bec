"""The glossary: every term of the trade and of the product, in English and Spanish, with what not to call it.

Each stage and action has its term in its row of `core/stages/table.py`; the others are here. Screens, papers and the
core take the names of stages and roles from them, and a test searches every text for the words to avoid.
"""

from __future__ import annotations

from typing import NamedTuple

from lowhiss.core.fields import Language


class Term(NamedTuple):
    """One term.

    en, es : its name, lower case, as it stands in the middle of a sentence.  es is empty for a term of the code alone.
    meaning : one sentence in English.  code : its name in the code, or the module that holds it.
    short_en, short_es : for a place too small for the name.  avoid_en, avoid_es : regular expressions for words that
    must not stand for it in any text.
    """

    en: str
    es: str
    meaning: str
    code: str = ""
    short_en: str = ""
    short_es: str = ""
    avoid_en: tuple[str, ...] = ()
    avoid_es: tuple[str, ...] = ()


ROLE_TERMS: dict[str, Term] = {
    "driver": Term("driver", "conductor", "Tests the units that they drive."),
    "trainer": Term("trainer", "instructor", "Teaches and examines; watches tests and reads trainees' results."),
    "workshop": Term("workshop", "taller", "Repairs, and certifies repairs."),
    "manager": Term("manager", "gerente", "Runs the installation: people, units, rule sets."),
}
"""By role, as `lowhiss/service/people/rights.py` names it."""

TRADE_TERMS: tuple[Term, ...] = (
    Term(
        "unit",
        "unidad",
        "A vehicle as it is driven: a truck, a bus, a tractor alone, or a tractor with one or two trailers.",
        "core/vehicle.py",
        avoid_en=(r"\brigid truck\b",),
        avoid_es=(r"\bcamión rígido\b",),
    ),
    Term("hold", "espera", "The timed part of a leak test, from its first start mark to the end.", "judge/leak.py"),
    Term("settle", "", "The seconds after a pedal or knob moves before a hold may start.", "rulebook/judging.toml"),
    Term(
        "pumping the brake down",
        "bombear el freno",
        "Applying and releasing the pedal with the engine off, to bring the pressure down. The trade also says *fan*.",
        "judge/fanning.py",
    ),
    Term(
        "parking brake knob, trailer supply knob",
        "botón de estacionamiento, botón del remolque",
        "The dash valves of the spring brakes (yellow) and of the trailer's air supply (red).",
        "`tractor`, `trailer`",
    ),
    Term("needle", "aguja", "A gauge's hand, of the primary or the secondary circuit.", "core/record/model.py"),
    Term(
        "reservoir ratio",
        "",
        "Actual tank volume over the required one: the time allowed for the air build-up grows with it.",
        "core/calculators.py",
    ),
    Term("made safe", "", "Knobs out and wheels chocked, whatever was going on before.", "core/run.py"),
)

PRODUCT_TERMS: tuple[Term, ...] = (
    Term("test", "prueba", "One test of one unit: a list of events that only grows.", "`run`, core/record/model.py"),
    Term("event", "", "One thing that was marked, said, set or recorded, with its time.", "core/record/model.py"),
    Term("mark", "marca", "A timed tap, with the state of the vehicle at that moment.", "`mark`, core/run.py"),
    Term("attempt", "intento", "One try at a stage; it ends with the next one or a skip.", "core/run.py"),
    Term("stage, action, step", "", "What is judged; what is done between stages; either.", "core/stages/table.py"),
    Term("need, effect", "", "What a step requires; what an event tells of the vehicle.", "core/stages/needs.py"),
    Term("guide", "", "Which step a test is at and what to mark next.", "core/procedure/guide.py"),
    Term("outcome", "resultado", "Pass, fail, void, not done or no rule.", "core/judge/model.py"),
    Term("void", "nula", "Done in a way that measures nothing: it must be repeated.", "core/judge"),
    Term("finding", "observación", "Something the judge noticed, with its weight for a candidate.", "core/findings.py"),
    Term("close call", "por poco", "A margin that is smaller than the reading error.", "core/uncertainty.py"),
    Term("rule set", "reglas", "Limits with their sources.", "rulebook/rules"),
    Term(
        "test order",
        "orden de la prueba",
        "Which stages a test has, in which order.",
        "`procedure`",
    ),
    Term("script", "", "A test order for one unit under one rule set, with its limits in words.", "core/script.py"),
    Term("late mark", "", "A mark that arrived after the end of the test.", "core/judge/late.py"),
    Term("participant", "", "Somebody who leads, watches or oversees a test.", "service/runs/participants.py"),
    Term("presence", "", "Who was signed in on which device, and when.", "store/people_models.py"),
    Term("epoch", "", "One life of a page on a device, with its own clock.", "engine/clocks.py"),
    Term("outbox", "", "Marks that wait on a device until the server has saved them.", "web/src/device/outbox.ts"),
    Term(
        "air column", "columna de aire", "The drawn tank with the limits and the marks next to it.", "judge/column.py"
    ),
    Term("drift", "tendencia", "A measured value that would reach its limit within 90 days.", "core/status/drift.py"),
    Term("live feed", "", "Pressures that a device on the unit sends during a test.", "core/feed.py"),
    Term("act", "", "What somebody did about a vehicle other than testing it; never changed.", "core/status/acts.py"),
    Term("hold (of a unit)", "retención", "Keeps a unit from being driven.", "core/status/holds.py"),
    Term("recheck", "nueva prueba", "A later test that passes what failed.", "core/status/holds.py"),
    Term("defect", "defecto", "Something wrong with a unit, and what follows from it.", "core/status/defects.py"),
    Term("status", "estado", "Whether a unit may be driven today, and why not.", "`status`, core/status/rank.py"),
    Term(
        "history",
        "historial",
        "What happened to a unit, in the order of time.",
        "service/fleet/unit_history.py",
    ),
)


def heading(term: Term) -> dict[Language, str]:
    """A term as a heading or label, in each language: its first letter is a capital.

    >>> heading(Term("governor cut-out", "corte del gobernador", ""))
    {'en': 'Governor cut-out', 'es': 'Corte del gobernador'}
    """
    return {"en": _capital(term.en), "es": _capital(term.es)}


def short_heading(term: Term) -> dict[Language, str]:
    """The heading for a small place: the short name where there is one.

    >>> short_heading(Term("applied leak test, pedal held", "prueba de fuga", "", short_en="applied leak test"))
    {'en': 'Applied leak test', 'es': 'Prueba de fuga'}
    """
    return {"en": _capital(term.short_en or term.en), "es": _capital(term.short_es or term.es)}


def _capital(text: str) -> str:
    return text[:1].upper() + text[1:]

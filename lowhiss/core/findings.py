"""Every finding that the judge can report: how much it weighs for a candidate, and its sentence in each language.

A sentence takes the finding's parameters in braces; they are shown in the reader's unit. A new finding is one row here
and the judge's line that reports it.
"""

from __future__ import annotations

import string
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

Weight = Literal["critical", "minor", "fact"]
"""``critical``: unsafe, or would fail an exam.  ``minor``: technique.  ``fact``: of vehicle or device, nobody's."""


@dataclass(frozen=True)
class FindingCode:
    """What a code weighs, and its sentence in English and Spanish.

    proposes : it may be a defect, of this group of parts, of none in particular where empty; None: it is none.
    """

    weight: Weight
    en: str
    es: str
    proposes: str | None = None

    @cached_property
    def params(self) -> frozenset[str]:
        """The parameters that its sentences take."""
        return frozenset(name for _, name, _, _ in string.Formatter().parse(self.en) if name)


FINDINGS: dict[str, FindingCode] = {
    "no_number": FindingCode(
        "minor",
        "The mark was made, but no number was ever set for it.",
        "Se hizo la marca, pero nunca se le puso un número.",
    ),
    "engine_running": FindingCode(
        "minor",
        "The engine was running. This stage is done with the engine off.",
        "El motor estaba en marcha. Esta etapa se hace con el motor apagado.",
    ),
    "key_off": FindingCode(
        "minor",
        "The key was off. Turn it on after stopping the engine: without it no buzzer sounds.",
        ("La llave estaba apagada. Póngala en encendido tras parar el motor: sin ella no suena el zumbador."),
    ),
    "knobs_not_released": FindingCode(
        "minor",
        "Not every knob was in, so the spring-brake circuit was not part of the test.",
        (
            "No todas las perillas estaban adentro, así que el circuito de los frenos de resorte "
            "quedó fuera de la prueba."
        ),
    ),
    "pedal_not_full": FindingCode(
        "minor",
        "The pedal was not held hard down for the whole time.",
        "El pedal no se mantuvo a fondo todo el tiempo.",
    ),
    "pedal_down": FindingCode(
        "minor",
        "The pedal was down. This stage is done with the foot off it.",
        "El pedal estaba pisado. Esta etapa se hace sin pisarlo.",
    ),
    "retest_without_refill": FindingCode(
        "minor",
        ("A retest starts over: run the engine, refill to governor cut-out, read it, then repeat the stage."),
        (
            "Repetir es empezar de nuevo: motor en marcha, rellenar hasta el corte del gobernador, leerlo y "
            "repetir la etapa."
        ),
    ),
    "state_not_recorded": FindingCode(
        "fact",
        "Never recorded, taken as right: {states}.",
        "Nunca se anotó y se da por bueno: {states}.",
    ),
    "late_reading": FindingCode(
        "minor",
        "The number was read late, so the true pressure at the mark was higher.",
        "El número se leyó tarde; la presión verdadera en la marca era mayor.",
    ),
    "gauges_disagree": FindingCode(
        "fact",
        ("The needles stood {apart_psi} apart ({primary_psi} and {secondary_psi}): more than a gauge may be off."),
        (
            "Las agujas estaban a {apart_psi} una de otra ({primary_psi} y {secondary_psi}): más "
            "de lo que un manómetro puede errar."
        ),
        proposes="air_gauge",
    ),
    "single_gauge": FindingCode(
        "minor",
        "Only one needle was read; the other circuit was not shown.",
        "Solo se leyó una aguja; el otro circuito no se comprobó.",
    ),
    "no_fresh_cut_out": FindingCode(
        "minor",
        "Governor cut-out was not read since the engine was last started.",
        "No se leyó el corte del gobernador desde el último arranque del motor.",
    ),
    "not_charged": FindingCode(
        "minor",
        ("The lowest needle started at {start_psi}; under {needed_psi} a full application cannot be delivered."),
        ("La aguja más baja empezó en {start_psi}; con menos de {needed_psi} no hay aplicación completa."),
    ),
    "end_above_start": FindingCode(
        "minor",
        "A needle ended {rose_psi} above where it started; that is no measurement of a leak.",
        "Una aguja terminó {rose_psi} por encima de su comienzo; eso no mide una fuga.",
    ),
    "needle_rose": FindingCode(
        "fact",
        "A needle crept up {rose_psi} while the air warmed; that counts as no loss.",
        "Una aguja subió {rose_psi} al calentarse el aire; cuenta como sin pérdida.",
    ),
    "hold_short": FindingCode(
        "critical",
        "The hold was {short_s} s short of {hold_s} s.",
        "A la espera le faltaron {short_s} s de {hold_s} s.",
    ),
    "hold_over": FindingCode(
        "minor",
        "The hold ran {over_s} s over; the loss was scaled back to {hold_s} s.",
        "La espera duró {over_s} s de más; la pérdida se redujo a {hold_s} s.",
    ),
    "clock_before_settle": FindingCode(
        "minor",
        "The clock started {wait_s} s after the last move, so the first drop is inside the loss.",
        ("El reloj empezó {wait_s} s después del último movimiento; la primera caída está dentro de la pérdida."),
    ),
    "settle_not_recorded": FindingCode(
        "minor",
        "That the needles had stopped was not marked before the clock started.",
        "No se marcó que las agujas se habían detenido antes de empezar el reloj.",
    ),
    "short_wait": FindingCode(
        "minor",
        (
            "Only {wait_s} s from the last move to the clock; {advised_s} s lets the tanks warm "
            "back. The true loss may be greater."
        ),
        (
            "Solo {wait_s} s del último movimiento al reloj; con {advised_s} s los tanques "
            "recuperan su temperatura. La pérdida verdadera puede ser mayor."
        ),
    ),
    "clock_uncertain": FindingCode(
        "fact",
        "The device's two clocks disagree by {disagree_s} s over the hold.",
        "Los dos relojes del aparato difieren {disagree_s} s en la espera.",
    ),
    "astride_limit": FindingCode(
        "fact",
        "The recording leaves open on which side of the limit it lies. Light strokes or a lamp's column would tell.",
        "La grabación no dice de qué lado del límite queda. Golpes suaves o una columna de la luz lo dirían.",
    ),
    "inside_guard_band": FindingCode(
        "fact",
        "Not shown to pass: the margin {margin} is smaller than the reading error {uncertainty}.",
        ("No se demostró que pase: el margen {margin} es menor que el error de lectura {uncertainty}."),
    ),
    "third_failure": FindingCode(
        "fact",
        ("Failed {failures} times. This is not technique any more: stop and send it to the workshop."),
        "Falló {failures} veces. Ya no es cuestión de técnica: pare y llévelo al taller.",
        proposes="air_leak",
    ),
    "window_too_short": FindingCode(
        "minor",
        "Read from {lower_psi} to {upper_psi} only: too little of the climb to time it.",
        "Se leyó solo de {lower_psi} a {upper_psi}: muy poco para medir la subida de presión.",
    ),
    "off_maker_figure": FindingCode(
        "fact",
        "Read {reading_psi}; the maker's figure is {maker_psi}.",
        "Se leyó {reading_psi}; la cifra del fabricante es {maker_psi}.",
        proposes="",
    ),
    "no_cut_out_before": FindingCode(
        "minor",
        "Governor cut-out was not read before, so there is nothing to compare this with.",
        "Antes no se leyó el corte del gobernador, así que no hay con qué comparar.",
    ),
    "early_warning": FindingCode(
        "fact",
        "On at {reading_psi}, this warning will sound in normal driving.",
        "Con {reading_psi}, esta alarma sonará al conducir normalmente.",
        proposes="warning_lamp",
    ),
    "lamp_missing": FindingCode(
        "fact",
        "The lamp never came on.",
        "La luz nunca se encendió.",
        proposes="warning_lamp",
    ),
    "buzzer_missing": FindingCode(
        "fact",
        "The buzzer never sounded.",
        "El zumbador nunca sonó.",
        proposes="warning_lamp",
    ),
    "lamp_check_only": FindingCode(
        "minor",
        "What came on just after the key was the lamp check, not the warning.",
        "Lo que se encendió al poner la llave era la prueba de luces, no la alarma.",
    ),
    "knob_by_hand": FindingCode(
        "critical",
        "A knob was pulled by hand. It must come out by itself.",
        "Una perilla se sacó con la mano. Debe saltar sola.",
    ),
    "second_knob_missing": FindingCode(
        "minor",
        "Only one knob was read; go on until the other comes out too.",
        "Solo se leyó una perilla; siga hasta que salte también la otra.",
    ),
    "low_pressure_hold_test": FindingCode(
        "minor",
        "Held with {reading_psi}; under {wanted_psi} the warning may sound half way.",
        "Se probó con {reading_psi}; con menos de {wanted_psi} la alarma puede sonar a la mitad.",
    ),
    "too_fast": FindingCode(
        "minor",
        "Rolled at {speed_mph} mph; walking pace is {walking_mph} mph at most.",
        "Rodó a {speed_mph} mph; a paso de persona son {walking_mph} mph como máximo.",
    ),
    "chocks_missing": FindingCode(
        "critical",
        "The wheels were not confirmed chocked before the brakes were released.",
        "No se confirmaron los calzos antes de soltar los frenos.",
    ),
    "held_by_gear_only": FindingCode(
        "minor",
        "Only low gear held the vehicle, no chocks. Many schools teach that; chocks are surer.",
        (
            "Solo la marcha baja sujetaba el vehículo, sin calzos. Muchas escuelas lo enseñan; "
            "los calzos son más seguros."
        ),
    ),
    "moved_after_fail": FindingCode(
        "critical",
        "The vehicle was moved though a stage stood failed: {stages}.",
        "El vehículo se movió con una etapa reprobada: {stages}.",
    ),
    "chocks_left_in": FindingCode(
        "critical",
        "The chocks were still under the wheels.",
        "Los calzos seguían bajo las ruedas.",
    ),
    "cut_out_not_said": FindingCode(
        "critical",
        "Governor cut-out was not called out ({missed} of {times} times).",
        "No se dijo en voz alta el corte del gobernador ({missed} de {times} veces).",
    ),
    "limit_not_said": FindingCode(
        "minor",
        "The limit was not said before the stage.",
        "No se dijo el límite antes de la etapa.",
    ),
    "reading_not_said": FindingCode(
        "minor",
        "The reading was not said after the stage.",
        "No se dijo la lectura después de la etapa.",
    ),
    "verdict_not_said": FindingCode(
        "minor",
        "Whether it passed was not said after the stage.",
        "No se dijo si pasaba después de la etapa.",
    ),
    "wrong_limit_said": FindingCode(
        "minor",
        "The limit was said as {said}; it is {right}.",
        "Se dijo {said} como límite; es {right}.",
    ),
    "wrong_verdict_said": FindingCode(
        "critical",
        "Called a {said}; it was a {right}.",
        "Se dijo «{said}»; era «{right}».",
    ),
    "cut_in_said_for_cut_out": FindingCode(
        "minor",
        "Said {said}, which is governor cut-in, not cut-out.",
        "Se dijo {said}, que es la reconexión del gobernador, no el corte.",
    ),
}


def findings_table() -> str:
    """The table as Markdown."""
    lines = [
        "# What the judge can find",
        "",
        "Made from `lowhiss/core/findings.py`. *Critical*: unsafe, or would fail an exam. *Minor*: technique. *Fact*:",
        "of the vehicle or the device, nobody's fault. Findings never change the vehicle's result. Common practice, no",
        "source.",
        "",
        "| code | weight | English | Spanish |",
        "|---|---|---|---|",
    ]
    lines += [f"| `{code}` | {row.weight} | {row.en} | {row.es} |" for code, row in FINDINGS.items()]
    return "\n".join(lines) + "\n"

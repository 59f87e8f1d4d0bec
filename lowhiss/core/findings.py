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
        "The mark was made, but no reading was entered.",
        "Se hizo la marca, pero no se anotó ninguna lectura.",
    ),
    "engine_running": FindingCode(
        "minor",
        "The engine was running. This stage is done with the engine off.",
        "El motor estaba en marcha. Esta etapa se hace con el motor apagado.",
    ),
    "key_off": FindingCode(
        "minor",
        "The key was off. Turn it on after stopping the engine: the buzzer needs it.",
        ("La llave estaba apagada. Enciéndala después de apagar el motor: el zumbador la necesita."),
    ),
    "knobs_not_released": FindingCode(
        "minor",
        "A knob was out, so the spring-brake circuit was not part of the test.",
        ("Un botón estaba afuera, así que el circuito de los frenos de resorte quedó fuera de la prueba."),
    ),
    "pedal_not_full": FindingCode(
        "minor",
        "The pedal was not held hard down for the whole time.",
        "El pedal no se mantuvo a fondo todo el tiempo.",
    ),
    "pedal_down": FindingCode(
        "minor",
        "The pedal was down. This stage is done with the foot off the pedal.",
        "El pedal estaba pisado. Esta etapa se hace sin pisarlo.",
    ),
    "retest_without_refill": FindingCode(
        "minor",
        ("To repeat a stage, start over: run the engine, refill to governor cut-out, read it, then repeat the stage."),
        (
            "Para repetir una etapa, empiece de nuevo: motor en marcha, llenar hasta el corte del gobernador, leerlo y "
            "repetir la etapa."
        ),
    ),
    "state_not_recorded": FindingCode(
        "fact",
        "Not recorded, assumed correct: {states}.",
        "No se registró y se supone correcto: {states}.",
    ),
    "late_reading": FindingCode(
        "minor",
        "The needle was read late, so the true pressure at the mark was higher.",
        "La aguja se leyó tarde; la presión real en la marca era mayor.",
    ),
    "gauges_disagree": FindingCode(
        "fact",
        ("The needles were {apart_psi} apart ({primary_psi} and {secondary_psi}): more than the tolerance of a gauge."),
        (
            "Las agujas estaban a {apart_psi} una de otra ({primary_psi} y {secondary_psi}): más que "
            "la tolerancia de un manómetro."
        ),
        proposes="air_gauge",
    ),
    "single_gauge": FindingCode(
        "minor",
        "Only one needle was read; the other circuit was not checked.",
        "Solo se leyó una aguja; el otro circuito no se comprobó.",
    ),
    "no_fresh_cut_out": FindingCode(
        "minor",
        "Governor cut-out was not read since the engine was last started.",
        "No se leyó el corte del gobernador desde el último arranque del motor.",
    ),
    "not_charged": FindingCode(
        "minor",
        ("The lower needle started at {start_psi}; under {needed_psi} a full brake application isn't possible."),
        ("La aguja más baja empezó en {start_psi}; con menos de {needed_psi} no hay aplicación completa."),
    ),
    "end_above_start": FindingCode(
        "minor",
        "A needle ended {rose_psi} higher than it started; this doesn't measure a leak.",
        "Una aguja terminó {rose_psi} más alta que al empezar; eso no mide una fuga.",
    ),
    "needle_rose": FindingCode(
        "fact",
        "A needle crept up {rose_psi} while the air warmed; this counts as no drop.",
        "Una aguja subió {rose_psi} al calentarse el aire; cuenta como caída cero.",
    ),
    "hold_short": FindingCode(
        "critical",
        "The hold was {short_s} s shorter than {hold_s} s.",
        "A la espera le faltaron {short_s} s de {hold_s} s.",
    ),
    "hold_over": FindingCode(
        "minor",
        "The hold was {over_s} s too long; the drop was scaled to {hold_s} s.",
        "La espera duró {over_s} s de más; la caída se ajustó a {hold_s} s.",
    ),
    "clock_before_settle": FindingCode(
        "minor",
        "The timer started {wait_s} s after the last move, so the drop includes the initial fall.",
        ("El tiempo empezó {wait_s} s después del último movimiento; la caída incluye la baja inicial."),
    ),
    "settle_not_recorded": FindingCode(
        "minor",
        "It was not marked that the needles had settled before the timer started.",
        "No se marcó que las agujas estaban quietas antes de empezar el tiempo.",
    ),
    "short_wait": FindingCode(
        "minor",
        (
            "Only {wait_s} s from the last move to the timer; with {advised_s} s the air "
            "settles. The true drop may be greater."
        ),
        (
            "Solo {wait_s} s del último movimiento al inicio; con {advised_s} s el aire "
            "se asienta. La caída real puede ser mayor."
        ),
    ),
    "clock_uncertain": FindingCode(
        "fact",
        "The device's two clocks differ by {disagree_s} s over the hold.",
        "Los dos relojes del dispositivo difieren {disagree_s} s en la espera.",
    ),
    "astride_limit": FindingCode(
        "fact",
        (
            "The recording doesn't show whether the limit was met. Lighter brake applications or a "
            "warning-light column would."
        ),
        (
            "La grabación no muestra si se cumplió el límite. Pisadas más suaves o una columna de la luz "
            "de aviso lo mostrarían."
        ),
    ),
    "inside_guard_band": FindingCode(
        "fact",
        "Not a sure pass: the margin {margin} is smaller than the reading error {uncertainty}.",
        ("No es una aprobación segura: el margen {margin} es menor que el error de lectura {uncertainty}."),
    ),
    "third_failure": FindingCode(
        "fact",
        ("Failed {failures} times. It isn't technique any more: stop and send the vehicle to the workshop."),
        "Reprobó {failures} veces. Ya no es cuestión de técnica: pare y lleve el vehículo al taller.",
        proposes="air_leak",
    ),
    "window_too_short": FindingCode(
        "minor",
        "Only read from {lower_psi} to {upper_psi}: too small a rise to time.",
        "Se leyó solo de {lower_psi} a {upper_psi}: muy poco para medir la subida de presión.",
    ),
    "off_maker_figure": FindingCode(
        "fact",
        "Reading {reading_psi}; the maker's figure is {maker_psi}.",
        "Lectura {reading_psi}; el dato del fabricante es {maker_psi}.",
        proposes="",
    ),
    "no_cut_out_before": FindingCode(
        "minor",
        "Governor cut-out was not read first, so there is nothing to compare with.",
        "Antes no se leyó el corte del gobernador, así que no hay con qué comparar.",
    ),
    "early_warning": FindingCode(
        "fact",
        "The warning comes on at {reading_psi}, so it will sound in normal driving.",
        "El aviso se activa a {reading_psi}, así que sonará al manejar normalmente.",
        proposes="warning_lamp",
    ),
    "lamp_missing": FindingCode(
        "fact",
        "The warning light never came on.",
        "La luz de aviso nunca encendió.",
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
        "What came on right after the key was the light check, not the warning.",
        "Lo que se encendió al poner la llave era la prueba de luces, no el aviso.",
    ),
    "knob_by_hand": FindingCode(
        "critical",
        "A knob was pulled by hand. It must pop out automatically.",
        "Un botón se sacó con la mano. Debe saltar solo.",
    ),
    "second_knob_missing": FindingCode(
        "minor",
        "Only one knob was read; continue until the other pops out too.",
        "Solo se leyó un botón; siga hasta que salte también el otro.",
    ),
    "low_pressure_hold_test": FindingCode(
        "minor",
        "Tested with {reading_psi}; under {wanted_psi} the warning may sound partway.",
        "Se probó con {reading_psi}; con menos de {wanted_psi} el aviso puede sonar a la mitad.",
    ),
    "too_fast": FindingCode(
        "minor",
        "Rolled at {speed_mph} mph; walking pace is up to {walking_mph} mph.",
        "Rodó a {speed_mph} mph; a paso de hombre son {walking_mph} mph como máximo.",
    ),
    "chocks_missing": FindingCode(
        "critical",
        "The wheels were not confirmed chocked before the brakes were released.",
        "No se confirmaron los calzos antes de soltar los frenos.",
    ),
    "held_by_gear_only": FindingCode(
        "minor",
        "Only low gear held the vehicle, no chocks. Many schools teach that; chocks are safer.",
        (
            "Solo la marcha baja sujetaba el vehículo, sin calzos. Muchas escuelas lo enseñan; "
            "los calzos son más seguros."
        ),
    ),
    "moved_after_fail": FindingCode(
        "critical",
        "The vehicle was moved although a stage had failed: {stages}.",
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
        "The result was not said after the stage.",
        "No se dijo el resultado después de la etapa.",
    ),
    "wrong_limit_said": FindingCode(
        "minor",
        "The limit was said to be {said}; it is {right}.",
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
        "# Findings",
        "",
        "For trainers: every finding with its weight. Made from `lowhiss/core/findings.py`.",
        "*Critical*: unsafe, or would fail an exam. *Minor*: technique. *Fact*: of the vehicle or the device, nobody's",
        "fault. Findings never change the vehicle's result. Common practice, no source.",
        "",
        "| code | weight | English | Spanish |",
        "|---|---|---|---|",
    ]
    lines += [f"| `{code}` | {row.weight} | {row.en} | {row.es} |" for code, row in FINDINGS.items()]
    return "\n".join(lines) + "\n"

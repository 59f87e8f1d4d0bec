"""Every step of a test in one table: what it is, what it needs, what is marked in it, what it does, how it is worded.

Whatever depends on which stage it is reads this: the fold, the judge, the guide, the planner, the script, the report's
column, the simulated driver. A new stage is its name in `model.py`, a row here, and the rule sets' limits.
"""

from __future__ import annotations

from lowhiss.core.glossary import Term
from lowhiss.core.stages.model import EACH_KNOB, STAGES, MarkPrompt, Stage, Step, StepRow, Text
from lowhiss.core.stages.needs import Body, Need


def _both(en: str, es: str) -> Text:
    return {"en": en, "es": es}


def _reading(stage: Stage, *points: str, falls: bool = False) -> tuple[MarkPrompt, ...]:
    return tuple(
        MarkPrompt(point, ({"type": "reading", "stage": stage, "point": point},), reads=True, falls=falls)
        for point in points
    )


def _settled(stage: Stage) -> MarkPrompt:
    return MarkPrompt("settled", ({"type": "settled", "stage": stage},), optional=True, leads=False)


_PEDAL_FULL = MarkPrompt("pedal_full", ({"type": "pedal", "state": "full"},), leads=False)
_CAME_ON: tuple[Body, ...] = ({"type": "warning", "lamp": None}, {"type": "warning", "buzzer": None})
_POPPED: tuple[Body, ...] = ({"type": "knob", "knob": EACH_KNOB, "state": "out", "cause": "popped"},)

STEP_TABLE: dict[Step, StepRow] = {
    "safe_start": StepRow(
        kind="action",
        term=Term("safe start", "arranque seguro", "Brakes set, neutral, engine started."),
        does=_both(
            "Brakes set, neutral, start the engine. The ABS lamps come on and go out.",
            "Frenos puestos, neutral, arranque el motor. Las luces ABS se encienden y se apagan.",
        ),
        calls={
            "action": _both(
                "Brakes set, neutral. I start the engine.",
                "Frenos puestos, neutral. Arranco el motor.",
            ),
        },
        needs=("wheels_chocked", "knobs_out", "neutral", "engine_running"),
    ),
    "release": StepRow(
        kind="action",
        term=Term("release the brakes", "soltar los frenos", "Engine off, key on, knobs in, needles settled."),
        does=_both(
            "Stop the engine, turn the key back on, push the knobs in and let the needles settle.",
            "Apague el motor, vuelva a encender la llave, empuje los botones y deje que paren las agujas.",
        ),
        calls={
            "action": _both(
                "Engine off, key back on. I release the brakes and wait for the needles to settle.",
                "Motor apagado, llave encendida. Suelto los frenos y espero a que las agujas se asienten.",
            ),
        },
        needs=("engine_off", "key_on", "wheels_chocked", "area_clear", "knobs_in"),
    ),
    "draw_down": StepRow(
        kind="action",
        term=Term(
            "draw the air down",
            "bajar el aire",
            "Brake applications with the engine running, until the governor cuts in.",
        ),
        does=_both(
            "Engine running, apply and release the brake a few times until the governor cuts in.",
            "Con el motor en marcha, pise y suelte el freno unas veces hasta la reconexión del gobernador.",
        ),
        needs=("engine_running",),
        by_the_way=True,
    ),
    "park": StepRow(
        kind="action",
        term=Term("park", "estacionar", "Knobs out."),
        does=_both("Pull the knobs out.", "Saque los botones."),
        needs=("knobs_out",),
    ),
    "chocks_in": StepRow(
        kind="action",
        term=Term("chocks in", "poner calzos", "Chocks under the wheels."),
        does=_both("Put the chocks in.", "Ponga los calzos."),
        needs=("wheels_chocked",),
    ),
    "chocks_out": StepRow(
        kind="action",
        term=Term("chocks out", "sacar calzos", "Chocks taken out, the brakes set first."),
        does=_both(
            "Park first, then remove the chocks and put them away.",
            "Primero estacione; luego quite los calzos y guárdelos.",
        ),
        needs=("knobs_out", "chocks_removed"),
    ),
    "build_up": StepRow(
        kind="climb",
        term=Term(
            "air build-up",
            "subida de presión",
            "The seconds that the slower needle takes between two pressures, at a fast idle.",
            short_en="build-up",
            avoid_es=(r"\bllenado\b",),
        ),
        does=_both(
            "At a steady fast idle, time the slower needle between the two marks.",
            "A un ralentí rápido y constante, mida el tiempo de la aguja más lenta entre las dos marcas.",
        ),
        calls={
            "action": _both(
                "Steady fast idle. I time the slower needle.",
                "Ralentí rápido y parejo. Tomo el tiempo de la aguja más lenta.",
            ),
            "reading": _both("From {first} to {read}.", "De {first} a {read}."),
            "pass": _both("That is fast enough.", "Es bastante rápido."),
            "fail": _both("That is too slow: it fails.", "Es muy lento: reprueba."),
        },
        limit=_both(
            "From {lower} to {upper} psi the needles may take {bounds}",
            "De {lower} a {upper} psi las agujas pueden tardar {bounds}",
        ),
        needs=("wheels_chocked", "engine_running", "knobs_out"),
        prompts=_reading("build_up", "lower", "upper"),
        states={"engine": "running"},
        straight_on="cut_out",
    ),
    "cut_out": StepRow(
        kind="governor",
        term=Term(
            "governor cut-out",
            "corte del gobernador",
            "The pressure at which the governor unloads the compressor: the tanks are full.",
            short_en="cut-out",
            short_es="corte",
            avoid_en=(r"\bstop(s|ped)? pumping\b",),
            avoid_es=(r"\bdej(a|ó|e|ar) de bombear\b",),
        ),
        does=_both(
            "Let the air build up to the governor cut-out. Read both needles and say the pressure aloud.",
            "Deje subir el aire hasta el corte del gobernador. Lea las dos agujas y diga la presión en voz alta.",
        ),
        calls={
            "action": _both(
                "I let the air build up to governor cut-out.",
                "Dejo subir el aire hasta el corte del gobernador.",
            ),
            "reading": _both("Governor cut-out at {read}.", "Corte del gobernador a {read}."),
        },
        limit=_both(
            "At governor cut-out the gauge must read {bounds}",
            "En el corte del gobernador, el manómetro debe marcar {bounds}",
        ),
        needs=("wheels_chocked", "engine_running"),
        prompts=_reading("cut_out", "cut_out"),
        states={"engine": "running"},
        fills=True,
        maker="cut_out_psi",
        says=("cut_out",),
    ),
    "cut_in": StepRow(
        kind="governor",
        term=Term(
            "governor cut-in",
            "reconexión del gobernador",
            "The pressure at which the governor loads the compressor again.",
            short_en="cut-in",
            short_es="reconexión",
            avoid_en=(r"\bstart(s|ed)? pumping\b",),
            avoid_es=(r"\b(empie[zc]\w+|empezó|vuelve|volvió|volver) a bombear\b",),
        ),
        does=_both(
            "Watch for the needles to start rising again. Read them at that point.",
            "Espere a que las agujas empiecen a subir otra vez. Léalas en ese momento.",
        ),
        calls={
            "action": _both(
                "I apply the brake until the needles start to rise.",
                "Piso el pedal hasta que las agujas empiecen a subir.",
            ),
            "reading": _both("Governor cut-in at {read}.", "Reconexión del gobernador a {read}."),
            "pass": _both("That is within the limit.", "Está dentro del límite."),
            "fail": _both("That is outside the limit: it fails.", "Está fuera del límite: reprueba."),
        },
        limit=_both(
            "At governor cut-in the gauge must read {bounds}",
            "En la reconexión del gobernador, el manómetro debe marcar {bounds}",
        ),
        needs=("wheels_chocked", "engine_running"),
        prompts=_reading("cut_in", "cut_in", falls=True),
        states={"engine": "running"},
        maker="cut_in_psi",
    ),
    "leak_released": StepRow(
        kind="hold",
        term=Term(
            "static leak test, brakes released",
            "prueba de fuga estática, frenos sueltos",
            "The pressure lost in a timed hold with the engine off, the brakes released and the foot off the pedal.",
            short_en="static leak test",
            short_es="fuga estática",
            avoid_en=(r"\bleak-down\b",),
            avoid_es=(r"\bfuga, pedal\b",),
        ),
        does=_both(
            "Foot off the brake pedal. Wait the full time, and read both needles at the start and at the end.",
            "Sin pisar el pedal del freno. Espere todo el tiempo y lea las dos agujas al empezar y al final.",
        ),
        calls={
            "action": _both(
                "Foot off the pedal. I watch the needles for the whole time.",
                "Sin pisar el pedal. Miro las agujas todo el tiempo.",
            ),
            "reading": _both("I lost {lost}.", "Perdí {lost}."),
            "pass": _both("That is within the limit.", "Está dentro del límite."),
            "fail": _both("That is too much: it fails.", "Es demasiado: reprueba."),
        },
        limit=_both(
            "With the brakes released, {whom} may lose {bounds} in {hold_s} seconds",
            "Con los frenos sueltos, {whom} puede perder {bounds} en {hold_s} segundos",
        ),
        needs=("engine_off", "key_on", "wheels_chocked", "area_clear", "knobs_in", "pedal_up"),
        prompts=(_settled("leak_released"), *_reading("leak_released", "start", "end")),
        states={"engine": "off", "key": "on", "knobs": "in", "pedal": "released"},
        refill="stale",
        accuses="set",
    ),
    "leak_applied": StepRow(
        kind="hold",
        term=Term(
            "applied leak test, pedal held",
            "prueba de fuga con freno aplicado",
            "The pressure lost in a timed hold with the engine off, the brakes released and the pedal held down.",
            short_en="applied leak test",
            short_es="fuga con freno",
        ),
        does=_both(
            "Press the brake pedal firmly and hold it until time is up. Read both needles at the start and at the end.",
            "Pise a fondo y no afloje hasta que acabe el tiempo. Lea las dos agujas al empezar y al final.",
        ),
        calls={
            "action": _both(
                "I press the pedal hard and hold it for the whole time.",
                "Piso el pedal a fondo y lo mantengo todo el tiempo.",
            ),
            "reading": _both("I lost {lost}.", "Perdí {lost}."),
            "pass": _both("That is within the limit.", "Está dentro del límite."),
            "fail": _both("That is too much: it fails.", "Es demasiado: reprueba."),
        },
        limit=_both(
            "With the pedal held, {whom} may lose {bounds} in {hold_s} seconds",
            "Con el pedal pisado, {whom} puede perder {bounds} en {hold_s} segundos",
        ),
        needs=("engine_off", "key_on", "wheels_chocked", "area_clear", "knobs_in"),
        prompts=(_PEDAL_FULL, _settled("leak_applied"), *_reading("leak_applied", "start", "end")),
        states={"engine": "off", "key": "on", "knobs": "in", "pedal": "full"},
        refill="stale",
        accuses="set",
    ),
    "low_air_warning": StepRow(
        kind="warning",
        term=Term(
            "low-air warning",
            "aviso de baja presión",
            "The lamp and the buzzer that come on as the pressure falls.",
            avoid_es=(r"\balarma de poco aire\b",),
        ),
        does=_both(
            "Key on, engine off: pump the brake down until the warning lamp and buzzer come on. Mark it, then read.",
            "Llave encendida, motor apagado: bombee el freno hasta que se activen la luz y el zumbador. Marque y lea.",
        ),
        calls={
            "action": _both(
                "Key on, engine off. I pump the brake down until the warning lamp and buzzer come on.",
                "Llave encendida, motor apagado. Bombeo el pedal hasta que salgan la luz y el zumbador.",
            ),
            "reading": _both("The low-air warning came on at {read}.", "El aviso de baja presión se activó a {read}."),
            "pass": _both("That is early enough.", "Es bastante temprano."),
            "fail": _both("That is too late: it fails.", "Es muy tarde: reprueba."),
        },
        limit=_both(
            "When the low-air warning comes on, the gauge must read {bounds}",
            "Cuando se activa el aviso de baja presión, el manómetro debe marcar {bounds}",
        ),
        needs=("engine_off", "key_on", "wheels_chocked", "area_clear"),
        prompts=(MarkPrompt("warning", _CAME_ON, reads=True, falls=True),),
        states={"engine": "off", "key": "on"},
        refill="again",
        straight_on="spring_brakes",
    ),
    "spring_brakes": StepRow(
        kind="knobs",
        term=Term(
            "spring brakes, pop-out",
            "frenos de resorte, salto de botones",
            "The pressure at which the parking brake and trailer supply knobs pop out and the spring brakes set.",
            short_en="spring brakes",
            short_es="frenos de resorte",
            avoid_en=(r"\bknobs pop(?! out)\b",),
        ),
        does=_both(
            "Keep pumping the brake down evenly until every knob has popped out.",
            "Siga bombeando el freno, parejo, hasta que cada botón haya saltado.",
        ),
        calls={
            "action": _both(
                "I keep pumping the brake down until the knobs pop out.",
                "Sigo bombeando el freno hasta que salten los botones.",
            ),
            "reading": _both("They popped out at {read}.", "Saltaron a {read}."),
            "pass": _both("That is within the limit.", "Está dentro del límite."),
            "fail": _both("That is outside the limit: it fails.", "Está fuera del límite: reprueba."),
        },
        limit=_both(
            "When a knob pops out, the gauge must read {bounds}",
            "Cuando salta un botón, el manómetro debe marcar {bounds}",
        ),
        needs=("engine_off", "key_on", "wheels_chocked", "area_clear", "knobs_in"),
        prompts=(MarkPrompt("popped", _POPPED, reads=True, falls=True),),
        states={"engine": "off", "knobs": "in"},
        refill="again",
        drains=True,
    ),
    "rebuild": StepRow(
        kind="refill",
        term=Term("refill", "rellenar", "Building the air up to the governor cut-out once more."),
        does=_both(
            "Let the air build up to the governor cut-out and say the pressure aloud.",
            "Deje subir el aire hasta el corte del gobernador y diga la presión en voz alta.",
        ),
        calls={
            "action": _both("I fill it up again.", "Vuelvo a llenar el sistema."),
            "reading": _both("Governor cut-out at {read}.", "Corte del gobernador a {read}."),
        },
        needs=("engine_running",),
        prompts=_reading("cut_out", "cut_out"),
        states={"engine": "running"},
        marked_as="cut_out",
        says=("cut_out",),
    ),
    "hold_trailer": StepRow(
        kind="tug",
        term=Term(
            "trailer tug test",
            "prueba de tirón (tug test) del remolque",
            "A gentle pull against the trailer's brakes: the vehicle must not move.",
            short_es="tirón del remolque",
            avoid_en=(r"\btrailer (brake )?holds\b",),
            avoid_es=(r"\bsujeta el (freno del )?remolque\b",),
        ),
        does=_both(
            "Parking brake knob in, trailer supply knob out, low gear: tug gently. The vehicle must not move.",
            "Botón de estacionamiento adentro, el del remolque afuera, marcha baja: un tirón suave. No debe moverse.",
        ),
        does_automatic=_both(
            "Parking brake knob in, trailer supply knob out, in drive: tug gently. The vehicle must not move. Then shift to neutral.",
            "Botón de estacionamiento adentro, el del remolque afuera, en marcha (D): un tirón suave. No debe moverse. Luego por neutral.",
        ),
        calls={
            "action": _both(
                "Trailer brakes set, parking brake off: I tug gently.",
                "Freno del remolque puesto, el de estacionamiento suelto: doy un tirón suave.",
            ),
        },
        needs=("engine_running", "chocks_removed", "seat_belt", "area_clear", "tractor_in_trailer_out"),
        prompts=(MarkPrompt("held", ({"type": "held", "stage": "hold_trailer"},)),),
        states={"engine": "running"},
        moves=True,
        wants_trailer=True,
        accuses="set",
    ),
    "hold_parking": StepRow(
        kind="tug",
        term=Term(
            "parking brake tug test",
            "prueba de tirón (tug test) del freno de estacionamiento",
            "A gentle pull against the parking brake: the vehicle must not move.",
            short_en="parking tug test",
            short_es="tirón de estacionamiento",
            avoid_en=(r"\bparking (brake )?holds\b",),
            avoid_es=(r"\bsujeta el freno\b",),
        ),
        does=_both(
            "Trailer supply knob in, parking brake knob out, low gear: tug gently. The vehicle must not move.",
            "Botón del remolque adentro, el de estacionamiento afuera, marcha baja: un tirón suave. No debe moverse.",
        ),
        does_automatic=_both(
            "From neutral: trailer supply knob in, parking brake knob out, in drive: tug gently. The vehicle must not move.",
            "Desde neutral: botón del remolque adentro, el de estacionamiento afuera, en marcha (D): un tirón suave. No debe moverse.",
        ),
        calls={
            "action": _both("Parking brake set: I tug gently.", "Freno de estacionamiento puesto: doy un tirón suave."),
        },
        needs=("engine_running", "chocks_removed", "seat_belt", "area_clear", "trailer_in_tractor_out"),
        prompts=(MarkPrompt("held", ({"type": "held", "stage": "hold_parking"},)),),
        states={"engine": "running"},
        moves=True,
    ),
    "rolling_service": StepRow(
        kind="roll",
        term=Term(
            "service brake test (rolling stop)",
            "prueba del freno de servicio",
            "A stop from walking pace: the vehicle must stop without pulling to a side.",
            short_en="service brake test",
            short_es="freno de servicio",
            avoid_es=(r"\bparada rodando\b",),
        ),
        does=_both(
            "Both knobs in, seat belt on, walking pace, light hands on the wheel: brake to a stop.",
            "Los dos botones adentro, cinturón puesto, a paso de hombre, manos sueltas en el volante: frene.",
        ),
        calls={
            "action": _both(
                "Walking pace, then the service brake: it must stop straight.",
                "A paso de hombre, y freno de servicio: debe parar derecho.",
            ),
        },
        needs=("engine_running", "chocks_removed", "seat_belt", "area_clear", "knobs_in"),
        prompts=(MarkPrompt("rolled", ({"type": "rolled"},)),),
        states={"engine": "running"},
        moves=True,
        accuses="set",
    ),
}

REFILL_STEPS: tuple[Step, ...] = ("safe_start", "cut_out", "release")
"""What a stage repeated, or begun on old air, must go through first."""
FILL_AFTER: tuple[Step, ...] = ("safe_start", "rebuild")
"""What fills up again the air that a stage has spent, once its last was marked before."""
SAFE_START_UNCHOCKED: tuple[Need, ...] = ("seat_belt", "knobs_out", "neutral", "engine_running")
"""A safe start of a vehicle whose chocks are out already, as where they are taken out while the engine is off."""

POINTS_OF_STAGE: dict[str, tuple[str, ...]] = {
    stage: points
    for stage in STAGES
    if (
        points := tuple(
            mark["point"]
            for prompt in STEP_TABLE[stage].prompts
            for mark in prompt.marks
            if mark["type"] == "reading" and mark["stage"] == stage
        )
    )
}
"""The points that a reading of each stage may be of."""
MOVING_STAGES: tuple[Stage, ...] = tuple(stage for stage in STAGES if STEP_TABLE[stage].moves)
REFILLED_STAGES: tuple[Stage, ...] = tuple(stage for stage in STAGES if STEP_TABLE[stage].refill)
FILL_STAGE: Stage = next(stage for stage in STAGES if STEP_TABLE[stage].fills)
"""The stage whose reading is a fresh cut-out."""

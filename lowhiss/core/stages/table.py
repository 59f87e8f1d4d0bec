"""Every step of a test in one table: what it is, what it needs, what is struck in it, what it does, how it is worded.

Whatever depends on which stage it is reads this: the fold, the judge, the guide, the planner, the script, the sheet's
column, the simulated driver. A new stage is its name in `model.py`, a row here, and the rule sets' limits.
"""

from __future__ import annotations

from lowhiss.core.stages.model import EACH_KNOB, STAGES, Stage, Step, StepRow, Strike, Text
from lowhiss.core.stages.needs import Body, Need


def _both(en: str, es: str) -> Text:
    return {"en": en, "es": es}


def _reading(stage: Stage, *points: str, falls: bool = False) -> tuple[Strike, ...]:
    return tuple(
        Strike(point, ({"type": "reading", "stage": stage, "point": point},), reads=True, falls=falls)
        for point in points
    )


def _settled(stage: Stage) -> Strike:
    return Strike("settled", ({"type": "settled", "stage": stage},), optional=True, leads=False)


_PEDAL_FULL = Strike("pedal_full", ({"type": "pedal", "state": "full"},), leads=False)
_CAME_ON: tuple[Body, ...] = ({"type": "warning", "lamp": None}, {"type": "warning", "buzzer": None})
_POPPED: tuple[Body, ...] = ({"type": "knob", "knob": EACH_KNOB, "state": "out", "cause": "popped"},)

STEP_TABLE: dict[Step, StepRow] = {
    "safe_start": StepRow(
        kind="action",
        title=_both("Safe start", "Arranque seguro"),
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
        title=_both("Release the brakes", "Soltar los frenos"),
        does=_both(
            "Stop the engine, turn the key back on, push the knobs in and let the needles settle.",
            "Pare el motor, vuelva a encender la llave, empuje las perillas y deje que paren las agujas.",
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
        title=_both("Draw the air down", "Bajar el aire"),
        does=_both(
            "Press and release the pedal a few times, engine running, until it starts pumping again.",
            "Pise y suelte el pedal unas veces, motor en marcha, hasta que empiece a bombear otra vez.",
        ),
        needs=("engine_running",),
        by_the_way=True,
    ),
    "park": StepRow(
        kind="action",
        title=_both("Park", "Estacionar"),
        does=_both("Pull the knobs out.", "Saque las perillas."),
        needs=("knobs_out",),
    ),
    "chocks_in": StepRow(
        kind="action",
        title=_both("Chocks in", "Poner calzos"),
        does=_both("Put the chocks in.", "Ponga los calzos."),
        needs=("wheels_chocked",),
    ),
    "chocks_out": StepRow(
        kind="action",
        title=_both("Chocks out", "Sacar calzos"),
        does=_both(
            "Park first, then take the chocks out and bring them along.",
            "Primero estacione; luego quite los calzos y llévelos consigo.",
        ),
        needs=("knobs_out", "chocks_removed"),
    ),
    "build_up": StepRow(
        kind="climb",
        title=_both("Build-up", "Llenado"),
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
            "pass": _both("That is quick enough.", "Es bastante rápido."),
            "fail": _both("That is too slow: it fails.", "Es muy lento: no pasa."),
        },
        limit=_both(
            "From {lower} to {upper} psi the needles may take {bounds}",
            "De {lower} a {upper} psi las agujas pueden tardar {bounds}",
        ),
        needs=("wheels_chocked", "engine_running", "knobs_out"),
        strikes=_reading("build_up", "lower", "upper"),
        states={"engine": "running"},
        straight_on="cut_out",
    ),
    "cut_out": StepRow(
        kind="governor",
        title=_both("Stops pumping (cut-out)", "Deja de bombear (corte)"),
        short=_both("Stops pumping", "Deja de bombear"),
        does=_both(
            "Let the air build until it stops pumping, read both needles and say it aloud.",
            "Deje subir el aire hasta que deje de bombear, lea las dos agujas y dígalo en voz alta.",
        ),
        calls={
            "action": _both(
                "I let the air build until it stops pumping.",
                "Dejo subir el aire hasta que deje de bombear.",
            ),
            "reading": _both("It stops pumping at {read}.", "Deja de bombear a {read}."),
        },
        limit=_both(
            "When it stops pumping, the gauge must show {bounds}",
            "Cuando deja de bombear, el manómetro debe marcar {bounds}",
        ),
        needs=("wheels_chocked", "engine_running"),
        strikes=_reading("cut_out", "cut_out"),
        states={"engine": "running"},
        fills=True,
        maker="cut_out_psi",
        says=("cut_out",),
    ),
    "cut_in": StepRow(
        kind="governor",
        title=_both("Starts pumping (cut-in)", "Empieza a bombear (conexión)"),
        short=_both("Starts pumping", "Empieza a bombear"),
        does=_both(
            "Watch where the needles begin to rise again, and read them there.",
            "Mire dónde empiezan a subir otra vez las agujas y léalas ahí.",
        ),
        calls={
            "action": _both(
                "I press the pedal until the needles begin to rise.",
                "Piso el pedal hasta que las agujas empiecen a subir.",
            ),
            "reading": _both("It starts pumping at {read}.", "Vuelve a bombear a {read}."),
            "pass": _both("That is within the limit.", "Está dentro del límite."),
            "fail": _both("That is outside the limit: it fails.", "Está fuera del límite: no pasa."),
        },
        limit=_both(
            "When it starts pumping again, the gauge must show {bounds}",
            "Cuando vuelve a bombear, el manómetro debe marcar {bounds}",
        ),
        needs=("wheels_chocked", "engine_running"),
        strikes=_reading("cut_in", "cut_in", falls=True),
        states={"engine": "running"},
        maker="cut_in_psi",
    ),
    "leak_released": StepRow(
        kind="hold",
        title=_both("Leak-down, pedal up", "Fuga, pedal suelto"),
        does=_both(
            "Foot off the pedal. Hold still for the whole time and read both needles at each end.",
            "Pie fuera del pedal. Espere todo el tiempo y lea las dos agujas al empezar y al final.",
        ),
        calls={
            "action": _both(
                "Foot off the pedal. I watch the needles for the whole time.",
                "Sin pisar el pedal. Miro las agujas todo el tiempo.",
            ),
            "reading": _both("I lost {lost}.", "Perdí {lost}."),
            "pass": _both("That is within the limit.", "Está dentro del límite."),
            "fail": _both("That is too much: it fails.", "Es demasiado: no pasa."),
        },
        limit=_both(
            "With the brakes released, {whom} may lose {bounds} in {hold_s} seconds",
            "Con los frenos sueltos, {whom} puede perder {bounds} en {hold_s} segundos",
        ),
        needs=("engine_off", "key_on", "wheels_chocked", "area_clear", "knobs_in", "pedal_up"),
        strikes=(_settled("leak_released"), *_reading("leak_released", "start", "end")),
        states={"engine": "off", "key": "on", "knobs": "in", "pedal": "released"},
        refill="stale",
        accuses="set",
    ),
    "leak_applied": StepRow(
        kind="hold",
        title=_both("Leak-down, pedal held", "Fuga, pedal pisado"),
        does=_both(
            "Push the pedal hard down and keep it there until the time is up. Read both needles at each end.",
            "Pise a fondo y no afloje hasta que acabe el tiempo. Lea las dos agujas al empezar y al final.",
        ),
        calls={
            "action": _both(
                "I press the pedal hard and hold it for the whole time.",
                "Piso el pedal a fondo y lo mantengo todo el tiempo.",
            ),
            "reading": _both("I lost {lost}.", "Perdí {lost}."),
            "pass": _both("That is within the limit.", "Está dentro del límite."),
            "fail": _both("That is too much: it fails.", "Es demasiado: no pasa."),
        },
        limit=_both(
            "With the pedal held, {whom} may lose {bounds} in {hold_s} seconds",
            "Con el pedal pisado, {whom} puede perder {bounds} en {hold_s} segundos",
        ),
        needs=("engine_off", "key_on", "wheels_chocked", "area_clear", "knobs_in"),
        strikes=(_PEDAL_FULL, _settled("leak_applied"), *_reading("leak_applied", "start", "end")),
        states={"engine": "off", "key": "on", "knobs": "in", "pedal": "full"},
        refill="stale",
        accuses="set",
    ),
    "low_air_warning": StepRow(
        kind="warning",
        title=_both("Low-air warning", "Alarma de poco aire"),
        does=_both(
            "Key on, engine off: fan the pedal until lamp and buzzer come on. Mark it, then read.",
            "Llave encendida, motor apagado: bombee el pedal hasta que se activen luz y zumbador. Marque y lea.",
        ),
        calls={
            "action": _both(
                "Key on, engine off. I fan the pedal until lamp and buzzer come on.",
                "Llave encendida, motor apagado. Bombeo el pedal hasta que salgan la luz y el zumbador.",
            ),
            "reading": _both("Lamp and buzzer came on at {read}.", "La luz y el zumbador salieron a {read}."),
            "pass": _both("That is early enough.", "Es bastante temprano."),
            "fail": _both("That is too late: it fails.", "Es muy tarde: no pasa."),
        },
        limit=_both(
            "When light and buzzer come on, the gauge must show {bounds}",
            "Cuando se activan la luz y el zumbador, el manómetro debe marcar {bounds}",
        ),
        needs=("engine_off", "key_on", "wheels_chocked", "area_clear"),
        strikes=(Strike("warning", _CAME_ON, reads=True, falls=True),),
        states={"engine": "off", "key": "on"},
        refill="again",
        straight_on="spring_brakes",
    ),
    "spring_brakes": StepRow(
        kind="knobs",
        title=_both("Spring brakes, knobs pop", "Frenos de resorte, saltan las perillas"),
        short=_both("Knobs pop", "Saltan las perillas"),
        does=_both(
            "Keep fanning evenly until every knob has come out by itself.",
            "Siga bombeando con golpes parejos hasta que cada perilla haya saltado sola.",
        ),
        calls={
            "action": _both(
                "I keep fanning until the knobs come out by themselves.",
                "Sigo bombeando hasta que las perillas salgan solas.",
            ),
            "reading": _both("They came out at {read}.", "Salieron a {read}."),
            "pass": _both("That is within the limit.", "Está dentro del límite."),
            "fail": _both("That is outside the limit: it fails.", "Está fuera del límite: no pasa."),
        },
        limit=_both(
            "When a knob pops out by itself, the gauge must show {bounds}",
            "Cuando una perilla salta sola, el manómetro debe marcar {bounds}",
        ),
        needs=("engine_off", "key_on", "wheels_chocked", "area_clear", "knobs_in"),
        strikes=(Strike("popped", _POPPED, reads=True, falls=True),),
        states={"engine": "off", "knobs": "in"},
        refill="again",
        drains=True,
    ),
    "rebuild": StepRow(
        kind="refill",
        title=_both("Refill", "Rellenar"),
        does=_both(
            "Let the air build until it stops pumping, and say it aloud.",
            "Deje subir el aire hasta que deje de bombear y dígalo en voz alta.",
        ),
        calls={
            "action": _both("I fill it up again.", "Vuelvo a llenar el sistema."),
            "reading": _both("It stops pumping at {read}.", "Deja de bombear a {read}."),
        },
        needs=("engine_running",),
        strikes=_reading("cut_out", "cut_out"),
        states={"engine": "running"},
        marked_as="cut_out",
        says=("cut_out",),
    ),
    "hold_trailer": StepRow(
        kind="tug",
        title=_both("Trailer brake holds", "Sujeta el freno del remolque"),
        short=_both("Trailer holds", "Sujeta el remolque"),
        does=_both(
            "Parking knob in, trailer knob out, low gear: a gentle tug. It must not move.",
            "Perilla de estacionamiento adentro, la del remolque afuera, marcha baja: un tirón suave. No debe moverse.",
        ),
        does_automatic=_both(
            "Parking knob in, trailer knob out, drive: a gentle tug. It must not move. Then through neutral.",
            "Perilla de estacionamiento adentro, la del remolque afuera, en marcha (D): un tirón suave. No debe moverse. Luego por neutral.",
        ),
        calls={
            "action": _both(
                "Trailer brake set, parking brake off: a gentle tug.",
                "Freno del remolque puesto, el de estacionar suelto: un tirón suave.",
            ),
        },
        needs=("engine_running", "chocks_removed", "seat_belt", "area_clear", "tractor_in_trailer_out"),
        strikes=(Strike("held", ({"type": "held", "stage": "hold_trailer"},)),),
        states={"engine": "running"},
        moves=True,
        wants_trailer=True,
        accuses="set",
    ),
    "hold_parking": StepRow(
        kind="tug",
        title=_both("Parking brake holds", "Sujeta el freno de estacionamiento"),
        short=_both("Parking holds", "Sujeta el freno"),
        does=_both(
            "Trailer knob in, parking knob out, low gear: a gentle tug. It must not move.",
            "Perilla del remolque adentro, la de estacionamiento afuera, marcha baja: un tirón suave. No debe moverse.",
        ),
        does_automatic=_both(
            "From neutral: trailer knob in, parking knob out, drive: a gentle tug. It must not move.",
            "Desde neutral: perilla del remolque adentro, la de estacionamiento afuera, en marcha (D): un tirón suave. No debe moverse.",
        ),
        calls={
            "action": _both("Parking brake set: a gentle tug.", "Freno de estacionar puesto: un tirón suave."),
        },
        needs=("engine_running", "chocks_removed", "seat_belt", "area_clear", "trailer_in_tractor_out"),
        strikes=(Strike("held", ({"type": "held", "stage": "hold_parking"},)),),
        states={"engine": "running"},
        moves=True,
    ),
    "rolling_service": StepRow(
        kind="roll",
        title=_both("Rolling stop", "Parada rodando"),
        does=_both(
            "Both knobs in, belt on, walking pace, hands light on the wheel: brake to a stop.",
            "Las dos perillas adentro, cinturón puesto, a paso de persona, manos sueltas en el volante: frene.",
        ),
        calls={
            "action": _both(
                "Walking pace, then the pedal: it must stop straight.",
                "A paso de hombre, y freno: debe parar derecho.",
            ),
        },
        needs=("engine_running", "chocks_removed", "seat_belt", "area_clear", "knobs_in"),
        strikes=(Strike("rolled", ({"type": "rolled"},)),),
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
            for strike in STEP_TABLE[stage].strikes
            for mark in strike.marks
            if mark["type"] == "reading" and mark["stage"] == stage
        )
    )
}
"""The points that a reading of each stage may be of."""
MOVING_STAGES: tuple[Stage, ...] = tuple(stage for stage in STAGES if STEP_TABLE[stage].moves)
REFILLED_STAGES: tuple[Stage, ...] = tuple(stage for stage in STAGES if STEP_TABLE[stage].refill)
FILL_STAGE: Stage = next(stage for stage in STAGES if STEP_TABLE[stage].fills)
"""The stage whose reading is a fresh cut-out."""

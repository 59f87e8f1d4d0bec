"""The judge's sentences in Spanish; the same keys and parameters as the English ones."""

HINTS = {
    "downstream_of_foot_valve": "Pierde {applied_psi_per_min} con el pedal pisado y {released_psi_per_min} sin pisarlo: mire después de la "
    "válvula de pie, mangueras de servicio, diafragmas y la línea de control del remolque.",
    "trailer_side": "Pierde {in_psi_per_min} con la perilla del remolque adentro y {out_psi_per_min} afuera: mire del lado del remolque, "
    "primero sus acoples.",
    "spring_brake_side": "Pierde {in_psi_per_min} con la perilla de estacionamiento adentro y {out_psi_per_min} afuera: mire las cámaras de "
    "resorte y sus líneas.",
    "primary_circuit": "Solo baja la aguja primaria ({falling_psi_per_min}, la otra {other_psi_per_min}): mire en el circuito primario.",
    "secondary_circuit": "Solo baja la aguja secundaria ({falling_psi_per_min}, la otra {other_psi_per_min}): mire en el circuito secundario, "
    "que suele alimentar también asientos y bolsas de suspensión.",
    "compressor": "Llena despacio ({time_s} s) sin fugas: mire el compresor, su filtro y su línea de descarga.",
    "water_in_tanks": "Una aplicación quitó {drop_psi}; tanques del tamaño exigido darían {expected_drop_psi}: busque agua en los tanques.",
    "gauge_or_check_valve": "Las agujas no coinciden donde deja de bombear: mire un manómetro o una válvula de retención.",
    "drain_and_couplings": "{failures} pruebas de fuga malas: purgue los tanques y mire los acoples.",
}

STATES = {
    "engine": "motor apagado",
    "key": "llave encendida",
    "tractor_knob": "perilla de estacionamiento adentro",
    "trailer_knob": "perilla del remolque adentro",
    "pedal": "pedal",
    "lamp": "luz",
    "buzzer": "zumbador",
}
STANDINGS = {
    "published": "",
    "from_memory": "de memoria",
    "common_practice": "práctica común, sin fuente publicada",
    "fleet": "propio de la flota",
}
OUTCOMES = {
    "pass": "Aprobado",
    "fail": "Reprobado",
    "void": "Nulo",
    "not_done": "Sin hacer",
    "no_rule": "Sin regla",
}
STEPS = {
    "safe_start": "Frenos puestos, neutral, arranque el motor. Las luces ABS se encienden y se apagan.",
    "release": "Pare el motor, vuelva a encender la llave, empuje las perillas y deje que paren las agujas.",
    "draw_down": "Pise y suelte el pedal unas veces, motor en marcha, hasta que empiece a bombear otra vez.",
    "park": "Saque las perillas.",
    "chocks_in": "Ponga los calzos.",
    "chocks_out": "Primero estacione; luego quite los calzos y llévelos consigo.",
    "build_up": "A un ralentí rápido y constante, mida el tiempo de la aguja más lenta entre las dos marcas.",
    "cut_out": "Deje subir el aire hasta que deje de bombear, lea las dos agujas y dígalo en voz alta.",
    "cut_in": "Mire dónde empiezan a subir otra vez las agujas y léalas ahí.",
    "leak_released": "Pie fuera del pedal. Espere todo el tiempo y lea las dos agujas al empezar y al final.",
    "leak_applied": "Pise a fondo y no afloje hasta que acabe el tiempo. Lea las dos agujas al empezar y al final.",
    "low_air_warning": "Llave encendida, motor apagado: bombee el pedal hasta que se activen luz y zumbador. Marque y lea.",
    "spring_brakes": "Siga bombeando con golpes parejos hasta que cada perilla haya saltado sola.",
    "rebuild": "Deje subir el aire hasta que deje de bombear y dígalo en voz alta.",
    "hold_trailer": "Perilla de estacionamiento adentro, la del remolque afuera, marcha baja: un tirón suave. No debe moverse.",
    "hold_parking": "Perilla del remolque adentro, la de estacionamiento afuera, marcha baja: un tirón suave. No debe moverse.",
    "rolling_service": "Las dos perillas adentro, cinturón puesto, a paso de persona, manos sueltas en el volante: frene.",
}
STEPS_AUTOMATIC = {
    "hold_trailer": "Perilla de estacionamiento adentro, la del remolque afuera, en marcha (D): un tirón suave. No debe moverse. Luego por neutral.",
    "hold_parking": "Desde neutral: perilla del remolque adentro, la de estacionamiento afuera, en marcha (D): un tirón suave. No debe moverse.",
}
CALLS = {
    "safe_start": {"action": "Frenos puestos, neutral. Arranco el motor."},
    "release": {"action": "Motor apagado, llave encendida. Suelto los frenos y espero a que las agujas se asienten."},
    "build_up": {
        "action": "Ralentí rápido y parejo. Tomo el tiempo de la aguja más lenta.",
        "reading": "De {first} a {read}.",
        "pass": "Es bastante rápido.",
        "fail": "Es muy lento: no pasa.",
    },
    "cut_out": {"action": "Dejo subir el aire hasta que deje de bombear.", "reading": "Deja de bombear a {read}."},
    "cut_in": {
        "action": "Piso el pedal hasta que las agujas empiecen a subir.",
        "reading": "Vuelve a bombear a {read}.",
        "pass": "Está dentro del límite.",
        "fail": "Está fuera del límite: no pasa.",
    },
    "leak_released": {
        "action": "Sin pisar el pedal. Miro las agujas todo el tiempo.",
        "reading": "Perdí {lost}.",
        "pass": "Está dentro del límite.",
        "fail": "Es demasiado: no pasa.",
    },
    "leak_applied": {
        "action": "Piso el pedal a fondo y lo mantengo todo el tiempo.",
        "reading": "Perdí {lost}.",
        "pass": "Está dentro del límite.",
        "fail": "Es demasiado: no pasa.",
    },
    "low_air_warning": {
        "action": "Llave encendida, motor apagado. Bombeo el pedal hasta que salgan la luz y el zumbador.",
        "reading": "La luz y el zumbador salieron a {read}.",
        "pass": "Es bastante temprano.",
        "fail": "Es muy tarde: no pasa.",
    },
    "spring_brakes": {
        "action": "Sigo bombeando hasta que las perillas salgan solas.",
        "reading": "Salieron a {read}.",
        "pass": "Está dentro del límite.",
        "fail": "Está fuera del límite: no pasa.",
    },
    "rebuild": {"action": "Vuelvo a llenar el sistema.", "reading": "Deja de bombear a {read}."},
    "hold_trailer": {"action": "Freno del remolque puesto, el de estacionar suelto: un tirón suave."},
    "hold_parking": {"action": "Freno de estacionar puesto: un tirón suave."},
    "rolling_service": {"action": "A paso de hombre, y freno: debe parar derecho."},
}
STAGES = {
    "build_up": "Llenado",
    "cut_out": "Deja de bombear (corte)",
    "cut_in": "Empieza a bombear (conexión)",
    "leak_released": "Fuga, pedal suelto",
    "leak_applied": "Fuga, pedal pisado",
    "low_air_warning": "Alarma de poco aire",
    "spring_brakes": "Frenos de resorte, saltan las perillas",
    "rebuild": "Rellenar",
    "hold_trailer": "Sujeta el freno del remolque",
    "hold_parking": "Sujeta el freno de estacionamiento",
    "rolling_service": "Parada rodando",
}
SHEET = {
    "pass": "APROBADO",
    "fail": "REPROBADO: NO CIRCULAR",
    "incomplete": "SIN COMPLETAR",
    "judged_by": "juzgado por",
    "limited": "{limited} de {required} etapas exigidas tienen límite en estas reglas",
    "close_call": "por poco",
    "attempt": "intento {number}",
    "limit": "límite: {text} [{source}]",
    "coach": "Lo que vio el instructor",
    "critical": "crítico",
    "hints": "Dónde mirar primero",
    "caution": "Esta hoja no sustituye a un mecánico o inspector calificado. Primero valen la ley local y las cifras del fabricante. "
    "Un vehículo que reprueba no se mueve hasta que alguien calificado lo repare y vuelva a aprobar.",
}
WORDS = {"pass": "aprobado", "fail": "reprobado", "lamp": "luz", "buzzer": "zumbador"}

LIMITS = {
    "at_most": "no más de {max}",
    "below": "menos de {max}",
    "at_least": "{min} o más",
    "above": "más de {min}",
    "between": "de {min} a {max}",
    "below_cut_out": "{amounts} por debajo de donde dejó de bombear",
    "capped": "{text}, o el {percent} % de donde deja de bombear si es menos",
    "hold": "{text} en {hold_s} s",
    "window": "de {lower} a {upper} en {text}",
}
ARITHMETIC = {
    "hold": "{start} → {end} {unit} en {duration_s} s",
    "rate": "{rate} {unit}/min",
    "normalised": "{loss} en {hold_s} s",
    "climb": "{start} → {end} {unit} en {duration_s} s",
    "time": "de {lower} a {upper} tarda {time_s} s",
    "reading": "leído {psi}",
    "limit": "límite {limit}",
    "to_spare": "{margin} de sobra",
    "outside": "{margin} fuera",
    "on_the_limit": "justo en el límite",
    "error": "error de lectura ±{uncertainty}",
    "error_s": "error ±{uncertainty}",
}

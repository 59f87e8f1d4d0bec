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
PAPER = {
    "outcome": "Resultado",
    "started": "Empezó",
    "driver": "Quién probó",
    "trailers": "Remolques",
    "judged_by": "Juzgada por",
    "run": "Prueba",
    "recording": "De una grabación",
    "origin": "De otro patio",
    "sealed": "Sello {place}, {when}: {hash}. Clave {key}.",
    "check": "El código lleva adonde se comprueba: unidad, hora y resultado deben ser los de este papel. Su archivo se "
    "comprueba sin esta casa: lowhiss verify, o docs/seal.md.",
    "unsigned": "Nadie ha firmado esta hoja.",
    "signatures": "Firmas",
    "driver_part": "quien probó",
    "beside": "al lado",
    "by_password": "con contraseña",
    "by_pin": "con PIN",
    "by_demo": "cuenta de demostración",
    "stages": "Etapas",
    "stage": "Etapa",
    "sum": "Cuenta",
    "limit": "Límite",
    "marks": "Marcas",
    "after_end": "después del final",
    "at": "A los",
    "mark": "Marca",
    "read": "Leído",
    "by": "Por",
    "tests": "Pruebas",
    "unit": "Unidad",
    "lost": "Perdió, pedal pisado",
}
MARKS = {
    "pedal_full": "pedal pisado",
    "pedal_released": "pedal suelto",
    "settled": "agujas quietas",
    "lower": "marca baja",
    "upper": "marca alta",
    "cut_out": "dejó de bombear",
    "cut_in": "volvió a bombear",
    "start": "inicio",
    "end": "fin",
    "wheels_chocked": "calzos puestos",
    "chocks_removed": "calzos fuera",
    "area_clear": "nadie cerca",
    "seat_belt": "cinturón puesto",
    "neutral": "en neutral",
    "in_gear": "con marcha",
    "abs_lamps_out": "luces ABS apagadas",
    "window_down": "ventana abajo",
    "level_ground": "piso plano",
    "engine_off": "motor apagado",
    "engine_running": "motor en marcha",
    "key_on": "llave encendida",
    "key_off": "llave apagada",
    "tractor_in": "estacionar adentro",
    "tractor_out": "estacionar afuera",
    "tractor_popped": "saltó estacionar",
    "trailer_in": "remolque adentro",
    "trailer_out": "remolque afuera",
    "trailer_popped": "saltó remolque",
    "warning": "luz y zumbador",
    "lamp": "luz",
    "buzzer": "zumbador",
    "no_warning": "nunca salió",
    "held": "prueba de sujeción",
    "rolled": "parada rodando",
    "attempt": "empezada otra vez",
    "skipped": "dejada fuera",
    "said": "dicho en voz alta",
    "note": "nota",
    "valued": "número puesto",
    "withdrawn": "retirada",
    "shown": "Se mostró un resultado",
    "late_confirmed": "Confirmado después del final",
    "finished": "terminada",
    "made_safe": "puesto seguro",
    "abandoned": "terminada antes",
    "other": "marca",
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
    "scaled": ", o más en proporción a tanques mayores",
    "near_maker": "no más de {amount} de la cifra del fabricante",
    "from_maker": "la cifra del fabricante {ends} {unit}",
}
WHOM = {
    "any": "el vehículo",
    "single": "un vehículo sencillo",
    "combination": "una combinación",
    "multi": "una unidad con dos o más remolques",
}
LIMIT_SENTENCES = {
    "build_up": "De {lower} a {upper} psi las agujas pueden tardar {bounds}",
    "cut_out": "Cuando deja de bombear, el manómetro debe marcar {bounds}",
    "cut_in": "Cuando vuelve a bombear, el manómetro debe marcar {bounds}",
    "leak_released": "Con los frenos sueltos, {whom} puede perder {bounds} en {hold_s} segundos",
    "leak_applied": "Con el pedal pisado, {whom} puede perder {bounds} en {hold_s} segundos",
    "low_air_warning": "Cuando se activan la luz y el zumbador, el manómetro debe marcar {bounds}",
    "spring_brakes": "Cuando una perilla salta sola, el manómetro debe marcar {bounds}",
}
POLICIES = {"both": "las dos agujas", "primary": "solo la primaria"}
ACCEPTANCES = {"simple": "en el límite pasa", "guarded": "debe superar el error de lectura"}
HOLDINGS = {
    "chocks": "calzos",
    "gear_noted": "calzos; la marcha baja se anota",
    "gear_too": "calzos, o también marcha baja",
}
CALLS = {
    "cut_out": "cada corte",
    "limit": "el límite antes de la etapa",
    "reading": "la lectura después",
    "verdict": "si pasó",
    "none": "nada",
}
CONVENTIONS = {
    "policy": "Qué manómetro cuenta",
    "acceptance": "Un resultado dentro del error de lectura",
    "holding": "Qué sujeta el vehículo",
    "calls": "Se dice en voz alta",
    "short_wait_s": "Espera aconsejada antes del reloj",
    "hold_short_s": "Al minuto le puede faltar",
    "hold_over_s": "El minuto se puede pasar",
    "clock_before_settle_s": "Reloj muy pronto tras un movimiento, menos de",
    "needle_rose_psi": "Una aguja puede subir",
    "charged_psi": "Cargado desde",
    "early_warning_psi": "Alarma temprana por encima de",
    "off_maker_psi": "Lejos de la cifra del fabricante, más de",
    "hold_test_psi": "Aire para probar la sujeción",
    "rolling_mph": "Paso de persona",
    "third_failure": "Fallas de una etapa que acaban la prueba",
}
SUMS = {
    "strokes": "pisadas a fondo",
    "drop_psi": "se lleva",
    "left_psi": "queda",
    "required_in3": "volumen mínimo",
    "ratio_there": "tanques ÷ cámaras",
    "share_of_required": "de lo exigido",
    "limit_s": "límite",
    "time_s": "tarda",
    "rate_psi_per_s": "sube",
    "loss_psi": "perdido en el tiempo de la regla",
    "rate_psi_per_min": "se pierde por minuto",
    "flow_ft3_per_min": "aire libre",
    "error_psi": "una pérdida se sabe a ±",
    "one_reading_psi": "una lectura a ±",
    "chance_over": "probabilidad de que la pérdida real pase",
    "shown_below_psi": "demostrado por debajo de",
    "psi": "psi",
    "kpa": "kPa",
    "bar": "bar",
}
ORDERS = {
    "before": "«{step}» solo se aprueba después de «{first}»: póngalo antes.",
    "hangs": "El límite de «{step}» depende de «{first}»: póngalo antes.",
    "or": "» o «",
}
LOOSER = "{stage}: más laxo que {source}"
TRENDS = {
    "too_few": "Aún no hay pruebas para ver una tendencia: {points}, y hacen falta {min_points} en {min_days} días.",
    "steady": "Estable en {points} pruebas.",
    "changed": "Ya no es como antes: las tres últimas quedan a unos {apart} de las demás.",
    "drifts": "Se mueve {a_month} al mes, de {low} a {high}.",
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
STANDINGS_OF_UNITS = {
    "on_hold": "No conducir: retenida",
    "unfit": "No conducir: un defecto",
    "overdue": "Probar antes de salir: vencida",
    "never_tested": "Probar antes de salir: nunca probada",
    "due": "Puede salir, toca una prueba",
    "restricted": "Este viaje y al taller",
    "fit": "Puede salir",
}
HOLDS = {
    "failed": "{stage} no pasó: {figures}",
    "placed": "{reason}",
    "contested": "impugnada: {by} retiró una marca a las {when}",
    "contested_otherwise": "impugnada: una marca posterior de {by}, {when}, hizo desaparecer la falla",
    "strike_out": "Un entrenador o gerente que no hizo ninguna de estas marcas puede anular la retención, con un motivo.",
    "decide": "Un gerente decide si este informe cuenta.",
    "reported": "informado en otro lugar ({origin}): decidir",
    "item_again": "Falta encontrarlo bien en una inspección.",
    "further": "falló {count} veces",
    "repair": "Repárela y certifique la reparación.",
    "recheck": "Que {stage} pase de forma válida según {rules}, en una prueba terminada.",
    "recheck_after": "Tras una reparación certificada: que {stage} pase de forma válida según {rules}, en una prueba terminada.",
    "narrow": "O averigüe cuál es: pruebe {stage} con una y sin la otra. La que pase queda libre.",
    "release": "Un gerente puede liberarla, con un motivo que queda registrado.",
    "opened": "{stage}: esto abrió una retención. No conducir.",
    "added": "{stage}: falló otra vez; la retención sigue. No conducir.",
    "lifted": "{stage}: esto levantó la retención.",
    "cleared": "{stage}: pasó, así que la retención queda en lo que no estuvo en esta prueba.",
    "no_repair": "{stage}: pasó, pero antes no se certificó ninguna reparación: la retención sigue.",
    "still": "{stage}: sigue retenida.",
}
CONSEQUENCES = {"stay": "No se mueve", "finish": "Este viaje y al taller", "note": "Anotado"}
DEFECT_STATES = {
    "open": "abierto",
    "taken": "en el taller",
    "repaired": "reparado",
    "no_repair": "sin reparación",
    "fixed": "arreglado al momento",
}
ACTS = {
    "hold_placed": "Retenida: {reason}",
    "hold_released": "Retención liberada: {reason}",
    "hold_struck_out": "Retención impugnada anulada: {reason}",
    "rechecked": "Encontrado bien otra vez: {defect}",
    "defect_seen": "Defecto informado: {defect}",
    "defect_rated": "{defect}: ahora *{means}*. {reason}",
    "defect_taken": "La tomó el taller: {defect}",
    "repaired": "Reparación certificada: {did}",
    "no_repair": "Sin reparación, certificado: {defect}. {reason}",
    "acknowledged": "Leyó lo informado: {defect}",
    "trip_over": "El viaje terminó",
    "defect_fixed": "Arreglado al momento: {defect}. {did}",
    "round_done": "Ronda completa",
}
RUNS = {
    "pass": "Prueba superada",
    "fail": "Prueba no superada",
    "void": "Prueba nula",
    "incomplete": "Prueba incompleta",
    "training": "formación",
    "rehearsal": "ensayo, no cuenta para el vehículo",
}
DUE_TITLE = "{unit}: toca la prueba de frenos"
READING = {
    "too_few": "Menos de {tests} pruebas en vehículos con línea propia: todavía no se dice nada.",
    "same": "En {tests} pruebas la pérdida se lee como la línea de cada vehículo, con {error} de margen.",
    "low": "En {tests} pruebas la pérdida se lee {amount} ±{error} por encima de la línea de cada vehículo: lee bajo el final.",
    "high": "En {tests} pruebas la pérdida se lee {amount} ±{error} por debajo de la línea de cada vehículo: lee alto el final.",
}

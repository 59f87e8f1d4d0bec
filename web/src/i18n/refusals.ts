/** The server's refusals in other languages than its own English, by their stable codes. */

import i18next from 'i18next'

const spanish: Record<string, string> = {
  changed_meanwhile: 'Otra persona cambió esto mientras tanto: mírelo de nuevo antes de guardar.',
  code_unknown: 'Este código no se conoce, ya se usó o caducó: pida uno nuevo.',
  coupling_impossible: 'Así no se puede enganchar: revise la unidad y sus remolques.',
  csrf_missing: 'Esta página quedó vieja: cárguela otra vez y repita.',
  csv_empty: 'El archivo no tiene líneas debajo de la primera.',
  database_away: 'La base de datos está arrancando; lo que marcó queda en este aparato y se enviará.',
  demo_unknown: 'No existe esa cuenta de muestra: elija una de la página.',
  foreign_origin: 'Esta petición vino de otro sitio y no se atendió.',
  id_conflict: 'Ya hay otra marca distinta con la misma identificación.',
  join_code_unknown: 'Este código no se conoce o caducó: pida uno nuevo.',
  last_manager: 'Es el único encargado: nombre antes a otro.',
  name_needed: 'Falta el nombre: escriba de 1 a 80 caracteres.',
  name_taken: 'Ese nombre ya está en uso: elija otro.',
  no_demo: 'Aquí no hay cuentas de muestra: entre con nombre y contraseña.',
  no_device: 'Este navegador no guarda cookies: aquí no se puede guardar un PIN.',
  not_allowed: 'No le corresponde hacer esto: pídaselo a un encargado.',
  not_your_run: 'Esta prueba la lleva otra persona: pídale que lo haga o que le deje mirar.',
  not_yourself: 'No puede retirarse a usted mismo: pídaselo a otro encargado.',
  password_half: 'Faltan la contraseña de antes o la nueva: escriba las dos.',
  password_weak: 'La contraseña es demasiado corta o demasiado larga.',
  person_retired: 'Esta persona está retirada: admítala de nuevo primero.',
  person_unknown: 'No existe esa persona.',
  pin_malformed: 'El PIN tiene de 4 a 8 cifras que no son todas iguales.',
  pin_wrong: 'Este PIN no vale aquí: pruebe otra vez, o entre con la contraseña.',
  run_ended: 'La prueba ya había terminado cuando se marcó esto.',
  run_full: 'La prueba ya no admite más marcas: termínela y empiece otra.',
  run_id_used: 'La identificación de esta prueba ya es de otra: empiece una nueva.',
  run_unknown: 'No existe esa prueba.',
  sign_in_failed: 'El nombre o la contraseña no son correctos: revíselos.',
  signed_out: 'No hay sesión abierta, o ya no: entre y siga.',
  still_coupled: 'Desenganche antes sus remolques; solo un tractor remolca.',
  target_unknown: 'La marca a la que se refiere no es de esta prueba.',
  too_large: 'Lo enviado es demasiado grande.',
  too_many_tries: 'Demasiados intentos equivocados: espere un rato y pruebe otra vez.',
  trailer_elsewhere: 'Un remolque está enganchado a otra unidad: desengánchelo allí primero.',
  trailer_unknown: 'No existe ese remolque.',
  unexpected: 'Algo falló en el servidor; su registro dice qué. Nada quedó a medias.',
  unit_retired: 'Esta unidad está retirada: elija otra.',
  unit_unknown: 'No existe esa unidad: elija una del patio.',
  watcher_may_not: 'Esto solo lo marca quien lleva la prueba: dígaselo.',
}

/** A refusal in the reader's language; the server's own sentence where there are no words of ours for its code. */
export const refusal = (code: string, sentence: string): string =>
  (i18next.language === 'es' ? spanish[code] : undefined) ?? sentence

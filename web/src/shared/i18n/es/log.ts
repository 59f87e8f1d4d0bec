import type { log as english } from '../en/log'

export const log: typeof english = {
  log: {
    title: 'Registro',
    search: 'Unidad o conductor',
    all: 'todo',
    closeCall: 'por poco',
    air: 'Aire',
    unit: 'Unidad',
    driver: 'Conductor',
    when: 'Cuándo',
    held: 'Pedal pisado',
    lost: 'Perdió',
    full: 'Deja de bombear',
    outcome: 'Resultado',
    older: 'Más antiguas',
    newest: 'Volver a las nuevas',
    none: 'Ninguna prueba coincide.',
    nobody: 'sin decir',
    open: 'Hoja de {{unit}}, {{when}}',
  },
}

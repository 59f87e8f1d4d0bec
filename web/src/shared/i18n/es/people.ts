import type { people as english } from '../en/people'

export const people: typeof english = {
  people: {
    about: {
      version: 'Versión {{version}}',
      text: 'Low Hiss lo guía en la prueba estática de frenos de aire, la evalúa y guarda el registro. Es software libre con licencia MIT.',
      notices: 'Software libre y licencias',
    },
    title: 'Personas',
    search: 'Nombre',
    add: 'Invitar persona',
    addTitle: 'Invitar a una persona',
    reading: 'Pantalla',
    edit: 'Editar',
    editTitle: 'Editar {{name}}',
    name: 'Nombre',
    role: 'Función',
    language: 'Idioma',
    state: 'Estado',
    you: 'usted',
    retire: 'Desactivar',
    back: 'Reactivar',
    reset: 'Nuevo código de entrada',
    states: { joined: 'activo', invited: 'invitado', retired: 'desactivado' },
    codeFor: 'Código de un solo uso para {{name}}',
    codeHint:
      'Entréguelo ahora: se muestra una sola vez y vence en siete días. Cualquier código anterior deja de servir.',
  },
}

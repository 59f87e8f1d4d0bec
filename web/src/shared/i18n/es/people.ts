import type { people as english } from '../en/people'

export const people: typeof english = {
  people: {
    about: {
      version: 'Versión {{version}}',
      text: 'Low Hiss dirige la prueba estática de los frenos de aire, la juzga y guarda el registro. Es software libre con licencia MIT.',
      notices: 'Software libre incluido y sus licencias',
    },
    title: 'Personas',
    search: 'Nombre',
    add: 'Invitar a alguien',
    addTitle: 'Invitar a alguien',
    reading: 'Cómo lee',
    edit: 'Editar',
    editTitle: 'Editar {{name}}',
    name: 'Nombre',
    role: 'Papel',
    language: 'Idioma',
    state: 'Estado',
    you: 'usted',
    retire: 'Dar de baja',
    back: 'Dar de alta',
    reset: 'Código nuevo',
    states: { joined: 'entra', invited: 'con invitación', retired: 'de baja' },
    codeFor: 'Código para {{name}}',
    codeHint: 'Entréguelo ahora: se muestra una vez y vale siete días. El código anterior ya no sirve.',
  },
}

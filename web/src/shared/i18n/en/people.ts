export const people = {
  people: {
    about: {
      version: 'Version {{version}}',
      text: 'Low Hiss conducts the static air brake test, judges it and keeps the record. It is free software under the MIT license.',
      notices: 'Open-source software inside, and its licenses',
    },
    title: 'People',
    search: 'Name',
    add: 'Invite somebody',
    addTitle: 'Invite somebody',
    reading: 'How they read',
    edit: 'Edit',
    editTitle: 'Edit {{name}}',
    name: 'Name',
    role: 'Role',
    language: 'Language',
    state: 'State',
    you: 'you',
    retire: 'Retire',
    back: 'Take back',
    reset: 'New code',
    states: { joined: 'signs in', invited: 'invited', retired: 'retired' },
    codeFor: 'One-time code for {{name}}',
    codeHint:
      'Hand it over now: it is shown once and holds for seven days. A code before it no longer works.',
  },
}

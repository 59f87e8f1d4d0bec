export const people = {
  people: {
    about: {
      version: 'Version {{version}}',
      text: 'Low Hiss guides you through the static air brake test, judges it and keeps the record. It is free software under the MIT license.',
      notices: 'Open-source software and licenses',
    },
    title: 'People',
    search: 'Name',
    add: 'Invite person',
    addTitle: 'Invite a person',
    reading: 'Display',
    edit: 'Edit',
    editTitle: 'Edit {{name}}',
    name: 'Name',
    role: 'Role',
    language: 'Language',
    state: 'State',
    you: 'you',
    retire: 'Deactivate',
    back: 'Reactivate',
    reset: 'New sign-in code',
    states: { joined: 'active', invited: 'invited', retired: 'deactivated' },
    codeFor: 'One-time code for {{name}}',
    codeHint:
      'Give it to them now: it is shown only once and expires in seven days. Any earlier code stops working.',
  },
}

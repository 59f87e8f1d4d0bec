/** The rooms of the front end: imports run one way, and never in a circle. */

const ROOMS = ['shared', 'device', 'run', 'features', 'app']

const TESTS = '\\.test(ing)?\\.tsx?$|^src/testing/'

const oneWay = ROOMS.slice(0, -1).map((room, n) => ({
  name: `${room}-knows-nothing-above-it`,
  severity: 'error',
  from: { path: `^src/${room}/`, pathNot: TESTS },
  to: { path: `^src/(${ROOMS.slice(n + 1).join('|')})/` },
}))

export default {
  forbidden: [
    ...oneWay,
    { name: 'no-circle', severity: 'error', from: {}, to: { circular: true } },
    {
      name: 'features-do-not-know-each-other',
      severity: 'error',
      from: { path: '^src/features/([^/]+)/' },
      to: { path: '^src/features/', pathNot: '^src/features/$1/' },
    },
    {
      name: 'a-room-is-entered-by-its-index',
      severity: 'error',
      from: { path: '^src/(?:features|app)/' },
      to: { path: '^src/(?:device|run)/', pathNot: '^src/(?:device|run)/index\\.ts$' },
    },
    {
      name: 'the-application-ships-no-tests',
      severity: 'error',
      from: { pathNot: TESTS },
      to: { path: TESTS },
    },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    tsConfig: { fileName: 'tsconfig.json' },
    tsPreCompilationDeps: true,
    exclude: { path: 'node_modules' },
  },
}

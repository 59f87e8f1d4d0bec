import 'fake-indexeddb/auto'

// logic is tried without a page; all it is told of one is its address
if (typeof window === 'undefined') {
  Object.assign(globalThis, { window: globalThis, location: new URL('http://localhost/') })
}
const { needWords, startWords } = await import('../shared/i18n')
await startWords('en')
await needWords('round', 'units', 'people', 'log')

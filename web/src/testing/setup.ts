import { afterAll, afterEach } from 'vitest'
import 'fake-indexeddb/auto'

// logic is tried without a page; all it is told of one is its address
if (typeof window === 'undefined') {
  Object.assign(globalThis, { window: globalThis, location: new URL('http://localhost/') })
}
const { needWords, startWords } = await import('../shared/i18n')
const { rememberPerson } = await import('../shared/api')
await startWords('en')
await needWords('inspection', 'units', 'people', 'log', 'rules', 'practice', 'learn', 'yard', 'acts')

// test files of one thread share their modules: whoever one of them signed in is not here for the next
afterEach(() => rememberPerson(null))

// a channel reaches every thread of the process: what other test files say must not reach a page that is gone
const open: BroadcastChannel[] = []
const Channel = globalThis.BroadcastChannel as typeof BroadcastChannel | undefined
if (Channel && typeof document !== 'undefined') {
  globalThis.BroadcastChannel = class extends Channel {
    constructor(name: string) {
      super(name)
      open.push(this)
    }
  }
}
afterAll(() => open.forEach((channel) => channel.close()))

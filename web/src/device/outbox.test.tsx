import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { rememberCsrf, rememberPerson } from '../shared/api'
import { script } from '../testing/script'
import { epoch, now } from './clock'
import { HOUSE_WAY } from './fetchRun'
import { Recorder } from './recorder'

interface Sent {
  path: string
  body: { id?: string; events?: { id: string; seq: number; type: string }[] }
}

let sent: Sent[] = []
let answer: (request: Sent) => Response
let stores = 0

const json = (body: unknown, status = 200) =>
  new Response(JSON.stringify(body), { status, headers: { 'content-type': 'application/json' } })

function keepAll({ path, body }: Sent): Response {
  if (path === '/api/runs') return json({ id: body.id })
  const accepted = (body.events ?? []).map(({ id }, i) => ({ id, seq: i + 1 }))
  return json({ last_seq: accepted.length, accepted, set_aside: [] })
}

beforeEach(() => {
  rememberCsrf('known')
  rememberPerson({ id: 'p', name: 'Ines Aldous' })
  sent = []
  answer = keepAll
  vi.stubGlobal('fetch', async (request: Request) => {
    const one = { path: new URL(request.url).pathname, body: (await request.json()) as Sent['body'] }
    sent.push(one)
    return answer(one)
  })
})
afterEach(() => vi.unstubAllGlobals())

const unit = { id: 'u', name: 'MV-12', kind: 'tractor_semitrailer' as const }

async function opened(name = `store${(stores += 1)}`) {
  const recorder = await Recorder.open(name)
  return { recorder, name }
}
const deliveries = (recorder: Recorder, id: string) =>
  recorder.snapshot(id)?.events.map(({ delivery }) => delivery)

test('a mark is on the device before it is sent, and kept once acknowledged', async () => {
  const { recorder } = await opened()
  const id = await recorder.begin({ unit, script, driver: 'Ines Aldous', setup: HOUSE_WAY })
  answer = () => json({ error: { code: 'database_away', message: 'wait', field: '' } }, 503)
  await recorder.mark(id, [{ type: 'engine', state: 'off' }])
  expect(deliveries(recorder, id)).toEqual(['waiting'])
  answer = keepAll
  window.dispatchEvent(new Event('online'))
  await vi.waitFor(() => expect(deliveries(recorder, id)).toEqual(['kept']))
  const [event] = recorder.snapshot(id)?.events ?? []
  expect(event?.event).toMatchObject({ by: 'Ines Aldous', epoch, device: now().device, seq: 1 })
})

test('marks survive the page: another page life sends what was left', async () => {
  const { recorder, name } = await opened()
  answer = () => {
    throw new TypeError('no network')
  }
  const id = await recorder.begin({ unit, script, driver: '', setup: HOUSE_WAY })
  await recorder.mark(id, [{ type: 'pedal', state: 'full' }])
  await recorder.mark(id, [{ type: 'settled', stage: 'leak_applied' }])
  answer = keepAll
  const { recorder: later } = await opened(name)
  await later.load(id)
  later.wake()
  await vi.waitFor(() => expect(deliveries(later, id)).toEqual(['kept', 'kept']))
  expect(sent.at(-1)?.body.events?.map(({ type }) => type)).toEqual(['pedal', 'settled'])
})

test('one mark that can never be taken is set aside alone, and whose run it is stays theirs', async () => {
  const { recorder } = await opened()
  const id = await recorder.begin({ unit, script, driver: '', setup: HOUSE_WAY })
  await vi.waitFor(() => expect(recorder.snapshot(id)?.run.begin).toBeUndefined())
  const poison = (request: Sent) =>
    request.body.events?.some(({ type }) => type === 'poison')
      ? json({ error: { code: 'input_invalid', message: 'never', field: '' } }, 422)
      : keepAll(request)
  answer = () => json({ error: { code: 'database_away', message: 'wait', field: '' } }, 503)
  await recorder.mark(
    id,
    ['pedal', 'settled', 'poison', 'note', 'note'].map((type) => ({ type })),
  )
  answer = poison
  window.dispatchEvent(new Event('online'))
  await vi.waitFor(() => expect(deliveries(recorder, id)).toEqual(['kept', 'kept', 'aside', 'kept', 'kept']))
  rememberPerson({ id: 'q', name: 'Bram Osei' })
  expect(await recorder.known()).toEqual([])
})

test('marks in a burst keep their order and their moments', async () => {
  const { recorder } = await opened()
  const id = await recorder.begin({ unit, script, driver: '', setup: HOUSE_WAY })
  const at = now()
  await Promise.all(
    Array.from({ length: 20 }, (_, n) =>
      recorder.mark(id, [{ type: 'note', text: `${n}` }], { ...at, mono_s: n }),
    ),
  )
  const events = recorder.snapshot(id)?.events.map(({ event }) => event) ?? []
  expect(events.map(({ text }) => text)).toEqual(Array.from({ length: 20 }, (_, n) => `${n}`))
  expect(events.map(({ mono_s }) => mono_s)).toEqual(Array.from({ length: 20 }, (_, n) => n))
  expect(new Set(events.map(({ seq }) => seq)).size).toBe(20)
})

test('a mark that cannot be applied is set aside in sight and blocks nothing', async () => {
  const { recorder } = await opened()
  answer = (request) => {
    if (request.path === '/api/runs') return keepAll(request)
    const [first, ...rest] = request.body.events ?? []
    const accepted = rest.map(({ id }, i) => ({ id, seq: i + 1 }))
    return json({
      last_seq: 1,
      accepted,
      set_aside: [{ id: first?.id, code: 'mark_malformed', message: 'why.' }],
    })
  }
  const id = await recorder.begin({ unit, script, driver: '', setup: HOUSE_WAY })
  await recorder.mark(id, [
    { type: 'note', text: 'a' },
    { type: 'note', text: 'b' },
  ])
  await vi.waitFor(() => expect(deliveries(recorder, id)).toEqual(['aside', 'kept']))
  expect(recorder.snapshot(id)?.events[0]?.why).toBe('why.')
  expect(await recorder.waitingOf(id)).toBe(0)
})

test('a run the server refuses keeps its marks on the device, with the reason', async () => {
  const { recorder } = await opened()
  answer = () =>
    json({ error: { code: 'unit_unknown', message: 'There is no such unit.', field: 'unit_id' } }, 404)
  const id = await recorder.begin({ unit, script, driver: '', setup: HOUSE_WAY })
  await recorder.mark(id, [{ type: 'note', text: 'a' }])
  await vi.waitFor(() => expect(deliveries(recorder, id)).toEqual(['aside']))
  expect(recorder.snapshot(id)?.run.refused).toBe('There is no such unit.')
})

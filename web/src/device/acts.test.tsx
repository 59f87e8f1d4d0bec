import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { rememberCsrf, rememberPerson } from '../shared/api'
import { now } from './clock'
import { Recorder, type NewAct } from './recorder'

interface Sent {
  method: string
  path: string
  acts: { id: string; type: string; by: string; body: Record<string, unknown> }[]
}

let sent: Sent[] = []
let answer: (request: Sent) => Response
let stores = 0

const json = (body: unknown, status = 200) =>
  new Response(JSON.stringify(body), { status, headers: { 'content-type': 'application/json' } })
const keepAll = ({ path, acts }: Sent) =>
  path === '/api/acts'
    ? json({ accepted: acts.map(({ id }) => id), set_aside: [] })
    : json({ hash: 'a'.repeat(64) })
const away = () => json({ error: { code: 'database_away', message: 'wait', field: '' } }, 503)
const gone = () => {
  throw new TypeError('no network')
}

beforeEach(() => {
  rememberCsrf('known')
  rememberPerson({ id: 'p', name: 'Ines Aldous' })
  sent = []
  answer = keepAll
  vi.stubGlobal('fetch', async (request: Request) => {
    const { pathname: path } = new URL(request.url)
    const body = path === '/api/acts' ? ((await request.json()) as { acts: Sent['acts'] }) : { acts: [] }
    const one = { method: request.method, path, acts: body.acts }
    sent.push(one)
    return answer(one)
  })
})
afterEach(() => vi.unstubAllGlobals())

const opened = (name = `acts${(stores += 1)}`) => Recorder.open(name).then((recorder) => ({ recorder, name }))
const placed = (reason: string, more: Partial<NewAct> = {}): NewAct => ({
  ...{ about: 'MV-12', part: { kind: 'unit', id: 'u' }, type: 'hold_placed', body: { reason } },
  ...more,
})
const deliveries = async (recorder: Recorder) => (await recorder.acts()).map(({ delivery }) => delivery)

test('what is done without contact is kept in its order and sent when there is some', async () => {
  const { recorder } = await opened()
  answer = gone
  await recorder.act(placed('first'))
  await recorder.act(placed('second'))
  expect(await deliveries(recorder)).toEqual(['waiting', 'waiting'])
  expect(await recorder.waits()).toMatchObject({ units: ['MV-12'], count: 2 })
  answer = keepAll
  window.dispatchEvent(new Event('online'))
  await vi.waitFor(async () => expect(await recorder.acts()).toEqual([]))
  const told = sent.at(-1)?.acts ?? []
  expect(told.map(({ body }) => body.reason)).toEqual(['first', 'second'])
  expect(told[0]).toMatchObject({ by: 'Ines Aldous', at: { device: now().device } })
  expect(recorder.settled).toBeGreaterThan(0)
})

test('it survives the page, and is sent again as the very same until it is acknowledged', async () => {
  const { recorder, name } = await opened()
  answer = away
  await recorder.act(placed('smells of burning'))
  await vi.waitFor(() => expect(sent.length).toBeGreaterThan(0))
  const [first] = sent
  answer = keepAll
  const { recorder: later } = await opened(name)
  later.wake()
  await vi.waitFor(async () => expect(await later.acts()).toEqual([]))
  expect(sent.at(-1)?.acts).toEqual(first?.acts)
})

test('what the server will not take is set aside with the reason, alone, until it was read', async () => {
  const { recorder } = await opened()
  answer = gone
  for (const reason of ['a', 'b', 'c']) await recorder.act(placed(reason))
  answer = ({ acts }) => {
    const [bad, ...good] = acts
    const set_aside = [{ id: bad?.id, code: 'hold_gone', message: 'Gone.' }]
    return json({ accepted: good.map(({ id }) => id), set_aside })
  }
  window.dispatchEvent(new Event('online'))
  await vi.waitFor(async () => expect(await deliveries(recorder)).toEqual(['aside']))
  const [left] = await recorder.acts()
  expect(left).toMatchObject({ why: 'Gone.', act: { body: { reason: 'a' } } })
  await recorder.dismissAct(left?.id ?? '')
  expect(await recorder.acts()).toEqual([])
  expect(await recorder.waits()).toBeNull()
})

test('one that makes the whole batch be refused is found by halves', async () => {
  const { recorder } = await opened()
  answer = gone
  for (const reason of ['a', 'poison', 'c']) await recorder.act(placed(reason))
  answer = (request) =>
    request.acts.some(({ body }) => body.reason === 'poison')
      ? json({ error: { code: 'input_invalid', message: 'never', field: '' } }, 422)
      : keepAll(request)
  window.dispatchEvent(new Event('online'))
  await vi.waitFor(async () => expect(await deliveries(recorder)).toEqual(['aside']))
  expect((await recorder.acts())[0]?.act.body.reason).toBe('poison')
})

test('nobody else on a shared device sees what somebody has done there', async () => {
  const { recorder } = await opened()
  answer = gone
  await recorder.act(placed('mine'))
  rememberPerson({ id: 'q', name: 'Bram Osei' })
  expect(await recorder.acts()).toEqual([])
  expect(await recorder.waits()).toMatchObject({ count: 1 })
})

const photo = () => new Blob(['jpeg'], { type: 'image/jpeg' })
const seen = (photos: Blob[]): NewAct =>
  placed('', { type: 'defect_seen', body: { what: 'torn', consequence: 'note' }, photos })

test('photographs follow what they belong to, one after the other, and wait where there is no contact', async () => {
  const { recorder } = await opened()
  answer = (request) => (request.path === '/api/acts' ? keepAll(request) : away())
  await recorder.act(seen([photo(), photo()]))
  await vi.waitFor(() => expect(sent.some(({ method }) => method === 'PUT')).toBe(true))
  expect((await recorder.acts())[0]).toMatchObject({ delivery: 'waiting', told: true })
  sent = []
  answer = keepAll
  window.dispatchEvent(new Event('online'))
  await vi.waitFor(async () => expect(await recorder.acts()).toEqual([]))
  expect(sent.filter(({ method }) => method === 'PUT')).toHaveLength(2)
})

test('a photograph that is none is set aside, and what it belongs to stays kept', async () => {
  const { recorder } = await opened()
  answer = (request) =>
    request.path === '/api/acts'
      ? keepAll(request)
      : json({ error: { code: 'no_photograph', message: 'This is no photograph.', field: 'body' } }, 422)
  await recorder.act(seen([photo()]))
  await vi.waitFor(async () => expect(await deliveries(recorder)).toEqual(['aside']))
  expect((await recorder.acts())[0]?.why).toBe('This is no photograph.')
})

import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { rememberPerson } from '../shared/api'
import { script } from '../testing/script'
import { keepTimeBy, momentOf, now, secondsSince } from './clock'
import { openStore, type Db } from './db'
import type { DriveAsk, DriveMessage, Frame } from './driving'
import { Outbox } from './outbox'
import { beginPractice, Practice, practicesHere } from './practice'
import { recordOf } from './record'

const worker = vi.hoisted(() => {
  const hear: (told: never) => void = () => undefined
  return { hear, asked: [] as unknown[], core: [] as [string, string[]][], isSo: true }
})
vi.mock('./deviceJudge', () => ({
  coreAddress: () => 'http://localhost/judge/',
  driveHere: (hear: (told: DriveMessage) => void) => {
    worker.hear = hear as typeof worker.hear
    return (ask: DriveAsk) => void worker.asked.push(ask)
  },
  askCore: (what: string, given: string[]) => {
    if (what === 'practice_is_so') {
      return Promise.resolve((JSON.parse(given[0] ?? '[]') as unknown[]).map(() => worker.isSo))
    }
    worker.core.push([what, given])
    return Promise.resolve(
      what === 'practice_record' ? { format: 'low-hiss-practice/1' } : { outcome: 'fail', faults: [] },
    )
  },
}))

const frame = (more: Partial<Frame> = {}): Frame => ({
  ...{
    t_s: 4,
    tick: 400,
    needles: [100, 100],
    lamp: false,
    buzzer: false,
    abs_power: false,
    abs_trailer: false,
  },
  ...{ rpm: 0, mph: 0, oil_psi: 0, coolant_f: 100, volts: 12, parking: false, trailer: false, pitch_deg: 0 },
  ...{
    ground_in: 0,
    rolls: false,
    wheel_deg: 0,
    key: 'off',
    no_crank: false,
    gear: 'N',
    pedal: 0,
    clutch: 0,
    throttle: 0,
  },
  ...{ idle_rpm: 650, window: 'up', belt: 'off', where: 'cab', chocks: { front: 'under', back: 'stowed' } },
  ...{ sounds: [], first_state: 0, states: [], pops: [] },
  ...more,
})
let stores = 0
let db: Db
let practice: Practice

const tell = (told: DriveMessage) => worker.hear(told as never)
const show = (more: Partial<Frame> = {}, world = 4) =>
  tell({
    drive: 'frame',
    frame: frame(more),
    at: performance.timeOrigin + performance.now(),
    world,
    rate: 0,
    behindS: 0,
  })
const woken = vi.fn()
const settled = () => new Promise((done) => setTimeout(done, 20))

async function sit(id?: string): Promise<string> {
  const begun = id ?? (await beginPractice(db, { title: 'bus', choice: { kind: 'bus' } }))
  practice = await Practice.open(db, begun, woken)
  await practice.start()
  tell({
    drive: 'ready',
    described: { kind: 'bus', script: { ...script, record: { gauges: {} } }, full_pedal: 0.95 },
    tookMs: 9,
  })
  show()
  return begun
}

beforeEach(async () => {
  rememberPerson({ id: 'p', name: 'Ines Aldous' })
  worker.asked = []
  worker.core = []
  worker.isSo = true
  stores += 1
  db = await openStore(`practice-${stores}`)
  await sit()
})
afterEach(() => {
  practice.stop()
  vi.unstubAllGlobals()
})

const marked = async (...bodies: { type: string; [field: string]: unknown }[]) => {
  await practice.mark('x', bodies)
  return practice.marks()
}

test('what is marked is stamped by the vehicle’s clock, which may stand still', async () => {
  expect(now().mono_s).toBe(4)
  expect(momentOf({ timeStamp: performance.now() - 30 }).mono_s).toBe(4)
  show({}, 9.5)
  expect(secondsSince({ ...now(), mono_s: 8 })).toBeCloseTo(1.5)
  const [mark] = await marked({ type: 'reading', stage: 'cut_out', point: 'cut_out' })
  expect(mark).toMatchObject({ at_s: 9.5, type: 'reading', point: 'cut_out' })
  keepTimeBy(null)
  expect(now().epoch).not.toContain('practice')
})

test('a state is the vehicle’s: a tick that is not so is a claim, leads on, and is judged nowhere', async () => {
  const so = [
    { type: 'engine', state: 'running' },
    { type: 'key', state: 'on' },
    { type: 'pedal', state: 'full' },
    { type: 'knob', knob: 'tractor', state: 'in', cause: 'hand' },
    { type: 'confirmed', item: 'seat_belt' },
    { type: 'confirmed', item: 'window_down' },
    { type: 'confirmed', item: 'neutral' },
    { type: 'confirmed', item: 'abs_lamps_out' },
  ]
  expect((await marked(...so)).map(({ type }) => type)).toEqual(so.map(({ type }) => type))
  const not = [
    { type: 'engine', state: 'off' },
    { type: 'key', state: 'off' },
    { type: 'pedal', state: 'released' },
    { type: 'knob', knob: 'trailer', state: 'in', cause: 'hand' },
    { type: 'confirmed', item: 'wheels_chocked' },
    { type: 'confirmed', item: 'chocks_removed' },
    { type: 'confirmed', item: 'in_gear' },
    { type: 'confirmed', item: 'area_clear' },
  ]
  worker.isSo = false
  const marks = await marked(...not)
  expect(marks.filter(({ type }) => type !== 'claim')).toHaveLength(so.length)
  expect(marks.filter(({ what }) => what === 'not_so')).toHaveLength(not.length)
  const live = practice.snapshot()
  expect(live?.events.filter(({ event }) => event.claimed)).toHaveLength(not.length)
  expect(live && recordOf(live).events).toHaveLength(so.length)
})

test('states come with their frames, once, and stand in the order of the vehicle’s time', async () => {
  const states = [
    { at_s: 1, type: 'key', state: 'on' },
    { at_s: 3, type: 'confirmed', item: 'area_clear' },
  ]
  await marked({ type: 'note', text: 'x' })
  show({ states, first_state: 0 })
  show({ states, first_state: 0 })
  await settled()
  expect(practice.snapshot()?.events.map(({ event }) => event.type)).toEqual(['key', 'confirmed', 'note'])
})

test('what is said beside the run record is kept, and is no part of the run', async () => {
  const marks = await marked({ type: 'claim', what: 'closing', value: 'pass' }, { type: 'note', text: 'x' })
  expect(marks.map(({ type }) => type)).toEqual(['claim', 'note'])
  expect(practice.snapshot()?.events.map(({ event }) => event.type)).toEqual(['note'])
})

test('a pop that nobody marked is told without a number when its stage is left', async () => {
  show({
    pops: [
      { at_s: 3.2, knob: 'trailer' },
      { at_s: 3.9, knob: 'tractor' },
    ],
  })
  await marked({ type: 'knob', knob: 'trailer', state: 'out', cause: 'popped' })
  const marks = await marked({ type: 'skipped', stage: 'spring_brakes', why: 'x' })
  expect(marks.map(({ at_s, type, knob }) => [at_s, type, knob])).toEqual([
    [3.9, 'knob', 'tractor'],
    [4, 'knob', 'trailer'],
    [4, 'skipped', undefined],
  ])
})

test('a page that died goes on from what was kept of the drive and what was moved since', async () => {
  const id = practice.local.id
  tell({ drive: 'moved', name: 'key', refused: '', from: 0, log: [[10, 'key', 'on']] })
  tell({ drive: 'kept', kept: 'sealed', tick: 200 })
  tell({ drive: 'moved', name: 'belt', refused: '', from: 1, log: [[250, 'belt', 'on']] })
  show({ tick: 420 })
  await marked({ type: 'note', text: 'kept' })
  await settled()
  worker.asked = []
  await sit(id)
  const asked = worker.asked[0] as DriveAsk & { drive: 'begin' }
  expect(asked.kept).toBe('sealed')
  expect(JSON.parse(asked.record)).toMatchObject({
    controls: [
      [10, 'key', 'on'],
      [250, 'belt', 'on'],
    ],
    ticks: 420,
  })
  expect(practice.marks()).toMatchObject([{ type: 'note', text: 'kept' }])
})

test('its end is worked out here, kept, and sent as soon as there is contact', async () => {
  vi.stubGlobal('fetch', () => {
    throw new TypeError('no network')
  })
  await marked({ type: 'finished' })
  expect(practice.snapshot()?.run.closed).toBe(true)
  expect((await practicesHere(db))[0]).toMatchObject({ ended: true, after: { outcome: 'fail' } })
  expect((await practicesHere(db))[0]?.told).toBeUndefined()
  const sent: string[] = []
  vi.stubGlobal('fetch', (request: Request) => {
    sent.push(`${request.method} ${new URL(request.url).pathname}`)
    return new Response('{}', { headers: { 'content-type': 'application/json' } })
  })
  expect(woken).toHaveBeenCalled()
  const outbox = new Outbox(db, () => undefined)
  outbox.wake()
  await vi.waitFor(async () => expect((await practicesHere(db))[0]?.told).toBe(true))
  outbox.wake()
  await settled()
  expect(sent).toEqual([`PUT /api/practices/${practice.local.id}`])
})

test('a practice that the server refuses says why and holds up no other', async () => {
  await marked({ type: 'finished' })
  const first = practice.local.id
  practice.stop()
  await sit()
  await marked({ type: 'finished' })
  vi.stubGlobal('fetch', (request: Request) => {
    const refused = new URL(request.url).pathname.endsWith(first)
    const error = { code: 'practice_format', message: 'record.format: must be another.', field: 'record' }
    return new Response(JSON.stringify(refused ? { error } : {}), {
      status: refused ? 422 : 200,
      headers: { 'content-type': 'application/json' },
    })
  })
  new Outbox(db, () => undefined).wake()
  await vi.waitFor(async () => {
    const found = new Map((await practicesHere(db)).map((one) => [one.id, one]))
    expect(found.get(practice.local.id)?.told).toBe(true)
    expect(found.get(first)).toMatchObject({ refused: 'record.format: must be another.' })
  })
})

test('somebody else on the same device has no practice of mine', async () => {
  rememberPerson({ id: 'q', name: 'Tove Lind' })
  expect(await practicesHere(db)).toEqual([])
  await expect(Practice.open(db, practice.local.id, woken)).rejects.toThrow('no such practice')
})

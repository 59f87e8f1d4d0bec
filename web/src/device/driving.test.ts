import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import type { Core } from './core'
import { Driving, type DriveMessage, type Frame } from './driving'

/** A core whose vehicle does nothing but keep time. */
function stillCore() {
  const at = { tick: 0, log: [] as [number, string, unknown][], sounds: [] as Frame['sounds'], refuse: '' }
  const core = {
    practice_begin: () => '{"kind":"bus"}',
    practice_frame: (tick: number) => {
      at.tick = Math.max(at.tick, tick)
      return JSON.stringify({ tick: at.tick, t_s: at.tick / 100, sounds: at.sounds, states: [], pops: [] })
    },
    practice_control: (name: string, value: string) => {
      if (name === 'warp') throw new Error('Traceback\n  File\nlowhiss.AirSystemError: control is warp')
      at.log.push([at.tick, name, JSON.parse(value)])
      return at.refuse
    },
    practice_trainer: (name: string) => (name === 'faults' ? '' : 'no'),
    practice_truth: () => '{"psi":{}}',
    practice_save: () => '"kept"',
    practice_log: (since: number) => JSON.stringify(at.log.slice(since)),
  }
  return { at, core: core as unknown as Core }
}

let told: DriveMessage[]
let clock: number

beforeEach(() => {
  vi.useFakeTimers()
  told = []
  clock = 0
  vi.stubGlobal('self', { postMessage: (one: DriveMessage) => told.push(one) })
  vi.spyOn(performance, 'now').mockImplementation(() => clock)
})
afterEach(() => {
  vi.unstubAllGlobals()
  vi.useRealTimers()
})

async function begun() {
  const { at, core } = stillCore()
  const driving = new Driving(() => Promise.resolve(core))
  driving.hear({ drive: 'begin', from: '/', choice: '{}', kept: '', record: '' })
  await vi.advanceTimersByTimeAsync(1)
  return { at, driving }
}

/** Let the page's time go on by so many milliseconds, the timer's turn coming every so often. */
function pass(ms: number, every = 14): void {
  for (let left = ms; left > 0; left -= every) {
    clock += Math.min(every, left)
    vi.advanceTimersByTime(14)
  }
}

const frames = () => told.filter((one) => one.drive === 'frame')
const kinds = () => told.map(({ drive }) => drive)

test('the vehicle keeps real time and tells where it is at which moment', async () => {
  const { at } = await begun()
  expect(kinds()).toEqual(['loading', 'loading', 'ready', 'frame', 'kept'])
  pass(1000)
  expect(at.tick).toBeGreaterThan(97)
  const last = frames().at(-1)
  expect(last && last.world).toBeCloseTo(1, 2)
  expect(last && last.behindS).toBeLessThan(0.05)
})

test('a device that slept has not let the vehicle jump, and says for how long it stood', async () => {
  const { at } = await begun()
  pass(500)
  const before = at.tick
  clock += 60_000
  vi.advanceTimersByTime(14)
  expect(told.at(-1)).toEqual({ drive: 'stood', seconds: 60 })
  pass(28)
  expect(at.tick - before).toBeLessThan(8)
})

test('what is behind is caught up in small steps, so that a touch is heard between', async () => {
  const { at } = await begun()
  const before = at.tick
  clock += 1500
  vi.advanceTimersByTime(14)
  expect(at.tick - before).toBeLessThanOrEqual(12)
  pass(400)
  expect(at.tick).toBeGreaterThan(150)
})

test('a device that is too slow stops and keeps what there is', async () => {
  const slow = () => JSON.stringify({ tick: 0, t_s: 0, sounds: [], states: [], pops: [] })
  const { core } = stillCore()
  const other = new Driving(() => Promise.resolve({ ...core, practice_frame: slow }))
  other.hear({ drive: 'begin', from: '/', choice: '{}', kept: '', record: '' })
  await vi.advanceTimersByTimeAsync(1)
  pass(3000)
  expect(kinds().slice(-2)).toEqual(['kept', 'slow'])
  const count = told.length
  pass(500)
  expect(told.filter(({ drive }) => drive === 'frame').length).toBeLessThan(count)
})

test('filling goes faster until the blast, or until anything is touched', async () => {
  const { at, driving } = await begun()
  driving.hear({ drive: 'rate', rate: 4 })
  pass(500)
  expect(at.tick).toBeGreaterThan(150)
  at.sounds = [{ name: 'blast', place: 'dryer', level: 8 }]
  pass(14)
  const after = frames().at(-1)
  expect(after && after.rate).toBe(1)
  driving.hear({ drive: 'rate', rate: 4 })
  driving.hear({ drive: 'control', name: 'pedal', value: 1 })
  at.sounds = []
  pass(14)
  expect(frames().at(-1)?.rate).toBe(1)
})

test('a control is moved at the moment it is touched, and what was moved is told once', async () => {
  const { driving } = await begun()
  pass(200)
  clock += 9
  driving.hear({ drive: 'control', name: 'key', value: 'on' })
  const moved = told.filter((one) => one.drive === 'moved')
  expect(moved).toEqual([{ drive: 'moved', name: 'key', refused: '', from: 0, log: [[20, 'key', 'on']] }])
  driving.hear({ drive: 'control', name: 'warp', value: 9 })
  expect(told.at(-1)).toMatchObject({ name: 'warp', refused: 'control is warp', log: [] })
})

test('frozen it stands still, and goes on from there', async () => {
  const { at, driving } = await begun()
  pass(300)
  driving.hear({ drive: 'freeze', frozen: true })
  const before = at.tick
  pass(5000)
  expect(at.tick).toBe(before)
  driving.hear({ drive: 'freeze', frozen: false })
  pass(100)
  expect(at.tick - before).toBeLessThan(15)
})

test('a trainer sets the vehicle and is told what came of it; the truth is told only when it is wanted', async () => {
  const { driving } = await begun()
  driving.hear({ drive: 'trainer', name: 'faults', value: ['water'], by: 'Hanne' })
  expect(told).toContainEqual({ drive: 'done', by: 'Hanne', name: 'faults', value: ['water'], refused: '' })
  pass(600)
  expect(kinds()).not.toContain('truth')
  driving.hear({ drive: 'truth', wanted: true })
  pass(600)
  expect(kinds().filter((kind) => kind === 'truth').length).toBeGreaterThanOrEqual(2)
})

test('a core that cannot be loaded is told, not thrown', async () => {
  const driving = new Driving(() => Promise.reject(new Error('no contact')))
  driving.hear({ drive: 'begin', from: '/', choice: '{}', kept: '', record: '' })
  await vi.advanceTimersByTimeAsync(1)
  expect(told.at(-1)).toEqual({ drive: 'failed', why: 'no contact' })
})

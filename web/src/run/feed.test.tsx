import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { now } from '../device'
import { Feed } from './feed'
import * as socket from '../device'

let say: (message: unknown) => void
const hungUp = vi.fn()
const frame = (primary_psi: number, more = {}) => ({ frame: { t_s: 1, primary_psi, ...more } })

beforeEach(() => {
  vi.useFakeTimers()
  hungUp.mockClear()
  vi.spyOn(socket, 'keepConnected').mockImplementation((_path, heard) => {
    say = heard
    return hungUp
  })
})
afterEach(() => {
  vi.useRealTimers()
  vi.restoreAllMocks()
})

test('needles are shown to the tenth, and as gone two seconds after the last frame', () => {
  const feed = new Feed('u')
  expect(feed.state()).toMatchObject({ stopped: true, numbers: null })
  say(frame(101.26, { secondary_psi: 99.98, tractor_in: true }))
  expect(feed.state()).toMatchObject({
    stopped: false,
    numbers: { primary_psi: 101.3, secondary_psi: 100 },
    knobs: { tractor: true },
  })
  vi.advanceTimersByTime(1500)
  expect(feed.state().stopped).toBe(false)
  vi.advanceTimersByTime(1000)
  expect(feed.state()).toMatchObject({ stopped: true, numbers: null, knobs: {} })
  feed.close()
})

test('a mark gets what the needles showed when it was marked, not when it is written down', () => {
  const feed = new Feed('u')
  const early = now()
  expect(feed.at(early)).toBeNull()
  vi.advanceTimersByTime(10_000)
  say(frame(100))
  vi.advanceTimersByTime(500)
  const marked = now()
  vi.advanceTimersByTime(300)
  say(frame(80))
  expect(feed.at(marked)).toEqual({ primary_psi: 100 })
  expect(feed.at(now())).toEqual({ primary_psi: 80 })
  expect(feed.at(early)).toBeNull() // no frame within two seconds of it
  expect(feed.at({ ...marked, epoch: 'another page life' })).toBeNull()
  vi.advanceTimersByTime(25_000)
  say(frame(60))
  expect(feed.at(marked)).toBeNull() // kept for twenty seconds
  feed.close()
})

test('trouble with the frames is said for eight seconds', () => {
  const feed = new Feed('u')
  say({ ...frame(100), trouble: 'jump' })
  expect(feed.state().trouble).toBe('jump')
  vi.advanceTimersByTime(7900)
  say(frame(100))
  expect(feed.state().trouble).toBe('jump')
  vi.advanceTimersByTime(500)
  expect(feed.state().trouble).toBeNull()
  feed.close()
})

test('a proposed moment lies where the server saw it, the newest of its kind stands, and it passes', () => {
  const feed = new Feed('u')
  vi.advanceTimersByTime(30_000)
  const propose = (moment: string, ago_s: number, primary_psi: number) =>
    say({ proposals: [{ moment, ago_s, primary_psi, secondary_psi: null }] })
  propose('cut_out', 1.5, 125.04)
  propose('settled', 0.2, 124)
  propose('cut_out', 0.5, 126)
  const here = now()
  expect(feed.state().proposals).toEqual([
    { moment: 'settled', at: expect.anything(), numbers: { primary_psi: 124 } },
    { moment: 'cut_out', at: expect.anything(), numbers: { primary_psi: 126 } },
  ])
  const at = feed.state().proposals.at(-1)?.at ?? now()
  expect(here.mono_s - at.mono_s).toBeCloseTo(0.5, 2)
  expect(Date.parse(here.wall) - Date.parse(at.wall)).toBe(500)
  vi.advanceTimersByTime(13_000)
  expect(feed.state().proposals).toEqual([])
  feed.close()
})

test('listeners hear of frames and of silence until the feed is closed', () => {
  const feed = new Feed('u')
  const heard = vi.fn()
  const stop = feed.subscribe(heard)
  say(frame(100))
  expect(heard).toHaveBeenCalledTimes(1)
  vi.advanceTimersByTime(500)
  expect(heard).toHaveBeenCalledTimes(2)
  stop()
  say(frame(99))
  expect(heard).toHaveBeenCalledTimes(2)
  feed.close()
  expect(hungUp).toHaveBeenCalledOnce()
  say(frame(98))
  expect(feed.state().numbers).toEqual({ primary_psi: 99 })
})

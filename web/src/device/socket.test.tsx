import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { keepConnected, listen } from './socket'

class Line extends EventTarget {
  static made: Line[] = []
  readyState = 0
  closed = false

  constructor(readonly url: string) {
    super()
    Line.made.push(this)
  }

  close() {
    this.closed = true
    this.readyState = 3
  }

  open() {
    this.readyState = 1
    this.dispatchEvent(new Event('open'))
  }

  lose(code = 1006) {
    this.readyState = 3
    this.dispatchEvent(new CloseEvent('close', { code }))
  }

  say(message: unknown) {
    this.dispatchEvent(new MessageEvent('message', { data: JSON.stringify(message) }))
  }
}

const newest = () => Line.made.at(-1) as Line
const pass = (ms: number) => vi.advanceTimersByTimeAsync(ms)

beforeEach(() => {
  vi.useFakeTimers()
  Line.made = []
  vi.stubGlobal('WebSocket', Line)
})
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
})

test('a run is heard of over the page’s own server until nobody listens', async () => {
  const nudged = vi.fn()
  const stop = listen('/api/runs/r1/live', nudged)
  await pass(0)
  expect(newest().url).toBe(`ws://${window.location.host}/api/runs/r1/live`)
  newest().open()
  newest().say({ last_seq: 3, at_s: 12.5 })
  expect(nudged).toHaveBeenCalledExactlyOnceWith({ last_seq: 3, at_s: 12.5 })
  stop()
  expect(newest().closed).toBe(true)
  await pass(60_000)
  window.dispatchEvent(new Event('online'))
  await pass(60_000)
  expect(Line.made).toHaveLength(1)
})

test('a lost connection comes back after pauses that double up to ten seconds, and start anew once it stood', async () => {
  const lost = vi.fn()
  const stop = keepConnected('/api/x', vi.fn(), lost)
  await pass(0)
  for (const pauseMs of [500, 1000, 2000, 4000, 8000, 10_000, 10_000]) {
    const before = Line.made.length
    newest().lose()
    await pass(pauseMs - 1)
    expect(Line.made).toHaveLength(before)
    await pass(1)
    expect(Line.made).toHaveLength(before + 1)
  }
  expect(lost).toHaveBeenCalledTimes(7)
  newest().open()
  await pass(2000)
  newest().lose()
  await pass(500)
  expect(Line.made).toHaveLength(9)
  stop()
})

test('contact that is back is used at once, and never twice', async () => {
  const stop = keepConnected('/api/x', vi.fn())
  await pass(0)
  newest().open()
  window.dispatchEvent(new Event('online')) // it still stands
  await pass(0)
  expect(Line.made).toHaveLength(1)
  newest().lose()
  window.dispatchEvent(new Event('online'))
  await pass(0)
  expect(Line.made).toHaveLength(2)
  newest().open()
  await pass(20_000)
  expect(Line.made).toHaveLength(2)
  stop()
})

test.each([4403, 4404])('an answer of %i is for good', async (code) => {
  const stop = keepConnected('/api/x', vi.fn())
  await pass(0)
  newest().lose(code)
  await pass(60_000)
  window.dispatchEvent(new Event('online'))
  await pass(60_000)
  expect(Line.made).toHaveLength(1)
  stop()
})

import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { keepConnected, listen } from './socket'

class Line {
  static made: Line[] = []
  onmessage?: (message: { data: string }) => void
  onclose?: (end: { code: number }) => void
  readonly url: string
  closed = false

  constructor(url: URL) {
    this.url = String(url)
    Line.made.push(this)
  }

  close() {
    this.closed = true
    this.onclose?.({ code: 1000 })
  }

  say(message: unknown) {
    this.onmessage?.({ data: JSON.stringify(message) })
  }
}

const newest = () => Line.made.at(-1) as Line
const lose = (code = 1006) => newest().onclose?.({ code })

beforeEach(() => {
  vi.useFakeTimers()
  Line.made = []
  vi.stubGlobal('WebSocket', Line)
})
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
})

test('a run is heard of over the page’s own server until nobody listens', () => {
  const nudged = vi.fn()
  const stop = listen('r1', nudged)
  expect(newest().url).toBe(`ws://${window.location.host}/api/runs/r1/live`)
  newest().say({ last_seq: 3, at_s: 12.5 })
  expect(nudged).toHaveBeenCalledExactlyOnceWith({ last_seq: 3, at_s: 12.5 })
  stop()
  expect(newest().closed).toBe(true)
  vi.advanceTimersByTime(60_000)
  window.dispatchEvent(new Event('online'))
  expect(Line.made).toHaveLength(1)
})

test('a lost connection comes back after pauses that double up to ten seconds, and start anew once it speaks', () => {
  const lost = vi.fn()
  const stop = keepConnected('/api/x', vi.fn(), lost)
  for (const pauseMs of [500, 1000, 2000, 4000, 8000, 10_000, 10_000]) {
    const before = Line.made.length
    lose()
    vi.advanceTimersByTime(pauseMs - 1)
    expect(Line.made).toHaveLength(before)
    vi.advanceTimersByTime(1)
    expect(Line.made).toHaveLength(before + 1)
  }
  expect(lost).toHaveBeenCalledTimes(7)
  newest().say({})
  lose()
  vi.advanceTimersByTime(500)
  expect(Line.made).toHaveLength(9)
  stop()
})

test('contact that is back is used at once, and never twice', () => {
  const stop = keepConnected('/api/x', vi.fn())
  window.dispatchEvent(new Event('online')) // it still stands
  expect(Line.made).toHaveLength(1)
  lose()
  window.dispatchEvent(new Event('online'))
  vi.advanceTimersByTime(20_000)
  expect(Line.made).toHaveLength(2)
  stop()
})

test.each([4403, 4404])('an answer of %i is for good', (code) => {
  const stop = keepConnected('/api/x', vi.fn())
  lose(code)
  vi.advanceTimersByTime(60_000)
  expect(Line.made).toHaveLength(1)
  stop()
})

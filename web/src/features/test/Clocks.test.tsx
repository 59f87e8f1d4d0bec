import { act, render, screen } from '@testing-library/react'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { stateOf } from '../../run'
import { Frame } from '../../testing/Frame'
import { script } from '../../testing/script'
import { FillClock, HoldClock, secondsToFull, WaitClock } from './Clocks'
import { playTo, present, valued } from './played.testing'

const START = Date.parse('2026-11-02T04:41:00Z')

beforeEach(
  () =>
    void vi.useFakeTimers({ now: START, toFake: ['Date', 'performance', 'setInterval', 'clearInterval'] }),
)
afterEach(() => void vi.useRealTimers())

const mark = (numbers: Record<string, number> = {}) => ({
  ...{ id: 'm', device: 'd', epoch: 'an earlier page', mono_s: 0, wall: new Date(START).toISOString() },
  ...{ point: 'start' as const, stage: 'leak_applied', which: '', numbers, late: false },
})
const pass = (seconds: number) => act(() => vi.advanceTimersByTime(seconds * 1000))
const face = () => screen.getByRole('timer').querySelector('.num')?.textContent
const blocks = (name: string) => document.querySelectorAll(`[aria-hidden] i.${name}`).length

test('a hold counts down by itself, a block a second, the last ten in amber', () => {
  render(
    <Frame>
      <HoldClock start={mark({ primary_psi: 100, secondary_psi: 101 })} holdS={60} ownWatch={false} />
    </Frame>,
  )
  expect(face()).toBe('1:00')
  expect([blocks('bg-ink'), blocks('bg-amber')]).toEqual([50, 10])
  expect(screen.getByText(/100 · 101 psi/)).toBeTruthy()
  pass(52.4)
  expect(face()).toBe('0:08')
  expect([blocks('bg-ink'), blocks('bg-amber'), blocks('bg-hair')]).toEqual([0, 8, 52])
  pass(30)
  expect(face()).toBe('0:00')
})

test('where a person keeps the time by a watch, none is shown', () => {
  render(
    <Frame>
      <HoldClock start={mark()} holdS={60} ownWatch />
    </Frame>,
  )
  expect(screen.getByRole('timer').textContent).not.toMatch(/\d/)
})

test('the wait counts up, and its advice changes when it is over', () => {
  const since = mark()
  render(
    <Frame>
      <WaitClock since={since} advisedS={20} />
    </Frame>,
  )
  pass(12)
  const before = screen.getByRole('timer').textContent
  expect(face()).toBe('0:12')
  pass(9)
  expect(face()).toBe('0:21')
  expect(screen.getByRole('timer').textContent?.replace('0:21', '')).not.toBe(before?.replace('0:12', ''))
})

test('the time to full falls with the pressure, to nothing above the last figure', () => {
  const { from_psi, seconds } = script.fill
  from_psi.forEach((psi, n) => expect(secondsToFull(script, psi)).toBeCloseTo(seconds[n] ?? 0, 9))
  const told = Array.from({ length: 150 }, (_, psi) => secondsToFull(script, psi))
  told.slice(1).forEach((later, psi) => expect(later).toBeLessThanOrEqual(told[psi] ?? 0))
  expect(secondsToFull(script, 200)).toBe(seconds.at(-1))
})

const fill = (psi: number | null, livePsi: number | null) => {
  const building = playTo((state) => present('cut_out')(state) && state.engineStart !== null)
  const events = psi === null ? building : valued(building, psi)
  render(
    <Frame>
      <FillClock
        {...{ script, livePsi }}
        state={stateOf(script, events)}
        compact={false}
        onConfirm={() => undefined}
      />
    </Frame>,
  )
}

test('without any reading it counts up and asks where the needles are', () => {
  fill(null, null)
  expect(screen.getByRole('textbox')).toBeTruthy()
})

test('under a live feed it reckons from the needles as they are, and asks nothing', () => {
  fill(null, 90)
  expect(screen.queryByRole('textbox')).toBeNull()
  const left = Math.ceil(secondsToFull(script, 90))
  expect(face()).toBe(`${Math.floor(left / 60)}:${String(left % 60).padStart(2, '0')}`)
})

import { act, fireEvent, render, screen } from '@testing-library/react'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import type { Frame, Practice } from '../../device'
import { Knob } from './Knob'
import { Pedal } from './Pedal'

/** jsdom knows no pointers: a mouse event of that name carries what one would. */
const pointer = (on: HTMLElement, type: string, init: MouseEventInit = {}) =>
  fireEvent(on, new MouseEvent(type, { bubbles: true, ...init }))

let moved: [string, unknown][]
let frame: Partial<Frame>

const practice = () =>
  ({
    control: (name: string, value: unknown) => moved.push([name, value]),
    onFrame: () => () => undefined,
    described: { full_pedal: 0.95 },
    frame,
  }) as unknown as Practice

beforeEach(() => {
  vi.useFakeTimers()
  moved = []
  frame = { pedal: 0, t_s: 0, parking: false, trailer: false }
  HTMLElement.prototype.setPointerCapture = () => undefined
})
afterEach(() => {
  vi.useRealTimers()
})

test('a plain press is a full pedal, sliding up eases it, a lift acts at once', () => {
  render(<Pedal practice={practice()} />)
  const pedal = screen.getByRole('button', { name: /Brake pedal/ })
  Object.defineProperty(pedal, 'clientHeight', { value: 100 })
  pointer(pedal, 'pointerdown', { button: 0, clientY: 80 })
  pointer(pedal, 'pointermove', { clientY: 55 })
  pointer(pedal, 'pointerup')
  expect(moved).toEqual([
    ['pedal', 1],
    ['pedal', 0.75],
    ['pedal', 0],
  ])
})

test('a pointer that a system gesture cancels keeps the foot down for a quarter of a second', () => {
  render(<Pedal practice={practice()} />)
  const pedal = screen.getByRole('button', { name: /Brake pedal/ })
  pointer(pedal, 'pointerdown', { button: 0, clientY: 0 })
  pointer(pedal, 'pointercancel')
  vi.advanceTimersByTime(200)
  pointer(pedal, 'pointerdown', { button: 0, clientY: 0 }) // the thumb is back
  vi.advanceTimersByTime(1000)
  expect(moved.map(([, depth]) => depth)).toEqual([1, 1])
  pointer(pedal, 'pointercancel')
  vi.advanceTimersByTime(250)
  expect(moved.at(-1)).toEqual(['pedal', 0])
})

test('the latch holds it for those who cannot', () => {
  render(<Pedal practice={practice()} />)
  act(() => screen.getByRole('button', { name: 'Lock down' }).click())
  act(() => screen.getByRole('button', { name: 'locked down' }).click())
  expect(moved).toEqual([
    ['pedal', 1],
    ['pedal', 0],
  ])
})

test('a knob wants a firm push and a pull; a finger that rests on it does nothing', () => {
  render(<Knob practice={practice()} which="parking" />)
  const knob = screen.getByRole('switch')
  pointer(knob, 'pointerdown', { clientX: 0, clientY: 0 })
  vi.advanceTimersByTime(150)
  pointer(knob, 'pointerup')
  vi.advanceTimersByTime(500)
  expect(moved).toEqual([])
  pointer(knob, 'pointerdown', { clientX: 0, clientY: 0 })
  vi.advanceTimersByTime(200)
  expect(moved).toEqual([['parking', 'in']])
  frame.parking = true
  vi.advanceTimersByTime(5000) // it rests
  pointer(knob, 'pointermove', { clientX: 10, clientY: 10 })
  expect(moved).toHaveLength(1)
  pointer(knob, 'pointermove', { clientX: 0, clientY: 30 })
  expect(moved.at(-1)).toEqual(['parking', 'out'])
})

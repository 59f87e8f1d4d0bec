import { act, fireEvent, render, screen } from '@testing-library/react'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { Strike } from './Strike'

beforeEach(() => void vi.useFakeTimers())
afterEach(() => void vi.useRealTimers())

const space = (type: 'keyDown' | 'keyUp', target: Element | Window = window, more = {}) =>
  fireEvent[type](target, { code: 'Space', key: ' ', ...more })

test('the space bar strikes once for each press, wherever the focus is', () => {
  const onStrike = vi.fn()
  render(<Strike word="Start" asks="it" under="now" onStrike={onStrike} />)
  space('keyDown')
  space('keyDown', window, { repeat: true })
  space('keyUp')
  expect(onStrike).toHaveBeenCalledOnce()
  expect(onStrike.mock.calls[0]?.[0]).toMatchObject({ mono_s: expect.any(Number) })
})

test('in a text field or a dialog the space bar is theirs', () => {
  const onStrike = vi.fn()
  render(
    <>
      <input aria-label="note" />
      <div role="dialog">
        <button type="button">inside</button>
      </div>
      <Strike word="Start" asks="it" under="now" onStrike={onStrike} />
    </>,
  )
  space('keyDown', screen.getByLabelText('note'))
  space('keyDown', screen.getByRole('button', { name: 'inside' }))
  expect(onStrike).not.toHaveBeenCalled()
})

test('a strike that would spoil the minute needs a second, and is stamped when the press began', () => {
  const onStrike = vi.fn()
  render(<Strike word="Pedal came up" asks="it" under="hold" held onStrike={onStrike} />)
  fireEvent.pointerDown(screen.getByRole('button'), { button: 0 })
  act(() => void vi.advanceTimersByTime(900))
  fireEvent.pointerUp(screen.getByRole('button'))
  act(() => void vi.advanceTimersByTime(1000))
  expect(onStrike).not.toHaveBeenCalled()
  const began = performance.now() / 1000
  space('keyDown')
  act(() => void vi.advanceTimersByTime(1000))
  expect(onStrike).toHaveBeenCalledOnce()
  expect((onStrike.mock.calls[0]?.[0] as { mono_s: number }).mono_s).toBeCloseTo(began, 1)
})

test('a press that began under another meaning of the bar does not end under this one', () => {
  const onStrike = vi.fn()
  const { rerender } = render(<Strike word="Pedal came up" asks="it" under="hold" held onStrike={onStrike} />)
  space('keyDown')
  rerender(<Strike word="Set both needles first" asks="it" under="" disabled onStrike={onStrike} />)
  act(() => void vi.advanceTimersByTime(2000))
  expect(onStrike).not.toHaveBeenCalled()
})

test('a bar that waits strikes nothing', () => {
  const onStrike = vi.fn()
  render(<Strike word="Waiting" asks="it" under="" disabled onStrike={onStrike} />)
  space('keyDown')
  fireEvent.pointerDown(screen.getByRole('button'), { button: 0 })
  expect(onStrike).not.toHaveBeenCalled()
})

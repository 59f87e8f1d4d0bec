import { act, fireEvent, render, screen } from '@testing-library/react'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { MarkBar } from './MarkBar'

beforeEach(() => void vi.useFakeTimers())
afterEach(() => void vi.useRealTimers())

const space = (type: 'keyDown' | 'keyUp', target: Element | Window = window, more = {}) =>
  fireEvent[type](target, { code: 'Space', key: ' ', ...more })

test('the space bar marks once for each press, wherever the focus is', () => {
  const onMark = vi.fn()
  render(<MarkBar word="Start" asks="it" under="now" onMark={onMark} />)
  space('keyDown')
  space('keyDown', window, { repeat: true })
  space('keyUp')
  expect(onMark).toHaveBeenCalledOnce()
  expect(onMark.mock.calls[0]?.[0]).toMatchObject({ mono_s: expect.any(Number) })
})

test('in a text field or a dialog the space bar is theirs', () => {
  const onMark = vi.fn()
  render(
    <>
      <input aria-label="note" />
      <div role="dialog">
        <button type="button">inside</button>
      </div>
      <MarkBar word="Start" asks="it" under="now" onMark={onMark} />
    </>,
  )
  space('keyDown', screen.getByLabelText('note'))
  space('keyDown', screen.getByRole('button', { name: 'inside' }))
  expect(onMark).not.toHaveBeenCalled()
})

test('a mark that would spoil the minute needs a second, and is stamped when the press began', () => {
  const onMark = vi.fn()
  render(<MarkBar word="Pedal came up" asks="it" under="hold" held onMark={onMark} />)
  fireEvent.pointerDown(screen.getByRole('button'), { button: 0 })
  act(() => void vi.advanceTimersByTime(900))
  fireEvent.pointerUp(screen.getByRole('button'))
  act(() => void vi.advanceTimersByTime(1000))
  expect(onMark).not.toHaveBeenCalled()
  const began = performance.now() / 1000
  space('keyDown')
  act(() => void vi.advanceTimersByTime(1000))
  expect(onMark).toHaveBeenCalledOnce()
  expect((onMark.mock.calls[0]?.[0] as { mono_s: number }).mono_s).toBeCloseTo(began, 1)
})

test('a press that began under another meaning of the bar does not end under this one', () => {
  const onMark = vi.fn()
  const { rerender } = render(<MarkBar word="Pedal came up" asks="it" under="hold" held onMark={onMark} />)
  space('keyDown')
  rerender(<MarkBar word="Set both needles first" asks="it" under="" disabled onMark={onMark} />)
  act(() => void vi.advanceTimersByTime(2000))
  expect(onMark).not.toHaveBeenCalled()
})

test('a bar that waits marks nothing', () => {
  const onMark = vi.fn()
  render(<MarkBar word="Waiting" asks="it" under="" disabled onMark={onMark} />)
  space('keyDown')
  fireEvent.pointerDown(screen.getByRole('button'), { button: 0 })
  expect(onMark).not.toHaveBeenCalled()
})

import { render, screen } from '@testing-library/react'
import { expect, test } from 'vitest'
import { OutcomeMark, type AnyOutcome } from './OutcomeMark'

const outcomes: AnyOutcome[] = ['pass', 'fail', 'void', 'incomplete', 'not_done', 'no_rule', 'pending']

test('every outcome has a word and a shape of its own, not a colour alone', () => {
  const shapes = outcomes.map((outcome) => {
    const { container, unmount } = render(<OutcomeMark outcome={outcome} />)
    expect(container.textContent?.trim()).not.toBe('')
    const shape = container.querySelector('i')?.className
    unmount()
    return shape
  })
  expect(new Set(shapes).size).toBe(outcomes.length)
})

test('a close call is said and hatched; only pass and fail can be close', () => {
  const { container, rerender } = render(<OutcomeMark outcome="pass" closeCall />)
  expect(screen.getByText('Pass').textContent).toBe('Pass, close call')
  expect(container.querySelector('i')?.className).toContain('repeating-linear-gradient')
  rerender(<OutcomeMark outcome="void" closeCall />)
  expect(screen.getByText('Void').textContent).toBe('Void')
})

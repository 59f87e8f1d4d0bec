import { fireEvent, render, screen } from '@testing-library/react'
import { useState } from 'react'
import { expect, test, vi } from 'vitest'
import type { PressureUnit } from '../figures/format'
import { Tape } from './Tape'

function Set({ unit = 'psi', onAccept }: { unit?: PressureUnit; onAccept?: () => void }) {
  const [value, setValue] = useState<number | null>(null)
  const top = { psi: 200, kpa: 1378, bar: 13.7 }[unit]
  const ghost = { psi: 100, kpa: 690, bar: 6.9 }[unit]
  return (
    <Tape
      name="Needle"
      unit={unit}
      value={value}
      ghost={ghost}
      low={0}
      high={top}
      onChange={setValue}
      onAccept={onAccept}
    />
  )
}

const tape = () => screen.getByRole('slider', { name: 'Needle' })
const press = (...keys: string[]) => keys.forEach((key) => fireEvent.keyDown(tape(), { key }))

test('a ghost is no value: nothing is set until the tape is touched', () => {
  render(<Set />)
  expect(tape().getAttribute('aria-valuetext')).toBe('not entered')
  expect(tape().dataset.set).toBe('false')
  press('ArrowRight')
  expect(tape().getAttribute('aria-valuetext')).toBe('101 psi')
})

test('digits are typed, corrected and bounded', () => {
  render(<Set />)
  press('9', '7')
  expect(tape().getAttribute('aria-valuetext')).toBe('97 psi')
  press('Backspace', '8', '.', '5')
  expect(tape().getAttribute('aria-valuetext')).toBe('98.5 psi')
  fireEvent.blur(tape())
  press('PageUp')
  expect(tape().getAttribute('aria-valuetext')).toBe('104 psi')
  expect(screen.queryByRole('alert')).toBeNull()
})

test.each([
  ['kpa', '695 kPa'],
  ['bar', '6.95 bar'],
] as const)('one step in %s', (unit, text) => {
  render(<Set unit={unit} />)
  press('ArrowUp')
  expect(tape().getAttribute('aria-valuetext')).toBe(text)
})

test('enter accepts, and keys with a modifier are left to the browser', () => {
  const accept = vi.fn()
  render(<Set onAccept={accept} />)
  press('Enter')
  expect(accept).toHaveBeenCalledOnce()
  fireEvent.keyDown(tape(), { key: '9', ctrlKey: true })
  expect(tape().dataset.set).toBe('false')
})

test('the buttons beside it move it by one', () => {
  render(<Set />)
  fireEvent.click(screen.getByRole('button', { name: 'Needle, one less' }))
  fireEvent.click(screen.getByRole('button', { name: 'Needle, one less' }))
  fireEvent.click(screen.getByRole('button', { name: 'Needle, one more' }))
  expect(tape().getAttribute('aria-valuetext')).toBe('99 psi')
})

import { describe, expect, test } from 'vitest'
import { amount, clockFace, fromPsi, pressureUnits, reading, toPsi, toStep } from './format'
import { dateAndTime, when } from './useFigures'

describe('figures read as the Python core writes them', () => {
  test.each([
    [54.96892, 'psi', '55'],
    [55, 'kpa', '379'],
    [100, 'bar', '6.89'],
    [99.5, 'psi', '99.5'],
  ] as const)('%s psi as a reading in %s', (psi, unit, text) => expect(reading(psi, unit)).toBe(text))

  test.each([
    [3, 'psi', '3'],
    [3, 'kpa', '20.7'],
    [-1.25, 'bar', '−0.086'],
    [-0.01, 'psi', '0'],
  ] as const)('%s psi as an amount in %s', (psi, unit, text) => expect(amount(psi, unit)).toBe(text))
})

test.each(pressureUnits)('%s there and back', (unit) => {
  for (let psi = 0; psi <= 200; psi += 7.3) expect(toPsi(fromPsi(psi, unit), unit)).toBeCloseTo(psi, 9)
})

test('a tape stands on its steps', () => {
  expect(toStep(100.4, 'psi')).toBe(100)
  expect(toStep(688, 'kpa')).toBe(690)
  expect(toStep(6.88, 'bar')).toBe(6.9)
})

test('a countdown shows zero only when time is up', () => {
  expect([60, 59.2, 10, 0.04, 0, -3].map(clockFace)).toEqual(['1:00', '1:00', '0:10', '0:01', '0:00', '0:00'])
})

test('times are named by day, in the language', () => {
  const today = new Date(2026, 10, 25, 9)
  expect(when(new Date(2026, 10, 25, 4, 41), 'en', today)).toBe('today 04:41')
  expect(when(new Date(2026, 10, 24, 22, 35), 'es', today)).toBe('ayer 22:35')
  expect(when(new Date(2026, 10, 20, 4, 12), 'en', today)).toBe('Fri 04:12')
  expect(when(new Date(2024, 10, 20, 4, 12), 'en', today)).toContain('2024')
  expect(dateAndTime(today, 'es')).toBe('25 de noviembre de 2026 09:00')
})

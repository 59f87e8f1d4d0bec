import { render, within } from '@testing-library/react'
import { expect, test } from 'vitest'
import { AirColumn, type Bay, type Pin } from './AirColumn'

/** As the tests lay every element out. */
const HEIGHT = 640

const bay = (name: string, low: number | null, high: number | null): Bay => ({ name, low, high, text: '' })
const pin = (psi: number, out = false): Pin => ({ psi, text: `${psi} psi`, out })

function column(parts: Partial<Parameters<typeof AirColumn>[0]> = {}): HTMLElement {
  const all = { unit: 'psi' as const, fill: 100, bays: [], pins: [], label: 'Air column, 100 psi', ...parts }
  return within(render(<AirColumn {...all} />).container).getByRole('img')
}

const heights = (image: HTMLElement, texts: string[]) =>
  [...image.querySelectorAll('text')]
    .filter(({ textContent }) => texts.includes(textContent))
    .map((text) => Number(text.getAttribute('y')))
    .sort((a, b) => a - b)

test('a reading by eye is hatched, a live feed solid, and without a reading there is no fill', () => {
  expect(column().querySelector('rect[fill^=url]')).toBeTruthy()
  const live = column({ solid: true, label: 'live' })
  expect(live.querySelector('rect[fill^=url]')).toBeNull()
})

test('the fill reaches as high as its pressure on the scale', () => {
  const [empty, full] = [0, 150].map((fill) => {
    const image = column({ fill, label: `at ${fill}`, note: [] })
    return Number(image.querySelector('rect[fill^=url]')?.getAttribute('y'))
  })
  expect(empty).toBeGreaterThan(HEIGHT - 30)
  expect(full).toBeLessThan(30)
})

test.each([
  ['psi', '140'],
  ['kpa', '1000'],
  ['bar', '10'],
] as const)('the scale is in inspection figures of the unit: %s', (unit, text) => {
  const image = column({ unit })
  expect([...image.querySelectorAll('text')].map(({ textContent }) => textContent)).toContain(text)
})

test('no two marks cover each other, however close their pressures', () => {
  const pins = [122, 121.5, 121, 120, 119.5].map((psi) => pin(psi))
  const at = heights(
    column({ pins }),
    pins.map(({ text }) => text),
  )
  expect(at).toHaveLength(5)
  at.slice(1).forEach((y, n) => expect(y - (at[n] ?? 0)).toBeGreaterThanOrEqual(18))
  expect(Math.max(...at)).toBeLessThanOrEqual(HEIGHT)
})

test('no two windows’ names cover each other', () => {
  const bays = [bay('Cut-out', 120, 140), bay('Cut-in', 100, null), bay('may end at', 108, 112)]
  const at = heights(
    column({ bays }),
    bays.map(({ name }) => name),
  )
  at.slice(1).forEach((y, n) => expect(y - (at[n] ?? 0)).toBeGreaterThanOrEqual(28))
})

test('a mark outside its window is told by colour and by its place; on a phone marks are only pointers', () => {
  const image = column({ pins: [pin(52, true)] })
  expect(image.querySelector('text[fill*=clay]')?.textContent).toBe('52 psi')
  const narrow = column({ pins: [pin(52, true)], narrow: true, label: 'narrow' })
  expect(narrow.querySelector('path[fill*=clay]')).toBeTruthy()
  expect(narrow.textContent).not.toContain('52 psi')
})

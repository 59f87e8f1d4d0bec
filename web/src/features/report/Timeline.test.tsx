import { render, screen } from '@testing-library/react'
import { expect, test } from 'vitest'
import type { Schema } from '../../shared/api'
import { Frame } from '../../testing/Frame'
import { Timeline } from './Timeline'

const point = (at_s: number, psi: number, other_psi: number | null = null) => ({
  ...{ at_s, psi, other_psi },
  event: { type: 'reading', stage: 'leak_applied', point: 'start' },
})
const timeline = (...points: Schema['TimelineOut']['points']): Schema['TimelineOut'] => ({
  points,
  deeds: [{ at_s: 5, event: { type: 'pedal', state: 'full' } }],
  spans: [{ stage: 'leak_applied', attempt: 1, outcome: 'fail', from_s: 10, to_s: 70 }],
})
const show = (told: Schema['TimelineOut'], needles?: Schema['StretchOut'][]) =>
  render(
    <Frame unit="kpa">
      <Timeline timeline={told} needles={needles} />
    </Frame>,
  ).container
const by = (container: HTMLElement, selector: string) => container.querySelectorAll(selector).length
const DOTTED = 'path[stroke-linecap=round]'

test('without a reading there is nothing to draw', () => {
  expect(show(timeline()).innerHTML).toBe('')
})

test('readings by eye are points in the reader’s unit, with nothing but dots between them', () => {
  const container = show(timeline(point(10, 100, 102), point(70, 96)))
  expect(screen.getByRole('img').getAttribute('aria-label')).toBe('start 689, start 662')
  expect([by(container, 'circle'), by(container, DOTTED), by(container, '[data-needle]')]).toEqual([3, 1, 0])
  expect(container.textContent).toContain('Applied leak test, Fail')
  expect(container.textContent).toContain('hollow: the other')
})

test('with one needle there is no other to explain', () => {
  expect(show(timeline(point(10, 100))).textContent).not.toContain('hollow')
})

test('a live feed is drawn as lines, broken where it was silent', () => {
  const stretch = (needle: 'primary' | 'secondary', from: number) => ({
    ...{ needle, at_s: [from, from + 1, from + 2], psi: [100, 99, 98] },
  })
  const container = show(timeline(point(10, 100), point(70, 96)), [
    ...[stretch('primary', 10), stretch('secondary', 10), stretch('primary', 40), stretch('secondary', 40)],
  ])
  expect([by(container, '[data-needle=primary]'), by(container, DOTTED)]).toEqual([2, 0])
  for (const path of container.querySelectorAll('[data-needle]')) {
    expect(path.getAttribute('d')).toMatch(/^M[^M]*L[^M]*L[^M]*$/)
  }
  expect(container.textContent).toContain('live feed')
})

import { renderHook } from '@testing-library/react'
import type { ReactNode } from 'react'
import { expect, test } from 'vitest'
import { useFigures } from '../../shared/figures/useFigures'
import { stateOf } from '../../run'
import { Frame } from '../../testing/Frame'
import { script, marked } from '../../testing/script'
import { measuredText } from './Course'
import { legsOf, placeOf } from './legs'
import { playTo, present } from './played.testing'

const figuresIn = (unit: 'psi' | 'kpa') =>
  renderHook(() => useFigures(), {
    wrapper: ({ children }: { children: ReactNode }) => <Frame unit={unit}>{children}</Frame>,
  }).result.current

const legs = (events: ReturnType<typeof playTo>) => {
  const state = stateOf(script, events)
  return legsOf(script, state, [], state.lead.queue[0])
}

test('before the first mark every stage is coming, from where the last one leaves the pressure', () => {
  const path = legs([])
  expect(path.map(({ step }) => step.step)).toContain('leak_applied')
  expect(path.every(({ at }) => at === 'coming')).toBe(true)
  expect(placeOf(path)).toEqual({ now: path.length, all: path.length })
  const applied = path.find(({ step }) => step.step === 'leak_applied')
  const warning = path.find(({ step }) => step.step === 'low_air_warning')
  expect(warning?.path[0]).toBe(applied?.path[1])
})

test('what was done stays done, the present stage is one, and a stage left out is said', () => {
  const holding = legs(playTo(present('leak_applied')))
  expect(holding.filter(({ at }) => at === 'now').map(({ step }) => step.step)).toEqual(['leak_applied'])
  expect(holding.slice(0, placeOf(holding).now - 1).every(({ at }) => at === 'done')).toBe(true)
  const left = legs([...playTo(present('low_air_warning')), marked('skipped', { stage: 'low_air_warning' })])
  expect(left.find(({ step }) => step.step === 'low_air_warning')?.at).toBe('skipped')
})

test.each([
  [{ drop_psi: 3, time_s: 60 }, '−3'],
  [{ drop_psi: -0.4 }, '−0'],
  [{ time_s: 20.6 }, '21 s'],
  [{ psi: 64.2 }, '64.2'],
  [{}, ''],
])('a stage’s main figure: %o', (measured, text) => {
  expect(measuredText(measured, figuresIn('psi'))).toBe(text)
})

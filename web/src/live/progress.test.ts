import { expect, test } from 'vitest'
import { script, struck } from '../testing/script'
import type { WireEvent } from './db'
import { progressOf, standing } from './progress'

const chocked = () => struck('confirmed', { item: 'wheels_chocked' })
const prepared = (): WireEvent[] => [
  chocked(),
  struck('engine', { state: 'off' }),
  struck('key', { state: 'on' }),
  struck('confirmed', { item: 'area_clear' }),
  struck('knob', { knob: 'tractor', state: 'in' }),
  struck('knob', { knob: 'trailer', state: 'in' }),
]
const reading = (point: string, numbers = {}) =>
  struck('reading', { stage: 'leak_applied', point, ...numbers })
const both = { primary_psi: 100, secondary_psi: 100 }

test('each mark leads to the next phase', () => {
  const start = reading('start')
  const end = reading('end')
  const marks = [
    struck('pedal', { state: 'full' }),
    struck('settled', { stage: 'leak_applied' }),
    start,
    struck('valued', { event: start.id, ...both }),
    end,
    struck('valued', { event: end.id, primary_kpa: 680, secondary_psi: 99 }),
    struck('finished'),
  ]
  const phases = ['pedal', 'settle', 'start', 'hold', 'hold', 'read', 'judged', 'closed']
  phases.forEach((phase, count) => {
    expect(progressOf(script, [...prepared(), ...marks.slice(0, count)]).phase).toBe(phase)
  })
})

test('needs are asked in the order of the script, and "not so" is an answer', () => {
  expect(progressOf(script, []).nextNeed).toBe('wheels_chocked')
  const progress = progressOf(script, [chocked(), struck('engine', { state: 'running' })])
  expect(progress.nextNeed).toBe('key_on')
  expect(progress.answers.engine_off).toBe(false)
})

test('knobs count as answered only when every knob of the unit was', () => {
  const one = prepared().slice(0, 5)
  expect(progressOf(script, one).nextNeed).toBe('knobs_in')
  const out = progressOf(script, [...one, struck('knob', { knob: 'trailer', state: 'out', cause: 'hand' })])
  expect(out.answers.knobs_in).toBe(false)
})

test('a needle without its number keeps the mark waiting', () => {
  const events = [
    ...prepared(),
    struck('pedal', { state: 'full' }),
    struck('settled'),
    reading('start', both),
  ]
  expect(progressOf(script, [...events, reading('end', { primary_psi: 97 })]).phase).toBe('read')
})

test('what was taken back is as never struck, and so is a taking back that was taken back', () => {
  const events = prepared()
  const withdrawal = struck('withdrawn', { event: events[0]?.id })
  expect(progressOf(script, [...events, withdrawal]).nextNeed).toBe('wheels_chocked')
  const regretted = struck('withdrawn', { event: withdrawal.id })
  expect(standing([...events, withdrawal, regretted])).toEqual(events)
})

test('one strike may make several marks; all of them are taken back together', () => {
  const together = { mono_s: 500, epoch: 'p' }
  const up = [
    struck('pedal', { state: 'released', ...together }),
    struck('reading', { point: 'end', stage: 'leak_applied', ...together }),
  ]
  const events = [
    ...prepared(),
    struck('pedal', { state: 'full' }),
    struck('settled'),
    reading('start', both),
    ...up,
  ]
  const progress = progressOf(script, events)
  expect(progress.early).toBe(true)
  expect(progress.lastStrike).toEqual(up)
})

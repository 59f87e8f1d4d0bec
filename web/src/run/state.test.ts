import { expect, test } from 'vitest'
import { script, struck } from '../testing/script'
import { stateOf } from './state'

test('a watcher’s numbers count wherever another clock has put them among the marks', () => {
  const start = struck('reading', { stage: 'leak_applied', point: 'start' })
  const marks = [struck('pedal', { state: 'full' }), start, struck('pedal', { state: 'released' })]
  const numbers = struck('valued', { event: start.id, primary_psi: 121, secondary_psi: 119, late: true })
  for (const place of [0, 1, 2, 3]) {
    const state = stateOf(script, [...marks.slice(0, place), numbers, ...marks.slice(place)])
    expect(state.marks).toMatchObject([{ numbers: { primary_psi: 121, secondary_psi: 119 }, late: true }])
    expect(state.waiting).toEqual([])
  }
})

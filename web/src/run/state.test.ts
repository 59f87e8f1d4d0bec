import { expect, test } from 'vitest'
import { script, marked } from '../testing/script'
import { stateOf } from './state'

test('a watcher’s numbers count wherever another clock has put them among the marks', () => {
  const start = marked('reading', { stage: 'leak_applied', point: 'start' })
  const marks = [marked('pedal', { state: 'full' }), start, marked('pedal', { state: 'released' })]
  const numbers = marked('valued', { event: start.id, primary_psi: 121, secondary_psi: 119, late: true })
  for (const place of [0, 1, 2, 3]) {
    const state = stateOf(script, [...marks.slice(0, place), numbers, ...marks.slice(place)])
    expect(state.marks).toMatchObject([{ numbers: { primary_psi: 121, secondary_psi: 119 }, late: true }])
    expect(state.waiting).toEqual([])
  }
})

import { expect, test } from 'vitest'
import { watchersBar, type Bar } from './bar'

const bar = (act: Bar['act']): Bar => ({ word: 'start', under: 'start', act })
const leads = (act: Bar['act'], keepsTime = false) => watchersBar(bar(act), keepsTime).act

test.each([
  [{ type: 'reading', stage: 'cut_out', point: 'cut_out' }],
  [{ type: 'warning', lamp: true, buzzer: true }],
  [{ type: 'settled', stage: 'leak_applied' }],
  [{ type: 'knob', knob: 'trailer', state: 'out', cause: 'popped' }],
])('a watcher marks what is seen: %o', (body) => {
  expect(leads({ marks: [body] })).toEqual({ marks: [body] })
})

test.each([
  [{ type: 'engine', state: 'off' }],
  [{ type: 'pedal', state: 'full' }],
  [{ type: 'knob', knob: 'trailer', state: 'in', cause: 'hand' }],
  [{ type: 'attempt', stage: 'leak_applied' }],
  [{ type: 'held', stage: 'hold_parking', moved: false }],
])('and never does what the driver does: %o', (body) => {
  expect(watchersBar(bar({ marks: [body] }), true)).toMatchObject({
    word: 'watching',
    disabled: true,
    act: 'nothing',
  })
})

test('the minute is a watcher’s to time only where they keep the clock', () => {
  const start = { marks: [{ type: 'reading', stage: 'leak_applied', point: 'start' }] }
  expect(leads(start)).toBe('nothing')
  expect(leads(start, true)).toEqual(start)
  expect(leads('finish')).toBe('nothing')
  expect(leads('accept')).toBe('accept')
  expect(watchersBar({ ...bar('goOn'), word: 'pedalUp' }, false).word).toBe('goOn')
})

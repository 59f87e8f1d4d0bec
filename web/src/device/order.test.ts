import { expect, test } from 'vitest'
import { marked, script } from '../testing/script'
import type { DeviceEvent } from './db'
import { arrange } from './order'
import { stateOf, duplicatesOf } from '../run'

const here = { device: 'mine', epoch: 'now', offsetS: -100 }

let places = 0
/** A mark of one of two devices: at the run's time where the server gave it one, else by its own clock only. */
function mark(device: string, monoS: number, atS?: number, more: Record<string, unknown> = {}): DeviceEvent {
  places += 1
  const clock = { device, epoch: device === 'mine' ? 'now' : 'far', mono_s: monoS }
  const event = { ...marked('note', { text: `${device} ${monoS}`, ...more }), ...clock }
  return { runId: 'r', place: places, event, delivery: atS === undefined ? 'waiting' : 'kept', atS }
}
const texts = (events: DeviceEvent[]) => events.map(({ event }) => event.text)

test('one device alone keeps its own order, whatever its clock says', () => {
  const alone = [mark('mine', 120, 20), mark('mine', 110), mark('mine', 130, 30)]
  expect(arrange(alone, here)).toBe(alone)
})

test('marks of two devices stand in the order they were marked, those on their way too', () => {
  const events = [
    mark('mine', 110, 10),
    mark('mine', 140),
    mark('theirs', 7020, 20),
    mark('mine', 130, 30),
    mark('theirs', 7035),
  ]
  expect(texts(arrange(events, here))).toEqual([
    'mine 110',
    'theirs 7020',
    'mine 130',
    'theirs 7035',
    'mine 140',
  ])
})

test('another device’s mark is told by this page’s clock, so that a minute counts right here', () => {
  const [, theirs] = arrange([mark('mine', 110, 10), mark('theirs', 7020, 20)], here)
  expect(theirs?.event).toMatchObject({ device: 'theirs', epoch: 'now', mono_s: 120 })
  const [unknown] = arrange([mark('theirs', 7020, 20)], { ...here, offsetS: null })
  expect(unknown?.event).toMatchObject({ epoch: 'far', mono_s: 7020 })
})

test.each([
  ['the same thing by two devices', 'theirs', 121.5, {}, 1],
  ['the same device twice', 'mine', 121.5, {}, 0],
  ['another thing', 'theirs', 121.5, { point: 'cut_in', stage: 'cut_in' }, 0],
  ['much later', 'theirs', 140, {}, 0],
])('marked twice: %s', (_, device, at, more, pairs) => {
  const reading = { type: 'reading', stage: 'cut_out', point: 'cut_out' }
  const events = [mark('mine', 120, 20, reading), mark(device, at, at - 100, { ...reading, ...more })]
  const shown = arrange(events, here).map(({ event }) => event)
  expect(duplicatesOf(shown)).toHaveLength(pairs)
  if (pairs === 0) return
  const [first] = shown
  const resolved = [...shown, marked('withdrawn', { event: first?.id })]
  expect(duplicatesOf(stateOf(script, resolved).events)).toEqual([])
})

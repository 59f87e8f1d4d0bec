import { expect, test } from 'vitest'
import type { DeviceEvent } from '../../device'
import { foldInspection, isAnswered, isDone, nextOpen, stepsOf, type InspectionScript } from './fold'

const item = (more = {}) => ({
  ...{ name: 'Item', zone: 'Axle', checks: ['whole'], first: [], block: '', own: false, glance: false },
  ...{
    fill: 'any',
    group: 'rim',
    fixable: false,
    means: 'stay',
    questions: [],
    by_reference: true,
    color: '',
  },
  ...more,
})
const tape = { from: 0, to: 24, step: 1, start: 8, low: 4, high: null }
const measure = {
  name: 'groove',
  unit: 'in32',
  label: '/32 in',
  limit: '',
  school: '',
  source: '',
  tape,
  urgent: false,
}
const ask = (name: string, end = '', more = {}) => ({
  ...{
    key: `${name}@${end || 'P'}`,
    item: name,
    station: end ? 'axle' : 'cab',
    where: '',
    vehicle: 0,
    axle: 1,
  },
  ...{ part: 'P', side: '', end, seconds: 3, measures: [], say: '', known: null, ...more },
})
const script = {
  way: { id: 'path', name: '', blocks: true, glance: false },
  stations: [
    { id: 'cab', name: 'Cab', side: '' },
    { id: 'axle', name: 'Axle', side: 'left' },
  ],
  firsts: [
    { id: 'engine_on', name: '', opposite: 'engine_off' },
    { id: 'engine_off', name: '', opposite: 'engine_on' },
    { id: 'chocked', name: '', opposite: '' },
  ],
  items: {
    floor: item(),
    gauge: item(),
    hose: item({ block: 'brake', glance: true }),
    drum: item({ block: 'brake' }),
    tread: item({ block: 'wheel', glance: true, own: true }),
  },
  asks: [
    ask('floor'),
    ask('gauge'),
    ask('hose', 'P.axle1.left'),
    ask('drum', 'P.axle1.left'),
    ask('tread', 'P.axle1.left', { measures: [measure] }),
    ask('hose', 'P.axle1.right'),
  ],
  wanted: [{ fact: 'camera', part: 'P', of: 'MV', ask: '?', station: 'cab' }],
  from_run: [{ mark: { type: 'reading', point: 'cut_out' }, needs: '', asks: ['gauge@P'] }],
  states: [
    {
      first: 'chocked',
      on: { type: 'confirmed', item: 'wheels_chocked' },
      off: { type: 'confirmed', item: 'chocks_removed' },
    },
    { first: 'engine_on', on: { type: 'engine', state: 'running' }, off: { type: 'engine', state: 'off' } },
  ],
} as unknown as InspectionScript

let place = 0
const mark = (event: Record<string, unknown>, delivery: DeviceEvent['delivery'] = 'kept') =>
  ({
    runId: 'r',
    place: (place += 1),
    event: { id: `m${place}`, ...event },
    delivery,
  }) as unknown as DeviceEvent
const answer = (asks: string[], kind = 'right') => mark({ type: 'answer', asks, answer: kind })

test('a block of a wheel end is one step, what is measured alone, and a fact stands at its stop', () => {
  expect(stepsOf(script).map(({ id }) => id)).toEqual([
    'P camera',
    'floor@P',
    'gauge@P',
    'P.axle1.left brake',
    'tread@P.axle1.left',
    'P.axle1.right brake',
  ])
})

test('a short inspection looks at a wheel end in one glance, measured or not', () => {
  const short = { ...script, way: { ...script.way, glance: true, blocks: false } }
  const steps = stepsOf(short).filter(({ station }) => station === 'axle')
  expect(steps.map(({ id }) => id)).toEqual([
    'P.axle1.left glance',
    'drum@P.axle1.left',
    'P.axle1.right glance',
  ])
})

test('a known defect is answered by itself, never in a block', () => {
  const [first, ...rest] = script.asks.slice(2)
  const known = {
    ...script,
    asks: [...script.asks.slice(0, 2), { ...first, known: { what: 'x', consequence: 'stay' } }, ...rest],
  }
  expect(stepsOf(known as InspectionScript).map(({ id }) => id)).toContain('hose@P.axle1.left')
})

test('later leaves it open, the next answer counts, and what was set aside never does', () => {
  const marks = [answer(['floor@P'], 'later'), answer(['gauge@P'])]
  const fold = foldInspection(script, marks)
  expect([isAnswered(fold, 'floor@P'), isAnswered(fold, 'gauge@P')]).toEqual([false, true])
  const aside = foldInspection(script, [
    mark({ type: 'answer', asks: ['floor@P'], answer: 'right' }, 'aside'),
  ])
  expect(isAnswered(aside, 'floor@P')).toBe(false)
})

test('half a block is not done; the next open thing is found inspection the end', () => {
  const fold = foldInspection(script, [
    answer(['hose@P.axle1.left']),
    answer(['tread@P.axle1.left']),
    answer(['hose@P.axle1.right']),
    mark({ type: 'fact', part: 'P', fact: 'camera', so: false }),
    answer(['floor@P']),
  ])
  const steps = stepsOf(script)
  expect(steps.filter((step) => !isDone(fold, step)).map(({ id }) => id)).toEqual([
    'gauge@P',
    'P.axle1.left brake',
  ])
  expect(steps[nextOpen(fold, steps, 4)]?.id).toBe('gauge@P')
})

test('the air test answers its own and says what is true; what is true ends its opposite', () => {
  const fold = foldInspection(
    script,
    [mark({ type: 'state', first: 'engine_off', so: true })],
    [
      { type: 'confirmed', item: 'wheels_chocked' },
      { type: 'engine', state: 'running' },
      { type: 'reading', point: 'cut_out' },
    ],
  )
  expect(fold.told.get('gauge@P')?.answer).toBe('from_run')
  expect([...fold.states].sort()).toEqual(['chocked', 'engine_off'])
  const later = foldInspection(
    script,
    [],
    [
      { type: 'confirmed', item: 'wheels_chocked' },
      { type: 'confirmed', item: 'chocks_removed' },
    ],
  )
  expect(later.states.has('chocked')).toBe(false)
})

test('a call goes on until the next one; the end is the end', () => {
  const fold = foldInspection(script, [
    mark({ type: 'called', call: 'low' }),
    mark({ type: 'called', call: '' }),
    mark({ type: 'finished' }),
  ])
  expect([fold.call, fold.ended]).toEqual([null, true])
  expect(foldInspection(script, [mark({ type: 'called', call: 'low' })]).call?.call).toBe('low')
})

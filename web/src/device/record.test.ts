import { expect, test } from 'vitest'
import { script, marked } from '../testing/script'
import { epoch } from './clock'
import type { Delivery, DeviceEvent } from './db'
import { headOf, recordOf, timed } from './record'
import { HOUSE_WAY } from './fetchRun'
import type { LiveRun } from './live'

/** What the server's script carries for the judge: here just enough to see that it is handed on whole. */
const record = {
  unit: { kind: 'tractor_semitrailer', trailers: ['MT-4'] },
  gauges: { count: 2, policy: 'worst_needle' },
  rules: { id: 'us-cdl' },
}
const judged = { ...script, record } as typeof script

const STARTED = '2026-11-02T04:41:00.000Z'

function live(
  events: [clock: string, mono_s: number, more?: Partial<DeviceEvent>][],
  more: Partial<LiveRun> = {},
  begun?: { epoch: string; mono_s: number },
): LiveRun {
  const local = events.map(([clock, mono_s, rest], place) => ({
    ...{ runId: 'r', place, delivery: 'waiting' as Delivery },
    event: { ...marked('note', { text: `${place}` }), epoch: clock, mono_s },
    ...rest,
  }))
  const run = {
    ...{
      id: 'r',
      unitId: 'u',
      unitName: 'MV-12',
      kind: 'tractor_semitrailer' as const,
      driver: 'Ines Aldous',
    },
    ...{ rules: 'us-cdl', startedWall: STARTED, script: judged, closed: false },
    setup: { ...HOUSE_WAY, watcher: 'Odile Ferrow' },
    ...(begun && { begin: { begun } as unknown as LiveRun['run']['begin'] }),
  }
  return { run, events: local, lastSeq: 0, reached: false, offsetS: null, ...more }
}

test.each<[string, LiveRun, number[]]>([
  [
    'the server’s time wins, and gives the rest of its clock the offset',
    live([
      ['a', 107, { atS: 5 }],
      ['a', 109.5],
    ]),
    [5, 7.5],
  ],
  [
    'a run begun here is timed by the clock that began it',
    live([['a', 112]], {}, { epoch: 'a', mono_s: 100 }),
    [12],
  ],
  ['this page knows the server’s time by the last nudge', live([[epoch, 30]], { offsetS: -20 }), [10]],
  [
    'another page life counts by its wall clock',
    live([
      ['b', 999, { event: { ...marked('note'), epoch: 'b', mono_s: 999, wall: '2026-11-02T04:42:30.000Z' } }],
    ]),
    [90],
  ],
  ['nothing lies before the start', live([['a', 3]], {}, { epoch: 'a', mono_s: 100 }), [0]],
])('%s', (_name, run, moments) => {
  expect(timed(run)).toEqual(moments)
})

test('the record holds what the judge reads: who, the setup, every mark that counts, and nothing else', () => {
  const made = recordOf(
    live(
      [
        ['a', 101],
        ['a', 102, { delivery: 'aside' }],
        ['a', NaN],
        ['a', 104.25],
      ],
      {},
      { epoch: 'a', mono_s: 100 },
    ),
  )
  expect(made).toMatchObject({
    format: 'low-hiss-run/1',
    id: 'r',
    started_at: STARTED,
    purpose: 'dispatch',
    people: { driver: 'Ines Aldous', watcher: 'Odile Ferrow' },
    unit: record.unit,
    rules: record.rules,
    gauges: { count: 2, policy: 'worst_needle' },
  })
  expect(made.people).not.toHaveProperty('timekeeper') // the tool kept the time
  expect(made.events.map(({ at_s, text }) => [at_s, text])).toEqual([
    [1, '0'],
    [4.25, '3'],
  ])
  for (const event of made.events) expect(event).not.toHaveProperty('mono_s')
})

test('who marked a mark is said where it is known', () => {
  const run = live([['a', 1]], {}, { epoch: 'a', mono_s: 0 })
  expect(recordOf(run).events[0]).not.toHaveProperty('by')
  for (const { event } of run.events) event.by = 'Odile Ferrow'
  expect(recordOf(run).events[0]).toHaveProperty('by', 'Odile Ferrow')
})

test('a run that was ended here is ended, and may be signed', () => {
  const run = live([['a', 1]])
  expect(headOf(run).ended_by).toBeNull()
  for (const { event } of run.events) event.type = 'finished'
  expect(headOf(run).ended_by).toBe('finished')
})

test('the head of its report names the procedure and the rules as they were set up', () => {
  expect(headOf(live([]))).toMatchObject({
    unit_name: 'MV-12',
    trailers: ['MT-4'],
    procedure: script.procedure.id,
    rules: 'us-cdl',
    rules_title: script.rules.title,
    purpose: 'dispatch',
    part: 'lead',
    setup: { watcher: 'Odile Ferrow' },
  })
})

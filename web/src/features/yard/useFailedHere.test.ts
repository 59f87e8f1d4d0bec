import { expect, test } from 'vitest'
import type { LocalRun } from '../../device'
import { failedHere } from './useFailedHere'

const LISTED = 1000
const run = (day: number, outcome: string, more: Partial<LocalRun> = {}): LocalRun =>
  ({
    unitId: 'u',
    startedWall: `2026-11-0${day}T04:00:00Z`,
    setup: { purpose: 'dispatch' },
    stands: { leak_applied: outcome, cut_out: 'pass' },
    judgedAt: LISTED + day,
    ...more,
  }) as unknown as LocalRun

test.each([
  ['a fail shows at once', [run(1, 'fail')], ['leak_applied']],
  ['a begun and abandoned test takes it away not', [run(1, 'fail'), run(2, 'not_done')], ['leak_applied']],
  [
    'nor a pass in a run that was abandoned',
    [run(1, 'fail'), run(2, 'pass', { endedBy: 'abandoned' })],
    ['leak_applied'],
  ],
  ['a later finished pass does', [run(2, 'pass', { endedBy: 'finished' }), run(1, 'fail')], []],
  ['an earlier one does not', [run(2, 'fail'), run(1, 'pass', { endedBy: 'finished' })], ['leak_applied']],
  [
    'a rehearsal changes nothing',
    [run(1, 'fail', { setup: { purpose: 'rehearsal' } as LocalRun['setup'] })],
    undefined,
  ],
  ['what the server has told of since is its to say', [run(1, 'fail', { judgedAt: LISTED - 1 })], undefined],
])('%s', (_, runs, stages) => {
  expect(failedHere(runs, LISTED).u).toEqual(stages)
})

import 'fake-indexeddb/auto'
import { expect, test } from 'vitest'
import { struck } from '../testing/script'
import { appendEvents, openStore, putLog, type LocalRound } from './db'
import { Rounds } from './rounds'

test('without contact a later answer takes the place of the one that keeps the vehicle in', async () => {
  const db = await openStore('beside')
  const script = { hash: 'h', items: { brake_hose: { means: 'stay', questions: [] } } }
  await putLog(db, 'rounds', {
    ...{ id: 'i', unitId: 'u', unitName: 'MV-12', startedWall: '2026-11-20T05:00:00Z', runId: 'r' },
    ...{ script, record: {}, closed: false, part: 'lead' },
  } as unknown as LocalRound)
  const rounds = new Rounds({ db, wake: () => undefined, tellTabs: () => undefined })
  const answer = (answered: string) =>
    appendEvents(db, 'i', [
      { ...struck('answer', { asks: ['brake_hose@P'], answer: answered }), id: crypto.randomUUID() },
    ])
  expect(await rounds.staysBeside('r')).toBe(false)
  await answer('not_right')
  expect(await rounds.staysBeside('r')).toBe(true)
  await answer('right')
  expect(await rounds.staysBeside('r')).toBe(false)
})

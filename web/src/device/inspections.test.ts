import 'fake-indexeddb/auto'
import { expect, test, vi } from 'vitest'
import { marked } from '../testing/script'
import { appendEvents, openStore, putLog, type LocalInspection } from './db'
import { Inspections } from './inspections'
import * as socket from './socket'

test('it hears of other devices once the server knows it: one that is unknown there would never hear', async () => {
  const db = await openStore('told')
  const inspection = {
    ...{ id: 'i', unitId: 'u', unitName: 'MV-12', startedWall: '2026-11-20T05:00:00Z', begin: {} },
    ...{ script: { hash: 'h' }, record: {}, closed: false, part: 'lead' },
  } as unknown as LocalInspection
  await putLog(db, 'inspections', inspection)
  const hangUp = vi.fn()
  const listen = vi.spyOn(socket, 'listen').mockReturnValue(hangUp)
  const inspections = new Inspections({ db, wake: () => undefined, tellTabs: () => undefined })
  const leave = inspections.listen('i')
  await inspections.load('i')
  expect(listen).not.toHaveBeenCalled()
  delete inspection.begin
  await putLog(db, 'inspections', inspection)
  await inspections.refresh('i')
  expect(listen).toHaveBeenCalledTimes(1)
  await inspections.refresh('i')
  expect(listen).toHaveBeenCalledTimes(1)
  leave()
  expect(hangUp).toHaveBeenCalledTimes(1)
})

test('without contact a later answer takes the place of the one that keeps the vehicle in', async () => {
  const db = await openStore('beside')
  const script = { hash: 'h', items: { brake_hose: { means: 'stay', questions: [] } } }
  await putLog(db, 'inspections', {
    ...{ id: 'i', unitId: 'u', unitName: 'MV-12', startedWall: '2026-11-20T05:00:00Z', runId: 'r' },
    ...{ script, record: {}, closed: false, part: 'lead' },
  } as unknown as LocalInspection)
  const inspections = new Inspections({ db, wake: () => undefined, tellTabs: () => undefined })
  const answer = (answered: string) =>
    appendEvents(db, 'i', [
      { ...marked('answer', { asks: ['brake_hose@P'], answer: answered }), id: crypto.randomUUID() },
    ])
  expect(await inspections.staysBeside('r')).toBe(false)
  await answer('not_right')
  expect(await inspections.staysBeside('r')).toBe(true)
  await answer('right')
  expect(await inspections.staysBeside('r')).toBe(false)
})

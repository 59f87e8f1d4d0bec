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

test('what this device has not sent stops something too, until it is answered otherwise', async () => {
  const db = await openStore('blocked')
  const hose = { name: 'Brake hose', means: 'stay', blocks: 'roll', fixable: false, questions: [] }
  const washer = { ...hose, name: 'Washer', blocks: 'leave', fixable: true }
  const script = {
    hash: 'h',
    asks: [{ key: 'brake_hose@P', where: 'drive axle' }],
    items: { brake_hose: hose, washer },
  }
  await putLog(db, 'inspections', {
    ...{ id: 'i', unitId: 'u', unitName: 'MV-12', startedWall: '2026-11-20T05:00:00Z', runId: 'r' },
    ...{ script, record: {}, closed: false, part: 'lead' },
  } as unknown as LocalInspection)
  const inspections = new Inspections({ db, wake: () => undefined, tellTabs: () => undefined })
  const answer = (key: string, answered: string) =>
    appendEvents(db, 'i', [
      { ...marked('answer', { asks: [key], answer: answered }), id: crypto.randomUUID() },
    ])
  expect(await inspections.blockedBy('r', [])).toEqual([])
  await answer('brake_hose@P', 'not_right')
  const named = { inspectionId: 'i', key: 'brake_hose@P', blocks: 'roll', name: 'Brake hose, drive axle' }
  expect(await inspections.blockedBy('r', [])).toEqual([named])
  expect(await inspections.blockedBy('another', [])).toEqual([])
  await answer('brake_hose@P', 'right')
  expect(await inspections.blockedBy('r', [])).toEqual([])
  // what the server judged stands until it is fixed on the spot, where that may be done
  const judged = [
    { id: 'i', figures: { blocking: [{ key: 'washer@P', blocks: 'leave' }] } },
  ] as unknown as Parameters<typeof inspections.blockedBy>[1]
  expect(await inspections.blockedBy('r', judged)).toMatchObject([{ name: 'Washer', blocks: 'leave' }])
  await answer('washer@P', 'right')
  expect(await inspections.blockedBy('r', judged)).toHaveLength(1)
  await answer('washer@P', 'fixed')
  expect(await inspections.blockedBy('r', judged)).toEqual([])
})

import { openDB } from 'idb'
import { beforeEach, expect, test } from 'vitest'
import type { Schema } from '../shared/api'
import { marked } from '../testing/script'
import {
  appendEvents,
  eventsOf,
  forgetFleet,
  markDelivered,
  openStore,
  putRun,
  takeIn,
  type Db,
  type LocalRun,
} from './db'

let db: Db
let stores = 0
beforeEach(async () => {
  db = await openStore(`db${(stores += 1)}`)
})

const mark = (id: string) => ({ ...marked('note', { text: id }), id })
const atServer = (id: string, seq: number): Schema['SavedEventOut'] => {
  const { device, epoch, mono_s, wall, by } = mark(id)
  const body: Schema['SavedEventOut']['body'] = { type: 'note', text: id }
  const came = { received_at: wall, sent_by: by, after_end: false, claimed: null }
  return { id, seq, device, epoch, mono_s, wall, by, body, at_s: seq * 10, ...came }
}
const kept = async (run = 'r') =>
  (await eventsOf(db, run)).map(({ event, delivery, serverSeq }) => [event.id, delivery, serverSeq])

test('marks are numbered through all runs of the device, and each stands once in its run', async () => {
  await appendEvents(db, 'r', [mark('a'), mark('b')])
  await appendEvents(db, 'q', [mark('c')])
  await appendEvents(db, 'r', [mark('b'), mark('d')])
  expect((await eventsOf(db, 'r')).map(({ place, event }) => [place, event.id, event.seq])).toEqual([
    [1, 'a', 1],
    [2, 'b', 2],
    [3, 'd', 4],
  ])
  expect((await eventsOf(db, 'q')).map(({ place, event }) => [place, event.seq])).toEqual([[1, 3]])
})

test('marks are kept all or none', async () => {
  await appendEvents(db, 'r', [mark('a')])
  const broken = { ...mark('c'), text: () => 'a function cannot be kept' }
  await expect(appendEvents(db, 'r', [mark('b'), broken])).rejects.toThrow()
  expect(await kept()).toEqual([['a', 'waiting', undefined]])
  await appendEvents(db, 'r', [mark('d')])
  expect((await eventsOf(db, 'r')).map(({ event }) => event.seq)).toEqual([1, 2])
})

test('what the server has is taken in once: others’ marks are added, one’s own are known to be kept', async () => {
  await appendEvents(db, 'r', [mark('mine'), mark('on its way')])
  const there = [atServer('theirs', 1), atServer('mine', 2)]
  expect(await takeIn(db, 'r', there)).toBe(true)
  const now = [
    ['mine', 'kept', 2],
    ['on its way', 'waiting', undefined],
    ['theirs', 'kept', 1],
  ]
  expect(await kept()).toEqual(now)
  expect(await takeIn(db, 'r', there)).toBe(false)
  expect(await kept()).toEqual(now)
})

test('a mark that was set aside is not taken for the other one of the same id', async () => {
  const [local] = await appendEvents(db, 'r', [mark('twice')])
  if (local) await markDelivered(db, [{ ...local, delivery: 'aside', why: 'the id is another mark’s' }])
  expect(await takeIn(db, 'r', [atServer('twice', 1)])).toBe(false)
  expect(await kept()).toEqual([['twice', 'aside', undefined]])
})

test('an older page that is still open is said, not waited for', async () => {
  const held = await new Promise<IDBDatabase>((done) => {
    const opening = indexedDB.open('older', 1)
    opening.onsuccess = () => done(opening.result)
  })
  await expect(openStore('older')).rejects.toThrow('another tab runs an older version')
  held.close()
})

test('after a sign-out only what still has to be sent is left, for its holder alone', async () => {
  const run = (id: string) => ({ id, unitName: id, holder: 'ines', closed: false }) as unknown as LocalRun
  await putRun(db, run('sent'))
  await putRun(db, run('waits'))
  await putRun(db, { ...run('untold'), begin: {} } as LocalRun)
  const [sent] = await appendEvents(db, 'sent', [mark('a')])
  await appendEvents(db, 'waits', [mark('b')])
  if (sent) await markDelivered(db, [{ ...sent, delivery: 'kept', serverSeq: 1 }])
  await db.put('copies', { units: ['MV-12'] }, 'queries')
  await forgetFleet(db)
  expect((await db.getAll('runs')).map(({ id }) => id).sort()).toEqual(['untold', 'waits'])
  expect([await eventsOf(db, 'sent'), await db.getAll('copies')]).toEqual([[], []])
  expect((await eventsOf(db, 'waits')).map(({ event }) => event.id)).toEqual(['b'])
})

test('inspections that a device of the version before holds come along under their new name', async () => {
  const before = await openDB('before', 5, {
    upgrade: (old) => {
      for (const name of ['runs', 'rounds', 'acts', 'practices'])
        old.createObjectStore(name, { keyPath: 'id' })
      old.createObjectStore('copies')
    },
  })
  await before.put('rounds', { id: 'waiting' })
  before.close()
  const now = await openStore('before')
  expect(await now.getAllKeys('inspections')).toEqual(['waiting'])
})

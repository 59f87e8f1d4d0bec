import { openDB, type DBSchema, type IDBPDatabase, type IDBPTransaction, type StoreNames, unwrap } from 'idb'
import type { Language } from '../shared/i18n'
import type { Schema } from '../shared/api'
import type { ClockReading } from './clock'
import type { EndType, Stage } from '../shared/trade'

/** An event as it travels: its identity and clocks, and the fields of its type. */
export interface DeviceMark extends ClockReading {
  id: string
  seq: number
  by: string
  type: string
  [field: string]: unknown
}

/** The fields of one event's type. */
export type Body = { type: string } & Record<string, unknown>

export type Delivery = 'waiting' | 'kept' | 'aside'

export interface DeviceEvent {
  runId: string
  /** Place in the order this device has seen. */
  place: number
  event: DeviceMark
  delivery: Delivery
  why?: string
  /** What the server added: its place in the run, and the run's time [s]. */
  serverSeq?: number
  atS?: number
}

/** How a run is led, as chosen before it began. */
export type RunSetup = Required<Schema['SetupBody']> & { purpose: Schema['RunOut']['purpose'] }

export interface LocalRun {
  id: string
  unitId: string
  unitName: string
  kind: Schema['UnitOut']['kind']
  driver: string
  rules: string
  startedWall: string
  script: Schema['ScriptOut']
  setup: RunSetup
  /** What begins the run at the server; absent once the server has it. */
  begin?: Omit<Schema['BeginRun'], 'sent'>
  /** Why the server refused to begin it; its marks stay here. */
  refused?: string
  closed: boolean
  /** The part that `holder` takes in it; their own runs are led. */
  part?: Part
  /** Who this copy is for: nobody else on a shared device sees it. Absent in copies of earlier releases. */
  holder?: string
  /** How its stages stood when they were judged last: until the server is heard, a fail stands by this. */
  stands?: Partial<Record<Stage, string>>
  /** When that was [ms]. */
  judgedAt?: number
  /** What brought it to its end here. */
  endedBy?: EndType
  /** It is driven on the practice vehicle, and says nothing of any unit. */
  practice?: true
  coach?: Coach
}

type Spoken = Record<Language, string>

/** How a practice is led: what is shown of it, what is asked aloud, and what an examiner says. */
export interface Coach {
  /** Worked from memory, or as an examination: nothing shows what to do, or how it was judged. */
  alone: 'memory' | 'exam' | null
  /** Whether a stage is good or bad is to be said before its judgement is shown. */
  asksVerdict: boolean
  closing: Record<'pass' | 'fail', Spoken>
  examiner: Record<string, Spoken>
  /** What a lesson shows beyond its mode, or leaves out; null for a drive that is no lesson. */
  presents: Presents | null
}

interface Presents {
  /** A hand beside the control that the present step is about. */
  hands: boolean
  both_languages: boolean
  course: boolean
  wait_clock: boolean
  calls: boolean
  limits: boolean
  /** The unit of its dials, where that is what it is about. */
  pressure: 'psi' | 'kpa' | 'bar' | null
}

type Part = NonNullable<Schema['RunOut']['part']>

/** Something done about a vehicle, on its way to the server; gone from here once the server has kept it. */
export interface LocalAct {
  id: string
  /** Its place in the order in which it was done here. */
  place: number
  act: Schema['ActBody']
  /** The name of the unit or trailer. */
  about: string
  /** Who did it: nobody else on a shared device sees it. */
  holder: string
  delivery: Exclude<Delivery, 'kept'>
  why?: string
  /** Photographs that go with it, once the server has it. */
  photos?: LocalPhoto[]
  /** The server has it; only photographs of it wait. */
  told?: boolean
}

/** An inspection of looking at a set, as this device leads it or helps in it. */
export interface LocalInspection {
  id: string
  unitId: string
  unitName: string
  startedWall: string
  /** The inspection record without its marks. */
  record: Record<string, unknown>
  script: Schema['InspectionScriptOut']
  /** The air test beside which it is done. */
  runId?: string
  /** What begins it at the server; absent once the server has it. */
  begin?: Omit<Schema['BeginInspection'], 'sent'>
  /** Why the server refused to begin it; its marks stay here. */
  refused?: string
  closed: boolean
  /** What brought it to its end here. */
  endedBy?: EndType
  part: NonNullable<Schema['InspectionOut']['part']>
  holder?: string
}

interface LocalPhoto {
  id: string
  jpeg: Blob
}

/** A practice on the simulated vehicle as this device keeps it; it is never a unit's. */
export interface LocalPractice {
  id: string
  title: string
  startedWall: string
  /** What was chosen, as the core takes it. */
  choice: Record<string, unknown>
  holder?: string
  /** The whole drive as it stood at `savedTick`; absent before the first time. */
  kept?: string
  /** How far it had come when last heard of, in hundredths of a second. */
  tick: number
  ended: boolean
  /** What was found after it. */
  after?: Record<string, unknown>
  record?: Record<string, unknown>
  /** The server has its end. */
  told?: boolean
  /** Why the server will not take it; it stays here. */
  refused?: string
}

interface PracticeMark {
  practiceId: string
  place: number
  event: DeviceMark
}

/** Controls in the order in which they were moved: tick, control, value. */
interface PracticeLog {
  practiceId: string
  from: number
  entries: [number, string, unknown][]
}

interface Tables extends DBSchema {
  practices: { key: string; value: LocalPractice }
  practiceMarks: { key: [string, number]; value: PracticeMark }
  practiceLog: { key: [string, number]; value: PracticeLog }
  runs: { key: string; value: LocalRun }
  events: { key: [string, number]; value: DeviceEvent; indexes: { delivery: Delivery } }
  counters: { key: string; value: number }
  acts: { key: string; value: LocalAct }
  inspections: { key: string; value: LocalInspection }
  /** The last answers of the server that a test without contact begins with. */
  copies: { key: string; value: unknown }
}

export type Db = IDBPDatabase<Tables>
type Upgrading = IDBPTransaction<Tables, StoreNames<Tables>[], 'versionchange'>

/** The device's own store. Rejects where the browser keeps nothing (private mode, no space). */
export function openStore(name = 'lowhiss'): Promise<Db> {
  return new Promise((resolve, reject) => {
    const refuse = () =>
      reject(new Error('another tab runs an older version: close it and load this page again'))
    openDB<Tables>(name, 6, { upgrade, blocked: refuse }).then(resolve, reject)
  })
}

function upgrade(db: Db, before: number, _now: number | null, tx: Upgrading): void {
  if (before < 1) {
    db.createObjectStore('runs', { keyPath: 'id' })
    db.createObjectStore('events', { keyPath: ['runId', 'place'] }).createIndex('delivery', 'delivery')
    db.createObjectStore('counters')
  }
  if (before < 2) db.createObjectStore('copies')
  if (before < 3) db.createObjectStore('acts', { keyPath: 'id' })
  if (before < 4) db.createObjectStore('inspections', { keyPath: 'id' })
  if (before < 5) {
    db.createObjectStore('practices', { keyPath: 'id' })
    db.createObjectStore('practiceMarks', { keyPath: ['practiceId', 'place'] })
    db.createObjectStore('practiceLog', { keyPath: ['practiceId', 'from'] })
  }
  // copies of answers are fetched anew: their fields have other names
  if (before >= 2 && before < 6) void tx.objectStore('copies').clear()
  // what devices have in it stays: only its name is another
  if (before === 4 || before === 5) (unwrap(tx) as IDBTransaction).objectStore('rounds').name = 'inspections'
}

const strict = { durability: 'strict' } as const

/** Keep the head of a run or an inspection. */
export async function putLog(
  db: Db,
  store: 'runs' | 'inspections',
  log: LocalRun | LocalInspection,
): Promise<void> {
  const tx = db.transaction(store, 'readwrite', strict)
  await Promise.all([tx.store.put(log as LocalRun & LocalInspection), tx.done])
}

export const putRun = (db: Db, run: LocalRun): Promise<void> => putLog(db, 'runs', run)

/** Keep what was done about a vehicle, in its place among the rest. */
export async function appendAct(db: Db, act: Omit<LocalAct, 'place'>): Promise<void> {
  const tx = db.transaction(['acts', 'counters'], 'readwrite', strict)
  const place = ((await tx.objectStore('counters').get('act')) ?? 0) + 1
  await tx.objectStore('counters').put(place, 'act')
  await tx.objectStore('acts').add({ ...act, place })
  await tx.done
}

/** Acts in the order in which they were done. */
export const actsOf = async (db: Db): Promise<LocalAct[]> =>
  (await db.getAll('acts')).sort((a, b) => a.place - b.place)

/** What became of acts: those that the server has are gone from here. */
export async function settleActs(db: Db, kept: string[], aside: LocalAct[]): Promise<void> {
  const tx = db.transaction('acts', 'readwrite', strict)
  await Promise.all([
    ...kept.map((id) => tx.store.delete(id)),
    ...aside.map((act) => tx.store.put(act)),
    tx.done,
  ])
}

/**
 * Keep events at the end of their run, each with the device's next sequence number; all or none.
 * An event whose id the run has already is not kept again.
 */
export async function appendEvents(
  db: Db,
  runId: string,
  events: Omit<DeviceMark, 'seq'>[],
): Promise<DeviceEvent[]> {
  const tx = db.transaction(['events', 'counters'], 'readwrite', strict)
  const store = tx.objectStore('events')
  const counters = tx.objectStore('counters')
  const known = await store.getAll(rangeOf(runId))
  const ids = new Set(known.map(({ event }) => event.id))
  let place = known.at(-1)?.place ?? 0
  let seq = (await counters.get('seq')) ?? 0
  const kept: DeviceEvent[] = []
  try {
    for (const event of events) {
      if (ids.has(String(event.id))) continue
      place += 1
      seq += 1
      const local = { runId, place, event: { ...event, seq } as DeviceMark, delivery: 'waiting' as const }
      await store.add(local)
      kept.push(local)
    }
    await counters.put(seq, 'seq')
  } catch (refused) {
    // what the store refuses by throwing would otherwise leave the marks before it behind
    tx.done.catch(() => undefined)
    tx.abort()
    throw refused
  }
  await tx.done
  return kept
}

/**
 * Take in what the server has of a run: marks of other devices are added, this device's own are known to be kept.
 * Says whether that changed anything.
 */
export async function takeIn(db: Db, runId: string, kept: Schema['SavedEventOut'][]): Promise<boolean> {
  const tx = db.transaction('events', 'readwrite', strict)
  const known = await tx.store.getAll(rangeOf(runId))
  const byId = new Map(known.map((local) => [local.event.id, local]))
  let place = known.at(-1)?.place ?? 0
  let changed = false
  for (const one of kept) {
    const mine = byId.get(one.id)
    if (mine?.serverSeq !== undefined && mine.atS !== undefined) continue
    // the same id with other content is not this mark: it stays set aside here
    if (mine?.delivery === 'aside') continue
    const added = { serverSeq: one.seq, atS: one.at_s }
    if (mine) await tx.store.put({ ...mine, delivery: 'kept', ...added })
    else {
      place += 1
      await tx.store.add({ runId, place, event: eventOf(one), delivery: 'kept', ...added })
    }
    changed = true
  }
  await tx.done
  return changed
}

function eventOf({ body, id, device, epoch, mono_s, wall, by }: Schema['SavedEventOut']): DeviceMark {
  return { ...{ id, seq: 0, device, epoch, mono_s, wall, by }, ...body } as DeviceMark
}

export async function markDelivered(db: Db, changed: DeviceEvent[]): Promise<void> {
  const tx = db.transaction('events', 'readwrite', strict)
  await Promise.all([...changed.map((local) => tx.store.put(local)), tx.done])
}

export const eventsOf = (db: Db, runId: string): Promise<DeviceEvent[]> => db.getAll('events', rangeOf(runId))

/** Forget everything but logs whose marks still wait; those stay, for their holder alone, until they are sent. */
export async function forgetFleet(db: Db): Promise<void> {
  const tx = db.transaction(['runs', 'inspections', 'events', 'copies'], 'readwrite', strict)
  const waiting = await tx.objectStore('events').index('delivery').getAll('waiting')
  const kept = new Set(waiting.map(({ runId }) => runId))
  for (const store of ['runs', 'inspections'] as const) {
    for (const log of await tx.objectStore(store).getAll()) {
      if (kept.has(log.id) || (log.begin && !log.refused)) continue
      await tx.objectStore(store).delete(log.id)
      await tx.objectStore('events').delete(rangeOf(log.id))
    }
  }
  await tx.objectStore('copies').delete('queries')
  await tx.done
}

export const rangeOf = (runId: string): IDBKeyRange => IDBKeyRange.bound([runId, 0], [runId, Infinity])

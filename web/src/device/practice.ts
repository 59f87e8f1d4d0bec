/** A practice on this device: the vehicle in the worker, its clock, and what is kept of it. */

import { api, need, personHere, type Schema } from '../shared/api'
import { Subscribable } from '../shared/subscribable'
import { isEnd } from '../shared/trade'
import { Cards } from './cards'
import { keepTimeBy, now, type ClockReading, type TimeSource } from './clock'
import {
  rangeOf,
  type Body,
  type Coach,
  type Db,
  type DeviceEvent,
  type LocalPractice,
  type LocalRun,
  type DeviceMark,
} from './db'
import { askCore, coreAddress, driveHere } from './deviceJudge'
import type { DriveAsk, DriveMessage, Frame } from './driving'
import { HOUSE_WAY } from './fetchRun'
import type { Blocked } from './inspections'
import type { LiveRun, NewPractice, TestRecorder } from './live'

export { Cards }
export type { Frame } from './driving'

/** What the dash must know to be drawn. */
export interface Described {
  kind: Schema['UnitOut']['kind']
  needles: string[]
  knobs: string[]
  trailers: number
  gears: string[]
  gearbox: 'manual' | 'automatic'
  clutch: boolean
  full_pedal: number
  free_travel: number
  governed_rpm: number
  idle_rpm: number
  start: Record<string, unknown>
  commitment: string
  mode: 'free' | 'led' | 'memory' | 'exam' | 'diagnosis'
  lesson: { id: string; drive: number } | null
  soft_pop: boolean
  closing: Coach['closing']
  examiner: Coach['examiner']
  presents: Coach['presents']
  script: Schema['ScriptOut']
}

export type DriveState = 'interpreter' | 'vehicle' | 'ready' | 'slow' | 'failed'

/** What a vehicle says by itself; whoever ticks it without its being so has only claimed it. */
const VEHICLE_SAYS: Record<string, readonly string[] | null> = {
  engine: null,
  key: null,
  pedal: null,
  confirmed: [
    'wheels_chocked',
    'chocks_removed',
    'area_clear',
    'seat_belt',
    'neutral',
    'in_gear',
    'window_down',
  ],
}
const vehicleSays = ({ type, item, cause }: Body): boolean => {
  const said = VEHICLE_SAYS[type]
  return said === null || said?.includes(String(item)) === true || (type === 'knob' && cause === 'hand')
}
/** What is said or ticked beside the run record. */
const CLAIM = 'claim'
/** What a mark carries for this device alone. */
const ENVELOPE = new Set(['mono_s', 'device', 'epoch', 'seq', 'by', 'wall'])
const strict = { durability: 'strict' } as const

/** Write down a practice that is about to begin; the answer is its id. */
export async function beginPractice(db: Db, { title, choice }: NewPractice): Promise<string> {
  const id = crypto.randomUUID()
  const startedWall = new Date().toISOString()
  const salt = crypto.randomUUID()
  const practice: LocalPractice = {
    ...{ id, title, startedWall, tick: 0, ended: false, holder: personHere()?.id },
    choice: { ...choice, salt },
  }
  await db.put('practices', practice)
  return id
}

/** The practices on this device of whoever is here, the latest first. */
export async function practicesHere(db: Db): Promise<LocalPractice[]> {
  const mine = (await db.getAll('practices')).filter(({ holder }) => holder === personHere()?.id)
  return mine.sort((a, b) => b.startedWall.localeCompare(a.startedWall))
}

/** One practice that is driven on this page. */
export class Practice extends Subscribable implements TestRecorder {
  state: DriveState = 'interpreter'
  why = ''
  described: Described | null = null
  frame: Frame | null = null
  behindS = 0
  /** How long the vehicle stood still while nobody looked [s]. */
  stoodS = 0
  trainers = 0
  /** What a trainer has just done to the vehicle: seen by nobody who drives, but told to the trainers. */
  done: ((what: { by: string; name: string; value: unknown; refused: string }) => void) | null = null
  truth: ((truth: Record<string, unknown>) => void) | null = null
  rate = 1
  tookMs = 0
  private readonly frames = new Set<(frame: Frame) => void>()
  private readonly refusals = new Set<(name: string, why: string) => void>()
  private readonly say: (ask: DriveAsk) => void
  private sync = { at: 0, world: 0, rate: 0 }
  private events: DeviceEvent[] = []
  private live: LiveRun | null = null
  private pops: { at_s: number; knob: string }[] = []
  private queue: Promise<unknown> = Promise.resolve()
  readonly clock: TimeSource

  private constructor(
    private readonly db: Db,
    readonly local: LocalPractice,
    /** Send what waits now. */
    private readonly wake: () => void,
  ) {
    super()
    this.say = driveHere((told) => this.hear(told))
    const at = (ms: number) => this.sync.world + ((ms - this.sync.at) / 1000) * this.sync.rate
    this.clock = {
      epoch: `practice ${local.id}`,
      now: () => Math.max(0, at(performance.timeOrigin + performance.now())),
      at: (stamp) => Math.max(0, at(performance.timeOrigin + stamp)),
    }
  }

  /** Begin, or go on with, a practice of this device. Rejects where it has none such. */
  static async open(db: Db, id: string, wake: () => void): Promise<Practice> {
    const local = await db.get('practices', id)
    if (!local || local.holder !== personHere()?.id) throw new Error('no such practice on this device')
    const practice = new Practice(db, local, wake)
    const marks = await db.getAll('practiceMarks', rangeOf(id))
    practice.events = marks.map(({ place, event }) => ({ runId: id, place, event, delivery: 'waiting' }))
    return practice
  }

  /** Start the vehicle; frames come from then on. */
  async start(): Promise<void> {
    const log = await this.db.getAll('practiceLog', rangeOf(this.local.id))
    const controls = log.flatMap(({ entries }) => entries)
    const record = {
      format: 'low-hiss-practice/1',
      choice: this.local.choice,
      controls,
      ticks: this.local.tick,
    }
    const begun = this.local.tick > 0 || controls.length > 0
    keepTimeBy(this.clock)
    this.say({
      drive: 'begin',
      from: coreAddress(),
      choice: JSON.stringify(this.local.choice),
      kept: this.local.kept ?? '',
      record: begun ? JSON.stringify(record) : '',
    })
  }

  /** The page goes: the vehicle stands still and is kept. */
  stop(): void {
    this.say({ drive: 'freeze', frozen: true })
    this.say({ drive: 'stop' })
    keepTimeBy(null)
  }

  control = (name: string, value: unknown): void => this.say({ drive: 'control', name, value })
  freeze = (frozen: boolean): void => this.say({ drive: 'freeze', frozen })
  wantTruth = (wanted: boolean): void => this.say({ drive: 'truth', wanted })
  fromTrainer = (name: string, value: unknown, by: string): void =>
    this.say({ drive: 'trainer', name, value, by })
  fillFaster = (rate: number): void => {
    this.rate = rate
    this.say({ drive: 'rate', rate })
    this.tell()
  }

  /** Hear of every frame; the answer ends it. */
  onFrame = (hear: (frame: Frame) => void): (() => void) => {
    this.frames.add(hear)
    return () => this.frames.delete(hear)
  }

  onRefusal = (hear: (name: string, why: string) => void): (() => void) => {
    this.refusals.add(hear)
    return () => this.refusals.delete(hear)
  }

  private hear(told: DriveMessage): void {
    switch (told.drive) {
      case 'loading':
        this.state = told.stage
        break
      case 'ready':
        this.described = told.described as unknown as Described
        this.state = 'ready'
        this.tookMs = told.tookMs
        this.live = this.liveOf(this.described)
        break
      case 'frame':
        return this.hearFrame(told)
      case 'moved':
        if (told.log.length) void this.saveLog(told.from, told.log)
        if (told.refused) this.refusals.forEach((hear) => hear(told.name, told.refused))
        return
      case 'done':
        this.done?.(told)
        return
      case 'truth':
        this.truth?.(told.truth)
        return
      case 'kept':
        void this.saveDrive({ kept: told.kept, tick: told.tick })
        return
      case 'stood':
        this.stoodS += told.seconds
        break
      case 'slow':
        this.state = 'slow'
        break
      case 'failed':
        this.state = 'failed'
        this.why = told.why
        break
    }
    this.tell()
  }

  private hearFrame({ frame, at, world, rate, behindS }: DriveMessage & { drive: 'frame' }): void {
    this.sync = { at, world, rate }
    this.behindS = behindS
    const first = this.frame === null
    this.frame = frame
    if (first) this.tell()
    if (rate !== this.rate && rate > 0) {
      this.rate = rate
      this.tell()
    }
    this.pops.push(...frame.pops)
    if (frame.states.length) void this.takeStates(frame)
    if (frame.tick - this.local.tick > 100) void this.saveDrive({ tick: frame.tick })
    this.frames.forEach((hear) => hear(frame))
  }

  private saveDrive(part: Partial<LocalPractice>): Promise<unknown> {
    Object.assign(this.local, part)
    return this.inTurn(() => this.db.put('practices', this.local))
  }

  private saveLog(from: number, entries: [number, string, unknown][]): Promise<unknown> {
    return this.inTurn(() => this.db.put('practiceLog', { practiceId: this.local.id, from, entries }))
  }

  private inTurn<T>(work: () => Promise<T>): Promise<T> {
    const done = this.queue.then(work)
    this.queue = done.catch(() => undefined)
    return done
  }

  // what the test screen records by

  private liveOf({ script, kind, mode, lesson, closing, examiner, presents }: Described): LiveRun {
    const { id, title, startedWall } = this.local
    const alone = mode === 'memory' || mode === 'exam' ? mode : null
    const calls = alone || presents?.calls === false ? ('rehearsal' as const) : ('prompt' as const)
    const setup = { ...HOUSE_WAY, purpose: 'rehearsal' as const, calls }
    const coach = { alone, asksVerdict: lesson !== null, closing, examiner, presents }
    const run: LocalRun = {
      ...{ id, unitId: id, unitName: title, kind, driver: personHere()?.name ?? '', startedWall },
      ...{ script, setup, rules: script.rules.id, closed: this.local.ended, practice: true as const, coach },
      part: 'lead',
      begin: { begun: { ...now(), epoch: this.clock.epoch, mono_s: 0 } } as unknown as LocalRun['begin'],
    }
    return { run, events: this.marked(), lastSeq: 0, reached: false, offsetS: null }
  }

  /** What stands in the run: claims are none of it. */
  private marked(): DeviceEvent[] {
    return this.sorted().filter(({ event }) => event.type !== CLAIM)
  }

  private sorted(): DeviceEvent[] {
    return [...this.events].sort((a, b) => a.event.mono_s - b.event.mono_s || a.place - b.place)
  }

  private grow(): void {
    if (!this.live) return
    this.live = { ...this.live, events: this.marked() }
    this.tell()
  }

  snapshot = (): LiveRun | undefined => this.live ?? undefined
  listen = (): (() => void) => () => undefined
  load = (): Promise<LiveRun> =>
    this.live ? Promise.resolve(this.live) : Promise.reject(new Error('not ready yet'))
  noteStanding = (): Promise<void> => Promise.resolve()
  takePart = (): Promise<void> => Promise.resolve()
  blockedBy = (): Promise<Blocked[]> => Promise.resolve([])

  /** Whether the vehicle is as these events say; what it does not say by itself is so. */
  isSo = async (bodies: Body[]): Promise<boolean> => (await this.answers(bodies)).every(Boolean)

  private async answers(bodies: Body[]): Promise<boolean[]> {
    const asked = bodies.filter(vehicleSays)
    if (asked.length === 0) return bodies.map(() => true)
    const so = (await askCore('practice_is_so', [JSON.stringify(asked)])) as boolean[]
    return bodies.map((body) => !asked.includes(body) || (so[asked.indexOf(body)] ?? false))
  }

  /** Write down what the trainee marks; what only the vehicle can say is at most a claim. */
  mark = async (_runId: string, bodies: Body[], at: ClockReading = now()): Promise<void> => {
    const so = await this.answers(bodies)
    const marks = bodies.flatMap((body, n) => this.asMarked(body, so[n] ?? true))
    await this.append(
      marks.map((body) => ({ ...at, id: crypto.randomUUID(), by: personHere()?.name ?? '', ...body })),
    )
    if (bodies.some(({ type }) => isEnd(type))) await this.end()
  }

  private asMarked(body: Body, so: boolean): Body[] {
    if (vehicleSays(body)) return [so ? body : { ...body, claimed: true }]
    if (body.type === 'knob') this.pops = this.pops.filter(({ knob }) => knob !== body.knob)
    const left = body.type === 'skipped' || body.type === 'attempt' || isEnd(body.type)
    return left ? [...this.popsNobodyMarked(), body] : [body]
  }

  /** A knob that popped and was never marked is out all the same: told without a number when its stage is left. */
  private popsNobodyMarked(): Body[] {
    const untold = this.pops.splice(0)
    return untold.map(({ at_s, knob }) => ({
      type: 'knob',
      knob,
      state: 'out',
      cause: 'popped',
      mono_s: at_s,
    }))
  }

  private takeStates(frame: Frame): Promise<void> {
    const device = now().device
    return this.append(
      frame.states.map(({ at_s, ...body }, n) => ({
        ...{ id: `state-${frame.first_state + n}`, by: '', device, epoch: this.clock.epoch },
        ...{ mono_s: at_s, wall: new Date().toISOString() },
        ...body,
      })),
    )
  }

  private append(given: Omit<DeviceMark, 'seq'>[]): Promise<void> {
    return this.inTurn(async () => {
      const known = new Set(this.events.map(({ event }) => event.id))
      const fresh = given.filter(({ id }) => !known.has(String(id)))
      const tx = this.db.transaction('practiceMarks', 'readwrite', strict)
      let place = this.events.at(-1)?.place ?? 0
      const added = fresh.map((event) => {
        place += 1
        return { practiceId: this.local.id, place, event: { seq: place, ...event } as DeviceMark }
      })
      await Promise.all([...added.map((one) => tx.store.put(one)), tx.done])
      this.events.push(
        ...added.map(({ place: at, event }) => ({
          ...{ runId: this.local.id, place: at, event },
          delivery: 'waiting' as const,
        })),
      )
      this.grow()
    })
  }

  /** The trainee's own marks as a run record has them: the vehicle's states are its own. */
  marks(): Record<string, unknown>[] {
    return this.sorted().flatMap(({ event }) => {
      if (event.id.startsWith('state-')) return []
      if (event.claimed)
        return [{ at_s: event.mono_s, type: CLAIM, what: 'not_so', need: event.item ?? event.type }]
      const told = Object.entries(event).filter(([name]) => !ENVELOPE.has(name))
      return [{ at_s: event.mono_s, ...Object.fromEntries(told) }]
    })
  }

  private async end(): Promise<void> {
    await this.queue
    const marks = JSON.stringify(this.marks())
    const record = (await askCore('practice_record', [marks])) as Record<string, unknown>
    const after = (await askCore('practice_after', [marks])) as Record<string, unknown>
    await this.saveDrive({ ended: true, record, after })
    await this.cardsGoneWrong(after).catch(() => undefined)
    if (this.live) this.live = { ...this.live, run: { ...this.live.run, closed: true } }
    this.say({ drive: 'freeze', frozen: true })
    this.tell()
    this.wake()
  }

  /** What went wrong in the drive comes back among the words to be learnt, dated now. */
  private async cardsGoneWrong(after: Record<string, unknown>): Promise<void> {
    const wrong = (after.debrief as { cards?: Record<string, string[]> } | undefined)?.cards
    const cards = new Cards(this.db)
    for (const card of wrong?.[document.documentElement.lang] ?? []) {
      await cards.add({ card, rating: 1, level: 0, way: 'drive', findings: [], took_ms: 0 })
    }
  }

  /** Let the server know of it, so that a trainer can join; rejects without contact. */
  async code(): Promise<Schema['JoinCodeOut']> {
    const params = { path: { practice_id: this.local.id } }
    const record = (await askCore('practice_record', ['[]'])) as Record<string, unknown>
    await need(
      api.PUT('/api/practices/{practice_id}', {
        params,
        body: { title: this.local.title, began_at: this.local.startedWall, record, after: null },
      }),
    )
    return need(api.POST('/api/practices/{practice_id}/code', { params }))
  }
}

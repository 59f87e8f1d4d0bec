/** The runs on this device: every strike is written down here first, then sent. */

import { csrfWord, personHere, type Schema } from '../shared/api'
import { Subscribable } from '../shared/subscribable'
import { epoch, now, type Moment } from './clock'
import {
  actsOf,
  appendAct,
  appendEvents,
  eventsOf,
  forgetFleet,
  openStore,
  putRun,
  settleActs,
  takeIn,
  type Body,
  type Db,
  type DeviceEvent,
  type LocalAct,
  type LocalRun,
  type RunSetup,
} from './db'
import { isEnd, type Stage } from '../shared/trade'
import { arrange } from './order'
import { CatchUp } from './catchUp'
import { proofOf, signedMarks } from './marks'
import { fetchRun, withReadableScript } from './fetchRun'
import { Outbox } from './outbox'
import type { LiveRun, TestRecorder } from './live'
import type { NewPractice } from './live'
import type { Rounds } from './rounds'

export interface Waits {
  units: string[]
  count: number
  /** When the first of them was struck, by this device's clock. */
  since: string
}

export interface NewAct {
  /** The name of the unit or trailer. */
  about: string
  part: Schema['PartBody']
  type: Schema['ActBody']['type']
  body: Record<string, unknown>
  photos?: Blob[]
}

export interface NewRun {
  unit: Pick<Schema['UnitOut'], 'id' | 'name' | 'kind'>
  script: Schema['ScriptOut']
  driver: string
  setup: RunSetup
}

/** Writes marks down on this device before anything else happens to them, and holds the runs that are on a screen. */
export class Recorder extends Subscribable implements TestRecorder {
  private readonly live = new Map<string, LiveRun>()
  private readonly outbox: Outbox
  private book: Promise<Rounds> | undefined
  /** How often acts have reached the server: what it says of the fleet is another since then. */
  actsSettled = 0
  private queue: Promise<unknown> = Promise.resolve()
  private readonly others: CatchUp
  /** Other tabs of this device write into the same store. */
  private readonly tabs = typeof BroadcastChannel === 'undefined' ? null : new BroadcastChannel('lowhiss')

  private constructor(private readonly db: Db) {
    super()
    this.others = new CatchUp(db, (runId, kept) => this.inTurn(() => this.take(runId, kept)))
    const changed = (runId: string, lastSeq?: number) => {
      void this.refresh(runId, lastSeq)
      void this.book?.then((rounds) => rounds.refresh(runId))
      this.tabs?.postMessage(runId)
    }
    this.outbox = new Outbox(
      db,
      changed,
      () => csrfWord() !== '',
      () => {
        this.actsSettled += 1
        this.tell()
      },
    )
    this.tabs?.addEventListener('message', ({ data }) => {
      void this.refresh(String(data))
      void this.book?.then((rounds) => rounds.refresh(String(data)))
    })
    window.addEventListener('online', () => this.outbox.wake())
    document.addEventListener('visibilitychange', () => this.outbox.wake())
  }

  /** Rejects with the browser's reason where nothing can be kept on this device. */
  static async open(name?: string): Promise<Recorder> {
    const recorder = new Recorder(await openStore(name))
    void navigator.storage?.persist?.()
    return recorder
  }

  /** The last answers of the server, as `keepCopy` kept them; undefined at the first visit. */
  keptCopy = (): Promise<unknown> => this.db.get('copies', 'queries')

  keepCopy = async (copy: unknown): Promise<void> => {
    await this.db.put('copies', copy, 'queries')
  }

  /** Send what waits now, as after somebody signed in again. */
  wake = (): void => this.outbox.wake()

  snapshot = (runId: string): LiveRun | undefined => this.live.get(runId)

  /** Begin a run on this device; it reaches the server when there is contact. */
  async begin({ unit, script, driver, setup }: NewRun): Promise<string> {
    const begun = now()
    const id = crypto.randomUUID()
    const run: LocalRun = {
      id,
      unitId: unit.id,
      unitName: unit.name,
      kind: unit.kind,
      driver,
      rules: script.rules.id,
      startedWall: begun.wall,
      script,
      setup,
      begin: {
        id,
        unit_id: unit.id,
        procedure: script.procedure.id,
        rules: script.rules.id,
        rules_hash: script.rules.hash,
        procedure_hash: script.procedure.hash,
        purpose: setup.purpose,
        driver,
        setup: { ...setup, purpose: undefined } as Schema['SetupBody'],
        begun,
      },
      closed: false,
      holder: personHere()?.id,
    }
    await putRun(this.db, run)
    this.live.set(id, { run, events: [], lastSeq: 0, reached: this.outbox.reached, offsetS: null })
    this.outbox.wake()
    return id
  }

  /** The run, from this device or else from the server. Rejects when neither has it. */
  async load(runId: string): Promise<LiveRun> {
    const known = await this.db.get('runs', runId)
    // what somebody else left on a shared device is theirs: whoever is here now asks the server what is theirs
    const mine = known && isMine(known) ? known : await fetchRun(this.db, runId)
    const live = {
      run: await withReadableScript(this.db, mine),
      events: await this.arranged(runId),
      lastSeq: 0,
      reached: this.outbox.reached,
      offsetS: this.others.offsetOf(runId),
    }
    this.live.set(runId, live)
    this.tell()
    return live
  }

  /** Write marks down, in the order given, all struck at `at`; the screen may move on when this resolves. */
  strike(runId: string, bodies: Body[], at: Moment = now()): Promise<void> {
    const work = this.inTurn(async () => {
      const live = this.live.get(runId) ?? (await this.load(runId))
      const events = await signedMarks(runId, bodies, at)
      const kept = await appendEvents(this.db, runId, events)
      const ends = bodies.map(({ type }) => type).find(isEnd)
      const closed = live.run.closed || ends !== undefined
      const before = (await this.db.get('runs', runId)) ?? live.run
      const endedBy = before.endedBy ?? ends
      if (closed !== live.run.closed) await putRun(this.db, { ...before, closed, endedBy })
      const latest = this.live.get(runId) ?? live
      this.live.set(runId, {
        ...latest,
        run: { ...latest.run, closed },
        events: merge(latest.events, kept),
      })
      this.tell()
      this.tabs?.postMessage(runId)
    })
    return work.finally(() => this.outbox.wake())
  }

  /** The rounds on this device: fetched with the screens that show them. */
  rounds = (): Promise<Rounds> =>
    (this.book ??= import('./rounds').then((m) => new m.Rounds(this.db, () => this.outbox.wake())))

  staysBeside = async (runId: string): Promise<boolean> => (await this.rounds()).staysBeside(runId)

  /** The practices of this device: fetched with the screens that show them. */
  practices = async () => {
    const m = await import('./practice')
    return {
      begin: (chosen: NewPractice) => m.beginPractice(this.db, chosen),
      here: () => m.practicesHere(this.db),
      open: (id: string) => m.Practice.open(this.db, id),
      send: () => m.sendPractices(this.db),
      cards: new m.Cards(this.db),
    }
  }

  /** Write down something done about a vehicle; the screen may move on when this resolves. */
  async act(done: NewAct): Promise<void> {
    const { about, part, type, body, photos = [] } = done
    const id = crypto.randomUUID()
    const by = personHere()
    const at = now()
    const name = by?.name ?? ''
    const fields = Object.fromEntries(Object.entries(body).map(([key, value]) => [`body.${key}`, value]))
    const proof = await proofOf('acts', { ...at, id, by: name }, { type, part: { ...part }, ...fields })
    const act = { id, type, part, at, by: name, body, ...(proof && { proof }) }
    const pictured = photos.length
      ? { photos: photos.map((jpeg) => ({ id: crypto.randomUUID(), jpeg })) }
      : {}
    await appendAct(this.db, { id, act, about, holder: by?.id ?? '', delivery: 'waiting', ...pictured })
    this.tell()
    this.outbox.wake()
  }

  /** What whoever is here has done about vehicles and the server has not kept, in order. */
  acts = async (): Promise<LocalAct[]> =>
    (await actsOf(this.db)).filter(({ holder }) => holder === (personHere()?.id ?? ''))

  /** Forget an act that the server will not take: it has been read. */
  async dismissAct(id: string): Promise<void> {
    await settleActs(this.db, [id], [])
    this.tell()
  }

  /** Strikes in bursts keep their order, and what comes from elsewhere goes between: each is written before the next. */
  private inTurn<T>(work: () => Promise<T>): Promise<T> {
    const done = this.queue.then(work)
    this.queue = done.catch(() => undefined)
    return done
  }

  /** Hear of other devices' marks in a run for as long as it is on the screen; the answer ends it. */
  listen = (runId: string): (() => void) => this.others.listen(runId)

  private async take(runId: string, kept: Schema['KeptEventOut'][]): Promise<void> {
    if (!(await takeIn(this.db, runId, kept))) return
    const run = await this.db.get('runs', runId)
    const ended = kept.some(({ body }) => isEnd(body.type))
    if (run && ended && !run.closed) await putRun(this.db, { ...run, closed: true })
    await this.refresh(runId, kept.at(-1)?.seq)
    this.tabs?.postMessage(runId)
  }

  private async arranged(runId: string): Promise<DeviceEvent[]> {
    const offsetS = this.others.offsetOf(runId)
    return arrange(await eventsOf(this.db, runId), { device: now().device, epoch, offsetS })
  }

  /** Take part in a run as the server says: one that was joined, or whose lead was taken over. */
  async takePart(head: Pick<Schema['RunOut'], 'id' | 'part'>): Promise<void> {
    const run = (await this.db.get('runs', head.id)) ?? (await fetchRun(this.db, head.id))
    await putRun(this.db, { ...run, part: head.part ?? 'watch', holder: personHere()?.id })
    if (this.live.has(head.id)) await this.refresh(head.id)
    else await this.load(head.id)
    this.tabs?.postMessage(head.id)
  }

  /** Every run that whoever is here has taken part in on this device. */
  known = async (): Promise<LocalRun[]> => (await this.db.getAll('runs')).filter(isMine)

  /** How a run's stages stand, as it was judged last: a fail is to be seen before the server is heard. */
  async noteStanding(runId: string, stands: Partial<Record<Stage, string>>): Promise<void> {
    const run = await this.db.get('runs', runId)
    if (!run || JSON.stringify(run.stands) === JSON.stringify(stands)) return
    await putRun(this.db, { ...run, stands, judgedAt: Date.now() })
    await this.refresh(runId)
  }

  /** After a sign-out nothing of the fleet is left here but what still has to be sent. */
  async forget(): Promise<void> {
    await forgetFleet(this.db)
    this.live.clear()
    void this.book?.then((rounds) => rounds.forget())
    this.tell()
  }

  /** Of which units how many marks wait on this device, and since when; null while nothing does. */
  async waits(): Promise<Waits | null> {
    const waiting = await this.db.getAllFromIndex('events', 'delivery', 'waiting')
    const runs = await this.db.getAll('runs')
    const rounds = await this.db.getAll('rounds')
    const ids = new Set(waiting.map(({ runId }) => runId))
    const untold = [...runs, ...rounds].filter(({ begin, refused }) => begin && !refused)
    const acts = (await actsOf(this.db)).filter(({ delivery }) => delivery === 'waiting')
    const moments = [
      ...waiting.map(({ event }) => event.wall),
      ...acts.map(({ act }) => act.at.wall),
      ...untold.map(({ startedWall }) => startedWall),
    ]
    const [since] = moments.sort()
    if (since === undefined) return null
    const units = [...runs, ...rounds]
      .filter((run) => ids.has(run.id) || untold.includes(run))
      .map(({ unitName }) => unitName)
    const about = acts.map((act) => act.about)
    return { units: [...new Set([...units, ...about])], count: waiting.length + acts.length, since }
  }

  /** How many marks of a run the server has not acknowledged; a run it does not know yet counts as one more. */
  async waitingOf(runId: string): Promise<number> {
    const run = await this.db.get('runs', runId)
    const events = await eventsOf(this.db, runId)
    return events.filter(({ delivery }) => delivery === 'waiting').length + (run?.begin ? 1 : 0)
  }

  /** Whether the server has heard of a run: one that was begun here may still wait to be told. */
  async isTold(runId: string): Promise<boolean> {
    return !(await this.db.get('runs', runId))?.begin
  }

  private async refresh(runId: string, lastSeq?: number): Promise<void> {
    const ids = runId ? [runId] : [...this.live.keys()]
    for (const id of ids) {
      const live = this.live.get(id)
      if (!live) continue
      const run = (await this.db.get('runs', id)) ?? live.run
      const events = await this.arranged(id)
      const latest = this.live.get(id) ?? live
      this.live.set(id, {
        run,
        events: events.length >= latest.events.length ? events : latest.events,
        lastSeq: lastSeq ?? latest.lastSeq,
        reached: this.outbox.reached,
        offsetS: this.others.offsetOf(id),
      })
    }
    this.tell()
  }
}

/** Whether a run on this device is of whoever is here. */
const isMine = ({ holder }: LocalRun): boolean => holder === undefined || holder === personHere()?.id

/** Whether whoever holds a run leads it; everybody else only looks on, and strikes what a watcher may. */
export const leads = ({ part }: Pick<LocalRun, 'part'>): boolean => (part ?? 'lead') === 'lead'

/** Each place once: the store may already have been read again while the newest marks were written. */
function merge(known: DeviceEvent[], added: DeviceEvent[]): DeviceEvent[] {
  const places = new Set(known.map(({ place }) => place))
  return [...known, ...added.filter(({ place }) => !places.has(place))]
}

/** The runs on this device: every strike is written down here first, then sent. */

import { api, csrfWord, need, personHere, type Schema } from '../shared/api'
import { epoch, now, type Moment } from './clock'
import {
  appendEvents,
  eventsOf,
  forgetFleet,
  openStore,
  putRun,
  takeIn,
  type Body,
  type Db,
  type LocalEvent,
  type LocalRun,
  type RunSetup,
  type WireEvent,
} from './db'
import { isEnd, type Stage } from '../shared/trade'
import { arrange } from './order'
import { Outbox } from './outbox'
import { listen } from './socket'

export interface LiveRun {
  run: LocalRun
  events: LocalEvent[]
  /** The server's last sequence number for this run, as far as it told. */
  lastSeq: number
  reached: boolean
  /** The run's time less this page's clock [s], where the server has said it. */
  offsetS: number | null
}

export interface Waits {
  units: string[]
  count: number
  /** When the first of them was struck, by this device's clock. */
  since: string
}

export interface NewRun {
  unit: Pick<Schema['UnitOut'], 'id' | 'name' | 'kind'>
  script: Schema['ScriptOut']
  driver: string
  setup: RunSetup
}

const SCRIPT_FORMAT: Schema['ScriptOut']['format'] = 'low-hiss-script/5'

/** What other devices have added is asked for again so soon when there was no contact. */
const ASK_AGAIN_MS = 1000

/** How a run is led where nothing else was chosen. */
export const HOUSE_WAY: RunSetup = {
  watcher: '',
  timekeeper: 'tool',
  policy: null,
  calls: 'off',
  readings: 'eye',
  purpose: 'dispatch',
}

export class Recorder {
  private readonly live = new Map<string, LiveRun>()
  private readonly listeners = new Set<() => void>()
  private readonly outbox: Outbox
  private queue: Promise<unknown> = Promise.resolve()
  /** Of each run listened to: its time at the server less this page's clock [s]. */
  private readonly offsets = new Map<string, number>()
  private readonly wanted = new Map<string, number>()
  private readonly fetching = new Set<string>()
  private readonly listening = new Set<string>()

  /** Other tabs of this device write into the same store. */
  private readonly tabs = typeof BroadcastChannel === 'undefined' ? null : new BroadcastChannel('lowhiss')

  private constructor(private readonly db: Db) {
    const changed = (runId: string, lastSeq?: number) => {
      void this.refresh(runId, lastSeq)
      this.tabs?.postMessage(runId)
    }
    this.outbox = new Outbox(db, changed, () => csrfWord() !== '')
    this.tabs?.addEventListener('message', ({ data }) => void this.refresh(String(data)))
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

  subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener)
    return () => this.listeners.delete(listener)
  }

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
    const mine = known && isMine(known) ? known : await this.fetchRun(runId)
    const run = await this.current(mine)
    const offsetS = this.offsets.get(runId) ?? null
    const live = {
      run,
      events: await this.arranged(runId),
      lastSeq: 0,
      reached: this.outbox.reached,
      offsetS,
    }
    this.live.set(runId, live)
    this.tell()
    return live
  }

  /** Write marks down, in the order given, all struck at `at`; the screen may move on when this resolves. */
  strike(runId: string, bodies: Body[], at: Moment = now()): Promise<void> {
    // strikes in bursts keep their order: each is written before the next
    const work = this.queue.then(async () => {
      const live = this.live.get(runId) ?? (await this.load(runId))
      const events = bodies.map(
        (body) =>
          ({ ...at, id: crypto.randomUUID(), by: personHere()?.name ?? '', ...body }) as Omit<
            WireEvent,
            'seq'
          >,
      )
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
    this.queue = work.catch(() => undefined)
    return work.finally(() => this.outbox.wake())
  }

  /** Hear of other devices' marks in a run for as long as it is on the screen; the answer ends it. */
  listen(runId: string): () => void {
    this.listening.add(runId)
    const hangUp = listen(runId, ({ last_seq, at_s }) => {
      this.offsets.set(runId, at_s - performance.now() / 1000)
      void this.catchUp(runId, last_seq)
    })
    return () => {
      this.listening.delete(runId)
      hangUp()
    }
  }

  /** Fetch what the server has of a run and this device has not; one question at a time. */
  private async catchUp(runId: string, lastSeq: number): Promise<void> {
    this.wanted.set(runId, Math.max(lastSeq, this.wanted.get(runId) ?? 0))
    if (this.fetching.has(runId)) return
    this.fetching.add(runId)
    try {
      for (let after = await this.hasUpTo(runId); after < (this.wanted.get(runId) ?? 0);) {
        const query = { after }
        const kept = await need(
          api.GET('/api/runs/{run_id}/events', { params: { path: { run_id: runId }, query } }),
        )
        // between the strikes, as if it had been struck here
        const work = this.queue.then(() => this.take(runId, kept))
        this.queue = work.catch(() => undefined)
        await work
        after = await this.hasUpTo(runId)
        if (kept.length === 0) break
      }
    } catch {
      // no contact: asked again, for as long as the run is on the screen
      setTimeout(() => this.listening.has(runId) && void this.catchUp(runId, 0), ASK_AGAIN_MS)
    } finally {
      this.fetching.delete(runId)
    }
  }

  private async take(runId: string, kept: Schema['EventOut'][]): Promise<void> {
    if (!(await takeIn(this.db, runId, kept))) return
    const run = await this.db.get('runs', runId)
    const ended = kept.some(({ body }) => isEnd(body.type))
    if (run && ended && !run.closed) await putRun(this.db, { ...run, closed: true })
    await this.refresh(runId, kept.at(-1)?.seq)
    this.tabs?.postMessage(runId)
  }

  /** Up to which of the server's numbers this device has every mark of a run. */
  private async hasUpTo(runId: string): Promise<number> {
    const seqs = (await eventsOf(this.db, runId)).flatMap(({ serverSeq }) => serverSeq ?? [])
    const has = new Set(seqs)
    let upTo = 0
    while (has.has(upTo + 1)) upTo += 1
    return upTo
  }

  private async arranged(runId: string): Promise<LocalEvent[]> {
    const offsetS = this.offsets.get(runId) ?? null
    return arrange(await eventsOf(this.db, runId), { device: now().device, epoch, offsetS })
  }

  /** Take part in a run as the server says: one that was joined, or whose lead was taken over. */
  async takePart(head: Pick<Schema['RunOut'], 'id' | 'part'>): Promise<void> {
    const run = (await this.db.get('runs', head.id)) ?? (await this.fetchRun(head.id))
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
    this.tell()
  }

  /** Of which units how many marks wait on this device, and since when; null while nothing does. */
  async waits(): Promise<Waits | null> {
    const waiting = await this.db.getAllFromIndex('events', 'delivery', 'waiting')
    const runs = await this.db.getAll('runs')
    const ids = new Set(waiting.map(({ runId }) => runId))
    const untold = runs.filter(({ begin, refused }) => begin && !refused)
    const moments = [
      ...waiting.map(({ event }) => event.wall),
      ...untold.map(({ startedWall }) => startedWall),
    ]
    const [since] = moments.sort()
    if (since === undefined) return null
    const units = runs
      .filter((run) => ids.has(run.id) || untold.includes(run))
      .map(({ unitName }) => unitName)
    return { units: [...new Set(units)], count: waiting.length, since }
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
        offsetS: this.offsets.get(id) ?? null,
      })
    }
    this.tell()
  }

  /** A run kept by an earlier release has a script that this one cannot read. */
  private async current(run: LocalRun): Promise<LocalRun> {
    if (run.script.format === SCRIPT_FORMAT) return run
    const script = await need(api.GET('/api/runs/{run_id}/script', { params: { path: { run_id: run.id } } }))
    const renewed = { ...run, script, setup: run.setup ?? HOUSE_WAY }
    await putRun(this.db, renewed)
    return renewed
  }

  private async fetchRun(runId: string): Promise<LocalRun> {
    const path = { run_id: runId }
    const head = await need(api.GET('/api/runs/{run_id}', { params: { path } }))
    const script = await need(
      // for the unit as it was coupled when the run began, whatever it pulls by now
      api.GET('/api/runs/{run_id}/script', { params: { path } }),
    )
    const kept = await need(api.GET('/api/runs/{run_id}/events', { params: { path } }))
    const run: LocalRun = {
      id: runId,
      unitId: head.unit_id,
      unitName: head.unit_name,
      kind: head.kind,
      driver: head.driver,
      rules: head.rules,
      startedWall: head.started_at,
      script,
      setup: { ...head.setup, purpose: head.purpose } as RunSetup,
      closed: kept.some(({ body }) => isEnd(body.type)),
      part: head.part ?? 'watch',
      holder: personHere()?.id,
    }
    await putRun(this.db, run)
    await takeIn(this.db, runId, kept)
    return run
  }

  private tell(): void {
    this.listeners.forEach((listener) => listener())
  }
}

/** Whether a run on this device is of whoever is here. */
const isMine = ({ holder }: LocalRun): boolean => holder === undefined || holder === personHere()?.id

/** Whether whoever holds a run leads it; everybody else only looks on, and strikes what a watcher may. */
export const leads = ({ part }: Pick<LocalRun, 'part'>): boolean => (part ?? 'lead') === 'lead'

/** Each place once: the store may already have been read again while the newest marks were written. */
function merge(known: LocalEvent[], added: LocalEvent[]): LocalEvent[] {
  const places = new Set(known.map(({ place }) => place))
  return [...known, ...added.filter(({ place }) => !places.has(place))]
}

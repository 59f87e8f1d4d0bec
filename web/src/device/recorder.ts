/** The runs on this device, and everything else that it keeps until it is sent. */

import { csrfWord, personHere, type Schema } from '../shared/api'
import { now } from './clock'
import {
  actsOf,
  appendAct,
  forgetFleet,
  openStore,
  putRun,
  settleActs,
  type Db,
  type DeviceEvent,
  type LocalAct,
  type LocalRun,
  type RunSetup,
} from './db'
import type { Stage } from '../shared/trade'
import { RUNS } from './kinds'
import { LogBook } from './logBook'
import { proofOf } from './marks'
import { fetchRun, withReadableScript } from './fetchRun'
import { Outbox } from './outbox'
import type { LiveRun, TestRecorder } from './live'
import type { NewPractice } from './live'
import type { Inspections } from './inspections'

export interface Waits {
  units: string[]
  count: number
  /** When the first of them was marked, by this device's clock. */
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

export class Recorder extends LogBook<LocalRun, LiveRun> implements TestRecorder {
  private readonly outbox: Outbox
  private book: Promise<Inspections> | undefined
  /** How often acts or practices have reached the server: what it says of them is another since then. */
  settled = 0
  /** Other tabs of this device write into the same store. */
  private readonly tabs = typeof BroadcastChannel === 'undefined' ? null : new BroadcastChannel('lowhiss')

  private constructor(db: Db) {
    super(RUNS, { db, wake: () => this.wake(), tellTabs: (id) => this.tabs?.postMessage(id) })
    const changed = (runId: string, lastSeq?: number) => {
      void this.refresh(runId, lastSeq)
      void this.book?.then((inspections) => inspections.refresh(runId))
      this.tabs?.postMessage(runId)
    }
    this.outbox = new Outbox(
      db,
      changed,
      () => csrfWord() !== '',
      () => {
        this.settled += 1
        this.tell()
      },
    )
    this.tabs?.addEventListener('message', ({ data }) => {
      void this.refresh(String(data))
      void this.book?.then((inspections) => inspections.refresh(String(data)))
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

  /** The last answers of the server, as `saveCopy` kept them; undefined at the first visit. */
  savedCopy = (): Promise<unknown> => this.db.get('copies', 'queries')

  saveCopy = async (copy: unknown): Promise<void> => {
    await this.db.put('copies', copy, 'queries')
  }

  /** Send what waits now, as after somebody signed in again. */
  wake = (): void => this.outbox.wake()

  /** Begin a run on this device; it reaches the server when there is contact. */
  begin({ unit, script, driver, setup }: NewRun): Promise<string> {
    const begun = now()
    const id = crypto.randomUUID()
    return this.beginLog({
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
    })
  }

  protected viewOf = (run: LocalRun, events: DeviceEvent[], before?: LiveRun, lastSeq?: number): LiveRun => ({
    ...{ run, events, lastSeq: lastSeq ?? before?.lastSeq ?? 0 },
    ...{ reached: this.outbox.reached, offsetS: this.offsetOf(run.id) },
  })
  protected logIn = ({ run }: LiveRun): LocalRun => run
  protected fetch = (runId: string): Promise<LocalRun> => fetchRun(this.db, runId)
  protected override readable = (run: LocalRun): Promise<LocalRun> => withReadableScript(this.db, run)

  /** The inspections on this device: fetched with the screens that show them. */
  inspections = (): Promise<Inspections> =>
    (this.book ??= import('./inspections').then((m) => new m.Inspections(this.shelf)))

  blockedBy: Inspections['blockedBy'] = async (runId, judged) =>
    (await this.inspections()).blockedBy(runId, judged)

  /** The practices of this device: fetched with the screens that show them. */
  practices = async () => {
    const m = await import('./practice')
    return {
      begin: (chosen: NewPractice) => m.beginPractice(this.db, chosen),
      here: () => m.practicesHere(this.db),
      open: (id: string) => m.Practice.open(this.db, id, this.wake),
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

  /** Take part in a run as the server says: one that was joined, or whose lead was taken over. */
  async takePart(head: Pick<Schema['RunOut'], 'id' | 'part'>): Promise<void> {
    const run = (await this.db.get('runs', head.id)) ?? (await fetchRun(this.db, head.id))
    await putRun(this.db, { ...run, part: head.part ?? 'watch', holder: personHere()?.id })
    if (this.live.has(head.id)) await this.refresh(head.id)
    else await this.load(head.id)
    this.tabs?.postMessage(head.id)
  }

  /** How a run's stages stand, as it was judged last: a fail is to be seen before the server is heard. */
  async noteStanding(runId: string, stands: Partial<Record<Stage, string>>): Promise<void> {
    const run = await this.db.get('runs', runId)
    if (!run || JSON.stringify(run.stands) === JSON.stringify(stands)) return
    await putRun(this.db, { ...run, stands, judgedAt: Date.now() })
    await this.refresh(runId)
  }

  /** After a sign-out nothing of the fleet is left here but what still has to be sent. */
  override async forget(): Promise<void> {
    await forgetFleet(this.db)
    void this.book?.then((inspections) => inspections.forget())
    await super.forget()
  }

  /** Of which units how many marks wait on this device, and since when; null while nothing does. */
  async waits(): Promise<Waits | null> {
    const waiting = await this.db.getAllFromIndex('events', 'delivery', 'waiting')
    const runs = await this.db.getAll('runs')
    const inspections = await this.db.getAll('inspections')
    const ids = new Set(waiting.map(({ runId }) => runId))
    const untold = [...runs, ...inspections].filter(({ begin, refused }) => begin && !refused)
    const acts = (await actsOf(this.db)).filter(({ delivery }) => delivery === 'waiting')
    const moments = [
      ...waiting.map(({ event }) => event.wall),
      ...acts.map(({ act }) => act.at.wall),
      ...untold.map(({ startedWall }) => startedWall),
    ]
    const [since] = moments.sort()
    if (since === undefined) return null
    const units = [...runs, ...inspections]
      .filter((run) => ids.has(run.id) || untold.includes(run))
      .map(({ unitName }) => unitName)
    const about = acts.map((act) => act.about)
    return { units: [...new Set([...units, ...about])], count: waiting.length + acts.length, since }
  }

  /** Whether the server has heard of a run: one that was begun here may still wait to be told. */
  async isTold(runId: string): Promise<boolean> {
    return !(await this.db.get('runs', runId))?.begin
  }
}

/** Whether whoever holds a run leads it; everybody else only looks on, and marks what a watcher may. */
export const leads = ({ part }: Pick<LocalRun, 'part'>): boolean => (part ?? 'lead') === 'lead'

/** The logs of one kind on this device: every mark is written down here first, then sent. */

import { personHere, type Schema } from '../shared/api'
import { Subscribable } from '../shared/subscribable'
import { isEnd } from '../shared/trade'
import { CatchUp } from './catchUp'
import { epoch, now, type ClockReading } from './clock'
import {
  appendEvents,
  eventsOf,
  putLog,
  takeIn,
  type Body,
  type Db,
  type DeviceEvent,
  type LocalInspection,
  type LocalRun,
} from './db'
import type { LogKind } from './kinds'
import { signedMarks } from './marks'
import { arrange } from './order'

/** What every book of this device shares. */
export interface BookShelf {
  db: Db
  /** Send what waits now. */
  wake: () => void
  /** Tell the other tabs of this device that a log has grown. */
  tellTabs: (id: string) => void
}

export abstract class LogBook<
  L extends LocalRun | LocalInspection,
  V extends { events: DeviceEvent[] },
> extends Subscribable {
  protected readonly live = new Map<string, V>()
  protected readonly db: Db
  private readonly others: CatchUp
  private queue: Promise<unknown> = Promise.resolve()

  protected constructor(
    protected readonly kind: LogKind,
    protected readonly shelf: BookShelf,
  ) {
    super()
    this.db = shelf.db
    this.others = new CatchUp(shelf.db, kind, (id, kept) => this.inTurn(() => this.takeIn(id, kept)))
  }

  /** A log as the screen sees it. */
  protected abstract viewOf(log: L, events: DeviceEvent[], before?: V, lastSeq?: number): V
  protected abstract logIn(view: V): L
  /** The log from the server, with its marks, kept on this device from now on. */
  protected abstract fetch(id: string): Promise<L>
  /** A log of this device as this release can read it. */
  protected readable = (log: L): Promise<L> => Promise.resolve(log)

  snapshot = (id: string): V | undefined => this.live.get(id)

  protected async put(log: L): Promise<void> {
    await putLog(this.db, this.kind.store, log)
  }

  protected async stored(id: string): Promise<L | undefined> {
    return (await this.db.get(this.kind.store, id)) as L | undefined
  }

  /** Begin a log on this device; it reaches the server when there is contact. */
  protected async beginLog(log: L): Promise<string> {
    await this.put(log)
    this.live.set(log.id, this.viewOf(log, []))
    this.tell()
    this.shelf.wake()
    return log.id
  }

  /** The log, from this device or else from the server. Rejects when neither has it. */
  async load(id: string): Promise<V> {
    const known = await this.stored(id)
    // what somebody else left on a shared device is theirs: whoever is here now asks the server what is theirs
    const log = await this.readable(known && isMine(known) ? known : await this.fetch(id))
    const view = this.viewOf(log, await this.arranged(id))
    this.live.set(id, view)
    this.tell()
    return view
  }

  /** Write marks down, in the order given, all made at `at`; the screen may move on when this resolves. */
  mark = (id: string, bodies: Body[], at: ClockReading = now()): Promise<void> => {
    const work = this.inTurn(async () => {
      const view = this.live.get(id) ?? (await this.load(id))
      const kept = await appendEvents(this.db, id, await signedMarks(id, bodies, at))
      const before = this.logIn(view)
      const ends = bodies.map(({ type }) => type).find(isEnd)
      if (ends && !before.closed) {
        const log = (await this.stored(id)) ?? before
        await this.put({ ...log, closed: true, endedBy: log.endedBy ?? ends })
      }
      const latest = this.live.get(id) ?? view
      const log = { ...this.logIn(latest), closed: before.closed || ends !== undefined }
      this.live.set(id, this.viewOf(log, merge(latest.events, kept), latest))
      this.tell()
      this.shelf.tellTabs(id)
    })
    return work.finally(this.shelf.wake)
  }

  /** Hear of other devices' marks in a log for as long as it is on the screen; the answer ends it. */
  listen = (id: string): (() => void) => {
    let hangUp: (() => void) | undefined
    // one that is not at the server yet is unknown there, and whoever is told so does not ask again
    const onceTold = () => {
      const view = this.live.get(id)
      if (!hangUp && view && !this.logIn(view).begin) hangUp = this.others.listen(id)
    }
    const leave = this.subscribe(onceTold)
    onceTold()
    return () => {
      leave()
      hangUp?.()
    }
  }

  protected offsetOf = (id: string): number | null => this.others.offsetOf(id)

  private async takeIn(id: string, kept: Schema['SavedEventOut'][]): Promise<void> {
    if (!(await takeIn(this.db, id, kept))) return
    const log = await this.stored(id)
    const ended = kept.some(({ body }) => isEnd(body.type))
    if (log && ended && !log.closed) await this.put({ ...log, closed: true })
    await this.refresh(id, kept.at(-1)?.seq)
    this.shelf.tellTabs(id)
  }

  /** Every log that whoever is here takes part in on this device. */
  known = async (): Promise<L[]> => ((await this.db.getAll(this.kind.store)) as L[]).filter(isMine)

  /** How many marks of a log the server has not acknowledged; one that it does not know yet counts as one more. */
  async waitingOf(id: string): Promise<number> {
    const log = await this.stored(id)
    if (log && !isMine(log)) return 0
    const events = await eventsOf(this.db, id)
    return events.filter(({ delivery }) => delivery === 'waiting').length + (log?.begin ? 1 : 0)
  }

  /** Read a log again that is on a screen, or all of them. */
  async refresh(id: string, lastSeq?: number): Promise<void> {
    for (const one of id ? [id] : [...this.live.keys()]) {
      const view = this.live.get(one)
      if (!view) continue
      const log = (await this.stored(one)) ?? this.logIn(view)
      const events = await this.arranged(one)
      const latest = this.live.get(one) ?? view
      const longest = events.length >= latest.events.length ? events : latest.events
      this.live.set(one, this.viewOf(log, longest, latest, lastSeq))
    }
    this.tell()
  }

  /** After a sign-out nothing is on any screen. */
  forget(): Promise<void> {
    this.live.clear()
    this.tell()
    return Promise.resolve()
  }

  /** The marks of several devices in the order in which they were made. */
  protected inOrder(events: DeviceEvent[], id: string): DeviceEvent[] {
    return arrange(events, { device: now().device, epoch, offsetS: this.offsetOf(id) })
  }

  private async arranged(id: string): Promise<DeviceEvent[]> {
    return this.inOrder(await eventsOf(this.db, id), id)
  }

  /** Marks in bursts keep their order, and what comes from elsewhere goes between: each is written before the next. */
  protected inTurn<T>(work: () => Promise<T>): Promise<T> {
    const done = this.queue.then(work)
    this.queue = done.catch(() => undefined)
    return done
  }
}

/** Whether a log on this device is of whoever is here. */
const isMine = ({ holder }: LocalRun | LocalInspection): boolean =>
  holder === undefined || holder === personHere()?.id

/** Each place once: the store may already have been read again while the newest marks were written. */
function merge(known: DeviceEvent[], added: DeviceEvent[]): DeviceEvent[] {
  const places = new Set(known.map(({ place }) => place))
  return [...known, ...added.filter(({ place }) => !places.has(place))]
}

/** Sends what is kept on the device until the server has acknowledged it; nothing is dropped, nothing blocks the rest. */

import { api, ApiError, need, personHere, type Schema } from '../shared/api'
import { refusal, unheard } from '../shared/i18n'
import { now } from './clock'
import {
  actsOf,
  eventsOf,
  markDelivered,
  putLog,
  settleActs,
  type Db,
  type DeviceEvent,
  type LocalAct,
  type LocalInspection,
  type LocalRun,
} from './db'
import { KINDS, type LogKind } from './kinds'

const FIRST_PAUSE_MS = 500
const LONGEST_PAUSE_MS = 10_000
const BATCH = 200
const ACTS_BATCH = 50
const SENDER_LOCK = 'lowhiss-sender'

export type Changed = (runId: string, lastSeq?: number) => void

class NobodyKnownError extends Error {}

export class Outbox {
  private running = false
  private again = false
  private pauseMs = FIRST_PAUSE_MS
  private timer: ReturnType<typeof setTimeout> | undefined
  /** Whether the last attempt reached the server. */
  reached = true

  constructor(
    private readonly db: Db,
    private readonly changed: Changed,
    /** Whether it is known who is here; before that the server would take nothing. */
    private readonly maySend: () => boolean = () => true,
    /** Acts have reached the server, or were set aside by it. */
    private readonly settled: () => void = () => undefined,
  ) {}

  /** Send now; called after every mark and whenever contact may be back. */
  wake(): void {
    clearTimeout(this.timer)
    if (this.running) {
      this.again = true
      return
    }
    void this.work()
  }

  private async work(): Promise<void> {
    this.running = true
    try {
      if (!this.maySend()) throw new NobodyKnownError()
      do {
        this.again = false
        // one sender per device: another tab's events are in the same store
        await withLock(async () => {
          for (const kind of KINDS) await this.passOver(kind)
          await this.sendActs()
          await this.sendPractices()
        })
      } while (this.again)
      this.reached = true
      this.pauseMs = FIRST_PAUSE_MS
    } catch (error) {
      if (!(error instanceof ApiError || error instanceof NobodyKnownError)) console.error(error)
      this.reached = false
      this.timer = setTimeout(() => this.wake(), this.pauseMs)
      this.pauseMs = Math.min(this.pauseMs * 2, LONGEST_PAUSE_MS)
    } finally {
      this.running = false
      this.changed('')
    }
  }

  private async passOver(kind: LogKind): Promise<void> {
    const waiting = await this.db.getAllFromIndex('events', 'delivery', 'waiting')
    const ids = new Set(waiting.map((local) => local.runId))
    for (const log of await this.db.getAll(kind.store)) {
      if (log.begin && !log.refused) await this.begin(kind, log)
      if (log.refused && ids.has(log.id)) await this.setAside(log.id, log.refused)
      if (ids.has(log.id) && !log.begin) await this.sendEvents(kind, log.id)
    }
  }

  private async begin(kind: LogKind, log: LocalRun | LocalInspection): Promise<void> {
    try {
      await kind.begin(log, now())
    } catch (error) {
      log.refused = refusedFor(error)
      await putLog(this.db, kind.store, log)
      await this.setAside(log.id, log.refused)
      return
    }
    delete log.begin
    await putLog(this.db, kind.store, log)
    this.changed(log.id)
  }

  private async sendEvents(kind: LogKind, runId: string): Promise<void> {
    let most = BATCH
    for (;;) {
      const all = await eventsOf(this.db, runId)
      const batch = all.filter((local) => local.delivery === 'waiting').slice(0, most)
      if (batch.length === 0) return
      let answer: Schema['ReceivedOut']
      try {
        answer = await kind.send(runId, { sent: now(), events: batch.map((local) => local.event) })
      } catch (error) {
        const why = refusedFor(error)
        // one mark that can never be taken holds up no other: it is found by halves, and only it is set aside
        if (batch.length > 1) {
          most = Math.ceil(batch.length / 2)
          continue
        }
        await this.aside(batch, why)
        this.changed(runId)
        most = BATCH
        continue
      }
      const settled = settle(batch, answer)
      const silent = settled.filter(({ delivery }) => delivery === 'waiting')
      await markDelivered(this.db, settled)
      if (silent.length === batch.length) await this.aside(silent, unheard())
      this.changed(runId, answer.last_seq)
    }
  }

  /** What was done about vehicles goes after the runs: an act may speak of one. */
  private async sendActs(): Promise<void> {
    let most = ACTS_BATCH
    for (;;) {
      const waiting = (await actsOf(this.db)).filter(({ delivery }) => delivery === 'waiting')
      const batch = waiting.filter(({ told }) => !told).slice(0, most)
      if (batch.length === 0) {
        for (const act of waiting) await this.sendPhotos(act)
        return
      }
      const aside = (act: LocalAct, why: string): LocalAct => ({ ...act, delivery: 'aside', why })
      try {
        const body = { sent: now(), acts: batch.map(({ act }) => act) }
        const answer = await need(api.POST('/api/acts', { body }))
        const kept = new Set(answer.accepted)
        const why = new Map(answer.set_aside.map(({ id, code, message }) => [id, refusal(code, message)]))
        const rest = batch.filter(({ id }) => !kept.has(id))
        const left = rest.map((act) => aside(act, why.get(act.id) ?? unheard()))
        const pictured = batch.filter(({ id, photos }) => kept.has(id) && photos?.length)
        const told = pictured.map((act) => ({ ...act, told: true }))
        const gone = [...kept].filter((id) => !pictured.some((act) => act.id === id))
        await settleActs(this.db, gone, [...left, ...told])
        this.settled()
      } catch (error) {
        const why = refusedFor(error)
        if (batch.length > 1) most = Math.ceil(batch.length / 2)
        else {
          await settleActs(
            this.db,
            [],
            batch.map((act) => aside(act, why)),
          )
          this.settled()
          most = ACTS_BATCH
        }
      }
    }
  }

  /** The photographs of an act that the server has, one after the other; each is kept here until it is there. */
  private async sendPhotos(act: LocalAct): Promise<void> {
    const [photo, ...rest] = act.photos ?? []
    if (!photo) return
    try {
      const params = { path: { photo_id: photo.id }, query: { act: act.id } }
      await need(
        api.PUT('/api/photos/{photo_id}', {
          params,
          body: photo.jpeg as unknown as string,
          bodySerializer: (body) => body as unknown as Blob,
          headers: { 'Content-Type': 'image/jpeg' },
        }),
      )
    } catch (error) {
      await settleActs(this.db, [], [{ ...act, delivery: 'aside', why: refusedFor(error) }])
      this.settled()
      return
    }
    const left = { ...act, photos: rest }
    await settleActs(this.db, rest.length ? [] : [act.id], rest.length ? [left] : [])
    this.settled()
    await this.sendPhotos(left)
  }

  /** Practices that are over: they go whole, for the server drives each again from its log. */
  private async sendPractices(): Promise<void> {
    for (const one of await this.db.getAll('practices')) {
      const { id, title, startedWall, record, after, holder } = one
      if (!one.ended || one.told || one.refused || !record || !after || holder !== personHere()?.id) continue
      const params = { path: { practice_id: id } }
      const body = { title, began_at: startedWall, record, after }
      const sent = await need(api.PUT('/api/practices/{practice_id}', { params, body })).then(
        () => ({ told: true }),
        (error: unknown) => ({ refused: refusedFor(error) }),
      )
      await this.db.put('practices', { ...one, ...sent })
      this.settled()
    }
  }

  private aside(events: DeviceEvent[], why: string): Promise<void> {
    return markDelivered(
      this.db,
      events.map((local) => ({ ...local, delivery: 'aside', why })),
    )
  }

  private async setAside(runId: string, why: string): Promise<void> {
    const all = await eventsOf(this.db, runId)
    await this.aside(
      all.filter((local) => local.delivery === 'waiting'),
      why,
    )
    this.changed(runId)
  }
}

/** Why the server will never take something. Throws what may pass by itself, or with a sign-in. */
function refusedFor(error: unknown): string {
  if (!(error instanceof ApiError) || error.passing || error.needsSignIn) throw error
  return error.message
}

/** What became of each event of a batch. One the server did not mention keeps waiting. */
function settle(batch: DeviceEvent[], answer: Schema['ReceivedOut']): DeviceEvent[] {
  const accepted = new Map(answer.accepted.map((one) => [one.id, one.seq]))
  const aside = new Map(answer.set_aside.map((one) => [one.id, refusal(one.code, one.message)]))
  return batch.map((local) => {
    const serverSeq = accepted.get(local.event.id)
    if (serverSeq !== undefined) return { ...local, delivery: 'kept' as const, serverSeq }
    const why = aside.get(local.event.id)
    return why === undefined ? local : { ...local, delivery: 'aside' as const, why }
  })
}

async function withLock(work: () => Promise<void>): Promise<void> {
  if (!('locks' in navigator)) return work()
  await navigator.locks.request(SENDER_LOCK, work)
}

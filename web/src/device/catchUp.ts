/** Fetches what the server has of a run and this device has not: nudged over a socket, by cursor, one question at a time. */

import { api, need, type Schema } from '../shared/api'
import { eventsOf, type Db } from './db'
import { listen } from './socket'

/** What other devices have added is asked for again so soon when there was no contact. */
const ASK_AGAIN_MS = 1000

export class CatchUp {
  /** Of each run listened to: its time at the server less this page's clock [s]. */
  private readonly offsets = new Map<string, number>()
  private readonly wanted = new Map<string, number>()
  private readonly fetching = new Set<string>()
  private readonly listening = new Set<string>()

  constructor(
    private readonly db: Db,
    /** Keeps what came, between the strikes, as if it had been struck here. */
    private readonly keep: (runId: string, kept: Schema['KeptEventOut'][]) => Promise<void>,
  ) {}

  /** The run's time less this page's clock [s], where the server has said it. */
  offsetOf = (runId: string): number | null => this.offsets.get(runId) ?? null

  /** Hear of other devices' marks in a run for as long as it is on the screen; the answer ends it. */
  listen(runId: string): () => void {
    this.listening.add(runId)
    const hangUp = listen(runId, ({ last_seq, at_s }) => {
      this.offsets.set(runId, at_s - performance.now() / 1000)
      void this.upTo(runId, last_seq)
    })
    return () => {
      this.listening.delete(runId)
      hangUp()
    }
  }

  private async upTo(runId: string, lastSeq: number): Promise<void> {
    this.wanted.set(runId, Math.max(lastSeq, this.wanted.get(runId) ?? 0))
    if (this.fetching.has(runId)) return
    this.fetching.add(runId)
    try {
      for (let after = await this.hasUpTo(runId); after < (this.wanted.get(runId) ?? 0);) {
        const params = { path: { run_id: runId }, query: { after } }
        const kept = await need(api.GET('/api/runs/{run_id}/events', { params }))
        await this.keep(runId, kept)
        after = await this.hasUpTo(runId)
        if (kept.length === 0) break
      }
    } catch {
      // no contact: asked again, for as long as the run is on the screen
      setTimeout(() => this.listening.has(runId) && void this.upTo(runId, 0), ASK_AGAIN_MS)
    } finally {
      this.fetching.delete(runId)
    }
  }

  /** Up to which of the server's numbers this device has every mark of a run. */
  private async hasUpTo(runId: string): Promise<number> {
    const seqs = (await eventsOf(this.db, runId)).flatMap(({ serverSeq }) => serverSeq ?? [])
    const has = new Set(seqs)
    let upTo = 0
    while (has.has(upTo + 1)) upTo += 1
    return upTo
  }
}

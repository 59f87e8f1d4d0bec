/** Fetches what the server has of a log and this device has not: nudged over a socket, by cursor, one question at a time. */

import type { Schema } from '../shared/api'
import { eventsOf, type Db } from './db'
import type { LogKind } from './kinds'
import { listen } from './socket'

/** What other devices have added is asked for again so soon when there was no contact. */
const ASK_AGAIN_MS = 1000

export class CatchUp {
  /** Of each log listened to: its time at the server less this page's clock [s]. */
  private readonly offsets = new Map<string, number>()
  private readonly wanted = new Map<string, number>()
  private readonly fetching = new Set<string>()
  private readonly listening = new Set<string>()

  constructor(
    private readonly db: Db,
    private readonly kind: LogKind,
    /** Keeps what came, between the marks made here, as if it had been one of them. */
    private readonly keep: (id: string, kept: Schema['SavedEventOut'][]) => Promise<void>,
  ) {}

  /** The log's time less this page's clock [s], where the server has said it. */
  offsetOf = (id: string): number | null => this.offsets.get(id) ?? null

  /** Hear of other devices' marks in a log for as long as it is on the screen; the answer ends it. */
  listen(id: string): () => void {
    this.listening.add(id)
    const hangUp = listen(`/api/${this.kind.store}/${id}/live`, ({ last_seq, at_s }) => {
      this.offsets.set(id, at_s - performance.now() / 1000)
      void this.upTo(id, last_seq)
    })
    return () => {
      this.listening.delete(id)
      hangUp()
    }
  }

  private async upTo(id: string, lastSeq: number): Promise<void> {
    this.wanted.set(id, Math.max(lastSeq, this.wanted.get(id) ?? 0))
    if (this.fetching.has(id)) return
    this.fetching.add(id)
    try {
      for (let after = await this.hasUpTo(id); after < (this.wanted.get(id) ?? 0);) {
        const kept = await this.kind.after(id, after)
        await this.keep(id, kept)
        after = await this.hasUpTo(id)
        if (kept.length === 0) break
      }
    } catch {
      // no contact: asked again, for as long as the log is on the screen
      setTimeout(() => this.listening.has(id) && void this.upTo(id, 0), ASK_AGAIN_MS)
    } finally {
      this.fetching.delete(id)
    }
  }

  /** Up to which of the server's numbers this device has every mark of a log. */
  private async hasUpTo(id: string): Promise<number> {
    const seqs = (await eventsOf(this.db, id)).flatMap(({ serverSeq }) => serverSeq ?? [])
    const has = new Set(seqs)
    let upTo = 0
    while (has.has(upTo + 1)) upTo += 1
    return upTo
  }
}

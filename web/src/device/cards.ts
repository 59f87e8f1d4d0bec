/** Answers to the cards of the words: written down here first, then sent; each is kept once, by its id. */

import { api, need, personHere, type Schema } from '../shared/api'
import { now } from './clock'
import type { Db } from './db'

export type Answer = Schema['ReviewBody']

interface SavedAnswers {
  waiting: Answer[]
  known: Answer[]
}

/** What this device knows of somebody's answers: those that wait, and those that the server has told. */
export class Cards {
  constructor(private readonly db: Db) {}

  private key = (): string => `cards ${personHere()?.id ?? ''}`

  private async read(): Promise<SavedAnswers> {
    return (
      ((await this.db.get('copies', this.key())) as SavedAnswers | undefined) ?? { waiting: [], known: [] }
    )
  }

  /** Every answer, whichever device it was given on. */
  async all(): Promise<Answer[]> {
    const { waiting, known } = await this.read()
    const ids = new Set(known.map(({ id }) => id))
    return [...known, ...waiting.filter(({ id }) => !ids.has(id))]
  }

  async waiting(): Promise<number> {
    return (await this.read()).waiting.length
  }

  /** Write an answer down; it is on this device when this resolves. */
  async add(
    answer: Pick<Answer, 'card' | 'rating' | 'level' | 'way' | 'findings' | 'took_ms'>,
  ): Promise<void> {
    const tx = this.db.transaction('copies', 'readwrite', { durability: 'strict' })
    const kept = ((await tx.store.get(this.key())) as SavedAnswers | undefined) ?? { waiting: [], known: [] }
    const whole = {
      ...{ ...answer, id: crypto.randomUUID(), at: new Date().toISOString() },
      ...{ device: now().device, seq: kept.known.length + kept.waiting.length },
    }
    await Promise.all([tx.store.put({ ...kept, waiting: [...kept.waiting, whole] }, this.key()), tx.done])
  }

  /** Send what waits and hear of what other devices sent. Rejects without contact; nothing is lost then. */
  async meet(): Promise<void> {
    const { waiting } = await this.read()
    if (waiting.length > 0) await need(api.PUT('/api/learning/reviews', { body: { reviews: waiting } }))
    const known = (await need(api.GET('/api/learning/reviews'))) as Answer[]
    const ids = new Set(known.map(({ id }) => id))
    const tx = this.db.transaction('copies', 'readwrite')
    const kept = ((await tx.store.get(this.key())) as SavedAnswers | undefined) ?? { waiting: [], known: [] }
    await Promise.all([
      tx.store.put({ known, waiting: kept.waiting.filter(({ id }) => !ids.has(id)) }, this.key()),
      tx.done,
    ])
  }
}

/** Marks as they are written down: with the proof of who made them, whose code is fetched beside the first screen. */

import { personHere } from '../shared/api'
import type { ClockReading } from './clock'
import type { Body, DeviceMark } from './db'
import type { Proof } from './proof'

// fetched beside the first screen, not with it
const proofs = () => import('./proof')

/** Make the key by which this session signs its marks. Never rejects. */
export const saveSessionKey = (personId: string, csrf: string): Promise<void> =>
  proofs().then(
    (m) => m.saveSessionKey(personId, csrf),
    () => undefined,
  )

/** Nobody signs here any more. Never rejects. */
export const forgetSessionKey = (): Promise<void> =>
  proofs().then(
    (m) => m.forgetSessionKey(),
    () => undefined,
  )

interface Made extends ClockReading {
  id: string
  by: string
}

/** The proof of a mark by whoever is here; undefined where there is no key of theirs. */
export const proofOf = (log: string, mark: Made, body: Record<string, unknown>): Promise<Proof | undefined> =>
  proofs().then(
    (m) => m.proofOf(log, mark, body),
    () => undefined,
  )

/** Marks as they are written down, for every kind of log: each with its id, its author, and their proof. */
export function signedMarks(
  logId: string,
  bodies: Body[],
  at: ClockReading,
): Promise<Omit<DeviceMark, 'seq'>[]> {
  const by = personHere()?.name ?? ''
  return Promise.all(
    bodies.map(async (given) => {
      const {
        id = crypto.randomUUID(),
        by: author = by,
        ...body
      } = given as Body & { id?: string; by?: string }
      const proof = author === by ? await proofOf(logId, { ...at, id, by }, body) : undefined
      return { ...at, id, by: author, ...body, ...(proof && { proof }) } as Omit<DeviceMark, 'seq'>
    }),
  )
}

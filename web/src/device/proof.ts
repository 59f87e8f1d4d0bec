/**
 * Proofs of authorship: every mark is signed when it is made, by a key of the session in which it was made. The key is
 * made at sign-in, its private half never leaves the browser, and it is deleted at sign-out or when the person changes.
 */

import { openDB, type DBSchema, type IDBPDatabase } from 'idb'
import { api, need, personHere } from '../shared/api'
import type { ClockReading } from './clock'

interface SessionKey {
  id: string
  personId: string
  /** Which session it was made for, as a hash that tells nothing of it. */
  session: string
  pair: CryptoKeyPair
  /** The server has its public half. */
  known: boolean
}

interface Keys extends DBSchema {
  keys: { key: 'here'; value: SessionKey }
}

export interface Proof {
  key: string
  signature: string
}

const ALGORITHM = { name: 'ECDSA', namedCurve: 'P-256' }
const SIGNING = { name: 'ECDSA', hash: 'SHA-256' }

let opened: Promise<IDBPDatabase<Keys>> | undefined
const store = () =>
  (opened ??= openDB<Keys>('lowhiss-session', 1, {
    upgrade: (db) => void db.createObjectStore('keys'),
  }))

const hex = (bytes: ArrayBuffer) =>
  [...new Uint8Array(bytes)].map((byte) => byte.toString(16).padStart(2, '0')).join('')

/** Make the key of this session, or find it again; the server gets its public half. Never rejects. */
export async function saveSessionKey(personId: string, csrf: string): Promise<void> {
  try {
    const db = await store()
    const session = hex(await crypto.subtle.digest('SHA-256', new TextEncoder().encode(`key ${csrf}`)))
    let here = await db.get('keys', 'here')
    if (here?.personId !== personId || here.session !== session) {
      const pair = await crypto.subtle.generateKey(ALGORITHM, false, ['sign', 'verify'])
      here = { id: crypto.randomUUID(), personId, session, pair, known: false }
      await db.put('keys', here, 'here')
    }
    if (here.known) return
    const point = hex(await crypto.subtle.exportKey('raw', here.pair.publicKey))
    await need(api.POST('/api/session/key', { body: { id: here.id, public: point } }))
    await db.put('keys', { ...here, known: true }, 'here')
  } catch {
    // without a key marks are sent all the same: they count as their sender's
  }
}

/** Nobody signs here any more: at sign-out, and when the person changes. Never rejects. */
export async function forgetSessionKey(): Promise<void> {
  try {
    await (await store()).delete('keys', 'here')
  } catch {
    // nothing was kept
  }
}

interface Signed extends ClockReading {
  id: string
  by: string
}

/** A proof of a mark by whoever is signed in here; undefined where there is no key of theirs. */
export async function proofOf(
  log: string,
  { id, by, device, epoch, mono_s, wall }: Signed,
  body: Record<string, unknown>,
): Promise<Proof | undefined> {
  try {
    const here = await (await store()).get('keys', 'here')
    if (!here || here.personId !== personHere()?.id) return undefined
    const content = { log, id, device, epoch, mono_s, wall_ms: Date.parse(wall), by, body }
    const text = new TextEncoder().encode(canonical(content))
    const signature = await crypto.subtle.sign(SIGNING, here.pair.privateKey, text)
    return { key: here.id, signature: btoa(String.fromCharCode(...new Uint8Array(signature))) }
  } catch {
    return undefined
  }
}

/** Canonical JSON (RFC 8785): keys in the order of their UTF-16 units, numbers and texts as JSON.stringify writes them. */
export function canonical(value: unknown): string {
  if (Array.isArray(value)) return `[${value.map(canonical).join(',')}]`
  if (value === null || typeof value !== 'object') return JSON.stringify(value ?? null)
  const entries = Object.entries(value)
    .filter(([, part]) => part !== undefined)
    .sort(([one], [other]) => (one < other ? -1 : 1))
  return `{${entries.map(([key, part]) => `${JSON.stringify(key)}:${canonical(part)}`).join(',')}}`
}

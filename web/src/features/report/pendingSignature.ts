/** A signature made without contact: that somebody signed, and when, until they show the server that it was them. */

export interface Pending {
  id: string
  name: string
  signed_at: string
}

const KEY = 'low-hiss signatures'

const all = (): Record<string, Pending> =>
  JSON.parse(localStorage.getItem(KEY) ?? '{}') as Record<string, Pending>

export const pendingOf = (runId: string): Pending | undefined => all()[runId]

export function savePending(runId: string, name: string): Pending {
  const pending = { id: crypto.randomUUID(), name, signed_at: new Date().toISOString() }
  localStorage.setItem(KEY, JSON.stringify({ ...all(), [runId]: pending }))
  return pending
}

export function forgetPending(runId: string): void {
  const rest = Object.entries(all()).filter(([id]) => id !== runId)
  localStorage.setItem(KEY, JSON.stringify(Object.fromEntries(rest)))
}

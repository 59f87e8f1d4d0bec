import { createContext, use } from 'react'
import { api, need, rememberCsrf, type operations, type Schema } from '../api'

export type Me = Schema['MeOut']
export type Person = Schema['PersonOut']
/** What rights go by: the API's operations, by name. */
export type Operation = Extract<keyof operations, string>

const KEY = 'lowhiss.me'

/** Ask who is signed in, and keep the answer for a start without contact. */
export async function fetchMe(): Promise<Me> {
  return keepMe(await need(api.GET('/api/session')))
}

export function keepMe(me: Me): Me {
  rememberCsrf(me.csrf)
  localStorage.setItem(KEY, JSON.stringify({ ...me, csrf: '' }))
  return me
}

/** Who was signed in when there last was contact. */
export function lastMe(): Me | undefined {
  try {
    const kept = localStorage.getItem(KEY)
    return kept ? (JSON.parse(kept) as Me) : undefined
  } catch {
    return undefined
  }
}

export interface SessionState {
  me: Me
  /** Take over a new session, as after signing in. */
  begin: (me: Me) => void
  signOut: (everywhere?: boolean) => Promise<void>
}

export const SessionContext = createContext<SessionState | null>(null)

export function useSession(): SessionState {
  const state = use(SessionContext)
  if (!state) throw new Error('no session around this screen')
  return state
}

/** Whether the person who is signed in may do this; the server decides again when it is done. */
export const useMay = (operation: Operation): boolean => useSession().me.may.includes(operation)

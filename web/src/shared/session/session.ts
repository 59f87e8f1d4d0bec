import { createContext, use } from 'react'
import { api, csrfWord, need, rememberCsrf, rememberPerson, type operations, type Schema } from '../api'

export type Me = Schema['MeOut']
export type Person = Schema['PersonOut']
/** What rights go by: the API's operations, by name. */
export type Operation = Extract<keyof operations, string>

const KEY = 'lowhiss.me'
/** A sign-out that the server has not heard of yet: the word that it must carry. */
const LEAVING = 'lowhiss.leaving'

/** Nobody, as far as this device knows. */
export const NOBODY: Me = { person: null, csrf: '', may: [], acts: [], milder: false, demo_people: [] }

/** Ask who is signed in, and keep the answer for a start without contact; a sign-out that waits goes first. */
export async function fetchMe(): Promise<Me> {
  const leaving = pendingSignOut()
  if (leaving) {
    rememberCsrf(leaving.csrf)
    await need(
      leaving.everywhere ? api.POST('/api/session/sign-out-everywhere') : api.POST('/api/session/sign-out'),
    ).catch((error: unknown) => {
      // a session that had ended already needs no end; without contact it is asked again
      if ((error as { status?: number }).status === 0) throw error
    })
    localStorage.removeItem(LEAVING)
  }
  return keepMe(await need(api.GET('/api/session')))
}

export function keepMe(me: Me): Me {
  rememberCsrf(me.csrf)
  rememberPerson(me.person)
  localStorage.setItem(KEY, JSON.stringify({ ...me, csrf: '' }))
  return me
}

/** Sign out on this device at once; the server hears of it when there is contact. */
export function leave(everywhere: boolean): void {
  localStorage.setItem(LEAVING, JSON.stringify({ csrf: csrfWord(), everywhere }))
  localStorage.removeItem(KEY)
  rememberCsrf('')
  rememberPerson(null)
}

/** Whoever signs in again replaces the session that was to be ended. */
export const stay = (): void => localStorage.removeItem(LEAVING)

function pendingSignOut(): { csrf: string; everywhere: boolean } | null {
  try {
    return JSON.parse(localStorage.getItem(LEAVING) ?? 'null') as { csrf: string; everywhere: boolean } | null
  } catch {
    return null
  }
}

/** Who was signed in when there last was contact; nobody after a sign-out. */
export function lastMe(): Me | undefined {
  if (pendingSignOut()) return NOBODY
  try {
    const kept = localStorage.getItem(KEY)
    // what an earlier release kept has not all of it
    const me = kept ? { ...NOBODY, ...(JSON.parse(kept) as Partial<Me>) } : undefined
    if (me) rememberPerson(me.person)
    return me
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

/** Whether they may do this about a vehicle. */
export const useMayAct = (act: Schema['ActBody']['type']): boolean => useSession().me.acts.includes(act)

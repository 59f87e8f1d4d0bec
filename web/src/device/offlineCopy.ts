/** What a test without contact needs to begin: the units and their scripts, kept from the last contact. */

import { dehydrate, hydrate, type DehydratedState, type Query, type QueryClient } from '@tanstack/react-query'
import { personHere } from '../shared/api'
import type { Recorder } from './recorder'

const KEPT = new Set<unknown>([
  'units',
  'script',
  'about',
  'rulebook',
  'groups',
  'inspection-start',
  'vehicle',
  'own-lessons',
])
const PAUSE_MS = 1000

const isSaved = ({ queryKey, state }: Query): boolean => KEPT.has(queryKey[0]) && state.data !== undefined

/** Begin with the copy of the last contact, and renew the copy whenever one of its parts has changed. */
export async function saveOfflineCopy(queries: QueryClient, recorder: Recorder): Promise<void> {
  for (const key of KEPT) queries.setQueryDefaults([key], { gcTime: Infinity })
  hydrate(queries, ((await recorder.savedCopy()) ?? {}) as DehydratedState)
  let timer: ReturnType<typeof setTimeout> | undefined
  queries.getQueryCache().subscribe(({ type, query }) => {
    if (type !== 'updated' || !isSaved(query)) return
    clearTimeout(timer)
    timer = setTimeout(() => {
      // whoever signed out meanwhile has left nothing here, and a copy that was still due must not come after it
      if (!personHere()) return
      // a copy that finds no room is only missed without contact
      void recorder.saveCopy(dehydrate(queries, { shouldDehydrateQuery: isSaved })).catch(() => undefined)
    }, PAUSE_MS)
  })
}

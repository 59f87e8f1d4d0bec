/** What a test without contact needs to begin: the units and their scripts, kept from the last contact. */

import { dehydrate, hydrate, type DehydratedState, type Query, type QueryClient } from '@tanstack/react-query'
import {
  begunWith,
  groupsQuery,
  personHere,
  rulebookQuery,
  scriptQuery,
  unitsQuery,
  type Schema,
} from '../shared/api'
import type { Recorder } from './recorder'

const KEPT = new Set<unknown>([
  'units',
  'script',
  'about',
  'rulebook',
  'groups',
  'round-start',
  'vehicle',
  'own-lessons',
])
const PAUSE_MS = 1000

const isKept = ({ queryKey, state }: Query): boolean => KEPT.has(queryKey[0]) && state.data !== undefined

/** Begin with the copy of the last contact, and renew the copy whenever one of its parts has changed. */
export async function keepOfflineCopy(queries: QueryClient, recorder: Recorder): Promise<void> {
  for (const key of KEPT) queries.setQueryDefaults([key], { gcTime: Infinity })
  hydrate(queries, ((await recorder.keptCopy()) ?? {}) as DehydratedState)
  let timer: ReturnType<typeof setTimeout> | undefined
  queries.getQueryCache().subscribe(({ type, query }) => {
    if (type !== 'updated' || !isKept(query)) return
    clearTimeout(timer)
    timer = setTimeout(() => {
      // whoever signed out meanwhile has left nothing here, and a copy that was still due must not come after it
      if (!personHere()) return
      // a copy that finds no room is only missed without contact
      void recorder.keepCopy(dehydrate(queries, { shouldDehydrateQuery: isKept })).catch(() => undefined)
    }, PAUSE_MS)
  })
}

/** Fetch each unit's script once, one after the other, so that its test can begin without contact. */
export async function knowScripts(queries: QueryClient): Promise<void> {
  await Promise.all([queries.prefetchQuery(rulebookQuery()), queries.prefetchQuery(groupsQuery())])
  const units = queries.getQueryData(unitsQuery().queryKey) ?? []
  for (const { id, procedure, rules } of units.flatMap(waysOf)) {
    const script = scriptQuery(id, procedure, rules)
    const known = queries.getQueryState(script.queryKey)?.dataUpdatedAt ?? 0
    if (Date.now() - known < SCRIPT_GOOD_FOR_MS) continue
    await queries.prefetchQuery(script)
    if (queries.getQueryState(script.queryKey)?.status !== 'success') return
  }
}

/** As its next test is begun, and its own way where something holds it. */
const waysOf = (unit: Schema['YardUnitOut']) =>
  [begunWith(unit), begunWith({ ...unit, standing: null })].map((way) => ({ ...way, id: unit.id }))

const SCRIPT_GOOD_FOR_MS = 12 * 3600_000

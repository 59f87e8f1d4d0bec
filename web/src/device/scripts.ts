/** Scripts of every unit, fetched while there is contact. */

import type { QueryClient } from '@tanstack/react-query'
import {
  ApiError,
  begunWith,
  groupsQuery,
  rulebookQuery,
  scriptQuery,
  unitsQuery,
  type Schema,
} from '../shared/api'

/** Fetch each unit's script once, one after the other, so that its test can begin without contact. */
export async function knowScripts(queries: QueryClient): Promise<void> {
  await Promise.all([queries.prefetchQuery(rulebookQuery()), queries.prefetchQuery(groupsQuery())])
  const units = queries.getQueryData(unitsQuery().queryKey) ?? []
  for (const { id, procedure, rules } of units.flatMap(waysOf)) {
    const script = scriptQuery(id, procedure, rules)
    const known = queries.getQueryState(script.queryKey)?.dataUpdatedAt ?? 0
    if (Date.now() - known < SCRIPT_GOOD_FOR_MS) continue
    await queries.prefetchQuery(script)
    const error = queries.getQueryState(script.queryKey)?.error
    // without contact the rest waits for the next time; one unit that has no script keeps no other from having its own
    if (error && !(error instanceof ApiError && !error.passing)) return
  }
}

/** As its next test is begun, and its own way where something holds it. */
const waysOf = (unit: Schema['YardUnitOut']) =>
  [begunWith(unit), begunWith({ ...unit, status: null })].map((way) => ({ ...way, id: unit.id }))

const SCRIPT_GOOD_FOR_MS = 12 * 3600_000

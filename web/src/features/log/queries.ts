/** What the log asks the server. */

import { keepPreviousData, queryOptions } from '@tanstack/react-query'
import { api, need, type Operations } from '../../shared/api'
import type { Language } from '../../shared/i18n'

export type LogWanted = NonNullable<Operations['countLog']['parameters']['query']>

export const logQuery = (wanted: LogWanted, before: string | undefined) =>
  queryOptions({
    queryKey: ['log', wanted, before],
    queryFn: ({ signal }) => need(api.GET('/api/log', { signal, params: { query: { ...wanted, before } } })),
    placeholderData: keepPreviousData,
  })

export const logCountQuery = (wanted: LogWanted) =>
  queryOptions({
    queryKey: ['log-count', wanted],
    queryFn: ({ signal }) => need(api.GET('/api/log/count', { signal, params: { query: wanted } })),
    placeholderData: keepPreviousData,
  })

/** What runs can be found by beside their rows. */
export const findableQuery = (lang: Language) =>
  queryOptions({
    queryKey: ['log-findable', lang],
    queryFn: ({ signal }) => need(api.GET('/api/log/findable', { signal, params: { query: { lang } } })),
    staleTime: Infinity,
  })

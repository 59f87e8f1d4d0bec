/** What the rule desk asks of the server. */

import { keepPreviousData, queryOptions } from '@tanstack/react-query'
import { api, need, type Schema } from '../../shared/api'
import type { PressureUnit } from '../../shared/figures/format'
import type { Language } from '../../shared/i18n'

export type UnitKind = Schema['UnitOut']['kind']
export type Circuits = Schema['UnitOut']['circuits']

/** Every version of the fleet's own rule sets and orders of work, the latest first. */
export const editionsQuery = () =>
  queryOptions({
    queryKey: ['editions'],
    queryFn: ({ signal }) => need(api.GET('/api/rules', { signal })),
  })

/** Rule sets side by side; all that are in force where none is named. */
export const compareQuery = (
  sets: string[],
  kind: UnitKind,
  circuits: Circuits,
  lang: Language,
  unit: PressureUnit,
) =>
  queryOptions({
    queryKey: ['compare', sets, kind, circuits, lang, unit],
    queryFn: ({ signal }) =>
      need(
        api.GET('/api/rules/compare', { signal, params: { query: { sets, kind, circuits, lang, unit } } }),
      ),
    placeholderData: keepPreviousData,
  })

/** What tests of a kind measured in a stage, under a limit as it was and as it would be. */
export const weighQuery = (body: Schema['WeighBody']) =>
  queryOptions({
    queryKey: ['weigh', body],
    queryFn: ({ signal }) => need(api.POST('/api/rules/weigh', { signal, body })),
    placeholderData: keepPreviousData,
    staleTime: 60_000,
  })

/** What a rule set holds of an inspection. */
export const inspectionRulesQuery = (ref: string, lang: Language, unit: PressureUnit) =>
  queryOptions({
    queryKey: ['compare', 'inspection', ref, lang, unit],
    queryFn: ({ signal }) =>
      need(api.GET('/api/rules/inspection', { signal, params: { query: { ref, lang, unit } } })),
    placeholderData: keepPreviousData,
  })

/** What is being written, read: its sentences, what is looser than the law. */
export const checkQuery = (table: Record<string, unknown>, lang: Language, unit: PressureUnit) =>
  queryOptions({
    queryKey: ['check', table, lang, unit],
    queryFn: ({ signal }) =>
      need(api.POST('/api/rules/check', { signal, params: { query: { lang, unit } }, body: { table } })),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
  })

export const cardQuery = (unitId: string, lang: Language, unit: PressureUnit) =>
  queryOptions({
    queryKey: ['unit', unitId, 'card', lang, unit],
    queryFn: ({ signal }) =>
      need(
        api.GET('/api/units/{unit_id}/card', {
          signal,
          params: { path: { unit_id: unitId }, query: { lang, unit } },
        }),
      ),
  })

/** What an order of work takes as it is being built. */
export const planQuery = (body: Schema['OrderBody'], lang: Language, unit: PressureUnit) =>
  queryOptions({
    queryKey: ['plan', body, lang, unit],
    queryFn: ({ signal }) =>
      need(api.POST('/api/orders/plan', { signal, params: { query: { lang, unit } }, body })),
    placeholderData: keepPreviousData,
  })

export const whatIfsQuery = () =>
  queryOptions({
    queryKey: ['what-if'],
    queryFn: ({ signal }) => need(api.GET('/api/what-if', { signal })),
    // one that is being answered is looked at again
    refetchInterval: ({ state }) =>
      state.data?.some((job) => job.state === 'waiting' || job.state === 'running') ? 1_000 : false,
  })

export const whatIfLinesQuery = (
  jobId: string,
  lines: number,
  after: number,
  lang: Language,
  unit: PressureUnit,
) =>
  queryOptions({
    queryKey: ['what-if', jobId, lines, after, lang, unit],
    queryFn: ({ signal }) =>
      need(
        api.GET('/api/what-if/{job_id}/lines', {
          signal,
          params: { path: { job_id: jobId }, query: { after, lang, unit } },
        }),
      ),
    placeholderData: keepPreviousData,
  })

export const sumsQuery = (lang: Language, unit: PressureUnit) =>
  queryOptions({
    queryKey: ['sums', lang, unit],
    queryFn: ({ signal }) => need(api.GET('/api/sums', { signal, params: { query: { lang, unit } } })),
    staleTime: Infinity,
  })

export const workedQuery = (sum: string, given: Record<string, number>, lang: Language, unit: PressureUnit) =>
  queryOptions({
    queryKey: ['sums', sum, given, lang, unit],
    queryFn: ({ signal }) =>
      need(
        api.POST('/api/sums/{sum_id}', {
          signal,
          params: { path: { sum_id: sum }, query: { lang, unit } },
          body: { given },
        }),
      ),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
  })

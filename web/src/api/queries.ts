import { keepPreviousData, queryOptions } from '@tanstack/react-query'
import type { PressureUnit } from '../figures/format'
import type { Language } from '../i18n'
import { api, need } from './client'

export const aboutQuery = () =>
  queryOptions({ queryKey: ['about'], queryFn: () => need(api.GET('/api/about')), staleTime: Infinity })

export const unitsQuery = () =>
  queryOptions({ queryKey: ['units'], queryFn: () => need(api.GET('/api/units')) })

export const allUnitsQuery = () =>
  queryOptions({
    queryKey: ['units', 'all'],
    queryFn: () => need(api.GET('/api/units', { params: { query: { retired: true } } })),
  })

export const unitQuery = (unitId: string) =>
  queryOptions({
    queryKey: ['unit', unitId],
    queryFn: () => need(api.GET('/api/units/{unit_id}', { params: { path: { unit_id: unitId } } })),
  })

export const trailersQuery = () =>
  queryOptions({ queryKey: ['trailers'], queryFn: () => need(api.GET('/api/trailers')) })

export const peopleQuery = () =>
  queryOptions({ queryKey: ['people'], queryFn: () => need(api.GET('/api/people')) })

/** The script of one procedure under one rule set; the unit's own where they are not named. */
export const scriptQuery = (unitId: string, procedure: string | undefined, rules: string | undefined) =>
  queryOptions({
    queryKey: ['script', unitId, procedure, rules],
    queryFn: () =>
      need(
        api.GET('/api/units/{unit_id}/script', {
          params: { path: { unit_id: unitId }, query: { procedure, rules } },
        }),
      ),
    placeholderData: keepPreviousData,
  })

export type LogOutcome = 'pass' | 'fail' | 'void' | 'incomplete' | 'close_call'

export const logQuery = (search: string, outcome: LogOutcome | undefined, before: string | undefined) =>
  queryOptions({
    queryKey: ['log', search, outcome, before],
    queryFn: () => need(api.GET('/api/log', { params: { query: { search, outcome, before } } })),
    placeholderData: keepPreviousData,
  })

export const openRunsQuery = () =>
  queryOptions({ queryKey: ['open'], queryFn: () => need(api.GET('/api/runs/open')) })

export const schoolsQuery = (runId: string, lang: Language, unit: PressureUnit, lastSeq = 0) =>
  queryOptions({
    queryKey: ['schools', runId, lang, unit, lastSeq],
    queryFn: () =>
      need(
        api.GET('/api/runs/{run_id}/schools', { params: { path: { run_id: runId }, query: { lang, unit } } }),
      ),
  })

/** The sheet of a run at a sequence number: it changes only when the run does, or its reader. */
export const sheetQuery = (runId: string, lang: Language, unit: PressureUnit, lastSeq = 0) =>
  queryOptions({
    queryKey: ['sheet', runId, lang, unit, lastSeq],
    queryFn: () =>
      need(
        api.GET('/api/runs/{run_id}/sheet', { params: { path: { run_id: runId }, query: { lang, unit } } }),
      ),
    placeholderData: keepPreviousData,
  })

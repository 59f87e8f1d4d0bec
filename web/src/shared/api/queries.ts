import { keepPreviousData, queryOptions } from '@tanstack/react-query'
import type { PressureUnit } from '../figures/format'
import type { Language } from '../i18n'
import { api, need, type Schema } from './client'

export const aboutQuery = () =>
  queryOptions({
    queryKey: ['about'],
    queryFn: ({ signal }) => need(api.GET('/api/about', { signal })),
    staleTime: Infinity,
  })

/** The rule sets and procedures there are, with their words; kept for a start without contact. */
export const rulebookQuery = () =>
  queryOptions({
    queryKey: ['rulebook'],
    queryFn: ({ signal }) => need(api.GET('/api/rulebook', { signal })),
  })

/** For whom the server words what hangs on the fleet; set by the application, not part of any key, so that the copy of
 * the last contact serves a reader who has changed the language since. */
let reader: { lang: Language; unit: PressureUnit } = { lang: 'en', unit: 'psi' }
export const readAs = (lang: Language, unit: PressureUnit): void => void (reader = { lang, unit })

export const unitsQuery = () =>
  queryOptions({
    queryKey: ['units'],
    queryFn: ({ signal }) => need(api.GET('/api/units', { signal, params: { query: reader } })),
  })

/** Open holds and defects, in the order to take them. */
export const workshopQuery = () =>
  queryOptions({
    queryKey: ['workshop'],
    queryFn: ({ signal }) => need(api.GET('/api/workshop', { signal, params: { query: reader } })),
  })

/** The groups of parts that may be found not right. */
export const groupsQuery = () =>
  queryOptions({
    queryKey: ['groups'],
    queryFn: ({ signal }) => need(api.GET('/api/groups', { signal })),
    staleTime: Infinity,
  })

export const calendarQuery = () =>
  queryOptions({
    queryKey: ['calendar'],
    queryFn: ({ signal }) => need(api.GET('/api/calendar', { signal })),
  })

/** What is worded by the server, or hangs on what was done about vehicles. */
export const FLEET_KEYS: readonly unknown[] = ['units', 'unit', 'workshop', 'trailers', 'report', 'calendar']

export const allUnitsQuery = () =>
  queryOptions({
    queryKey: ['units', 'all'],
    queryFn: ({ signal }) =>
      need(api.GET('/api/units', { signal, params: { query: { ...reader, retired: true } } })),
  })

export const unitQuery = (unitId: string) =>
  queryOptions({
    queryKey: ['unit', unitId],
    queryFn: ({ signal }) =>
      need(api.GET('/api/units/{unit_id}', { signal, params: { path: { unit_id: unitId }, query: reader } })),
  })

/** What a unit's tests measured from one to the next, worded for one reader. */
export const trendsQuery = (unitId: string, lang: Language, unit: PressureUnit) =>
  queryOptions({
    queryKey: ['unit', unitId, 'trends', lang, unit],
    queryFn: ({ signal }) =>
      need(
        api.GET('/api/units/{unit_id}/trends', {
          signal,
          params: { path: { unit_id: unitId }, query: { lang, unit } },
        }),
      ),
    placeholderData: keepPreviousData,
  })

export const trailersQuery = () =>
  queryOptions({
    queryKey: ['trailers'],
    queryFn: ({ signal }) => need(api.GET('/api/trailers', { signal })),
  })

export const peopleQuery = () =>
  queryOptions({ queryKey: ['people'], queryFn: ({ signal }) => need(api.GET('/api/people', { signal })) })

/** The script of one procedure under one rule set; the unit's own where they are not named. */
/** What a unit's next test is begun with: what is held is looked at again, by the rules that failed it, first. */
export const begunWith = (
  unit: Pick<Schema['YardUnitOut'], 'rules' | 'procedure' | 'status'>,
): { rules: string; procedure: string | undefined } => ({
  rules: unit.status?.recheck?.rules ?? unit.rules,
  procedure: unit.status?.recheck?.procedure ?? unit.procedure ?? undefined,
})

export const scriptQuery = (unitId: string, procedure: string | undefined, rules: string | undefined) =>
  queryOptions({
    queryKey: ['script', unitId, procedure, rules],
    queryFn: ({ signal }) =>
      need(
        api.GET('/api/units/{unit_id}/script', {
          signal,
          params: { path: { unit_id: unitId }, query: { procedure, rules } },
        }),
      ),
    placeholderData: keepPreviousData,
  })

export type LogOutcome = 'pass' | 'fail' | 'void' | 'incomplete' | 'close_call'

export const openRunsQuery = () =>
  queryOptions({ queryKey: ['open'], queryFn: ({ signal }) => need(api.GET('/api/runs/open', { signal })) })

export const schoolsQuery = (runId: string, lang: Language, unit: PressureUnit, lastSeq = 0) =>
  queryOptions({
    queryKey: ['schools', runId, lang, unit, lastSeq],
    queryFn: ({ signal }) =>
      need(
        api.GET('/api/runs/{run_id}/rule-sets', {
          signal,
          params: { path: { run_id: runId }, query: { lang, unit } },
        }),
      ),
  })

/** What a live feed showed over a run, in stretches without a gap. */
export const needlesQuery = (runId: string, lastSeq = 0) =>
  queryOptions({
    queryKey: ['needles', runId, lastSeq],
    queryFn: ({ signal }) =>
      need(api.GET('/api/runs/{run_id}/needles', { signal, params: { path: { run_id: runId } } })),
  })

/** The report of a run as of a moment of it, which the caller names: it changes only when the run does, or its reader. */
export const reportQuery = (runId: string, lang: Language, unit: PressureUnit, asOf: string) =>
  queryOptions({
    queryKey: ['report', runId, lang, unit, asOf],
    queryFn: ({ signal }) =>
      need(
        api.GET('/api/runs/{run_id}/report', {
          signal,
          params: { path: { run_id: runId }, query: { lang, unit } },
        }),
      ),
    placeholderData: keepPreviousData,
  })

/** What an inspection of a unit would begin with; kept for a start without contact. */
export const inspectionStartQuery = (
  unitId: string,
  way: string | undefined,
  purpose: 'dispatch' | 'training' | 'rehearsal',
) =>
  queryOptions({
    queryKey: ['inspection-start', unitId, way, purpose],
    queryFn: ({ signal }) =>
      need(
        api.GET('/api/units/{unit_id}/inspection', {
          signal,
          params: { path: { unit_id: unitId }, query: { ...reader, way, purpose } },
        }),
      ),
    placeholderData: keepPreviousData,
  })

export const inspectionQuery = (inspectionId: string) =>
  queryOptions({
    queryKey: ['inspection', inspectionId],
    queryFn: ({ signal }) =>
      need(
        api.GET('/api/inspections/{inspection_id}', {
          signal,
          params: { path: { inspection_id: inspectionId } },
        }),
      ),
  })

/** How an inspection stands under a rule set, its own where none is named. */
export const inspectionStateQuery = (
  inspectionId: string,
  rules: string,
  lang: Language,
  unit: PressureUnit,
) =>
  queryOptions({
    queryKey: ['inspection', inspectionId, 'report', rules, lang, unit],
    queryFn: ({ signal }) =>
      need(
        api.GET('/api/inspections/{inspection_id}/state', {
          signal,
          params: { path: { inspection_id: inspectionId }, query: { rules, lang, unit } },
        }),
      ),
    placeholderData: keepPreviousData,
  })

export const inspectionScriptQuery = (inspectionId: string, lang: Language, unit: PressureUnit) =>
  queryOptions({
    queryKey: ['inspection', inspectionId, 'spoken', lang, unit],
    queryFn: ({ signal }) =>
      need(
        api.GET('/api/inspections/{inspection_id}/script', {
          signal,
          params: { path: { inspection_id: inspectionId }, query: { lang, unit } },
        }),
      ),
  })

/** The inspections of a unit or beside an air test; without either, those left open. */
export const inspectionsQuery = (query: { unit?: string; run?: string } = {}) =>
  queryOptions({
    queryKey: ['inspections', query.unit, query.run],
    queryFn: ({ signal }) => need(api.GET('/api/inspections', { signal, params: { query } })),
  })

/** The papers of a set and of whoever asks. */
export const papersQuery = (unitId: string) =>
  queryOptions({
    queryKey: ['unit', unitId, 'papers'],
    queryFn: ({ signal }) =>
      need(
        api.GET('/api/units/{unit_id}/papers', {
          signal,
          params: { path: { unit_id: unitId }, query: reader },
        }),
      ),
  })

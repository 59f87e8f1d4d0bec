import { queryOptions } from '@tanstack/react-query'
import { api, need } from '../../shared/api'

/** A candidate's own report, worded for the reader. */
export const examinationQuery = (runId: string, lang: 'en' | 'es', unit: 'psi' | 'kpa' | 'bar') =>
  queryOptions({
    queryKey: ['examination', runId, lang, unit],
    queryFn: ({ signal }) =>
      need(
        api.GET('/api/runs/{run_id}/examination', {
          signal,
          params: { path: { run_id: runId }, query: { lang, unit } },
        }),
      ),
  })

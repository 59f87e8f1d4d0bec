import { queryOptions } from '@tanstack/react-query'
import { api, need } from '../../shared/api'
import type { PressureUnit } from '../../shared/figures/format'
import type { Language } from '../../shared/i18n'

/** How somebody reads, against the lines of the vehicles that they tested. */
export const readingQuery = (personId: string, lang: Language, unit: PressureUnit) =>
  queryOptions({
    queryKey: ['reading', personId, lang, unit],
    queryFn: ({ signal }) =>
      need(
        api.GET('/api/readers/{person_id}', {
          signal,
          params: { path: { person_id: personId }, query: { lang, unit } },
        }),
      ),
  })

/** What the desk asks the server: a file is read once, and judged again for each boundary that is moved. */

import { keepPreviousData, queryOptions } from '@tanstack/react-query'
import { api, need, type Schema } from '../../shared/api'

export type Recording = Schema['RecordingOut']
export type Judged = Schema['JudgedOut']
export type FoundStage = Judged['stages'][number]

export interface Asked {
  kind: Schema['UnitOut']['kind']
  rules: string
  procedure: string
  session: number
  moved: { place: number; from_s: number; to_s: number }[]
}

export const recordingsQuery = queryOptions({
  queryKey: ['recordings'],
  queryFn: ({ signal }) => need(api.GET('/api/traces', { signal })),
})

export const judgedQuery = (id: string, asked: Asked, lang: 'en' | 'es', unit: 'psi' | 'kpa' | 'bar') =>
  queryOptions({
    queryKey: ['recording', id, asked, lang, unit],
    enabled: id !== '',
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) =>
      need(
        api.POST('/api/traces/{recording_id}/judge', {
          signal,
          params: { path: { recording_id: id }, query: { lang, unit } },
          body: { ...asked, procedure: asked.procedure || null },
        }),
      ),
  })

/** Send a file as it is; the answer says what each of its columns was taken for. */
export const keepRecording = (
  file: File,
  columns: Partial<Record<'time' | 'primary' | 'secondary', string>>,
) =>
  need(
    api.POST('/api/traces', {
      params: { query: { name: file.name.slice(-120), ...columns } },
      body: file as unknown as string,
      bodySerializer: (body: unknown) => body as BodyInit,
      headers: { 'Content-Type': 'application/octet-stream' },
    }),
  )

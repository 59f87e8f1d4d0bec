/** What the desk asks the server: a file is read once, and judged again for each boundary that is moved. */

import { keepPreviousData, queryOptions } from '@tanstack/react-query'
import { api, need, type Schema } from '../../shared/api'

export type Recording = Schema['RecordingOut']
export type Judged = Schema['JudgedOut']
export type Batch = Schema['BatchOut']

/** As which vehicle a recording is judged, by what, and what was moved; empty: as it is found, or the unit's own. */
export interface Asked {
  unit_id: string
  kind: Schema['UnitOut']['kind']
  rules: string
  procedure: string
  session: number
  moved: { place: number; from_s: number; to_s: number }[]
}

export type Columns = Partial<
  Record<'time' | 'primary' | 'secondary' | 'lamp' | 'tractor_in' | 'trailer_in' | 'sender', string>
> & { unit?: 'psi' | 'kpa' | 'bar' | 'mpa' }

export const bodyOf = (asked: Asked) => ({
  ...asked,
  unit_id: asked.unit_id || null,
  rules: asked.rules || null,
  procedure: asked.procedure || null,
})

export const recordingsQuery = queryOptions({
  queryKey: ['recordings'],
  queryFn: ({ signal }) => need(api.GET('/api/traces', { signal })),
})

export const recordingQuery = (id: string) =>
  queryOptions({
    queryKey: [...recordingsQuery.queryKey, id],
    enabled: id !== '',
    queryFn: ({ signal }) =>
      need(api.GET('/api/traces/{recording_id}', { signal, params: { path: { recording_id: id } } })),
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
          body: bodyOf(asked),
        }),
      ),
  })

const asBytes = {
  bodySerializer: (body: unknown) => body as BodyInit,
  headers: { 'Content-Type': 'application/octet-stream' },
}

/** Send a file as it is; the answer says what each of its columns was taken for. */
export const saveRecording = (file: File, columns: Columns) =>
  need(
    api.POST('/api/traces', {
      params: { query: { name: file.name.slice(-120), ...columns } },
      body: file as unknown as string,
      ...asBytes,
    }),
  )

/** A test's own live feed, to lay its marks over. */
export const saveFeed = (runId: string) =>
  need(api.POST('/api/traces/of-run/{run_id}', { params: { path: { run_id: runId } } }))

export const batchesQuery = queryOptions({
  queryKey: ['trace-batches'],
  queryFn: ({ signal }) => need(api.GET('/api/trace-batches', { signal })),
})

const LOOK_MS = 1000
export const UNENDED: readonly string[] = ['gathering', 'waiting', 'running']

export const batchQuery = (id: string) =>
  queryOptions({
    queryKey: ['trace-batches', id],
    queryFn: ({ signal }) =>
      need(api.GET('/api/trace-batches/{job_id}', { signal, params: { path: { job_id: id } } })),
    refetchInterval: ({ state }) => (!state.data || UNENDED.includes(state.data.state) ? LOOK_MS : false),
  })

/** Every file of a batch that was read, in pages. */
export const batchLinesQuery = (id: string, done: number) =>
  queryOptions({
    queryKey: ['trace-batches', id, 'lines', done],
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) => {
      const lines: Schema['BatchLineOut'][] = []
      while (lines.length < done) {
        const page = await need(
          api.GET('/api/trace-batches/{job_id}/lines', {
            signal,
            params: { path: { job_id: id }, query: { after: lines.length } },
          }),
        )
        if (page.length === 0) break
        lines.push(...page)
      }
      return lines
    },
  })

/** Put files together, one after another, and have them read; ``told`` hears how many have come. */
export async function sendTogether(files: File[], asked: Asked, told: (sent: number) => void) {
  const { unit_id, kind, rules, procedure } = bodyOf(asked)
  const batch = await need(api.POST('/api/trace-batches', { body: { unit_id, kind, rules, procedure } }))
  const path = { job_id: batch.id }
  for (const [sent, file] of files.entries()) {
    told(sent)
    const name = (file.webkitRelativePath || file.name).slice(-300)
    await need(
      api.PUT('/api/trace-batches/{job_id}/files', {
        params: { path, query: { name } },
        body: file as unknown as never,
        ...asBytes,
      }),
    )
  }
  return need(api.POST('/api/trace-batches/{job_id}/start', { params: { path } }))
}

export const stopBatch = (id: string) =>
  need(api.POST('/api/trace-batches/{job_id}/stop', { params: { path: { job_id: id } } }))

const MOST_AT_ONCE = 24 * 1024 * 1024

/** Whether this is one file that is read while one waits; anything else is read beside everything else. */
export const readAtOnce = (files: File[]): boolean =>
  files.length === 1 && (files[0]?.size ?? 0) <= MOST_AT_ONCE && !/\.(zip|dbc)$/i.test(files[0]?.name ?? '')

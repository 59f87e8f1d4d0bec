/** The table of the kinds of log: how each is begun at the server, sent there and read back. */

import { api, need, type Schema } from '../shared/api'
import type { LocalInspection, LocalRun } from './db'

export interface LogKind {
  /** The table of its heads on this device. */
  store: 'runs' | 'inspections'
  begin: (log: LocalRun | LocalInspection, sent: Schema['ClockReading']) => Promise<unknown>
  send: (id: string, body: Schema['EventBatch']) => Promise<Schema['ReceivedOut']>
  after: (id: string, after: number) => Promise<Schema['SavedEventOut'][]>
}

const at = <K extends string>(key: K, id: string) => ({ path: { [key]: id } as Record<K, string> })

export const RUNS: LogKind = {
  store: 'runs',
  begin: ({ begin }, sent) => need(api.POST('/api/runs', { body: { ...begin, sent } as Schema['BeginRun'] })),
  send: (id, body) => need(api.POST('/api/runs/{run_id}/events', { params: at('run_id', id), body })),
  after: (id, after) =>
    need(api.GET('/api/runs/{run_id}/events', { params: { ...at('run_id', id), query: { after } } })),
}

export const INSPECTIONS: LogKind = {
  store: 'inspections',
  begin: ({ begin }, sent) =>
    need(api.POST('/api/inspections', { body: { ...begin, sent } as Schema['BeginInspection'] })),
  send: (id, body) =>
    need(api.POST('/api/inspections/{inspection_id}/marks', { params: at('inspection_id', id), body })),
  after: (id, after) =>
    need(
      api.GET('/api/inspections/{inspection_id}/marks', {
        params: { ...at('inspection_id', id), query: { after } },
      }),
    ),
}

/** In the order in which they are sent: an inspection may be done beside a test. */
export const KINDS = [RUNS, INSPECTIONS]

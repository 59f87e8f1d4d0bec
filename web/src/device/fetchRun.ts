/** A run that this device has not, or keeps with a script that it can no longer read. */

import { api, need, personHere, type Schema } from '../shared/api'
import { isEnd } from '../shared/trade'
import { putRun, takeIn, type Db, type LocalRun, type RunSetup } from './db'

const SCRIPT_FORMAT: Schema['ScriptOut']['format'] = 'low-hiss-script/6'

/** How a run is led where nothing else was chosen. */
export const HOUSE_WAY: RunSetup = {
  watcher: '',
  timekeeper: 'tool',
  policy: null,
  calls: 'off',
  readings: 'eye',
  examined: false,
  purpose: 'dispatch',
}

/** The run with a script that can be read: one kept by an earlier release is fetched anew. */
export async function withReadableScript(db: Db, run: LocalRun): Promise<LocalRun> {
  if (run.script.format === SCRIPT_FORMAT) return run
  const script = await need(api.GET('/api/runs/{run_id}/script', { params: { path: { run_id: run.id } } }))
  const renewed = { ...run, script, setup: run.setup ?? HOUSE_WAY }
  await putRun(db, renewed)
  return renewed
}

/** The run from the server, with its marks, kept on this device from now on. */
export async function fetchRun(db: Db, runId: string): Promise<LocalRun> {
  const params = { path: { run_id: runId } }
  const head = await need(api.GET('/api/runs/{run_id}', { params }))
  // for the unit as it was coupled when the run began, whatever it pulls by now
  const script = await need(api.GET('/api/runs/{run_id}/script', { params }))
  const kept = await need(api.GET('/api/runs/{run_id}/events', { params }))
  const run: LocalRun = {
    id: runId,
    unitId: head.unit_id,
    unitName: head.unit_name,
    kind: head.kind,
    driver: head.driver,
    rules: head.rules,
    startedWall: head.started_at,
    script,
    setup: { ...head.setup, purpose: head.purpose } as RunSetup,
    closed: kept.some(({ body }) => isEnd(body.type)),
    part: head.part ?? 'watch',
    holder: personHere()?.id,
  }
  await putRun(db, run)
  await takeIn(db, runId, kept)
  return run
}

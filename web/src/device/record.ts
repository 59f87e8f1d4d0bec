/** A run as an open run record, from what this device has of it. */

import type { Schema } from '../shared/api'
import { END_TYPES } from '../shared/trade.gen'
import { epoch } from './clock'
import type { DeviceEvent } from './db'
import type { LiveRun } from './live'

/** The moment of each event in the run's time [s]: the server's where it is known, else by the clocks of this device. */
export function timed({ run, events, offsetS }: Pick<LiveRun, 'run' | 'events' | 'offsetS'>): number[] {
  const offsets = new Map<string, number>()
  if (run.begin) offsets.set(run.begin.begun.epoch, -run.begin.begun.mono_s)
  for (const { event, atS } of events) if (atS !== undefined) offsets.set(event.epoch, atS - event.mono_s)
  const byClock = ({ event, atS }: DeviceEvent): number => {
    if (atS !== undefined) return atS
    const offset = offsets.get(event.epoch) ?? (event.epoch === epoch ? offsetS : null)
    if (offset !== null) return event.mono_s + offset
    return (Date.parse(event.wall) - Date.parse(run.startedWall)) / 1000
  }
  return events.map((local) => Math.max(0, Math.round(byClock(local) * 1e6) / 1e6))
}

/** What `lowhiss judge` reads. */
export function recordOf(live: LiveRun): { events: Record<string, unknown>[] } & Record<string, unknown> {
  const { run, events } = live
  const { setup, script } = run
  const { watcher, timekeeper, policy, purpose } = setup
  const times = timed(live)
  const people = {
    ...(run.driver && { driver: run.driver }),
    ...(watcher && { watcher }),
    ...(timekeeper !== 'tool' && { timekeeper }),
  }
  const gauges = { ...(script.record.gauges as object), ...(policy && { policy }) }
  return {
    ...script.record,
    ...{ format: 'low-hiss-run/1', id: run.id, started_at: run.startedWall, purpose, people, gauges },
    events: events.flatMap(({ event, delivery }, n) => {
      // a proof is for the server that keeps the mark, and no part of a record
      const { mono_s, by, ...rest } = event
      // what somebody only claimed of a practice vehicle is not what the vehicle says
      const left = delivery === 'aside' || !Number.isFinite(mono_s) || event.claimed === true
      return left ? [] : [{ at_s: times[n], ...rest, proof: undefined, ...(by && { by }) }]
    }),
  }
}

/** What stands beside a run's events on its report, as far as this device knows. */
export function headOf({ run, events }: LiveRun): Schema['RunOut'] {
  const { script, setup } = run
  const ended = END_TYPES.find((type) => events.some(({ event }) => event.type === type)) ?? null
  const { purpose, ...led } = setup
  return {
    ...{ id: run.id, unit_id: run.unitId, unit_name: run.unitName, kind: run.kind },
    trailers: (script.record.unit as { trailers: string[] }).trailers,
    procedure: script.procedure.id,
    rules: run.rules,
    rules_title: script.rules.title as Schema['RunOut']['rules_title'],
    ...{ purpose, driver: run.driver, setup: led, started_at: run.startedWall },
    ...{ last_seq: 0, demo: false, sealed: false, part: run.part ?? 'lead' },
    ...{ begun_by: '', ended_by: ended, doubtful: false, members: [], origin: '', reported: false },
  }
}

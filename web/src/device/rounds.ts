/** The rounds on this device. */

import { api, need, personHere, type Schema } from '../shared/api'
import { now } from './clock'
import { appendAct, eventsOf, takeIn, type DeviceEvent, type LocalRound } from './db'
import { ROUNDS } from './kinds'
import { LogBook, type BookShelf } from './logBook'

export interface LiveRound {
  round: LocalRound
  /** Its marks in the order in which this device has them. */
  events: DeviceEvent[]
}

export interface NewRound {
  unit: Pick<Schema['UnitOut'], 'id' | 'name'>
  start: Schema['RoundStartOut']
  driver: string
  /** The air test beside which it is done. */
  runId?: string
}

export class Rounds extends LogBook<LocalRound, LiveRound> {
  constructor(shelf: BookShelf) {
    super(ROUNDS, shelf)
  }

  protected viewOf = (round: LocalRound, events: DeviceEvent[]): LiveRound => ({ round, events })
  /** As they came: a helper answers what was called, and two devices' clocks agree within a second only. */
  protected override inOrder = (events: DeviceEvent[]): DeviceEvent[] => events
  protected logIn = ({ round }: LiveRound): LocalRound => round

  /** Begin a round on this device; it reaches the server when there is contact. */
  begin({ unit, start, driver, runId }: NewRound): Promise<string> {
    const begun = now()
    const id = crypto.randomUUID()
    const { way, purpose } = start.record as Pick<Schema['BeginRound'], 'way' | 'purpose'>
    const { rules, rules_hash } = start.script
    const people = { driver }
    return this.beginLog({
      id,
      unitId: unit.id,
      unitName: unit.name,
      startedWall: begun.wall,
      record: { ...start.record, id, started_at: begun.wall, people, ...(runId && { run: runId }) },
      script: start.script,
      ...(runId && { runId }),
      begin: {
        ...{ id, unit_id: unit.id, way, rules, rules_hash, purpose, driver, begun, mirrored: false },
        ...(runId && { run_id: runId }),
      },
      closed: false,
      part: 'lead',
      holder: personHere()?.id,
    })
  }

  protected async fetch(roundId: string): Promise<LocalRound> {
    const params = { path: { round_id: roundId } }
    const { head, record } = await need(api.GET('/api/rounds/{round_id}', { params }))
    const script = await need(api.GET('/api/rounds/{round_id}/script', { params }))
    const kept = await this.kind.after(roundId, 0)
    const round: LocalRound = {
      ...{ id: roundId, unitId: head.unit_id, unitName: head.unit_name, startedWall: head.started_at },
      ...{ record, script, closed: head.ended_by !== null, part: head.part ?? 'oversee' },
      ...(head.run_id && { runId: head.run_id }),
      holder: personHere()?.id,
    }
    await this.put(round)
    await takeIn(this.db, roundId, kept)
    return round
  }

  /** Keep photographs of a defect that a round reports under this id: they go once the server has the mark. */
  async photograph(defect: string, about: string, part: Schema['PartBody'], photos: Blob[]): Promise<void> {
    const by = personHere()
    const act = { id: defect, type: 'defect_seen' as const, part, at: now(), by: by?.name ?? '', body: {} }
    const pictured = photos.map((jpeg) => ({ id: crypto.randomUUID(), jpeg }))
    await appendAct(this.db, {
      ...{ id: defect, act, about, holder: by?.id ?? '', delivery: 'waiting' },
      ...{ photos: pictured, told: true },
    })
    this.shelf.wake()
  }

  /** Lead on by another script: something was said of the set, or the reader has changed the language. */
  async follow(roundId: string, script: Schema['RoundScriptOut']): Promise<void> {
    const round = await this.stored(roundId)
    if (!round || round.script.hash === script.hash) return
    await this.put({ ...round, script })
    await this.refresh(roundId)
  }

  /** Whether a round beside a test has marked something that stays put, whatever the server has heard of it. */
  async staysBeside(runId: string): Promise<boolean> {
    for (const round of await this.known()) {
      if (round.runId !== runId) continue
      // a later answer to the same item takes the place of the one before
      const latest = new Map<string, DeviceEvent>()
      for (const mark of await eventsOf(this.db, round.id)) {
        const [key = ''] = (mark.event.asks as string[] | undefined) ?? []
        if (mark.event.answer !== undefined) latest.set(key, mark)
      }
      const stays = [...latest].some(([key, { event, delivery }]) => {
        const item = round.script.items[key.split('@')[0] ?? '']
        const yes = (event.yes as string[] | undefined) ?? []
        const means = [
          item?.means,
          ...(item?.questions ?? []).filter(({ id }) => yes.includes(id)).map(({ to }) => to),
        ]
        return delivery === 'waiting' && event.answer === 'not_right' && means.includes('stay')
      })
      if (stays) return true
    }
    return false
  }
}

/** The round as an open record, from what this device has of it. */
export function roundRecordOf({ round, events }: LiveRound): Record<string, unknown> {
  const began = Date.parse(round.startedWall)
  const offsets = new Map<string, number>()
  if (round.begin) offsets.set(round.begin.begun.epoch, -round.begin.begun.mono_s)
  for (const { event, atS } of events) if (atS !== undefined) offsets.set(event.epoch, atS - event.mono_s)
  return {
    ...round.record,
    marks: events.flatMap(({ event, delivery, atS }) => {
      if (delivery === 'aside') return []
      const { mono_s, wall, ...rest } = event
      const offset = offsets.get(event.epoch)
      const at_s = atS ?? (offset === undefined ? (Date.parse(wall) - began) / 1000 : mono_s + offset)
      // a proof is for the server that keeps the mark, and no part of a record
      return [{ ...rest, proof: undefined, wall, at_s: Math.max(0, Math.round(at_s * 1000) / 1000) }]
    }),
  }
}

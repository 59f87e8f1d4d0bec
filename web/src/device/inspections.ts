/** The inspections on this device. */

import { api, need, personHere, type Schema } from '../shared/api'
import { now } from './clock'
import { appendAct, eventsOf, takeIn, type DeviceEvent, type LocalInspection } from './db'
import { INSPECTIONS } from './kinds'
import { LogBook, type BookShelf } from './logBook'

export interface LiveInspection {
  inspection: LocalInspection
  /** Its marks in the order in which this device has them. */
  events: DeviceEvent[]
}

export interface NewInspection {
  unit: Pick<Schema['UnitOut'], 'id' | 'name'>
  start: Schema['InspectionStartOut']
  driver: string
  /** The air test beside which it is done. */
  runId?: string
}

export class Inspections extends LogBook<LocalInspection, LiveInspection> {
  constructor(shelf: BookShelf) {
    super(INSPECTIONS, shelf)
  }

  protected viewOf = (inspection: LocalInspection, events: DeviceEvent[]): LiveInspection => ({
    inspection,
    events,
  })
  /** As they came: a helper answers what was called, and two devices' clocks agree within a second only. */
  protected override inOrder = (events: DeviceEvent[]): DeviceEvent[] => events
  protected logIn = ({ inspection }: LiveInspection): LocalInspection => inspection

  /** Begin an inspection on this device; it reaches the server when there is contact. */
  begin({ unit, start, driver, runId }: NewInspection): Promise<string> {
    const begun = now()
    const id = crypto.randomUUID()
    const { way, purpose } = start.record as Pick<Schema['BeginInspection'], 'way' | 'purpose'>
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

  protected async fetch(inspectionId: string): Promise<LocalInspection> {
    const params = { path: { inspection_id: inspectionId } }
    const { head, record } = await need(api.GET('/api/inspections/{inspection_id}', { params }))
    const script = await need(api.GET('/api/inspections/{inspection_id}/script', { params }))
    const kept = await this.kind.after(inspectionId, 0)
    const inspection: LocalInspection = {
      ...{ id: inspectionId, unitId: head.unit_id, unitName: head.unit_name, startedWall: head.started_at },
      ...{ record, script, closed: head.ended_by !== null, part: head.part ?? 'oversee' },
      ...(head.run_id && { runId: head.run_id }),
      holder: personHere()?.id,
    }
    await this.put(inspection)
    await takeIn(this.db, inspectionId, kept)
    return inspection
  }

  /** Keep photographs of a defect that an inspection reports under this id: they go once the server has the mark. */
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
  async follow(inspectionId: string, script: Schema['InspectionScriptOut']): Promise<void> {
    const inspection = await this.stored(inspectionId)
    if (!inspection || inspection.script.hash === script.hash) return
    await this.put({ ...inspection, script })
    await this.refresh(inspectionId)
  }

  /**
   * What inspections of a test found that stops something: as the server judged it, and what this device has not sent
   * yet. What was fixed on the spot here stops nothing any more.
   */
  async blockedBy(runId: string, judged: Judged[]): Promise<Blocked[]> {
    const found: Blocked[] = []
    const local = (await this.known()).filter((one) => one.runId === runId)
    for (const { id, figures } of judged) {
      const script = local.find((one) => one.id === id)?.script
      found.push(...figures.blocking.map(({ key, blocks }) => blockedOf(id, key, blocks, script)))
    }
    for (const { id, script } of local) {
      // a later answer to the same item takes the place of the one before
      const latest = new Map<string, DeviceEvent>()
      for (const mark of await eventsOf(this.db, id)) {
        const [key = ''] = (mark.event.asks as string[] | undefined) ?? []
        if (mark.event.answer !== undefined) latest.set(key, mark)
      }
      for (const [key, { event, delivery }] of latest) {
        if (delivery !== 'waiting') continue
        const item = script.items[itemOf(key)]
        const stands = found.findIndex((one) => one.inspectionId === id && one.key === key)
        if (stands >= 0 && event.answer === 'fixed' && item?.fixable) found.splice(stands, 1)
        if (stands >= 0 || event.answer !== 'not_right') continue
        const yes = (event.yes as string[] | undefined) ?? []
        const means = [
          { to: item?.means, blocks: item?.blocks ?? ('roll' as const) },
          ...(item?.questions ?? []).filter((one) => yes.includes(one.id)),
        ].filter(({ to }) => to === 'stay')
        found.push(...means.map(({ blocks }) => blockedOf(id, key, blocks, script)))
      }
    }
    return found
  }
}

type Judged = Pick<Schema['InspectionOut'], 'id' | 'figures'>

/** An item that stops something until it is fixed. */
export interface Blocked extends Pick<Schema['BlockingOut'], 'key' | 'blocks'> {
  inspectionId: string
  /** Its name and place; empty where this device has not led the inspection. */
  name: string
}

const itemOf = (key: string): string => key.split('@')[0] ?? ''

function blockedOf(
  inspectionId: string,
  key: string,
  blocks: Blocked['blocks'],
  script?: LocalInspection['script'],
): Blocked {
  const name = script?.items[itemOf(key)]?.name ?? ''
  const where = script?.asks.find((ask) => ask.key === key)?.where ?? ''
  return { inspectionId, key, blocks, name: where ? `${name}, ${where}` : name }
}

/** The inspection as an open record, from what this device has of it. */
export function inspectionRecordOf({ inspection, events }: LiveInspection): Record<string, unknown> {
  const began = Date.parse(inspection.startedWall)
  const offsets = new Map<string, number>()
  if (inspection.begin) offsets.set(inspection.begin.begun.epoch, -inspection.begin.begun.mono_s)
  for (const { event, atS } of events) if (atS !== undefined) offsets.set(event.epoch, atS - event.mono_s)
  return {
    ...inspection.record,
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

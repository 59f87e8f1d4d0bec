/** The rounds on this device: every touch is written down here first, then sent. */

import { api, need, personHere, type Schema } from '../shared/api'
import { Subscribable } from '../shared/subscribable'
import { now, type Moment } from './clock'
import { signedMarks } from './marks'
import {
  appendAct,
  appendEvents,
  eventsOf,
  putLog,
  takeIn,
  type Body,
  type Db,
  type DeviceEvent,
  type LocalRound,
} from './db'

export interface LiveRound {
  round: LocalRound
  /** Its marks in the order in which this device has them. */
  marks: DeviceEvent[]
}

export interface NewRound {
  unit: Pick<Schema['UnitOut'], 'id' | 'name'>
  start: Schema['RoundStartOut']
  driver: string
  /** The air test beside which it is done. */
  runId?: string
}

const END_MARKS = ['finished', 'abandoned']

/** Writes marks down on this device before anything else happens to them, and holds the rounds that are on a screen. */
export class Rounds extends Subscribable {
  private readonly live = new Map<string, LiveRound>()
  private queue: Promise<unknown> = Promise.resolve()

  constructor(
    private readonly db: Db,
    private readonly wake: () => void,
  ) {
    super()
  }

  snapshot = (roundId: string): LiveRound | undefined => this.live.get(roundId)

  /** Begin a round on this device; it reaches the server when there is contact. */
  async begin({ unit, start, driver, runId }: NewRound): Promise<string> {
    const begun = now()
    const id = crypto.randomUUID()
    const { way, purpose } = start.record as Pick<Schema['BeginRound'], 'way' | 'purpose'>
    const { rules, rules_hash } = start.script
    const people = { driver }
    const round: LocalRound = {
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
    }
    await putLog(this.db, 'rounds', round)
    this.live.set(id, { round, marks: [] })
    this.tell()
    this.wake()
    return id
  }

  /** The round, from this device or else from the server. Rejects when neither has it. */
  async load(roundId: string): Promise<void> {
    const known = await this.db.get('rounds', roundId)
    const mine = known && (known.holder === undefined || known.holder === personHere()?.id)
    const round = mine ? known : await this.fetch(roundId)
    this.live.set(roundId, { round, marks: await eventsOf(this.db, roundId) })
    this.tell()
  }

  private async fetch(roundId: string): Promise<LocalRound> {
    const params = { path: { round_id: roundId } }
    const { head, record } = await need(api.GET('/api/rounds/{round_id}', { params }))
    const script = await need(api.GET('/api/rounds/{round_id}/script', { params }))
    const kept = await need(api.GET('/api/rounds/{round_id}/marks', { params }))
    const round: LocalRound = {
      ...{ id: roundId, unitId: head.unit_id, unitName: head.unit_name, startedWall: head.started_at },
      ...{ record, script, closed: head.ended_by !== null, part: head.part ?? 'oversee' },
      ...(head.run_id && { runId: head.run_id }),
      holder: personHere()?.id,
    }
    await putLog(this.db, 'rounds', round)
    await takeIn(this.db, roundId, kept)
    return round
  }

  /** Write marks down, in the order given; the screen may move on when this resolves. */
  mark(roundId: string, bodies: Body[], at: Moment = now()): Promise<void> {
    const work = this.inTurn(async () => {
      if (!this.live.get(roundId)) await this.load(roundId)
      await appendEvents(this.db, roundId, await signedMarks(roundId, bodies, at))
      const round = (await this.db.get('rounds', roundId)) ?? this.live.get(roundId)?.round
      if (round && bodies.some(({ type }) => END_MARKS.includes(type))) {
        await putLog(this.db, 'rounds', { ...round, closed: true })
      }
      await this.refresh(roundId)
    })
    return work.finally(this.wake)
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
    this.wake()
  }

  /** Take in what the server has of a round. */
  take(roundId: string, kept: Schema['KeptEventOut'][]): Promise<void> {
    return this.inTurn(async () => {
      if (!(await takeIn(this.db, roundId, kept))) return
      const round = await this.db.get('rounds', roundId)
      const ended = kept.some(({ body }) => END_MARKS.includes(String(body.type)))
      if (round && ended && !round.closed) await putLog(this.db, 'rounds', { ...round, closed: true })
      await this.refresh(roundId)
    })
  }

  /** Lead on by another script: something was said of the set, or the reader has changed the language. */
  async follow(roundId: string, script: Schema['RoundScriptOut']): Promise<void> {
    const round = await this.db.get('rounds', roundId)
    if (!round || round.script.hash === script.hash) return
    await putLog(this.db, 'rounds', { ...round, script })
    await this.refresh(roundId)
  }

  /** Every round that whoever is here takes part in on this device. */
  known = async (): Promise<LocalRound[]> =>
    (await this.db.getAll('rounds')).filter(({ holder }) => holder === personHere()?.id)

  /** Whether something of a round on this device has not reached the server; one that is not here waits for nothing. */
  async waits(roundId: string): Promise<boolean> {
    const round = await this.db.get('rounds', roundId)
    if (!round || round.holder !== personHere()?.id) return false
    const marks = await eventsOf(this.db, roundId)
    return round.begin !== undefined || marks.some(({ delivery }) => delivery === 'waiting')
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

  async refresh(roundId: string): Promise<void> {
    const ids = roundId ? [roundId] : [...this.live.keys()]
    for (const id of ids) {
      const live = this.live.get(id)
      const round = live && ((await this.db.get('rounds', id)) ?? live.round)
      if (round) this.live.set(id, { round, marks: await eventsOf(this.db, id) })
    }
    this.tell()
  }

  /** After a sign-out nothing is on any screen. */
  forget(): void {
    this.live.clear()
    this.tell()
  }

  private inTurn<T>(work: () => Promise<T>): Promise<T> {
    const done = this.queue.then(work)
    this.queue = done.catch(() => undefined)
    return done
  }
}

/** The round as an open record, from what this device has of it. */
export function roundRecordOf({ round, marks }: LiveRound): Record<string, unknown> {
  const began = Date.parse(round.startedWall)
  const offsets = new Map<string, number>()
  if (round.begin) offsets.set(round.begin.begun.epoch, -round.begin.begun.mono_s)
  for (const { event, atS } of marks) if (atS !== undefined) offsets.set(event.epoch, atS - event.mono_s)
  return {
    ...round.record,
    marks: marks.flatMap(({ event, delivery, atS }) => {
      if (delivery === 'aside') return []
      const { mono_s, wall, ...rest } = event
      const offset = offsets.get(event.epoch)
      const at_s = atS ?? (offset === undefined ? (Date.parse(wall) - began) / 1000 : mono_s + offset)
      // a proof is for the server that keeps the mark, and no part of a record
      return [{ ...rest, proof: undefined, wall, at_s: Math.max(0, Math.round(at_s * 1000) / 1000) }]
    }),
  }
}

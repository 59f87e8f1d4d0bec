/**
 * The guide on the device: which step a run stands at, what it still needs and what is to be struck in it.
 * It works on the run script alone, by the same rules as `lowhiss/core/procedure/guide.py`; guide.cases.gen.json,
 * written by the core, holds the answers that both must give.
 */

import type { Schema } from '../api'

export type Script = Schema['ScriptOut']
export type Step = Schema['ScriptStep']
export type Need = Step['needs'][number]
export type StrikeSpec = Schema['ScriptStrike']
export type Order = Pick<Script, 'knobs'> & Record<'steps' | 'refill', LedStep[]>
export type LedStep = Pick<Step, 'step' | 'needs' | 'strikes' | 'says' | 'refill' | 'straight_on'>

/** The fields of one event's type. */
export type Body = { type: string } & Record<string, unknown>

/** A step in the order of work; `index` is its place in the script, null where a retest or refill put it in. */
export interface Entry<S = LedStep> {
  step: S
  index: number | null
}

export interface Lead<S extends LedStep = LedStep> {
  /** What is still to be done, the present step first. */
  queue: Entry<S>[]
  done: Entry<S>[]
  skipped: Entry<S>[]
  unmet: Need[]
  strikes: StrikeSpec[]
  /** The marks that the first of those strikes still lacks. */
  missing: StrikeSpec['marks']
  says: string[]
  /** Nothing has been struck yet since the present step came up. */
  untouched: boolean
}

const MARKS = new Set(['reading', 'warning', 'knob', 'held', 'rolled'])
const ASIDE = new Set(['note', 'valued', 'finished', 'abandoned'])
const MOVING = new Set(['hold_trailer', 'hold_parking', 'rolling_service'])
const DENIED: Record<string, Need> = {
  'confirmed chocks_removed': 'wheels_chocked',
  'confirmed wheels_chocked': 'chocks_removed',
  'confirmed in_gear': 'neutral',
  'engine running': 'engine_off',
  'engine off': 'engine_running',
  'key off': 'key_on',
  'pedal full': 'pedal_up',
  'knob out': 'knobs_in',
  'knob in': 'knobs_out',
}

/** Where the run stands after `events`, those that stand, in order. */
export function leadOf<S extends LedStep>(
  order: { knobs: Script['knobs']; steps: S[]; refill: S[] },
  events: readonly Body[],
): Lead<S> {
  const guide = new Guide(order)
  events.forEach((event) => guide.take(event))
  return guide.lead()
}

/** A stage is judged and has something to strike; an action is done when all it needs is so. */
export const isStage = (step: LedStep): boolean => step.strikes.length > 0

class Vehicle {
  engine: unknown
  key: unknown
  pedal: unknown
  readonly knobs: Record<string, unknown> = {}
  chocked: boolean | null = null
  belt = false
  clear = false
  neutral = false
  /** Low gear holds the vehicle, as long as the engine is off. */
  inGear = false
  fresh = false

  take(event: Body): void {
    const { type, state, item } = event
    if (type === 'confirmed') {
      if (item === 'wheels_chocked') this.chocked = true
      if (item === 'chocks_removed') this.chocked = false
      if (item === 'area_clear') this.clear = true
      if (item === 'seat_belt') this.belt = true
      if (item === 'neutral') this.neutral = true
      if (item === 'in_gear') this.neutral = false
      if (item === 'neutral') this.inGear = false
      if (item === 'in_gear') this.inGear = this.engine === 'off'
    } else if (type === 'engine') {
      if (state === 'running' && this.engine !== 'running') this.fresh = false
      if (state === 'running') this.inGear = false
      if (state === 'off') {
        this.belt = this.neutral = false
        this.key = undefined
      }
      this.engine = state
      this.clear = false // somebody may have come near meanwhile
    } else if (type === 'key') this.key = state
    else if (type === 'pedal') {
      if (state === 'released' && this.pedal === 'full') this.clear = false
      this.pedal = state
    } else if (type === 'knob') this.knobs[String(event.knob)] = state
    else if (type === 'reading' && event.point === 'cut_out') this.fresh = true
  }

  meets(need: Need, knobs: Script['knobs']): boolean {
    switch (need) {
      case 'wheels_chocked':
        return this.chocked === true || this.inGear
      case 'chocks_removed':
        return this.chocked === false
      case 'area_clear':
        return this.clear
      case 'seat_belt':
        return this.belt
      case 'neutral':
        return this.neutral
      case 'engine_running':
        return this.engine === 'running'
      case 'engine_off':
        return this.engine === 'off'
      case 'key_on':
        return this.key === 'on'
      case 'pedal_up':
        return this.pedal === 'released'
      case 'knobs_in':
        return knobs.every((knob) => this.knobs[knob] === 'in')
      case 'knobs_out':
        return knobs.every((knob) => this.knobs[knob] === 'out')
      case 'tractor_in_trailer_out':
        return this.knobs.tractor === 'in' && (this.knobs.trailer ?? 'out') === 'out'
      case 'trailer_in_tractor_out':
        return this.knobs.tractor === 'out' && this.knobs.trailer === 'in'
    }
  }
}

class Guide<S extends LedStep> {
  private readonly byName = new Map<string, S>()
  private readonly queue: Entry<S>[]
  private readonly done: Entry<S>[] = []
  private readonly skipped: Entry<S>[] = []
  private readonly vehicle = new Vehicle()
  private readonly marked = new Set<string>()
  private seen: Body[] = []
  private said = new Set<unknown>()
  private denied = new Set<Need>()
  private untouched = true

  constructor(private readonly order: { knobs: Script['knobs']; steps: S[]; refill: S[] }) {
    // what a refill puts in stands on chocks, whatever the order itself does
    for (const step of [...order.steps, ...order.refill]) this.byName.set(step.step, step)
    this.queue = order.steps.map((step, index) => ({ step, index }))
  }

  take(event: Body): void {
    this.vehicle.take(event)
    if (event.type === 'attempt') this.turnTo(String(event.stage))
    else if (event.type === 'skipped') this.leaveOut(String(event.stage))
    else if (event.type === 'said') this.said.add(event.what)
    else if (!ASIDE.has(event.type) && this.queue.length > 0) this.strike(event)
    while (this.queue.length > 0 && this.isDone()) {
      this.done.push(...this.queue.splice(0, 1))
      this.comeUp()
    }
  }

  lead(): Lead<S> {
    const { queue, done, skipped, untouched } = this
    const present = queue[0]?.step
    if (!present) return { queue, done, skipped, unmet: [], strikes: [], missing: [], says: [], untouched }
    const strikes = this.openStrikes(present)
    return {
      queue,
      done,
      skipped,
      unmet: this.begun(present) ? [] : this.unmet(present),
      strikes,
      missing: strikes[0] ? this.lacking(strikes[0]) : [],
      says: present.says.filter((what) => !this.said.has(what)),
      untouched,
    }
  }

  private comeUp(): void {
    this.seen = []
    this.said = new Set()
    this.denied = new Set()
    this.untouched = true
  }

  private strike(event: Body): void {
    if (MARKS.has(event.type)) this.catchUp(event)
    const present = this.queue[0]?.step
    if (!present) return
    this.untouched = false
    this.seen.push(event)
    if (this.begun(present)) this.marked.add(present.step)
    for (const need of present.needs) {
      if (DENIED[`${event.type} ${String(event.item ?? event.state)}`] === need) this.denied.add(need)
      else if (this.vehicle.meets(need, this.order.knobs)) this.denied.delete(need)
    }
  }

  /** A mark of a stage further on shows that the actions before it were done, though nobody struck them. */
  private catchUp(event: Body): void {
    for (const [place, { step }] of this.queue.entries()) {
      if (fits(event, step)) {
        if (place === 0) return
        this.done.push(...this.queue.splice(0, place))
        this.comeUp()
        return
      }
      if (isStage(step)) return
    }
  }

  private turnTo(stage: string): void {
    const place = this.queue.findIndex(({ step }) => step.step === stage)
    const known = this.byName.get(stage)
    const [entry] = place >= 0 ? this.queue.splice(place, 1) : known ? [{ step: known, index: null }] : []
    if (!entry) return
    const wants = entry.step.refill
    const refills = wants && (this.marked.has(stage) || (wants === 'stale' && !this.vehicle.fresh))
    const rollsLater = this.queue.some(({ step }) => MOVING.has(step.step))
    // what was filled up for the moving checks is spent again
    const fillsAfter = wants && this.marked.has('rebuild') && (rollsLater || stage === 'spring_brakes')
    const putIn = (names: string[]) =>
      names.flatMap((name): Entry<S>[] => {
        const step = this.byName.get(name)
        return step ? [{ step, index: null }] : []
      })
    this.queue.unshift(
      ...(refills ? this.order.refill.map((step) => ({ step, index: null })) : []),
      entry,
      ...(fillsAfter ? putIn(['safe_start', 'rebuild']) : []),
    )
    this.comeUp()
  }

  private leaveOut(stage: string): void {
    const place = this.queue.findIndex(({ step }) => step.step === stage)
    if (place < 0) return
    this.skipped.push(...this.queue.splice(place, 1))
    if (place === 0) this.comeUp()
  }

  private isDone(): boolean {
    const present = this.queue[0]?.step
    if (!present) return false
    return isStage(present)
      ? present.strikes.every((strike) => strike.optional || this.lacking(strike).length === 0)
      : this.unmet(present).length === 0
  }

  private lacking(strike: StrikeSpec): StrikeSpec['marks'] {
    return strike.marks.filter((mark) => !this.seen.some((event) => matches(event, mark)))
  }

  /** Whether the stage has a mark already: then nothing that it needed is asked again. */
  private begun(present: S): boolean {
    return this.seen.some((event) => fits(event, present))
  }

  private unmet(present: S): Need[] {
    return present.needs.filter(
      (need) => !this.vehicle.meets(need, this.order.knobs) && !this.denied.has(need),
    )
  }

  private openStrikes(present: S): StrikeSpec[] {
    const last = present.strikes.findLastIndex((strike) => this.lacking(strike).length < strike.marks.length)
    return present.strikes.filter(
      (strike, place) => this.lacking(strike).length > 0 && !(strike.optional && place <= last),
    )
  }
}

const matches = (event: Body, mark: StrikeSpec['marks'][number]): boolean =>
  Object.entries(mark).every(([key, value]) => (value === null ? event[key] != null : event[key] === value))

const fits = (event: Body, step: LedStep): boolean =>
  step.strikes.some(({ marks }) => marks.some((mark) => matches(event, mark)))

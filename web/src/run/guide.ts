/**
 * The guide on the device: which step a run stands at, what it still needs and what is to be marked in it.
 * An interpreter of the run script, without a word of the trade of its own; it answers as
 * `lowhiss/core/procedure/guide.py` does, to which generated walks hold it.
 */

import type { Body } from '../device'
import type { Schema } from '../shared/api'
import type { Stage } from '../shared/trade'

export type Script = Schema['ScriptOut']
export type Step = Schema['ScriptStep']
export type Need = Step['needs'][number]
export type MarkPrompt = Schema['ScriptPrompt']
export type Facts = Record<string, string | null | undefined>
/** What the guide reads of a script. */
export type Order = Pick<Script, 'effects' | 'needs' | 'aside' | 'fresh' | 'fill_after'> &
  Record<'steps' | 'refill', LedStep[]>
export type LedStep = Pick<
  Step,
  'step' | 'needs' | 'prompts' | 'says' | 'refill' | 'refill_after' | 'straight_on' | 'rolls'
>

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
  prompts: MarkPrompt[]
  /** The marks that the first of those marks still lacks. */
  missing: MarkPrompt['marks']
  says: string[]
  /** Nothing has been marked yet since the present step came up. */
  untouched: boolean
  /** A stage was turned to, or begun again, and nothing has been marked since. */
  turned: boolean
  /** The air is not old. */
  fresh: boolean
}

/** A stage is judged and has something to mark; an action is done when all it needs is so. */
export const isStage = <S extends LedStep>(step: S): step is S & { step: Stage } => step.prompts.length > 0

/** Two readings a hold apart. */
export const isHeld = (step: LedStep): boolean => step.prompts.some(({ name }) => name === 'end')

/** Where the run stands after `events`, those that stand, in order. */
export function leadOf<S extends LedStep>(order: OrderOf<S>, events: readonly Body[]): Lead<S> {
  const guide = new Guide(order)
  events.forEach((event) => guide.take(event))
  return guide.lead()
}

type OrderOf<S> = Omit<Order, 'steps' | 'refill'> & Record<'steps' | 'refill', S[]>

class Guide<S extends LedStep> {
  private readonly byName = new Map<string, S>()
  private readonly queue: Entry<S>[]
  private readonly done: Entry<S>[] = []
  private readonly skipped: Entry<S>[] = []
  private readonly marked = new Set<string>()
  private vehicle: Facts = {}
  private turned = false
  private seen: Body[] = []
  private said = new Set<unknown>()
  private denied = new Set<Need>()
  private untouched = true

  constructor(private readonly order: OrderOf<S>) {
    // what a refill puts in stands as it would alone, whatever the order itself does
    for (const step of [...order.steps, ...order.refill]) this.byName.set(step.step, step)
    this.queue = order.steps.map((step, index) => ({ step, index }))
  }

  take(event: Body): void {
    this.feel(event)
    if (event.type === 'attempt') this.turnTo(String(event.stage))
    else if (event.type === 'skipped') this.leaveOut(String(event.stage))
    else if (event.type === 'said') this.said.add(event.what)
    else if (!this.order.aside.includes(event.type)) this.mark(event)
    while (this.queue[0] && this.isDone(this.queue[0].step)) {
      this.done.push(...this.queue.splice(0, 1))
      this.comeUp()
    }
  }

  lead(): Lead<S> {
    const { queue, done, skipped, untouched, turned } = this
    const fresh = holds(this.order.fresh, this.vehicle)
    const present = queue[0]?.step
    const none = { unmet: [], prompts: [], missing: [], says: [] }
    if (!present) return { queue, done, skipped, ...none, untouched, turned, fresh }
    // an advised mark is over once a later one was made
    const last = present.prompts.findLastIndex((prompt) => this.lacking(prompt).length < prompt.marks.length)
    const prompts = present.prompts.filter(
      (prompt, place) => this.lacking(prompt).length > 0 && !(prompt.optional && place <= last),
    )
    const begun = this.seen.some((event) => fits(event, present)) // then nothing that it needed is asked again
    return {
      queue,
      done,
      skipped,
      unmet: begun ? [] : this.unmet(present),
      prompts,
      missing: prompts[0] ? this.lacking(prompts[0]) : [],
      says: present.says.filter((what) => !this.said.has(what)),
      untouched,
      turned,
      fresh,
    }
  }

  /** What an event says of the vehicle, each effect looking at it as it stood before. */
  private feel(event: Body): void {
    const before = this.vehicle
    for (const { event: known, sets, when, unless } of this.order.effects) {
      if (Object.entries(known).some(([key, value]) => event[key] !== value)) continue
      if ((when && !holds(when, before)) || (unless && holds(unless, before))) continue
      this.vehicle = { ...this.vehicle, ...sets }
    }
  }

  private comeUp(): void {
    this.seen = []
    this.said = new Set()
    this.denied = new Set()
    this.untouched = true
  }

  private mark(event: Body): void {
    this.catchUp(event)
    const present = this.queue[0]?.step
    if (!present) return
    this.untouched = false
    this.seen.push(event)
    if (fits(event, present)) this.marked.add(present.step)
    for (const need of present.needs) {
      if (this.order.needs[need]?.denied.some((body) => matches(event, body))) this.denied.add(need)
      else if (this.meets(need)) this.denied.delete(need)
    }
  }

  /** A mark of a stage further on shows that the actions before it were done, though nobody marked them. */
  private catchUp(event: Body): void {
    for (const [place, { step }] of this.queue.entries()) {
      if (step.prompts.some((prompt) => prompt.leads && makes(event, prompt))) {
        this.turned = false
        this.done.push(...this.queue.splice(0, place))
        if (place > 0) this.comeUp()
        return
      }
      if (step.prompts.length > 0) return
    }
  }

  private turnTo(stage: string): void {
    const place = this.queue.findIndex(({ step }) => step.step === stage)
    const known = this.byName.get(stage)
    const [entry] = place >= 0 ? this.queue.splice(place, 1) : known ? [{ step: known, index: null }] : []
    if (!entry) return
    const { refill, refill_after } = entry.step
    const stale = refill === 'stale' && !holds(this.order.fresh, this.vehicle)
    const before = refill && (this.marked.has(stage) || stale) ? this.order.refill : []
    const rollsLater = this.queue.some(({ step }) => step.rolls)
    const spent = refill_after === 'always' || (refill_after === 'rolling' && rollsLater)
    const filled = this.marked.has(this.order.fill_after.at(-1) ?? '')
    const after = spent && filled ? this.order.fill_after.flatMap((name) => this.byName.get(name) ?? []) : []
    const putIn = (steps: S[]) => steps.map((step): Entry<S> => ({ step, index: null }))
    this.queue.unshift(...putIn(before), entry, ...putIn(after))
    this.comeUp()
    this.turned = true
  }

  private leaveOut(stage: string): void {
    const place = this.queue.findIndex(({ step }) => step.step === stage)
    if (place < 0) return
    this.skipped.push(...this.queue.splice(place, 1))
    if (place === 0) this.comeUp()
  }

  private isDone(present: S): boolean {
    return present.prompts.length > 0
      ? present.prompts.every((prompt) => prompt.optional || this.lacking(prompt).length === 0)
      : this.unmet(present).length === 0
  }

  private lacking(prompt: MarkPrompt): MarkPrompt['marks'] {
    return prompt.marks.filter((mark) => !this.seen.some((event) => matches(event, mark)))
  }

  private meets(need: Need): boolean {
    return this.order.needs[need]?.met.some((facts) => holds(facts, this.vehicle)) ?? false
  }

  private unmet(present: S): Need[] {
    return present.needs.filter((need) => !this.meets(need) && !this.denied.has(need))
  }
}

/** Whether all these facts are so; null stands for what was never recorded, or holds no longer. */
const holds = (facts: Facts, vehicle: Facts): boolean =>
  Object.entries(facts).every(([name, value]) => (vehicle[name] ?? null) === value)

const matches = (event: Body, mark: Body): boolean =>
  Object.entries(mark).every(([key, value]) => (value === null ? event[key] != null : event[key] === value))

const makes = (event: Body, prompt: MarkPrompt): boolean => prompt.marks.some((mark) => matches(event, mark))

const fits = (event: Body, step: LedStep): boolean => step.prompts.some((prompt) => makes(event, prompt))

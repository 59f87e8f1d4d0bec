/** An order of work as it is being built: its steps bent, never judged here. */

import { ACTIONS, type HOLDINGS } from './editor.gen'
import type { Schema } from '../../shared/api'

export type Step = Schema['BookProcedureOut']['steps'][number]
export type Stage = Schema['BookProcedureOut']['optional'][number]

export interface Order {
  steps: Step[]
  optional: Stage[]
  holding: (typeof HOLDINGS)[number] | null
}

export const isAction = (step: Step): boolean => (ACTIONS as readonly string[]).includes(step)

/** A step moved to another place. */
export function moved(steps: Step[], from: number, to: number): Step[] {
  const step = steps[from]
  if (step === undefined || to < 0 || to >= steps.length || from === to) return steps
  const rest = steps.filter((_, place) => place !== from)
  return [...rest.slice(0, to), step, ...rest.slice(to)]
}

export const without = (order: Order, place: number): Order => {
  const steps = order.steps.filter((_, at) => at !== place)
  return { ...order, steps, optional: order.optional.filter((stage) => steps.includes(stage)) }
}

export const optionalOrNot = (order: Order, stage: Stage): Order => ({
  ...order,
  optional: order.optional.includes(stage)
    ? order.optional.filter((one) => one !== stage)
    : [...order.optional, stage],
})

/** Which tug comes first; null where only one of them is in the order, or none. */
export function tugFirst({ steps }: Order): 'trailer' | 'parking' | null {
  const [trailer, parking] = [steps.indexOf('hold_trailer'), steps.indexOf('hold_parking')]
  if (trailer < 0 || parking < 0) return null
  return trailer < parking ? 'trailer' : 'parking'
}

/** The two tugs in the other order, each at the other's place. */
export function tugsSwapped(order: Order): Order {
  const swap: Partial<Record<Step, Step>> = { hold_trailer: 'hold_parking', hold_parking: 'hold_trailer' }
  return { ...order, steps: order.steps.map((step) => swap[step] ?? step) }
}

export type Timed = 'first' | 'refill' | 'no'

export function timedAt({ steps }: Order): Timed {
  const at = steps.indexOf('build_up')
  if (at < 0) return 'no'
  const knobs = steps.indexOf('spring_brakes')
  return knobs >= 0 && at > knobs ? 'refill' : 'first'
}

/** The build-up timed on the first fill, on the refill after the knobs popped, or not at all. */
export function timed(order: Order, where: Timed): Order {
  const steps = order.steps.filter((step) => step !== 'build_up')
  const knobs = steps.indexOf('spring_brakes')
  const from = where === 'refill' ? knobs : -1
  const before = steps.findIndex((step, place) => place > from && (step === 'cut_out' || step === 'rebuild'))
  if (where === 'no' || before < 0) return { ...order, steps }
  return { ...order, steps: [...steps.slice(0, before), 'build_up', ...steps.slice(before)] }
}

export type Begins = 'engine' | 'full'

export const beginsWith = ({ steps }: Order): Begins => (steps[0] === 'release' ? 'full' : 'engine')

/** Begun with full tanks and the leak test at once, or with a safe start and the first fill. */
export function begun(order: Order, how: Begins): Order {
  const first = order.steps.indexOf('release')
  if (how === 'full') return first < 0 ? order : withoutBefore(order, first)
  if (beginsWith(order) === 'engine') return order
  return { ...order, steps: ['safe_start', 'cut_out', ...order.steps] }
}

function withoutBefore(order: Order, first: number): Order {
  const steps = order.steps.slice(first)
  return { ...order, steps, optional: order.optional.filter((stage) => steps.includes(stage)) }
}

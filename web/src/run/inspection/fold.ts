/** What this device knows of an inspection from its marks, at once: what is answered, what is true, what comes next. */

import type { DeviceEvent, DeviceMark } from '../../device'
import type { Schema } from '../../shared/api'

export type InspectionScript = Schema['InspectionScriptOut']
export type Ask = Schema['AskOut']
export type Answer = NonNullable<Schema['InspectionAnswerOut']['answer']>

/** Answers that leave an item open. */
const OPEN: readonly Answer[] = ['later']

interface Answered {
  answer: Answer
  mark: string
  /** On this device it still waits to be sent. */
  waiting: boolean
}

export interface InspectionFold {
  /** The latest answer of each ask; what the server judges of it is another thing. */
  told: Map<string, Answered>
  /** What is true now of what must be true first. */
  states: Set<string>
  /** Facts that were said in this inspection, as `part fact`. */
  facts: Set<string>
  /** The light call that goes on; empty while none does. */
  call: DeviceMark | null
  brought: Set<string>
  ended: boolean
}

interface RunMark {
  type: string
  [field: string]: unknown
}

const is = (event: RunMark, mark: Record<string, string>): boolean =>
  Object.entries(mark).every(([name, value]) => event[name] === value)

/** The inspection as its marks say, and what the air test beside it answers and makes true. */
export function foldInspection(
  script: InspectionScript,
  marks: DeviceEvent[],
  run: RunMark[] = [],
): InspectionFold {
  const fold: InspectionFold = {
    told: new Map(),
    states: new Set(),
    facts: new Set(),
    call: null,
    brought: new Set(),
    ended: false,
  }
  const opposite = new Map(script.firsts.map((first) => [first.id, first.opposite]))
  const become = (first: string, so: boolean) => {
    if (!so) return void fold.states.delete(first)
    fold.states.add(first)
    fold.states.delete(opposite.get(first) ?? '')
  }
  for (const event of run) {
    for (const { mark, needs, asks } of script.from_run) {
      if (!is(event, mark) || (needs && event[needs] === undefined)) continue
      for (const key of asks) fold.told.set(key, { answer: 'from_run', mark: '', waiting: false })
    }
    for (const { first, on, off } of script.states) {
      if (is(event, on)) become(first, true)
      else if (off && is(event, off)) become(first, false)
    }
  }
  for (const { event, delivery } of marks) {
    if (delivery === 'aside') continue
    switch (event.type) {
      case 'answer':
        for (const key of event.asks as string[]) {
          const told = { answer: event.answer as Answer, mark: event.id, waiting: delivery === 'waiting' }
          fold.told.set(key, told)
        }
        break
      case 'state':
        become(String(event.first), event.so !== false)
        break
      case 'fact':
        fold.facts.add(`${String(event.part ?? 'P')} ${String(event.fact)}`)
        break
      case 'called':
        fold.call = event.call ? event : null
        break
      case 'brought':
        fold.brought.add(String(event.what))
        break
      case 'finished':
      case 'abandoned':
        fold.ended = true
    }
  }
  return fold
}

/** Whether an ask is answered, as far as this device knows. */
export const isAnswered = (fold: InspectionFold, key: string): boolean => {
  const told = fold.told.get(key)
  return told !== undefined && !OPEN.includes(told.answer)
}

/** One thing that the screen asks at a time. */
export type Step =
  | { kind: 'ask'; id: string; station: string; asks: [Ask] }
  | { kind: 'block'; id: string; station: string; asks: Ask[]; block: string }
  | { kind: 'fact'; id: string; station: string; wanted: Schema['WantedOut'] }

/**
 * Everything that is asked, in order: what belongs to one block of a wheel end by one touch, what is measured alone.
 * A short inspection looks at a wheel end in one glance.
 */
export function stepsOf(script: InspectionScript): Step[] {
  const steps: Step[] = []
  const blocks = new Map<string, Step & { kind: 'block' }>()
  for (const station of script.stations) {
    for (const wanted of script.wanted) {
      if (wanted.station !== station.id) continue
      steps.push({ kind: 'fact', id: `${wanted.part} ${wanted.fact}`, station: station.id, wanted })
    }
    for (const ask of script.asks) {
      if (ask.station !== station.id) continue
      const block = blockOf(script, ask)
      if (!block) {
        steps.push({ kind: 'ask', id: ask.key, station: station.id, asks: [ask] })
        continue
      }
      const known = blocks.get(block)
      if (known) known.asks.push(ask)
      else {
        const made = { kind: 'block' as const, id: block, station: station.id, asks: [ask], block: '' }
        made.block = script.way.glance ? 'glance' : (script.items[ask.item]?.block ?? '')
        blocks.set(block, made)
        steps.push(made)
      }
    }
  }
  return steps
}

/** The block that an ask is answered with; empty for what is answered alone. */
function blockOf(script: InspectionScript, ask: Ask): string {
  const item = script.items[ask.item]
  if (!item || !ask.end || ask.known) return ''
  if (script.way.glance) return item.glance ? `${ask.end} glance` : ''
  const measured = ask.measures.some(({ tape }) => tape)
  return script.way.blocks && item.block && !item.own && !measured ? `${ask.end} ${item.block}` : ''
}

export const isDone = (fold: InspectionFold, step: Step): boolean =>
  step.kind === 'fact' ? fold.facts.has(step.id) : step.asks.every(({ key }) => isAnswered(fold, key))

/** The first thing that is open from a place on, then from the beginning; -1 when nothing is. */
export function nextOpen(fold: InspectionFold, steps: Step[], from: number): number {
  const after = steps.findIndex((step, n) => n >= from && !isDone(fold, step))
  return after >= 0 ? after : steps.findIndex((step) => !isDone(fold, step))
}

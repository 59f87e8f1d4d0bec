/** Where a leak test stands: a pure fold over its events. It decides what to ask next, never how the result counts. */

import type { Schema } from '../api'
import type { Moment } from './clock'
import type { WireEvent } from './db'

export type Script = Schema['ScriptOut']
export type Need = Schema['ScriptStep']['needs'][number]
export type Needle = Script['needles'][number]
export type Numbers = Partial<Record<Needle, number>>
export type PrepareNeed = 'wheels_chocked' | 'engine_off' | 'key_on' | 'area_clear' | 'knobs_in'
export type Phase = 'prepare' | 'pedal' | 'settle' | 'start' | 'hold' | 'read' | 'judged' | 'closed'

export interface Mark extends Moment {
  id: string
  /** As entered: keys such as `primary_psi`. */
  numbers: Record<string, number>
}

export interface Progress {
  phase: Phase
  /** What has been answered about each need: true as it must be, false not so, null not asked yet. */
  answers: Record<PrepareNeed, boolean | null>
  nextNeed: PrepareNeed | null
  pedalDown: Moment | null
  settled: boolean
  start: Mark | null
  end: Mark | null
  /** The pedal came up before the end. */
  early: boolean
  /** Every mark of the last strike: those of one instant. */
  lastStrike: WireEvent[]
}

const READING = /^(primary|secondary)_(psi|kpa|bar)$/

/** The stage's step of the script. */
export const leakStep = (script: Script): Schema['ScriptStep'] => {
  const step = script.steps.find(({ step }) => step === 'leak_applied')
  if (!step) throw new Error('this script has no applied leak-down')
  return step
}

export const prepareNeeds = (script: Script): PrepareNeed[] =>
  leakStep(script).needs.filter((need): need is PrepareNeed => need !== 'pedal_full' && need !== 'settled')

/** Events that stand: those taken back are left out, and so are the takings-back. */
export function standing(events: WireEvent[]): WireEvent[] {
  const gone = new Set<unknown>()
  for (const event of [...events].reverse()) {
    if (event.type === 'withdrawn' && !gone.has(event.id)) gone.add(event.event)
  }
  return events.filter((event) => event.type !== 'withdrawn' && !gone.has(event.id))
}

function numbersOf(event: WireEvent): Record<string, number> {
  return Object.fromEntries(
    Object.entries(event).filter(([key, value]) => READING.test(key) && typeof value === 'number'),
  ) as Record<string, number>
}

export function progressOf(script: Script, all: WireEvent[]): Progress {
  const events = standing(all)
  const knobs: Record<string, boolean> = {}
  const progress: Progress = {
    phase: 'prepare',
    answers: { wheels_chocked: null, engine_off: null, key_on: null, area_clear: null, knobs_in: null },
    nextNeed: null,
    pedalDown: null,
    settled: false,
    start: null,
    end: null,
    early: false,
    lastStrike: [],
  }
  let closed = false
  for (const event of events) {
    switch (event.type) {
      case 'confirmed':
        if (event.item === 'wheels_chocked') progress.answers.wheels_chocked = true
        if (event.item === 'chocks_removed') progress.answers.wheels_chocked = false
        if (event.item === 'area_clear') progress.answers.area_clear = true
        break
      case 'engine':
        progress.answers.engine_off = event.state === 'off'
        break
      case 'key':
        progress.answers.key_on = event.state === 'on'
        break
      case 'knob':
        knobs[String(event.knob)] = event.state === 'in'
        break
      case 'pedal':
        progress.pedalDown = event.state === 'full' ? event : progress.pedalDown
        if (event.state === 'full') progress.settled = false
        else if (progress.start && !progress.end) progress.early = true
        break
      case 'settled':
        progress.settled = true
        break
      case 'reading':
        if (event.stage !== 'leak_applied') break
        if (event.point === 'start') progress.start = { ...event, numbers: numbersOf(event) }
        if (event.point === 'end') progress.end = { ...event, numbers: numbersOf(event) }
        break
      case 'valued':
        for (const mark of [progress.start, progress.end]) {
          if (mark && mark.id === event.event) Object.assign(mark.numbers, numbersOf(event))
        }
        break
      case 'finished':
      case 'abandoned':
        closed = true
        break
    }
    const together = progress.lastStrike[0]
    const same = together?.epoch === event.epoch && together.mono_s === event.mono_s
    progress.lastStrike = same ? [...progress.lastStrike, event] : [event]
  }
  if (script.knobs.every((knob) => knob in knobs)) {
    progress.answers.knobs_in = script.knobs.every((knob) => knobs[knob])
  }
  progress.nextNeed = prepareNeeds(script).find((need) => progress.answers[need] === null) ?? null
  progress.phase = closed ? 'closed' : phaseOf(script, progress)
  return progress
}

function phaseOf(script: Script, { nextNeed, pedalDown, settled, start, end }: Progress): Phase {
  if (start && end) return isSet(script, end) && isSet(script, start) ? 'judged' : 'read'
  if (start) return 'hold'
  if (nextNeed) return 'prepare'
  if (!pedalDown) return 'pedal'
  return settled ? 'start' : 'settle'
}

/** Whether every needle of the unit has its number. */
export function isSet(script: Script, mark: Mark | null): boolean {
  return (
    mark !== null &&
    script.needles.every((needle) => Object.keys(mark.numbers).some((key) => key.startsWith(needle)))
  )
}

/** Where a test stands on the screen: a pure fold over its events. It says what to ask next, never how a result counts. */

import type { ClockReading, DeviceMark } from '../device'
import { isEnd } from '../shared/trade'
import type { POINTS } from '../shared/trade.gen'
import { leadOf, type Lead, type Script, type Step } from './guide'

export type Needle = Script['needles'][number]
type Point = (typeof POINTS)[number]

/** A mark that wants the needles' numbers. */
export interface Mark extends ClockReading {
  id: string
  point: Point
  stage: string
  /** Which knob, or which of lamp and buzzer; empty where that says nothing. */
  which: string
  /** As entered: keys such as `primary_psi`. */
  numbers: Record<string, number>
  late: boolean
}

export interface TestState {
  /** Events that stand, in order. */
  events: DeviceMark[]
  lead: Lead<Step>
  closed: boolean
  marks: Mark[]
  /** Marks whose numbers are still to be set, those of one instant together, the latest first. */
  waiting: Mark[][]
  /** The minute that runs now. */
  hold: { stage: string; start: Mark } | null
  pedalDown: boolean
  /** The last move of pedal or knobs: the needles settle from here on. */
  lastMove: ClockReading | null
  engineStart: ClockReading | null
  /** Every mark of the last mark: those of one instant. */
  lastMarks: DeviceMark[]
}

const READING = /^(primary|secondary)_(psi|kpa|bar)$/

/** Events that stand: those taken back are left out, and so are the takings-back. */
export function standing(events: readonly DeviceMark[]): DeviceMark[] {
  const gone = new Set<unknown>()
  for (const event of [...events].reverse()) {
    if (event.type === 'withdrawn' && !gone.has(event.id)) gone.add(event.event)
  }
  return events.filter((event) => event.type !== 'withdrawn' && !gone.has(event.id))
}

function numbersOf(event: Record<string, unknown>): Record<string, number> {
  return Object.fromEntries(
    Object.entries(event).filter(([key, value]) => READING.test(key) && typeof value === 'number'),
  ) as Record<string, number>
}

/** The mark an event makes, when it is one that wants numbers. */
function markOf(event: DeviceMark): Mark | null {
  const made = (point: Point, stage: string, which = ''): Mark => ({
    ...{ id: event.id, device: event.device, epoch: event.epoch, mono_s: event.mono_s, wall: event.wall },
    ...{ point, stage, which, numbers: numbersOf(event), late: event.late === true },
  })
  if (event.type === 'reading') return made(event.point as Point, String(event.stage))
  if (event.type === 'warning' && (event.lamp === true || event.buzzer === true)) {
    const which = event.lamp === true && event.buzzer === true ? '' : event.lamp === true ? 'lamp' : 'buzzer'
    return made('warning', 'low_air_warning', which)
  }
  if (event.type === 'knob' && event.cause === 'popped')
    return made('popped', 'spring_brakes', String(event.knob))
  return null
}

const together = (a: ClockReading | undefined, b: ClockReading): boolean =>
  a?.device === b.device && a.epoch === b.epoch && a.mono_s === b.mono_s

export function stateOf(script: Script, all: readonly DeviceMark[]): TestState {
  const events = standing(all)
  const marks = events.flatMap((event) => markOf(event) ?? [])
  setNumbers(marks, events)
  let lastMarks: DeviceMark[] = []
  let pedalDown = false
  let lastMove: ClockReading | null = null
  let engineStart: ClockReading | null = null
  for (const event of events) {
    if (event.type === 'pedal') pedalDown = event.state === 'full'
    if (event.type === 'pedal' || event.type === 'knob') lastMove = event
    if (event.type === 'engine') engineStart = event.state === 'running' ? event : null
    lastMarks = together(lastMarks[0], event) ? [...lastMarks, event] : [event]
  }
  const lead = leadOf(script, events)
  const timed = lead.prompts[0]?.name === 'end' ? lead.queue[0]?.step.step : undefined
  const start = timed && marks.findLast(({ point, stage }) => point === 'start' && stage === timed)
  return {
    events,
    lead,
    closed: events.some(({ type }) => isEnd(type)),
    marks,
    waiting: waitingOf(script, marks),
    hold: timed && start ? { stage: timed, start } : null,
    pedalDown,
    lastMove,
    engineStart,
    lastMarks,
  }
}

/** Put the numbers that came by themselves into their marks; another device's clock may place them before these. */
function setNumbers(marks: Mark[], events: readonly DeviceMark[]): void {
  const byId = new Map<unknown, Mark>(marks.map((mark) => [mark.id, mark]))
  for (const event of events) {
    const target = event.type === 'valued' ? byId.get(event.event) : undefined
    if (!target) continue
    Object.assign(target.numbers, numbersOf(event))
    target.late ||= event.late === true
  }
}

function waitingOf(script: Script, marks: Mark[]): Mark[][] {
  const groups: Mark[][] = []
  for (const mark of marks) {
    if (isSet(script, mark)) continue
    const last = groups.at(-1)
    if (last && together(last[0], mark)) last.push(mark)
    else groups.push([mark])
  }
  return groups.reverse()
}

/** Whether every needle of the unit has its number. */
const isSet = (script: Script, mark: Mark): boolean =>
  script.needles.every((needle) => Object.keys(mark.numbers).some((key) => key.startsWith(needle)))

/** The stage's step of the script, that of a refill where the procedure itself has none. */
export const stepOf = (script: Script, stage: string): Step | undefined =>
  [...script.steps, ...script.refill].find(({ step }) => step === stage)

/** What the bar says and does in each phase, as keys of the words and events of one instant. */

import type { Body } from '../../device'
import { type Script, type TestState } from '../../run'
import type { Words } from '../../shared/i18n'
import { WATCHED_TYPES } from '../../shared/trade.gen'
import { bodiesOf, type Phase, type Verdict } from './phase'
import { lastAttempt } from './lastAttempt'
import { rolledBody } from './SideMarks'
import type { Readings } from './useReadings'

type Word = keyof Words['test']['bar']
type Under = keyof Words['test']['under']
type Does = keyof Words['test']['does']

export interface Bar {
  word: Word
  under: Under
  /** What to do, where the step's own sentence does not say it best. */
  does?: Does
  disabled?: boolean
  /** Needs a press of a second. */
  held?: boolean
  /** What striking it does. */
  act:
    | { marks: Body[] }
    | 'accept'
    /** Go on from a rest, the pedal coming up where it is down. */
    | 'goOn'
    | 'finish'
    /** The vehicle stands again after rolling. */
    | 'standing'
    | 'nothing'
}

export interface BarContext {
  script: Script
  state: TestState
  phase: Phase
  readings: Readings | null
  verdicts: Verdict[] | undefined
  /** Nobody leads: the bar only ever says now. */
  alone?: 'memory' | 'exam' | null | undefined
  ownWatch: boolean
  rolling: boolean
  /** As typed; a rolling stop may carry the speed that was read. */
  speed: string
  /** The newest marks are on their way and will be judged in a blink. */
  judging: boolean
}

export function barFor(context: BarContext): Bar {
  const bar = ledBar(context)
  return context.alone && typeof bar.act === 'object' ? { ...bar, word: 'now', under: 'now' } : bar
}

function ledBar(context: BarContext): Bar {
  const { script, state, phase, readings } = context
  switch (phase.name) {
    case 'ask': {
      const one = phase.need === 'knobs_in' && script.knobs.length === 1
      return {
        word: phase.need,
        under: one ? 'only_knob_in' : phase.need,
        does: phase.need,
        act: { marks: context.alone ? goingOn(context) : (script.needs[phase.need]?.yes ?? []) },
      }
    }
    case 'prompt':
      return promptBar(context, phase)
    case 'hold':
      if (context.ownWatch) {
        return { word: 'time', under: 'time', does: 'hold', act: { marks: [endOf(phase.step.step)] } }
      }
      return phase.step.pedal_held
        ? {
            ...{ word: 'up', under: 'up', does: 'hold', held: true },
            act: { marks: [{ type: 'pedal', state: 'released' }, endOf(phase.step.step)] },
          }
        : {
            ...{ word: 'cutShort', under: 'cutShort', does: 'holdUp', held: true },
            act: { marks: [endOf(phase.step.step)] },
          }
    case 'read': {
      const one = script.needles.length === 1
      const does: Does = state.pedalDown ? 'readDown' : 'read'
      if (!readings?.complete) {
        return { word: one ? 'readOne' : 'read', under: 'read', does, disabled: true, act: 'nothing' }
      }
      const word = readings.asking ? 'itIs' : one ? 'acceptOne' : 'accept'
      return { word, under: state.pedalDown ? 'accept' : 'acceptPlain', does, act: 'accept' }
    }
    case 'rest':
      return restBar(context, phase)
    case 'locked':
      return { word: 'locked', under: 'locked', does: 'locked', disabled: true, act: 'nothing' }
    case 'done':
      return { word: 'finish', under: 'finish', does: 'done', act: 'finish' }
  }
}

/** Whoever works alone and marks has gone on: what was not so until now is not so, and the mark is made. */
function goingOn({ script, state }: BarContext): Body[] {
  const denied = state.lead.unmet.flatMap((one) => script.needs[one]?.no ?? [])
  const marks = state.lead.prompts.length > 0 ? bodiesOf(state.lead.missing) : []
  return [...denied, ...marks]
}

const WATCHED = new Set<string>(WATCHED_TYPES)
const TIMED = new Set(['start', 'end'])

/** The bar of somebody who watches: it marks what is seen, and never does what the driver does. */
export function watchersBar(bar: Bar, keepsTime: boolean): Bar {
  if (bar.act === 'accept') return bar
  if (bar.act === 'goOn') return { ...bar, word: 'goOn', under: 'goOn' }
  const marks = (body: Body) =>
    (WATCHED.has(body.type) && (keepsTime || !TIMED.has(String(body.point)))) ||
    (body.type === 'knob' && body.cause === 'popped')
  if (typeof bar.act === 'object' && bar.act.marks.length > 0 && bar.act.marks.every(marks)) return bar
  return { word: 'watching', under: 'watching', does: bar.does, disabled: true, act: 'nothing' }
}

const endOf = (stage: string): Body => ({ type: 'reading', stage, point: 'end' })

function promptBar(
  { rolling, speed }: BarContext,
  { step, prompt, missing }: Phase & { name: 'prompt' },
): Bar {
  const act = { marks: bodiesOf(missing) }
  const partly = missing.length < prompt.marks.length
  switch (prompt.name) {
    case 'warning': {
      if (!partly) return { word: 'warning', under: 'warning', act }
      const other = missing[0] && 'lamp' in missing[0] ? 'lamp' : 'buzzer'
      return { word: other, under: other, does: 'again', act }
    }
    case 'popped': {
      if (!partly) return { word: prompt.marks.length > 1 ? 'popped' : 'poppedOne', under: 'popped', act }
      const other = missing[0]?.knob === 'trailer' ? 'trailer' : 'tractor'
      return { word: other, under: other, does: 'again', act }
    }
    case 'held':
      return {
        ...{ word: 'held', under: 'held' },
        act: { marks: [{ type: 'held', stage: step.step, moved: false }] },
      }
    case 'rolled':
      return rolling
        ? { word: 'standing', under: 'standing', does: 'rolling', act: 'standing' }
        : {
            ...{ word: 'rolled', under: 'rolled', does: 'rolled' },
            act: { marks: [rolledBody(true, false, speed)] },
          }
    default: {
      const name = prompt.name as 'cut_out' | 'pedal_full' | 'settled' | 'start'
      const own = name === 'settled' || name === 'start' || name === 'pedal_full'
      return { word: name, under: name, does: own ? name : undefined, act }
    }
  }
}

function restBar({ state, verdicts, judging }: BarContext, { stages }: Phase & { name: 'rest' }): Bar {
  if (judging) return { word: 'judging', under: 'judging', does: 'rest', disabled: true, act: 'nothing' }
  const judged = stages.map((step) => ({ step, verdict: lastAttempt(verdicts, step) }))
  const failed = judged.find(({ verdict }) => verdict?.outcome === 'fail')
  const voided = judged.find(({ verdict }) => verdict?.outcome === 'void')
  const toRepeat = failed ?? voided
  if (failed?.verdict?.findings.some(({ code }) => code === 'third_failure')) {
    return { word: 'stop', under: 'stop', does: 'failed', act: 'finish' }
  }
  if (toRepeat && toRepeat.step.marked_as === toRepeat.step.step) {
    return {
      word: 'again',
      under: toRepeat.step.refill ? 'again' : 'againYesNo',
      does: failed ? 'failed' : 'voided',
      act: { marks: repeat(state, toRepeat.step.step) },
    }
  }
  const word = state.pedalDown ? 'pedalUp' : 'goOn'
  return { word, under: state.lead.queue.length === 0 ? 'goOnLast' : 'goOn', does: 'rest', act: 'goOn' }
}

/** The events that open another attempt: the pedal comes up first where it is down. */
export const repeat = (state: TestState, stage: string): Body[] => [
  ...(state.pedalDown ? [{ type: 'pedal', state: 'released' }] : []),
  { type: 'attempt', stage },
]

/** The stage or action that comes next, to be named on the bar. */
export const nextName = (state: TestState) => {
  const next = state.lead.queue[0]?.step
  if (!next) return null
  return `step.${next.step}` as const
}

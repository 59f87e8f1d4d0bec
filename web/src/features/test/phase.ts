/** What the test screen is about now. Pure: a function of where the test stands and of what the reader has passed. */

import type { Blocked } from '../../device'
import type { Schema } from '../../shared/api'
import type { Stage } from '../../shared/trade'
import {
  isStage,
  type Entry,
  type Mark,
  type Need,
  type Step,
  type MarkPrompt,
  type TestState,
} from '../../run'

export type Verdict = Schema['StageOut']

export type Phase =
  /** The step needs this first. */
  | { name: 'ask'; step: Step; need: Need }
  /** One thing to mark. */
  | { name: 'prompt'; step: Step; prompt: MarkPrompt; missing: MarkPrompt['marks'] }
  /** The minute runs. */
  | { name: 'hold'; step: Step; start: Mark }
  /** The numbers of these marks are wanted before anything else. */
  | { name: 'read'; step: Step | null; group: Mark[] }
  /** The stages just done, with what was judged of them. */
  | { name: 'rest'; stages: Step[] }
  /** Nothing may be held or rolled yet. */
  | { name: 'locked'; step: Step; why: 'failed' | 'unjudged'; stages: Stage[] }
  | { name: 'locked'; step: Step; why: 'inspection'; stages: Stage[]; blocked: Blocked[] }
  /** Everything is done, or left out. */
  | { name: 'done' }

export interface Passed {
  /** As many steps were done when the reader went on from the last rest. */
  rest: number
}

/** The stages that were done since the last pause: the last one, and those before it that lead straight on. */
function justDone(state: TestState): Step[] {
  const { done, untouched, turned } = state.lead
  const stages: Step[] = []
  if (turned) return []
  // what has nothing of its own to mark was done by the way
  const last = done.findLastIndex(({ step }) => isStage(step))
  for (const { step } of done.slice(0, last + 1).reverse()) {
    if (!isStage(step) || (stages[0] && step.straight_on !== stages[0].step)) break
    stages.unshift(step)
  }
  return untouched && done.slice(last + 1).every(({ step }) => step.by_the_way) ? stages : []
}

const STARTS_ENGINE: Need = 'engine_running'

/** Whether the next thing starts the engine or moves the vehicle: then it matters what an inspection found. */
export const movesNext = ({ lead }: TestState): boolean =>
  (lead.queue[0]?.step.rolls ?? false) || lead.unmet[0] === STARTS_ENGINE

export function phaseOf(
  state: TestState,
  passed: Passed,
  verdicts: Verdict[],
  stale: boolean,
  /** What inspections of this test found that stops something. */
  blocked: Blocked[] = [],
): Phase {
  const { lead, hold } = state
  const present = lead.queue[0]?.step
  const rested = justDone(state)
  const goesStraightOn = present !== undefined && rested.at(-1)?.straight_on === present.step
  if (rested.length > 0 && !goesStraightOn && passed.rest < lead.done.length) {
    const names = new Set<string>(rested.map(({ marked_as }) => marked_as))
    const group = state.waiting.find(([mark]) => mark && names.has(mark.stage))
    if (group) return { name: 'read', step: rested.at(-1) ?? null, group }
    return { name: 'rest', stages: rested }
  }
  if (!present) {
    const group = state.waiting[0]
    return group ? { name: 'read', step: null, group } : { name: 'done' }
  }
  if (present.rolls) {
    const failed = verdicts.filter(({ stands, outcome }) => stands && outcome === 'fail')
    if (failed.length > 0)
      return { name: 'locked', step: present, why: 'failed', stages: failed.map(({ stage }) => stage) }
    const rolls = blocked.filter(({ blocks }) => blocks !== 'leave')
    if (rolls.length > 0)
      return { name: 'locked', step: present, why: 'inspection', stages: [], blocked: rolls }
    if (stale) return { name: 'locked', step: present, why: 'unjudged', stages: [] }
  }
  const [need] = lead.unmet
  if (need === STARTS_ENGINE) {
    const starts = blocked.filter(({ blocks }) => blocks === 'start')
    if (starts.length > 0)
      return { name: 'locked', step: present, why: 'inspection', stages: [], blocked: starts }
  }
  if (need) return { name: 'ask', step: present, need }
  if (hold) return { name: 'hold', step: present, start: hold.start }
  const [prompt] = lead.prompts
  return prompt
    ? { name: 'prompt', step: present, prompt, missing: lead.missing }
    : { name: 'ask', step: present, need: present.needs[0] ?? 'wheels_chocked' }
}

/** The events a mark makes: whatever it leaves open is so; lamp and buzzer together are one warning. */
export function bodiesOf(missing: MarkPrompt['marks']): ({ type: string } & Record<string, unknown>)[] {
  const bodies = missing.map(
    (mark) =>
      Object.fromEntries(Object.entries(mark).map(([key, value]) => [key, value ?? true])) as {
        type: string
      },
  )
  return bodies.every(({ type }) => type === 'warning')
    ? [Object.assign({}, ...bodies) as { type: string }]
    : bodies
}

/** The stage that the screen is about: the one just done while it is looked at, else what is being led to. */
export function stageInSight(state: TestState, phase: Phase): Entry<Step> | undefined {
  const { done, queue } = state.lead
  if (phase.name === 'rest' || (phase.name === 'read' && phase.step)) {
    return done.findLast(({ step }) => isStage(step))
  }
  return queue.find(
    ({ step, index }) =>
      isStage(step) && (index !== null || step.refill !== null || step.marked_as !== step.step),
  )
}

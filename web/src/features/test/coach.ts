import type { Step, TestState } from '../../run'
import { wasSaid } from './Calls'
import type { Phase } from './phase'

/** The stages just done, or left out, of which nobody has said whether they are good or bad. */
export function unsaid(state: TestState, phase: Phase): Step[] {
  const done = phase.name === 'rest' ? phase.stages : []
  const left = state.lead.skipped.map(({ step }) => step)
  return [...done, ...left].filter(
    (step) =>
      step.limit !== null && step.limit !== undefined && !wasSaid(state, step, `verdict:${step.step}`),
  )
}

import type { Step } from '../../run'
import type { Verdict } from './phase'

/** A stage's last attempt: what was judged just now. */
export const lastAttempt = (verdicts: Verdict[] | undefined, step: Step): Verdict | undefined => {
  // an attempt at refilling is judged as such, and read like any other cut-out
  return (
    verdicts?.filter(({ stage, attempt }) => stage === step.step && attempt > 0).at(-1) ??
    verdicts?.find(({ stage }) => stage === step.step)
  )
}

import { isStage, type Entry, type Script, type Step, type TestState } from '../../run'
import type { Verdict } from './phase'

export interface Leg {
  step: Step
  at: 'done' | 'now' | 'skipped' | 'coming'
  verdict: Verdict | undefined
  /** Where the pressure stands as the leg begins and ends [psi]. */
  path: [number, number]
}

/** The stages of the order of work, in the order in which they were or will be done. */
export function legsOf(
  script: Script,
  state: TestState,
  verdicts: Verdict[],
  present: Entry<Step> | undefined,
): Leg[] {
  const { done, skipped } = state.lead
  const at = new Map<number, Leg['at']>()
  done.forEach(({ index }) => index !== null && at.set(index, 'done'))
  skipped.forEach(({ index }) => index !== null && at.set(index, 'skipped'))
  const indexOf = (stage: string) => script.steps.findLastIndex(({ step }) => step === stage)
  if (present) at.set(present.index ?? indexOf(present.step.step), 'now')

  const legs: Leg[] = []
  let last = 100
  for (const [index, step] of script.steps.entries()) {
    const [from, to] = step.path_psi ?? [last, last]
    if (isStage(step)) {
      const verdict = verdicts.find(({ stage, stands }) => stage === step.step && stands)
      legs.push({ step, at: at.get(index) ?? 'coming', verdict, path: [from ?? last, to ?? last] })
    }
    last = to ?? last
  }
  return legs
}

/** Which leg of how many is the present one. */
export function placeOf(legs: Leg[]): { now: number; all: number } {
  const now = legs.findIndex(({ at }) => at === 'now')
  return { now: now < 0 ? legs.length : now + 1, all: legs.length }
}

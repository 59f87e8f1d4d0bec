import type { Body, LiveRun } from '../../device'
import type { TestState } from '../../run'
import { Calls } from './Calls'
import type { Phase, Verdict } from './phase'
import { lastAttempt } from './lastAttempt'

/** The calls of this moment: before a stage, or for each of those just done. */
export function CallsNow({
  phase,
  verdicts,
  ...rest
}: {
  phase: Phase
  live: LiveRun
  state: TestState
  verdicts: Verdict[] | undefined
  onSay: (body: Body) => void
}) {
  if (phase.name === 'rest') {
    return phase.stages.map((step) => (
      <Calls
        key={step.step}
        {...rest}
        step={step}
        when="after"
        verdict={lastAttempt(verdicts, step)}
        named={phase.stages.length > 1}
      />
    ))
  }
  const step = phase.name === 'ask' || phase.name === 'prompt' ? phase.step : null
  if (!step) return null
  // a stage that runs straight on from another is still to be talked about
  const before = rest.state.lead.done.at(-1)?.step
  const late = before?.straight_on === step.step && phase.name === 'prompt' ? before : null
  return (
    <>
      {late && <Calls {...rest} step={late} when="after" verdict={lastAttempt(verdicts, late)} />}
      <Calls {...rest} step={step} when="before" />
    </>
  )
}

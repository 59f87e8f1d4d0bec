/** For tests of this room: runs played by the script itself, as far as wanted. */

import { stateOf, type TestState } from '../../run'
import { type DeviceMark } from '../../device'
import { script, marked } from '../../testing/script'
import { bodiesOf } from './phase'

/** Everything the present step needs is answered, and its marks made, until the test comes to `stop`. */
export function playTo(stop: (state: TestState) => boolean): DeviceMark[] {
  const events: DeviceMark[] = []
  for (let n = 0; n < 200; n += 1) {
    const state = stateOf(script, events)
    if (stop(state)) return events
    const [need] = state.lead.unmet
    const bodies = need ? (script.needs[need]?.yes ?? []) : bodiesOf(state.lead.missing)
    const at = marked('')
    for (const body of bodies) events.push({ ...at, ...body, id: `${at.id}${events.length}` } as DeviceMark)
  }
  throw new Error('never came there')
}

/** Whether a step is the next to be done. */
export const present = (name: string) => (state: TestState) => state.lead.queue[0]?.step.step === name
/** The same with a number on every mark that wants one. */
export const valued = (events: DeviceMark[], psi = 100): DeviceMark[] => [
  ...events,
  ...stateOf(script, events)
    .waiting.flat()
    .map(({ id }) => marked('valued', { event: id, primary_psi: psi, secondary_psi: psi })),
]

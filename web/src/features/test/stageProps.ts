import type { Body, LiveRun } from '../../device'
import type { TestState } from '../../run'
import type { Bar } from './bar'
import type { Leg } from './legs'
import type { Phase, Verdict } from './phase'

/** What the middle of the test screen is drawn from. */
export interface StageBodyProps {
  phase: Phase
  live: LiveRun
  state: TestState
  legs: Leg[]
  bar: Bar
  verdicts: Verdict[] | undefined
  /** Judged here, without contact. */
  onDevice: boolean
  holdS: number
  ownWatch: boolean
  /** The tapes are open below: no room for more than the clock. */
  compact: boolean
  /** Where a live feed has the lower needle now. */
  livePsi: number | null
  onMark: (bodies: Body[]) => void
  onStop: () => void
  onGoOn: () => void
}

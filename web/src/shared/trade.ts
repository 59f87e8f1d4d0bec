/** What the core's tables say of names that come as plain text. */

import { CONSEQUENCES, COUNTING_PURPOSES, END_TYPES, STAGES } from './trade.gen'

/** What follows from a defect, the worst first. */
export { CONSEQUENCES }
export type Consequence = (typeof CONSEQUENCES)[number]

export type Stage = (typeof STAGES)[number]
export type EndType = (typeof END_TYPES)[number]

const isAmong =
  <T extends string>(names: readonly T[]) =>
  (name: unknown): name is T =>
    (names as readonly unknown[]).includes(name)

export const isStageName = isAmong(STAGES)

/** Whether an event of this type brings a run to its end. */
export const isEnd = isAmong(END_TYPES)

/** Whether verdicts of a run for this purpose count for the vehicle. */
export const counts = isAmong(COUNTING_PURPOSES)

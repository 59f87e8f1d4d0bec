/** What may be looked at from the seat while the air builds: as `core/inspections/fill_items.py` has it, held to it by cases. */

import type { Schema } from '../../shared/api'

type Filling = Schema['FillingOut']

export interface FillMoment {
  fill: 'first' | 'refill'
  /** Since the engine began to fill [s]. */
  sinceS: number
  timed: boolean
  /** Until it should stop pumping [s]; null while nothing tells. */
  toBlastS: number | null
  /** Under where it should stop pumping [psi]. */
  belowPsi: number | null
}

export interface Open {
  name: string
  fill: string
  seconds: number
}

/** Whether the blast is so near that nothing is offered any more. */
export const listening = (filling: Filling, { toBlastS, belowPsi }: FillMoment): boolean =>
  (toBlastS !== null && toBlastS <= filling.quiet_s) || (belowPsi !== null && belowPsi <= filling.quiet_psi)

/** What to look at next, of what is left in its order; null: eyes on the needles. */
export function offered(filling: Filling, moment: FillMoment, left: Open[]): string | null {
  if (moment.timed || listening(filling, moment)) return null
  let longest = Infinity
  if (moment.toBlastS !== null) longest = moment.toBlastS - filling.quiet_s
  else {
    const after = moment.fill === 'first' ? filling.short_after_first_s : filling.short_after_refill_s
    if (moment.sinceS >= after) longest = filling.short_s
  }
  return (
    left.find(({ fill, seconds }) => (fill === 'any' || fill === 'noisy') && seconds <= longest)?.name ?? null
  )
}

import type { Body, Needle, PrepareNeed, Progress, Script } from '../../live'
import type { PressureUnit } from '../../figures/format'

/** The events that each strike or answer of this screen writes down. */
export const Bodies = {
  answer(need: PrepareNeed, yes: boolean, knobs: Script['knobs']): Body[] {
    switch (need) {
      case 'wheels_chocked':
        return [{ type: 'confirmed', item: yes ? 'wheels_chocked' : 'chocks_removed' }]
      case 'area_clear':
        return yes ? [{ type: 'confirmed', item: 'area_clear' }] : []
      case 'engine_off':
        return [{ type: 'engine', state: yes ? 'off' : 'running' }]
      case 'key_on':
        return [{ type: 'key', state: yes ? 'on' : 'off' }]
      case 'knobs_in':
        return knobs.map((knob) => ({ type: 'knob', knob, state: yes ? 'in' : 'out', cause: 'hand' }))
    }
  },
  pedal: (): Body => ({ type: 'pedal', state: 'full' }),
  settled: (): Body => ({ type: 'settled', stage: 'leak_applied' }),
  start: (): Body => ({ type: 'reading', stage: 'leak_applied', point: 'start' }),
  end: (): Body => ({ type: 'reading', stage: 'leak_applied', point: 'end' }),
  pedalUp: (): Body => ({ type: 'pedal', state: 'released' }),
}

/** What the strike means in this phase, as events of one instant. */
export function bodiesFor(progress: Progress, knobs: Script['knobs']): Body[] {
  switch (progress.phase) {
    case 'prepare':
      return progress.nextNeed ? Bodies.answer(progress.nextNeed, true, knobs) : []
    case 'pedal':
      return [Bodies.pedal()]
    case 'settle':
      return [Bodies.settled()]
    case 'start':
      return [Bodies.start()]
    case 'hold':
      return [Bodies.pedalUp(), Bodies.end()]
    default:
      return []
  }
}

/** A reading's field, in the unit in which it was entered: that is how it is kept. */
export const readingKey = (needle: Needle, unit: PressureUnit): string => `${needle}_${unit}`

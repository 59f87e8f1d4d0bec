import type { Words } from '../i18n/en'
import type { WireEvent } from './db'

export type MarkName = keyof Words['test']['mark']

/** The word for a mark. */
export function markName(event: Pick<WireEvent, 'type'> & Record<string, unknown>): MarkName {
  switch (event.type) {
    case 'confirmed':
      return event.item === 'wheels_chocked' || event.item === 'chocks_removed' || event.item === 'area_clear'
        ? event.item
        : 'other'
    case 'engine':
      return event.state === 'off' ? 'engine_off' : 'engine_running'
    case 'key':
      return event.state === 'on' ? 'key_on' : 'key_off'
    case 'knob':
      return event.state === 'in' ? 'knob_in' : 'knob_out'
    case 'pedal':
      return event.state === 'full' ? 'pedal_full' : 'pedal_released'
    case 'reading':
      return event.point === 'start' || event.point === 'end' ? event.point : 'read'
    case 'settled':
    case 'valued':
    case 'withdrawn':
    case 'finished':
    case 'made_safe':
    case 'abandoned':
      return event.type
    default:
      return 'other'
  }
}

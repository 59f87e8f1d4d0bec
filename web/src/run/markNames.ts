import { i18next, type Words } from '../shared/i18n'

export type MarkName = keyof Words['test']['mark']

const named = (value: unknown): MarkName =>
  i18next.exists(`test.mark.${String(value)}`) ? (String(value) as MarkName) : 'other'

/** The word for a mark. */
export function markName(event: { type: string } & Record<string, unknown>): MarkName {
  switch (event.type) {
    case 'confirmed':
      return named(event.item)
    case 'engine':
      return event.state === 'off' ? 'engine_off' : 'engine_running'
    case 'key':
      return event.state === 'on' ? 'key_on' : 'key_off'
    case 'knob': {
      const way = event.state === 'in' ? 'in' : event.cause === 'popped' ? 'popped' : 'out'
      return `${event.knob === 'trailer' ? 'trailer' : 'tractor'}_${way}`
    }
    case 'pedal':
      return event.state === 'full' ? 'pedal_full' : 'pedal_released'
    case 'reading':
      return named(event.point)
    case 'warning': {
      if (event.lamp === false || event.buzzer === false) return 'no_warning'
      if (event.lamp !== undefined && event.buzzer !== undefined) return 'warning'
      return event.lamp !== undefined ? 'lamp' : 'buzzer'
    }
    default:
      return named(event.type)
  }
}
